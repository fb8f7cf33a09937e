import { z } from 'zod';
import { database } from '../../../../../db/client.ts';
import { loadPicture, savePicture } from '../../../../../db/repository.ts';
import { BadRequest, chunksOf, fine, guarded, idOf, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };
const LIMIT = 2 ** 21;
const summarySchema = z.object({
  pieces: z.number().int().min(0).max(1e6).default(0),
  seams: z.string().max(80).default(''),
  state: z.enum(['', 'open', 'watertight']).default(''),
});

export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const p = await loadPicture((await database()).db, await idOf(params));
    return p
      ? new Response(new Uint8Array(p), { headers: { 'content-type': 'image/png', 'cache-control': 'no-cache' } })
      : problem(404, 'No picture yet');
  });
export const PUT = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const id = await idOf(params);
    const parts: Uint8Array[] = [];
    for await (const c of chunksOf(request, LIMIT + 65_536)) parts.push(c);
    const form = await new Response(Buffer.concat(parts), { headers: { 'content-type': request.headers.get('content-type') ?? '' } })
      .formData()
      .catch(() => {
        throw new BadRequest('This is no form with a picture');
      });
    const file = form.get('picture');
    if (!(file instanceof Blob) || file.size > LIMIT) throw new BadRequest('A picture of at most 2 MB is needed');
    const data = new Uint8Array(await file.arrayBuffer());
    if (![0x89, 0x50, 0x4e, 0x47].every((b, i) => data[i] === b)) throw new BadRequest('The picture is no PNG');
    let summary: unknown;
    try {
      summary = JSON.parse(String(form.get('summary') ?? '{}'));
    } catch {
      throw new BadRequest('summary: this is not JSON');
    }
    const checked = summarySchema.safeParse(summary);
    if (!checked.success) throw new BadRequest(`summary.${checked.error.issues[0].path.join('.')}: ${checked.error.issues[0].message}`);
    return (await savePicture((await database()).db, id, data, checked.data)) ? fine({}) : problem(404, 'There is no such model');
  });
