import type { Pole, PoleUse } from '@ample-skin/core/cage';
import type { Vec3 } from '@ample-skin/core/math';
import type { Offers } from '@ample-skin/core/offers';
import type { Comb, MeasuredFact } from '@ample-skin/core/proof';
import type { Model, ModelMap, Pick } from '@ample-skin/core/recipe';
import type { SweepPoint, SweepRow } from '@ample-skin/core/report/sweep-rows';
import type {
  AroundView,
  CompareView,
  Mapped,
  PieceDisplay,
  PoleRemedy,
  PolesView,
  Progress,
  ProofView,
  RegionView,
  SeamView,
  SectionView,
  Session,
  TriedOffView,
  Update,
  VariantView,
} from '@ample-skin/engine';
import * as Comlink from 'comlink';
import type { Request, ShapeApi } from '../workers/shape.worker.ts';

/** What is asked of a proof report. */
export type ReportWish = Parameters<Session['report']>[1];
type Remote = Comlink.Remote<ShapeApi>;

/**
 * The engine seen from the page. A dead shape worker is replaced; every call that was under way ends with an error, the caller asks again,
 * and nothing is lost, because the recipe lives here.
 */
export class EngineClient {
  private worker: Worker | undefined;
  private remote: Remote | undefined;
  private readonly waiting = new Set<(e: Error) => void>();
  restarts = 0;

  private ensure(): Remote {
    if (this.remote) return this.remote;
    const worker = new Worker(new URL('../workers/shape.worker.ts', import.meta.url), { type: 'module' });
    worker.addEventListener('error', (e) => {
      if (this.worker === worker) this.kill(e.message || 'it could not be loaded');
    });
    this.worker = worker;
    this.remote = Comlink.wrap<ShapeApi>(worker);
    return this.remote;
  }
  /** Ends the worker as a crash would (also what the cancel button falls back to). */
  kill(reason = 'stopped'): void {
    this.worker?.terminate();
    this.worker = undefined;
    this.remote = undefined;
    this.restarts++;
    for (const fail of [...this.waiting]) fail(new Error(reason));
    this.waiting.clear();
  }
  private call<T>(ask: (r: Remote) => Promise<T>): Promise<T> {
    return new Promise((resolve, reject) => {
      const fail = (e: Error) => {
        this.waiting.delete(fail);
        reject(e);
      };
      this.waiting.add(fail);
      ask(this.ensure()).then((v) => {
        this.waiting.delete(fail);
        resolve(v);
      }, fail);
    });
  }
  update(model: Model, request: Request, progress: (p: Progress) => void, partial: (u: Update) => void): Promise<Update> {
    return this.call((r) => r.update(model, request, Comlink.proxy(progress), Comlink.proxy(partial)) as Promise<Update>);
  }
  proof = (key: string, model: Model): Promise<ProofView | undefined> =>
    this.call((r) => r.proof(key, model) as Promise<ProofView | undefined>);
  liveSeams = (key: string, first: readonly string[]): Promise<SeamView[]> =>
    this.call((r) => r.liveSeams(key, first) as Promise<SeamView[]>);
  offers = (seam: string, grade: 1 | 2 | 3, model: Model, soFar: (so: Offers, of: number) => void): Promise<Offers | undefined> =>
    this.call((r) => r.offers(seam, grade, model, Comlink.proxy(soFar)) as Promise<Offers | undefined>);
  tryOff = (picks: readonly Pick[], model: Model, found: (v: VariantView, of: number) => void): Promise<TriedOffView | undefined> =>
    this.call((r) => r.tryOff(picks, model, Comlink.proxy(found)) as Promise<TriedOffView | undefined>);
  around = (picks: readonly Pick[], model: Model): Promise<AroundView> => this.call((r) => r.around(picks, model) as Promise<AroundView>);
  /** Ends offers and try-offs under way. */
  endTrial(): void {
    void this.remote?.endTrial();
  }
  combs = (picks: readonly Pick[], density: number): Promise<Comb[]> => this.call((r) => r.combs(picks, density) as Promise<Comb[]>);
  facts = (picks: readonly Pick[], density?: number): Promise<MeasuredFact[]> =>
    this.call((r) => r.facts(picks, density) as Promise<MeasuredFact[]>);
  regions = (step: string): Promise<RegionView[]> => this.call((r) => r.regions(step) as Promise<RegionView[]>);
  map = (key: string, map: ModelMap, tell: (done: number) => void): Promise<Mapped | undefined> =>
    this.call((r) => r.map(key, map, Comlink.proxy(tell)) as Promise<Mapped | undefined>);
  endMap(): void {
    void this.remote?.endMap();
  }
  section = (keys: readonly string[], origin: Vec3, normal: Vec3, comb: boolean): Promise<SectionView[]> =>
    this.call((r) => r.section(keys, origin, normal, comb) as Promise<SectionView[]>);
  report = (model: Model, o: ReportWish): Promise<{ ok: boolean; data: Uint8Array }> =>
    this.call((r) => r.report(model, o) as Promise<{ ok: boolean; data: Uint8Array }>);
  sweep = (model: Model, points: readonly SweepPoint[], tell: (row: SweepRow, index: number) => void): Promise<SweepRow[]> =>
    this.call((r) => r.sweep(model, points, Comlink.proxy(tell)) as Promise<SweepRow[]>);
  compare = (a: Model, b: Model, tell: (what: string, done: number) => void): Promise<CompareView> =>
    this.call((r) => r.compare(a, b, Comlink.proxy(tell)) as Promise<CompareView>);
  poles = (key: string, use: PoleUse, look: boolean): Promise<PolesView> => this.call((r) => r.poles(key, use, look) as Promise<PolesView>);
  remedy = (key: string, pole: Pole, use: PoleUse): Promise<PoleRemedy | undefined> =>
    this.call((r) => r.remedy(key, pole, use) as Promise<PoleRemedy | undefined>);
  nets = (key: string): Promise<Float32Array[]> => this.call((r) => r.nets(key) as Promise<Float32Array[]>);
  finer = (list: readonly { key: string; chord: number }[]) =>
    this.call((r) => r.finer(list) as Promise<{ key: string; stamp: string; display: PieceDisplay }[]>);
  cancel(): void {
    void this.remote?.cancel();
  }
  warm(): void {
    this.call((r) => r.warm()).catch(() => undefined);
  }
}

/** The one engine of this page. */
export const engine = new EngineClient();

/**
 * Long work beside the model (sweeps, comparisons) runs on an engine of its own, so that modelling goes on meanwhile. It is there while
 * there is something to do, and ended with it.
 */
export async function beside<T>(work: (e: EngineClient) => Promise<T>, signal: AbortSignal): Promise<T | undefined> {
  if (signal.aborted) return undefined;
  const e = new EngineClient();
  const stop = () => e.kill('cancelled');
  signal.addEventListener('abort', stop);
  try {
    return await work(e);
  } catch (error) {
    if (signal.aborted) return undefined;
    throw error;
  } finally {
    signal.removeEventListener('abort', stop);
    if (!signal.aborted) e.kill('done');
  }
}
