import { database } from '../../../../db/client.ts';
import { jobQueue } from '../../../../jobs/queue.ts';
import { loadJob, removeJob } from '../../../../jobs/store.ts';
import { fine, guarded, idOf, problem } from '../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const { db } = await database();
    // what a stopped server left is taken up by whoever looks
    const queue = await jobQueue(db);
    const job = await loadJob(db, await idOf(params));
    return job ? fine({ ...job, elsewhere: queue.elsewhere }) : problem(404, 'There is no such job');
  });
export const DELETE = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const { db } = await database();
    const id = await idOf(params);
    (await jobQueue(db)).stop(id);
    return (await removeJob(db, id)) ? fine({}) : problem(404, 'There is no such job');
  });
