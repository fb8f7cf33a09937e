import { NextResponse } from 'next/server';
import { z } from 'zod';
import { AssetError } from '../../db/assets.ts';
import { refusal } from './guard.mjs';

export const fine = (data: unknown, status = 200) => NextResponse.json(data, { status });
export const problem = (status: number, message: string) => NextResponse.json({ message }, { status });
/** Something wrong with what was asked, for the person. */
export class BadRequest extends Error {
  constructor(
    message: string,
    readonly status = 400,
  ) {
    super(message);
  }
}
export const JSON_LIMIT = 50 * 2 ** 20;

/** Chunks of a request's body, cut off beyond a limit while it is read. */
export async function* chunksOf(request: Request, limit: number): AsyncGenerator<Uint8Array> {
  if (Number(request.headers.get('content-length') ?? 0) > limit)
    throw new BadRequest(`At most ${Math.round(limit / 2 ** 20)} MB are taken`, 413);
  const reader = request.body?.getReader();
  if (!reader) return;
  let size = 0;
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) return;
      size += value.length;
      if (size > limit) throw new BadRequest(`At most ${Math.round(limit / 2 ** 20)} MB are taken`, 413);
      yield value;
    }
  } finally {
    await reader.cancel().catch(() => undefined);
  }
}
/** JSON of a request, checked by a schema; what is wrong is told with its field. */
export async function jsonOf<T>(request: Request, schema: z.ZodType<T>, limit = JSON_LIMIT): Promise<T> {
  const parts: Uint8Array[] = [];
  for await (const c of chunksOf(request, limit)) parts.push(c);
  const text = Buffer.concat(parts).toString('utf8');
  if (/\\u0000/.test(text) || text.includes('\0')) throw new BadRequest('The text holds a null character, which cannot be stored');
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch (e) {
    throw new BadRequest(`This is not JSON: ${(e as Error).message}`);
  }
  const r = schema.safeParse(data);
  if (r.success) return r.data;
  const issue = r.error.issues[0];
  throw new BadRequest(`${issue.path.join('.') || 'the whole'}: ${issue.message}`);
}
/** Ids of models as they are made; anything else is none. */
export const idSchema = z.string().regex(/^[A-Za-z0-9-]{1,60}$/);
export async function idOf(params: Promise<{ id: string }>): Promise<string> {
  const { id } = await params;
  if (!idSchema.safeParse(id).success) throw new BadRequest('There is no such model', 404);
  return id;
}

/** Runs a handler for a request of our own pages; anything unforeseen becomes a message, never a query or a path. */
export async function guarded(request: Request, work: () => Promise<Response>): Promise<Response> {
  const url = new URL(request.url);
  const no = refusal(
    { method: request.method, url: url.pathname + url.search, header: (n: string) => request.headers.get(n) ?? undefined },
    { host: process.env.HOST ?? '127.0.0.1', port: Number(process.env.PORT ?? 3000) },
  );
  if (no) return problem(no.status, no.message);
  try {
    return await work();
  } catch (e) {
    if (e instanceof BadRequest || e instanceof AssetError) return problem(e.status, e.message);
    const all = [e, (e as { cause?: unknown }).cause]
      .map((x) => `${(x as { code?: string })?.code ?? ''} ${(x as Error)?.message ?? ''}`)
      .join(' ');
    console.error(e);
    if (/ENOSPC|EDQUOT|53100|No space left|could not extend file/i.test(all))
      return problem(507, 'The disk is full: make room, then try again. Nothing that was saved is lost');
    if (/in use by process|could not be locked/.test(all))
      return problem(503, 'The database is in use by another server: stop that one first');
    if (/22P0[2-5]|22003|22021|invalid byte sequence|out of range for type/i.test(all))
      return problem(400, 'Something in this request cannot be stored');
    return problem(500, 'The server could not do this; its log says why');
  }
}
