import type { Comb } from '@ample-skin/core/proof';
import type { Model, Pick } from '@ample-skin/core/recipe';
import type { ProofView, RegionView, Update } from '@ample-skin/engine';
import * as Comlink from 'comlink';
import type { Request, ShapeApi } from '../workers/shape.worker.ts';

export type Progress = { step: string; done: number; total: number } | undefined;

/** The engine seen from the page. A dead shape worker is replaced; the caller asks again and nothing is lost, because the recipe lives here. */
export class EngineClient {
  private worker: Worker | undefined;
  private remote: Comlink.Remote<ShapeApi> | undefined;
  private fail: ((e: Error) => void) | undefined;
  restarts = 0;

  private ensure(): Comlink.Remote<ShapeApi> {
    if (this.remote) return this.remote;
    const worker = new Worker(new URL('../workers/shape.worker.ts', import.meta.url), { type: 'module' });
    worker.addEventListener('error', (e) => this.die(e.message || 'it could not be loaded'));
    this.worker = worker;
    this.remote = Comlink.wrap<ShapeApi>(worker);
    return this.remote;
  }
  private die(reason: string): void {
    this.worker?.terminate();
    this.worker = undefined;
    this.remote = undefined;
    this.restarts++;
    this.fail?.(new Error(reason));
    this.fail = undefined;
  }
  /** Ends the worker as a crash would (also what the cancel button falls back to). */
  kill(reason = 'stopped'): void {
    this.die(reason);
  }
  async update(model: Model, request: Request, progress: (p: Progress) => void, partial: (u: Update) => void): Promise<Update> {
    const remote = this.ensure();
    const dead = new Promise<never>((_, reject) => {
      this.fail = reject;
    });
    return Promise.race([remote.update(model, request, Comlink.proxy(progress), Comlink.proxy(partial)), dead]) as Promise<Update>;
  }
  async proof(key: string, model: Model): Promise<ProofView | undefined> {
    return this.ensure().proof(key, model);
  }
  async combs(picks: readonly Pick[], density: number): Promise<Comb[]> {
    return this.ensure().combs(picks, density);
  }
  async regions(step: string): Promise<RegionView[]> {
    return this.ensure().regions(step);
  }
  cancel(): void {
    void this.remote?.cancel();
  }
  warm(): void {
    void this.ensure()
      .warm()
      .catch(() => undefined);
  }
}

/** The one engine of this page. */
export const engine = new EngineClient();
