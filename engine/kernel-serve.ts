import type { KernelOp } from '@ample-skin/core/brep';
import { KernelError } from '@ample-skin/core/brep';
import { createAdapter } from '../core/brep/occt/adapter.ts';

/** Answers kernel calls that arrive by message: the body of a kernel thread, in a browser worker and in Node alike. */
export function serveKernel(
  listen: (handler: (m: { id: number; op: KernelOp; args: never }) => void) => void,
  reply: (m: unknown, transfer: ArrayBuffer[]) => void,
  module?: WebAssembly.Module,
): void {
  const adapter = createAdapter(module);
  listen(async (m) => {
    try {
      const kernel = await adapter;
      const result = kernel.run(m.op, m.args);
      reply({ id: m.id, ok: true, result, bytes: kernel.run('memory', {}).bytes }, []);
    } catch (e) {
      const kind = e instanceof KernelError && e.kind === 'died' ? 'died' : 'refused';
      reply({ id: m.id, ok: false, message: (e as Error).message, kind }, []);
    }
  });
}
