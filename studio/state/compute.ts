import type { OutputFile } from '@ample-skin/core/recipe';
import type { Progress, Update } from '@ample-skin/engine';
import { seamsInView } from './desk-rows.ts';
import { download } from './download.ts';
import { engine } from './engine-client.ts';
import { effectiveModel, getStudio as get, notify, setStudio as set } from './state.ts';

/** Work that takes longer is shown with what it is about, how far it is, and a way to cancel it. */
const SHOW_AFTER = 300;
interface Wish {
  readonly preview?: boolean;
  /** The step that is dragged. */
  readonly focus?: string;
  readonly files?: string[];
}
let wanted = 0;
let busy = false;
let again: Wish | undefined;

/** Asks the engine for the newest state; requests that come while it works are folded into one. */
export function recompute(wish: Wish = {}): void {
  wanted++;
  if (get().paused && !wish.files) return;
  if (!get().computing) set({ computing: true });
  if (busy) {
    engine.cancel();
    again = { ...wish };
    return;
  }
  void run(wish);
}

/** Progress as it is told, shown once the work has lasted long enough; old news after `end`. */
function progressShown() {
  let latest: Progress | undefined;
  let shown = false;
  let over = false;
  const timer = setTimeout(() => {
    shown = true;
    if (!over && latest) set({ progress: latest });
  }, SHOW_AFTER);
  return {
    tell(p: Progress) {
      latest = p;
      if (shown && !over) set({ progress: p });
    },
    latest: () => latest,
    isOver: () => over,
    end() {
      over = true;
      clearTimeout(timer);
      if (get().progress) set({ progress: undefined });
    },
  };
}

async function run(wish: Wish): Promise<void> {
  busy = true;
  again = undefined;
  const mine = wanted;
  const model = effectiveModel();
  const have = [...get().pieces].flatMap(([k, p]) => (p.display ? [[k, p.stamp] as const] : []));
  // progress and unfinished work come over ports of their own and may arrive after the answer: then they are old news
  const progress = progressShown();
  try {
    const { preview, files, focus } = wish;
    const update = await engine.update(model, { have, preview, files, focus, open: get().open, document: get().id }, progress.tell, (u) => {
      // of a drag every state counts, also when the next one is asked for already
      if (progress.isOver() || (mine !== wanted && !preview)) return;
      if (u.whole) accept(u, preview ?? false);
      else acceptPartial(u);
    });
    if (!update.cancelled || mine === wanted) accept(update, wish.preview ?? false);
    if (wish.preview && !update.cancelled) void followSeams();
  } catch (e) {
    const at = progress.latest()?.step;
    const name = model.steps.find((s) => s.id === at)?.name ?? 'the model';
    notify('error', `The engine stopped while computing "${name}" and was started again. Nothing is lost (${(e as Error).message})`);
    set({ pieces: new Map([...get().pieces].map(([k, p]) => [k, { ...p, stamp: `lost-${p.stamp}` }])) });
    if (engine.restarts < 60) again ??= wish;
  } finally {
    progress.end();
    busy = false;
  }
  const next = again as Wish | undefined;
  if (next || mine !== wanted) void run(next ?? {});
  else {
    set({ computing: false });
    if (!wish.preview) void refreshProofs();
  }
}

/** Steps done so far; what comes later in the sheet keeps its last state. */
function acceptPartial(u: Update): void {
  const old = get();
  const pieces = new Map(old.pieces);
  for (const p of u.pieces) pieces.set(p.key, p.display ? p : { ...p, display: old.pieces.get(p.key)?.display });
  const steps = new Map(old.steps);
  for (const s of u.steps) steps.set(s.id, s);
  set({ pieces, steps, computed: old.computed || u.pieces.some((p) => p.display) });
}

/** While something is dragged the proof of before stays: measuring seams anew for every step of the drag would hold it up. */
function accept(u: Update, preview: boolean): void {
  const old = get().pieces;
  const pieces = new Map(u.pieces.map((p) => [p.key, p.display ? p : { ...p, display: old.get(p.key)?.display }]));
  const changed = new Set(u.pieces.filter((p) => p.display).map((p) => p.key));
  const known = get().proofs;
  const kept = [...known].filter(([k]) => pieces.has(k) && (preview || !changed.has(k)));
  const proofs = kept.length === known.size ? known : new Map(kept);
  set({
    steps: new Map(u.steps.map((s) => [s.id, s])),
    pieces,
    dials: sameDials(get().dials, u.dials) ? get().dials : new Map(u.dials.map((d) => [d.name, d])),
    computed: true,
    computeMs: u.ms,
    proofs,
  });
  void handOver(u.steps.flatMap((s) => s.files));
}
/** What was written goes to the person: one file as it is, several packed together, since browsers ask before each further one. */
async function handOver(files: readonly OutputFile[]): Promise<void> {
  if (files.length < 2) {
    for (const f of files) download(f.name, f.type, f.data, `${f.name} was written, read back and compared`);
    return;
  }
  const { zipSync } = await import('fflate');
  const name = `${effectiveModel(get()).name || 'pieces'}.zip`;
  download(
    name,
    'application/zip',
    zipSync(Object.fromEntries(files.map((f) => [f.name, f.data]))),
    `${files.length} files were written, read back, compared and packed as ${name}`,
  );
}
/** Fields follow the dials: the same values are the same map. */
const sameDials = (now: ReturnType<typeof get>['dials'], next: Update['dials']): boolean =>
  now.size === next.length && next.every((d) => now.get(d.name)?.value === d.value && now.get(d.name)?.message === d.message);
let following = false;
/**
 * Rows of the desk while something is dragged: those that show anew as they are now, as far as a picture's time goes; the others keep the
 * numbers of before. Nothing is measured while the desk is shut or shows something else.
 */
async function followSeams(): Promise<void> {
  const { desk, proofs, pieces } = get();
  if (following || desk.tab !== 'seams' || desk.size === 'shut') return;
  following = true;
  try {
    for (const [key, proof] of proofs) {
      if (!pieces.get(key)?.live || !proof.seams.length) continue;
      const fresh = await engine.liveSeams(key, seamsInView()).catch(() => []);
      const now = get().proofs.get(key);
      if (!fresh.length || !now) continue;
      const byKey = new Map(fresh.map((s) => [s.key, s]));
      set((s) => ({ proofs: new Map(s.proofs).set(key, { ...now, seams: now.seams.map((x) => byKey.get(x.key) ?? x) }) }));
    }
  } finally {
    following = false;
  }
}

let measuring = 0;
/** Seams, rims and defects of every piece that stands for itself and has not been measured; `anew` measures those again too. */
export async function refreshProofs(anew = false): Promise<void> {
  const mine = ++measuring;
  const todo = [...get().pieces.values()].filter(
    (p) => p.live && (p.kind === 'skin' || p.kind === 'solid') && (anew || !get().proofs.has(p.key)),
  );
  if (!todo.length) return;
  const progress = progressShown();
  try {
    for (const [done, p] of todo.entries()) {
      if (mine !== measuring || busy) return;
      progress.tell({ phase: 'measuring', step: p.step, done, total: todo.length });
      const proof = await engine.proof(p.key, effectiveModel()).catch(() => undefined);
      if (proof && mine === measuring && !busy) set((x) => ({ proofs: new Map(x.proofs).set(p.key, proof) }));
    }
  } finally {
    progress.end();
  }
}

/** Finer pictures of pieces that are looked at closely. */
export async function refineDisplays(list: readonly { readonly key: string; readonly chord: number }[]): Promise<void> {
  if (busy || !list.length) return;
  const before = get().pieces;
  const found = await engine.finer(list).catch(() => []);
  const pieces = new Map(get().pieces);
  // taken also while the next state is computed: the engine knows these pictures by their new stamps now
  const taken = found.filter((f) => pieces.get(f.key)?.display && pieces.get(f.key)?.stamp === before.get(f.key)?.stamp);
  if (!taken.length) return;
  for (const f of taken) {
    const p = pieces.get(f.key);
    if (p) pieces.set(f.key, { ...p, stamp: f.stamp, display: f.display });
  }
  set({ pieces });
}

/** Stops what is being computed, and waits with more until asked to go on. */
export function cancelWork(): void {
  set({ paused: true });
  measuring++;
  engine.cancel();
}
