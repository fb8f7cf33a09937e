import { parseModel } from '@ample-skin/core/recipe';
import { type JobRequest, jobSchema } from '@ample-skin/engine/job-requests';
import { z } from 'zod';
import { database } from '../../../db/client.ts';
import { loadModel } from '../../../db/repository.ts';
import { jobQueue } from '../../../jobs/queue.ts';
import { createJob, listJobs, openItems } from '../../../jobs/store.ts';
import { BadRequest, fine, guarded, idSchema, jsonOf } from '../respond.ts';

export const dynamic = 'force-dynamic';
const id = idSchema;
/** Models by their ids, as they are saved now; a recipe as it is on the screen where one is swept. */
const body = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('sweep'), recipe: z.unknown(), ranges: z.unknown() }),
  z.object({ kind: z.literal('check'), models: z.array(id).min(1, 'choose at least one model').max(200) }),
  z.object({
    kind: z.literal('export'),
    models: z.array(id).min(1, 'choose at least one model').max(200),
    format: z.string(),
    unit: z.string().optional(),
    schema: z.string().optional(),
    chord: z.number().optional(),
  }),
]);

export const GET = (request: Request) =>
  guarded(request, async () => {
    const { db } = await database();
    const list = await listJobs(db);
    // what a stopped server left is taken up by whoever looks
    if (list.some((j) => j.counts.waits + j.counts.runs)) await jobQueue(db);
    return fine(list);
  });
export const POST = (request: Request) =>
  guarded(request, async () => {
    const { db } = await database();
    const wish = await jsonOf(request, body);
    const made = await createJob(db, await requestFrom(wish));
    if (typeof made === 'string') throw new BadRequest(made);
    await (await jobQueue(db)).send(await openItems(db, made.id));
    return fine(made, 201);

    async function requestFrom(w: z.infer<typeof body>): Promise<JobRequest> {
      const models =
        w.kind === 'sweep'
          ? undefined
          : await Promise.all(
              w.models.map(async (m) => {
                const found = await loadModel(db, m);
                if (!found) throw new BadRequest(`There is no model ${m}`, 404);
                return { name: found.name, recipe: found.recipe };
              }),
            );
      if (w.kind === 'sweep') {
        const parsed = parseModel(w.recipe);
        if (!parsed.ok) throw new BadRequest(`This is not a recipe: ${parsed.place}: ${parsed.message}`);
      }
      const r = jobSchema.safeParse({ ...w, ...(models ? { models } : {}) });
      if (r.success) return r.data;
      const issue = r.error.issues[0];
      throw new BadRequest(`${issue.path.join('.') || 'the job'}: ${issue.message}`);
    }
  });
