import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { jobQueue } from '../../../../../jobs/queue.ts';
import { cancelJob, openItems, retryJob } from '../../../../../jobs/store.ts';
import { fine, guarded, idOf, jsonOf, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };
const body = z.object({ do: z.enum(['cancel', 'retry']) });

export const POST = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const { db } = await database();
    const id = await idOf(params);
    const wish = await jsonOf(request, body);
    const queue = await jobQueue(db);
    if (wish.do === 'cancel') {
      const known = await cancelJob(db, id);
      queue.stop(id);
      return known ? fine({}) : problem(404, 'There is no such job');
    }
    if (!(await retryJob(db, id))) return problem(404, 'There is no such job');
    await queue.send(await openItems(db, id));
    return fine({});
  });
