import { runItem } from '@ample-skin/engine/jobs';
import { nodeKernel } from '@ample-skin/engine/node';
import type { FromChild, ToChild } from './local.ts';

/** The process beside the server that does items of jobs, one after the other. It ends with the server. */
const kernel = nodeKernel();
const tell = (m: FromChild) => process.send?.(m);
const asked = new Map<string, (file: { name: string; data: Uint8Array } | undefined) => void>();
process.on('disconnect', () => process.exit(0));
process.on('message', (m: ToChild) => {
  if (m.do === 'asset') {
    asked.get(m.hash)?.(m.file);
    asked.delete(m.hash);
    return;
  }
  const asset = (hash: string) =>
    new Promise<{ name: string; data: Uint8Array } | undefined>((done) => {
      asked.set(hash, done);
      tell({ tell: 'asset', hash });
    });
  runItem(m.request, m.index, { kernel, asset }).then(
    (result) => tell({ tell: 'result', result }),
    (e: Error) => tell({ tell: 'error', message: e.message }),
  );
});
