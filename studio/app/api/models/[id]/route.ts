import { database } from '../../../../db/client.ts';
import { loadModel, removeModel } from '../../../../db/repository.ts';
import { fine, guarded, idOf, problem } from '../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const m = await loadModel((await database()).db, await idOf(params));
    return m ? fine(m) : problem(404, 'There is no such model');
  });
export const DELETE = (request: Request, { params }: Context) =>
  guarded(request, async () =>
    (await removeModel((await database()).db, await idOf(params))) ? fine({}) : problem(404, 'There is no such model'),
  );
