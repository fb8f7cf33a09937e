import { type Adapter, createAdapter } from './occt/adapter.ts';
import type { KernelOp, KernelOps, KernelService } from './service.ts';

let shared: Promise<Adapter> | undefined;
/** The kernel in this thread: for tests and tools that need no time limit. A crash starts a fresh instance at the next call. */
export const localKernel: KernelService = {
  async run<K extends KernelOp>(op: K, args: KernelOps[K]['args']) {
    shared ??= createAdapter();
    const adapter = await shared;
    try {
      return adapter.run(op, args);
    } catch (e) {
      if ((e as { kind?: string }).kind === 'died') shared = undefined;
      throw e;
    }
  },
};
