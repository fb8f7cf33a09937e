import { createHash, randomBytes } from 'node:crypto';
import { createReadStream, createWriteStream, existsSync, mkdirSync } from 'node:fs';
import { rename, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { Readable } from 'node:stream';
import { eq } from 'drizzle-orm';
import { type Database, dataFolder } from './client.ts';
import { asset } from './schema.ts';

export const ASSET_LIMIT = 200 * 2 ** 20;
/** What cannot be stored, with the answer's status. */
export class AssetError extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}
const folder = () => path.join(/* turbopackIgnore: true */ dataFolder(), 'assets');
const placeOf = (hash: string) => path.join(/* turbopackIgnore: true */ folder(), hash.slice(0, 2), hash);
export const isHash = (hash: string): boolean => /^[0-9a-f]{40}$/.test(hash);

/**
 * Takes a file as it comes: it is hashed and written piece by piece under the data folder and never held whole; beyond the limit it is
 * refused while it is being read. Its address is the digest of its content, so that a file is kept once.
 */
export async function storeStream(
  db: Database,
  name: string,
  chunks: AsyncIterable<Uint8Array>,
  limit = ASSET_LIMIT,
): Promise<{ hash: string; size: number }> {
  mkdirSync(folder(), { recursive: true });
  const temporary = path.join(/* turbopackIgnore: true */ folder(), `coming-${randomBytes(8).toString('hex')}`);
  const out = createWriteStream(temporary);
  const digest = createHash('sha256');
  let size = 0;
  try {
    await new Promise<void>((resolve, reject) => {
      out.on('error', reject);
      out.on('finish', resolve);
      (async () => {
        for await (const chunk of chunks) {
          size += chunk.length;
          if (size > limit) throw new AssetError(413, `The file is larger than ${limit / 2 ** 20} MB`);
          digest.update(chunk);
          if (!out.write(chunk)) await new Promise<void>((go) => out.once('drain', () => go()));
        }
        out.end();
      })().catch(reject);
    });
    if (!size) throw new AssetError(400, 'The file is empty');
    const hash = digest.digest('hex').slice(0, 40);
    const place = placeOf(hash);
    mkdirSync(path.dirname(place), { recursive: true });
    await rename(temporary, place);
    await db.insert(asset).values({ hash, name, size }).onConflictDoNothing();
    return { hash, size };
  } catch (e) {
    out.destroy();
    await rm(temporary, { force: true });
    throw e;
  }
}
/** The same for a file that is in memory already (demo files, tests). */
export async function storeAsset(db: Database, name: string, data: Uint8Array): Promise<string> {
  return (await storeStream(db, name, Readable.from([data]) as AsyncIterable<Uint8Array>)).hash;
}

/** A stored file as a stream; older databases hold some in a column of their own. */
export async function openAsset(
  db: Database,
  hash: string,
): Promise<{ name: string; size: number; stream: () => ReadableStream<Uint8Array> } | undefined> {
  if (!isHash(hash)) return undefined;
  const [row] = await db.select({ name: asset.name, size: asset.size }).from(asset).where(eq(asset.hash, hash));
  if (!row) return undefined;
  const place = placeOf(hash);
  if (existsSync(place))
    return {
      name: row.name,
      size: (await stat(place)).size,
      stream: () => Readable.toWeb(createReadStream(place)) as unknown as ReadableStream<Uint8Array>,
    };
  const [old] = await db.select({ data: asset.data }).from(asset).where(eq(asset.hash, hash));
  const data = old?.data;
  if (!data) return undefined;
  return { name: row.name, size: data.length, stream: () => new Blob([data as BlobPart]).stream() };
}
export async function loadAsset(db: Database, hash: string): Promise<{ name: string; data: Uint8Array } | undefined> {
  const a = await openAsset(db, hash);
  return a && { name: a.name, data: new Uint8Array(await new Response(a.stream()).arrayBuffer()) };
}
