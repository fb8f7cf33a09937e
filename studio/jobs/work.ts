import { type JobHost, runItem } from '@ample-skin/engine/jobs';
import type { Database } from '../db/client.ts';
import { alive, claim, finish, requestOf, stumble } from './store.ts';

/** Milliseconds between signs of life. */
const BEAT = 2000;
/**
 * Does one item of a job for a worker: takes it, shows that it lives, keeps what came of it. An item that is done, cancelled or in living
 * hands is left alone, so that it may be handed out twice. Says whether it should be handed out again.
 */
export async function workOn(
  db: Database,
  id: string,
  index: number,
  worker: string,
  host: Omit<JobHost, 'signal'>,
  run: typeof runItem = runItem,
): Promise<'done' | 'again' | 'left'> {
  const request = await requestOf(db, id);
  if (!request || !(await claim(db, id, index, worker))) return 'left';
  const stop = new AbortController();
  const beat = setInterval(() => {
    alive(db, id, index, worker).then(
      (mine) => !mine && stop.abort(),
      () => undefined,
    );
  }, BEAT);
  try {
    const result = await run(request, index, { ...host, signal: stop.signal });
    return (await finish(db, id, index, worker, result)) ? 'done' : 'left';
  } catch (e) {
    if (stop.signal.aborted) return 'left';
    return (await stumble(db, id, index, worker, (e as Error).message)) === 'waits' ? 'again' : 'left';
  } finally {
    clearInterval(beat);
  }
}
