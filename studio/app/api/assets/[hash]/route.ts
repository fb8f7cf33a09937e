import { database } from '../../../../db/client.ts';
import { loadAsset } from '../../../../db/repository.ts';
import { guarded, problem } from '../../respond.ts';

export const dynamic = 'force-dynamic';
export const GET = (_: Request, { params }: { params: Promise<{ hash: string }> }) =>
  guarded(async () => {
    const a = await loadAsset((await database()).db, (await params).hash);
    if (!a) return problem(404, 'There is no such file');
    return new Response(new Uint8Array(a.data), {
      headers: {
        'content-type': 'application/octet-stream',
        'x-file-name': encodeURIComponent(a.name),
        'cache-control': 'private, max-age=31536000, immutable',
      },
    });
  });
