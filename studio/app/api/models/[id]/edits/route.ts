import { editSchema } from '@ample-skin/core/recipe';
import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { appendEdit, editsSince } from '../../../../../db/repository.ts';
import { fine, guarded, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };
const body = z.object({
  clientId: z.string().min(1).max(80),
  sequence: z.number().int().min(1),
  base: z.number().int().min(0),
  kind: z.enum(['do', 'undo', 'redo']),
  change: editSchema,
});

export const GET = (request: Request, { params }: Context) =>
  guarded(async () =>
    fine(await editsSince((await database()).db, (await params).id, Number(new URL(request.url).searchParams.get('since') ?? 0) || 0)),
  );
export const POST = (request: Request, { params }: Context) =>
  guarded(async () => {
    const r = body.safeParse(await request.json().catch(() => undefined));
    if (!r.success) return problem(400, `This is no edit: ${r.error.issues[0].path.join('.')}: ${r.error.issues[0].message}`);
    const result = await appendEdit((await database()).db, (await params).id, r.data);
    if (result.status === 'unknown') return problem(404, 'There is no such model');
    return fine(result, result.status === 'saved' ? 200 : 409);
  });
