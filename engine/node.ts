import { Worker } from 'node:worker_threads';
import { KernelHost, type KernelReply, type KernelThread } from './kernel-host.ts';

/** The kernel in a Node worker thread. */
export const nodeKernel = (): KernelHost => new KernelHost(nodeKernelThread);

export function nodeKernelThread(): KernelThread {
  const worker = new Worker(new URL('./kernel.thread.mjs', import.meta.url));
  worker.unref();
  return {
    post: (m) => {
      worker.ref();
      worker.postMessage(m);
    },
    onMessage: (h) =>
      worker.on('message', (m: KernelReply) => {
        worker.unref();
        h(m);
      }),
    onDeath: (h) => {
      worker.on('error', (e) => h(e.message));
      worker.on('exit', (code) => h(`exit code ${code}`));
    },
    kill: () => void worker.terminate(),
  };
}
