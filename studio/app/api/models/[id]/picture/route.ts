import { database } from '../../../../../db/client.ts';
import { loadPicture, savePicture } from '../../../../../db/repository.ts';
import { fine, guarded, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

export const GET = (_: Request, { params }: Context) =>
  guarded(async () => {
    const p = await loadPicture((await database()).db, (await params).id);
    return p
      ? new Response(new Uint8Array(p), { headers: { 'content-type': 'image/png', 'cache-control': 'no-cache' } })
      : problem(404, 'No picture yet');
  });
export const PUT = (request: Request, { params }: Context) =>
  guarded(async () => {
    const form = await request.formData();
    const file = form.get('picture');
    if (!(file instanceof Blob) || file.size > 2 ** 21) return problem(400, 'A picture of at most 2 MB is needed');
    const summary = JSON.parse(String(form.get('summary') ?? '{}'));
    await savePicture((await database()).db, (await params).id, new Uint8Array(await file.arrayBuffer()), {
      pieces: Number(summary.pieces) || 0,
      seams: String(summary.seams ?? ''),
      state: String(summary.state ?? ''),
    });
    return fine({});
  });
