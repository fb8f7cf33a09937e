import { parentPort } from 'node:worker_threads';
import { serveKernel } from './kernel-serve.ts';

const port = parentPort;
if (!port) throw new Error('this file runs as a worker thread');
serveKernel(
  (handler) => port.on('message', handler),
  (m) => port.postMessage(m),
);
