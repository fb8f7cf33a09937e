import type { Database } from '../db/client.ts';

/** Where items of jobs go to be worked on. */
export interface JobQueue {
  /** Hands items out; one that is handed out twice is done once. */
  send(items: readonly { readonly id: string; readonly index: number }[]): Promise<void>;
  /** Ends what runs of a job, where it runs here. */
  stop(id: string): void;
  close(): Promise<void>;
  /** Whether work is done by other processes. */
  readonly elsewhere: boolean;
}
const shared = globalThis as { ampleJobs?: Promise<JobQueue> };
/** The one queue of this server process: in a process beside it, or with a PostgreSQL address the workers on that database. */
export function jobQueue(db: Database): Promise<JobQueue> {
  if (!shared.ampleJobs) {
    const opening = process.env.DATABASE_URL
      ? import('./boss.ts').then((m) => m.bossQueue(process.env.DATABASE_URL as string))
      : import('./local.ts').then((m) => m.localQueue(db));
    shared.ampleJobs = opening;
    opening.catch(() => {
      if (shared.ampleJobs === opening) shared.ampleJobs = undefined;
    });
    // what was under way when the server stopped goes on
    void opening.then(
      async (q) => {
        const { openItems, sweepOut } = await import('./store.ts');
        await sweepOut(db);
        await q.send(await openItems(db));
        // workers elsewhere look by themselves
        if (!q.elsewhere)
          setInterval(() => {
            openItems(db).then(
              (items) => q.send(items),
              () => undefined,
            );
          }, 5000).unref();
      },
      () => undefined,
    );
  }
  return shared.ampleJobs;
}
