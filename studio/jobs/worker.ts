import { hostname } from 'node:os';
import { nodeKernel } from '@ample-skin/engine/node';
import { openDatabase } from '../db/client.ts';
import { openBoss, QUEUE } from './boss.ts';
import { readAsset } from './files.ts';
import { openItems } from './store.ts';
import { workOn } from './work.ts';

/** Milliseconds between looks for items whose worker has fallen silent. */
const LOOK = 5000;
/** A worker on the database of DATABASE_URL: does items until it is told to stop. Any number may run, on any machines. */
export async function runWorker(url: string, say: (text: string) => void = console.log): Promise<() => Promise<void>> {
  const open = await openDatabase({ url });
  const boss = await openBoss(url);
  const kernel = nodeKernel();
  const name = `${hostname()} ${process.pid}`;
  let over = false;
  const asset = (hash: string) => readAsset(open.db, hash);
  await boss.work<{ id: string; index: number }>(QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async ([{ data }]) => {
    if (over) throw new Error('this worker is stopping');
    const start = performance.now();
    const r = await workOn(open.db, data.id, data.index, name, { kernel, asset });
    if (r !== 'left') say(`job ${data.id}, item ${data.index + 1}: ${r}, ${Math.round(performance.now() - start)} ms`);
    if (r === 'again') await boss.send(QUEUE, data);
  });
  // what a dead worker held, or what was never handed out, is handed out anew; done twice it is done once
  const look = setInterval(() => {
    openItems(open.db).then(
      async (items) => {
        const waiting = await boss.getQueueSize(QUEUE, { before: 'active' });
        if (!over && items.length && !waiting) await boss.insert(items.map((data) => ({ name: QUEUE, data })));
      },
      (e: Error) => say(`jobs: ${e.message}`),
    );
  }, LOOK);
  say(`worker ${name} is ready`);
  return async () => {
    over = true;
    clearInterval(look);
    await boss.stop({ graceful: true, timeout: 20_000, wait: true });
    await kernel.close();
    await open.close();
  };
}
