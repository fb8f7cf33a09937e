import { database } from '../../../db/client.ts';
import { ASSET_LIMIT, storeStream } from '../../../db/repository.ts';
import { BadRequest, chunksOf, fine, guarded } from '../respond.ts';

export const dynamic = 'force-dynamic';
export const POST = (request: Request) =>
  guarded(request, async () => {
    const raw = new URL(request.url).searchParams.get('name') ?? '';
    const name = raw.replace(/[\\/\u0000-\u001f]/g, '_').slice(0, 200);
    if (!name) throw new BadRequest('The file has no name');
    const { hash, size } = await storeStream((await database()).db, name, chunksOf(request, ASSET_LIMIT), ASSET_LIMIT);
    return fine({ hash, name, size }, 201);
  });
