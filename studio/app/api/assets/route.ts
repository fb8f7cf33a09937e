import { database } from '../../../db/client.ts';
import { ASSET_LIMIT, storeAsset } from '../../../db/repository.ts';
import { fine, guarded, problem } from '../respond.ts';

export const dynamic = 'force-dynamic';
export const POST = (request: Request) =>
  guarded(async () => {
    const name = decodeURIComponent(new URL(request.url).searchParams.get('name') ?? '')
      .replace(/[\\/]/g, '_')
      .slice(0, 200);
    if (!name) return problem(400, 'The file has no name');
    if (Number(request.headers.get('content-length') ?? 0) > ASSET_LIMIT)
      return problem(413, `The file is larger than ${ASSET_LIMIT / 2 ** 20} MB`);
    const data = new Uint8Array(await request.arrayBuffer());
    if (data.length === 0) return problem(400, 'The file is empty');
    if (data.length > ASSET_LIMIT) return problem(413, `The file is larger than ${ASSET_LIMIT / 2 ** 20} MB`);
    return fine({ hash: await storeAsset((await database()).db, name, data), name, size: data.length }, 201);
  });
