import { zipSync } from 'fflate';
import { database } from '../../../../../db/client.ts';
import { filesOf } from '../../../../../jobs/store.ts';
import { guarded, idOf, problem } from '../../../respond.ts';

export const dynamic = 'force-dynamic';
type Context = { params: Promise<{ id: string }> };

/** The files of a job: one as it is, several packed; of those called alike the later ones are numbered. */
export const GET = (request: Request, { params }: Context) =>
  guarded(request, async () => {
    const id = await idOf(params);
    const files = await filesOf((await database()).db, id);
    if (!files.length) return problem(404, 'This job has no files yet');
    const named = new Map<string, Uint8Array>();
    for (const f of files) {
      const dot = f.name.lastIndexOf('.');
      let name = f.name;
      for (let k = 2; named.has(name); k++) name = `${f.name.slice(0, dot)} ${k}${f.name.slice(dot)}`;
      named.set(name, f.data);
    }
    const single = named.size === 1;
    const [name, data] = single ? [...named][0] : [`job ${id}.zip`, zipSync(Object.fromEntries(named))];
    return new Response(data as BodyInit, {
      headers: {
        'content-type': single ? 'application/octet-stream' : 'application/zip',
        'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
        'content-length': String(data.length),
      },
    });
  });
