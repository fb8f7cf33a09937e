import type { Update } from '@ample-skin/engine';
import { engine, type Progress } from './engine-client.ts';
import { effectiveModel, getStudio as get, notify, setStudio as set } from './state.ts';

let wanted = 0;
let busy = false;
/** Asks the engine for the newest state; requests that come while it works are folded into one. */
export function recompute(options: { preview?: boolean; files?: string[] } = {}): void {
  wanted++;
  if (get().paused && !options.files) return;
  set({ computing: true });
  if (busy) {
    engine.cancel();
    again = { ...options };
    return;
  }
  void run(options);
}
let again: { preview?: boolean; files?: string[] } | undefined;
async function run(options: { preview?: boolean; files?: string[] }): Promise<void> {
  busy = true;
  again = undefined;
  const mine = wanted;
  const model = effectiveModel();
  const have = [...get().pieces].flatMap(([k, p]) => (p.display ? [[k, p.stamp] as const] : []));
  const timer = setTimeout(() => {
    if (busy) set({ progress: latest });
  }, 300);
  let latest: Progress;
  let shown = false;
  // progress and unfinished work come over ports of their own and may arrive after the answer: then they are old news
  let over = false;
  setTimeout(() => {
    shown = true;
  }, 300);
  try {
    const update = await engine.update(
      model,
      { have, preview: options.preview, files: options.files },
      (p) => {
        latest = p;
        if (shown && !over) set({ progress: p });
      },
      (u) => {
        if (mine === wanted && !over) acceptPartial(u);
      },
    );
    over = true;
    if (!update.cancelled || mine === wanted) accept(update, options.preview ?? false);
  } catch (e) {
    const name = model.steps.find((s) => s.id === latest?.step)?.name ?? latest?.step ?? 'the model';
    notify('error', `The engine stopped while computing "${name}" and was started again. Nothing is lost (${(e as Error).message})`);
    set({ pieces: new Map([...get().pieces].map(([k, p]) => [k, { ...p, stamp: `lost-${p.stamp}` }])) });
    if (engine.restarts < 60) again ??= options;
  } finally {
    over = true;
    clearTimeout(timer);
    busy = false;
    set({ progress: undefined });
  }
  const next = again as typeof again;
  if (next || mine !== wanted) void run(next ?? {});
  else set({ computing: false, pieces: new Map(get().pieces) });
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
  const changed = u.pieces.filter((p) => p.display).map((p) => p.key);
  const known = get().proofs;
  const kept = [...known].filter(([k]) => pieces.has(k) && (preview || !changed.includes(k)));
  const proofs = kept.length === known.size ? known : new Map(kept);
  set({
    steps: new Map(u.steps.map((s) => [s.id, s])),
    pieces,
    dials: new Map(u.dials.map((d) => [d.name, d])),
    computed: true,
    computeMs: u.ms,
    proofs,
  });
  for (const s of u.steps) for (const f of s.files) download(f.name, f.type, f.data);
  if (!preview) void refreshProofs();
}
function download(name: string, type: string, data: Uint8Array): void {
  const url = URL.createObjectURL(new Blob([data as BlobPart], { type }));
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
  notify('info', `${name} was written, read back and compared`);
}

/** Seams, rims and defects of every piece that stands for itself. */
export async function refreshProofs(): Promise<void> {
  const s = get();
  for (const p of s.pieces.values()) {
    if (!p.live || (p.kind !== 'skin' && p.kind !== 'solid') || s.proofs.has(p.key)) continue;
    const proof = await engine.proof(p.key, effectiveModel()).catch(() => undefined);
    if (proof && get().pieces.get(p.key)?.stamp === p.stamp) set((x) => ({ proofs: new Map(x.proofs).set(p.key, proof) }));
  }
}
