import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { listVersions, saveVersion } from '../../../../../db/repository.ts';
import { fine, guarded, idOf, jsonOf, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };
const body = z.object({ name: z.string().trim().min(1, 'a version needs a name').max(120) });

export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => fine(await listVersions((await database()).db, await idOf(params))));
export const POST = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const id = await idOf(params);
    const { name } = await jsonOf(request, body);
    return (await saveVersion((await database()).db, id, name)) ? fine({}, 201) : problem(404, 'There is no such model');
  });
