import type { JobQueue } from './queue.ts';

/** Items wait in this queue of the database. */
export const QUEUE = 'ample-items';
/** Items of jobs on a PostgreSQL database, for any number of workers on any number of machines. */
export async function openBoss(url: string) {
  const { default: PgBoss } = await import('pg-boss');
  const boss = new PgBoss({ connectionString: url, application_name: 'ample-skin' });
  boss.on('error', (e) => console.error('jobs:', e.message));
  await boss.start();
  // our own signs of life tell when a worker is gone; the queue's limit is only the last resort
  await boss.createQueue(QUEUE, { name: QUEUE, policy: 'standard', retryLimit: 3, expireInSeconds: 6 * 3600 });
  return boss;
}
export async function bossQueue(url: string): Promise<JobQueue> {
  const boss = await openBoss(url);
  return {
    elsewhere: true,
    send: async (items) => {
      if (items.length) await boss.insert(items.map((data) => ({ name: QUEUE, data })));
    },
    // workers see it in the database within a beat
    stop: () => undefined,
    close: () => boss.stop({ graceful: false, wait: true }),
  };
}
