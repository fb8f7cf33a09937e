import { editSchema } from '@ample-skin/core/recipe';
import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { appendEdit, editsSince } from '../../../../../db/repository.ts';
import { fine, guarded, idOf, jsonOf, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };
const COUNT = z
  .number()
  .int()
  .max(2 ** 31 - 1);
const body = z.object({
  clientId: z.string().regex(/^[\w-]{1,80}$/),
  sequence: COUNT.min(1),
  base: COUNT.min(0),
  kind: z.enum(['do', 'undo', 'redo']),
  change: editSchema,
});

export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const since = Math.min(2 ** 31 - 1, Math.max(0, Math.trunc(Number(new URL(request.url).searchParams.get('since') ?? 0)) || 0));
    const edits = await editsSince((await database()).db, await idOf(params), since);
    return edits ? fine(edits) : problem(404, 'There is no such model');
  });
export const POST = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const id = await idOf(params);
    const result = await appendEdit((await database()).db, id, await jsonOf(request, body));
    if (result.status === 'unknown') return problem(404, 'There is no such model');
    return fine(result, result.status === 'saved' ? 200 : 409);
  });
