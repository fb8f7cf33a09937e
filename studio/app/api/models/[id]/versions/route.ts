import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { listVersions, saveVersion } from '../../../../../db/repository.ts';
import { fine, guarded, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

export const GET = (_: Request, { params }: Context) =>
  guarded(async () => fine(await listVersions((await database()).db, (await params).id)));
export const POST = (request: Request, { params }: Context) =>
  guarded(async () => {
    const r = z.object({ name: z.string().trim().min(1).max(120) }).safeParse(await request.json().catch(() => undefined));
    if (!r.success) return problem(400, 'A version needs a name');
    return (await saveVersion((await database()).db, (await params).id, r.data.name))
      ? fine({}, 201)
      : problem(404, 'There is no such model');
  });
