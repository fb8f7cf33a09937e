import { serveKernel } from '@ample-skin/engine/kernel-serve';

const scope = self as unknown as DedicatedWorkerGlobalScope;
serveKernel(
  (handler) => scope.addEventListener('message', (e) => handler(e.data)),
  (m) => scope.postMessage(m),
);
