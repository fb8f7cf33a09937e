import { eq } from 'drizzle-orm';
import { loadAsset } from '../db/assets.ts';
import type { Database } from '../db/client.ts';
import { asset } from '../db/schema.ts';

/**
 * An imported file for a worker: from the data folder (AMPLE_DATA), which workers on other machines share, or from the server at
 * AMPLE_SERVER (with AMPLE_TOKEN).
 */
export async function readAsset(db: Database, hash: string): Promise<{ name: string; data: Uint8Array } | undefined> {
  const here = await loadAsset(db, hash);
  if (here) return here;
  const server = process.env.AMPLE_SERVER;
  const [known] = await db.select({ name: asset.name }).from(asset).where(eq(asset.hash, hash));
  if (!server || !known) return undefined;
  const token = process.env.AMPLE_TOKEN ? { authorization: `Bearer ${process.env.AMPLE_TOKEN}` } : undefined;
  const r = await fetch(new URL(`/api/assets/${hash}`, server), { headers: token }).catch(() => undefined);
  return r?.ok ? { name: known.name, data: new Uint8Array(await r.arrayBuffer()) } : undefined;
}
