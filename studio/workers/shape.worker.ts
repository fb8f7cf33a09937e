import type { Pole, PoleUse } from '@ample-skin/core/cage';
import type { Vec3 } from '@ample-skin/core/math';
import type { Offers } from '@ample-skin/core/offers';
import type { Model, ModelMap, Pick } from '@ample-skin/core/recipe';
import type { SweepPoint, SweepRow } from '@ample-skin/core/report/sweep-rows';
import {
  type CompareView,
  KernelHost,
  type KernelReply,
  type KernelThread,
  type Mapped,
  mapBuffers,
  type Progress,
  Session,
  sectionBuffers,
  type TriedOffView,
  transferables,
  type Update,
  type UpdateOptions,
  type VariantView,
} from '@ample-skin/engine';
import * as Comlink from 'comlink';

const spawn = (): KernelThread => {
  const worker = new Worker(new URL('./kernel.worker.ts', import.meta.url), { type: 'module' });
  return {
    post: (m) => worker.postMessage(m),
    onMessage: (h) => worker.addEventListener('message', (e: MessageEvent<KernelReply>) => h(e.data)),
    onDeath: (h) => worker.addEventListener('error', (e) => h(e.message || 'it could not be loaded')),
    kill: () => worker.terminate(),
  };
};

const assets = new Map<string, { name: string; data: Uint8Array }>();
async function asset(hash: string) {
  const known = assets.get(hash);
  if (known) return known;
  const r = await fetch(`/api/assets/${hash}`);
  if (!r.ok) return undefined;
  const a = { name: decodeURIComponent(r.headers.get('x-file-name') ?? 'file'), data: new Uint8Array(await r.arrayBuffer()) };
  assets.set(hash, a);
  return a;
}

const kernel = new KernelHost(spawn);
const session = new Session(kernel, asset);
/** Trials beside the model: offers for a seam, or methods for an opening. */
let trying: AbortController | undefined;
let mapping: AbortController | undefined;
let running: AbortController | undefined;

export interface Request extends Omit<UpdateOptions, 'signal' | 'onProgress' | 'onPartial' | 'have' | 'files' | 'overrides'> {
  readonly have: readonly (readonly [string, string])[];
  readonly files?: readonly string[];
}

const handedOver = (u: Update): Update =>
  Comlink.transfer(
    u,
    u.pieces.flatMap((p) => (p.display ? transferables(p.display) : [])),
  );

const api = {
  /** The newest request wins: an older one still running is cancelled. */
  async update(model: Model, request: Request, progress: (p: Progress) => void, partial: (u: Update) => void): Promise<Update> {
    running?.abort();
    trying?.abort();
    mapping?.abort();
    const mine = new AbortController();
    running = mine;
    const update = await session.update(model, {
      ...request,
      have: new Map(request.have),
      files: new Set(request.files ?? []),
      signal: mine.signal,
      onProgress: (p) => progress(p),
      onPartial: (u) => partial(handedOver(u)),
    });
    if (running === mine) running = undefined;
    return handedOver(update);
  },
  proof: (key: string, model: Model) => session.proof(key, model),
  liveSeams: (key: string, first: readonly string[]) => session.liveSeams(key, first),
  /** Offers for a seam; an update of the model, or a newer question, ends the search. */
  async offers(seam: string, grade: 1 | 2 | 3, model: Model, soFar: (so: Offers, of: number) => void): Promise<Offers | undefined> {
    trying?.abort();
    const mine = new AbortController();
    trying = mine;
    const found = await session.offers(seam, grade, model, { signal: mine.signal, onSoFar: (so, of) => soFar(so, of) });
    return mine.signal.aborted ? undefined : found;
  },
  /** Methods for an opening, one after the other; ended by a change of the model or a newer trial. */
  async tryOff(picks: readonly Pick[], model: Model, found: (v: VariantView, of: number) => void): Promise<TriedOffView | undefined> {
    trying?.abort();
    const mine = new AbortController();
    trying = mine;
    const all = await session.tryOff(picks, model, { signal: mine.signal, onVariant: (v, of) => found(v, of) });
    if (mine.signal.aborted) return undefined;
    return all.ok ? { ...all, variants: all.variants.map(({ view: _, ...v }) => v) } : all;
  },
  around: (picks: readonly Pick[], model: Model) => session.around(picks, model),
  endTrial: () => trying?.abort(),
  combs: (picks: readonly Pick[], density: number) => session.combs(picks, density),
  regions: (step: string) => {
    const list = session.regions(step);
    return Comlink.transfer(
      list,
      list.flatMap((r) => [r.positions.buffer, r.indices.buffer] as ArrayBuffer[]),
    );
  },
  facts: (picks: readonly Pick[], density?: number) => session.facts(picks, density),
  report: (model: Model, o: Parameters<Session['report']>[1]) => session.report(model, o),
  /** A piece in the colours of a map; an update of the model, or a newer map, ends it. */
  async map(key: string, map: ModelMap, tell: (done: number) => void): Promise<Mapped | undefined> {
    mapping?.abort();
    const mine = new AbortController();
    mapping = mine;
    try {
      const r = await session.map(key, map, async (done) => {
        tell(done);
        await new Promise((go) => setTimeout(go));
        mine.signal.throwIfAborted();
      });
      return r.ok ? Comlink.transfer(r, mapBuffers(r.view)) : r;
    } catch (e) {
      if (mine.signal.aborted) return undefined;
      throw e;
    }
  },
  endMap: () => mapping?.abort(),
  /** Rows come with the answer too: what is told on the way may arrive after it. */
  sweep: (model: Model, points: readonly SweepPoint[], tell: (row: SweepRow, index: number) => void): Promise<SweepRow[]> =>
    session.sweep(model, points, {
      onRow: async (row, i) => {
        tell(row, i);
        await new Promise((go) => setTimeout(go));
      },
    }),
  async compare(a: Model, b: Model, tell: (what: string, done: number) => void): Promise<CompareView> {
    const r = await session.compare(a, b, {
      tell: async (what, done) => {
        tell(what, done);
        await new Promise((go) => setTimeout(go));
      },
    });
    const sides = r.pairs.flatMap((p) => [p.a, p.b].flatMap((x) => x ?? []));
    return Comlink.transfer(
      r,
      sides.flatMap((x) => [...(x.view.display ? transferables(x.view.display) : []), ...(x.map ? mapBuffers(x.map) : [])]),
    );
  },
  section(keys: readonly string[], origin: Vec3, normal: Vec3, comb: boolean) {
    const list = session.section(keys, origin, normal, comb);
    return Comlink.transfer(list, sectionBuffers(list));
  },
  nets: (key: string) => session.nets(key),
  poles: (key: string, use: PoleUse, look: boolean) => session.poles(key, use, look),
  remedy: (key: string, pole: Pole, use: PoleUse) => session.remedy(key, pole, use),
  finer: (list: readonly { key: string; chord: number }[]) => {
    const found = session.finer(list);
    return Comlink.transfer(
      found,
      found.flatMap((f) => transferables(f.display)),
    );
  },
  cancel: () => running?.abort(),
  warm: () => kernel.run('memory', {}, { limit: 60_000 }),
};
export type ShapeApi = typeof api;
Comlink.expose(api);
