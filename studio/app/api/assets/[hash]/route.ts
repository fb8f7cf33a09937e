import { database } from '../../../../db/client.ts';
import { openAsset } from '../../../../db/repository.ts';
import { guarded, problem } from '../../respond.ts';

export const dynamic = 'force-dynamic';
export const GET = (request: Request, { params }: { params: Promise<{ hash: string }> }) =>
  guarded(request, async () => {
    const a = await openAsset((await database()).db, (await params).hash);
    if (!a) return problem(404, 'There is no such file');
    return new Response(a.stream(), {
      headers: {
        'content-type': 'application/octet-stream',
        'content-length': String(a.size),
        'content-disposition': 'attachment',
        'x-file-name': encodeURIComponent(a.name),
        'cache-control': 'private, max-age=31536000, immutable',
      },
    });
  });
