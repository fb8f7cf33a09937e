import { database } from '../../../../db/client.ts';
import { loadModel, removeModel } from '../../../../db/repository.ts';
import { fine, guarded, problem } from '../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

export const GET = (_: Request, { params }: Context) =>
  guarded(async () => {
    const m = await loadModel((await database()).db, (await params).id);
    return m ? fine(m) : problem(404, 'There is no such model');
  });
export const DELETE = (_: Request, { params }: Context) =>
  guarded(async () => ((await removeModel((await database()).db, (await params).id)) ? fine({}) : problem(404, 'There is no such model')));
