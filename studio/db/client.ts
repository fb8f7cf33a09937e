import { mkdirSync } from 'node:fs';
import path from 'node:path';
import type { PgDatabase, PgQueryResultHKT } from 'drizzle-orm/pg-core';
import { takeLock } from './lock.ts';
import * as schema from './schema.ts';

export type Database = PgDatabase<PgQueryResultHKT, typeof schema>;
export interface OpenDatabase {
  readonly db: Database;
  readonly migrate: (folder: string) => Promise<void>;
  readonly close: () => Promise<void>;
}

export function dataFolder(): string {
  return path.resolve(/* turbopackIgnore: true */ process.env.AMPLE_DATA ?? path.join(process.cwd(), '..', 'data'));
}

/** Opens PostgreSQL when DATABASE_URL is set, otherwise the embedded database in the data folder (or in memory). */
export async function openDatabase(
  where: { url?: string; folder?: string | 'memory' } = { url: process.env.DATABASE_URL, folder: dataFolder() },
): Promise<OpenDatabase> {
  if (where.url) {
    const { drizzle } = await import('drizzle-orm/node-postgres');
    const { migrate } = await import('drizzle-orm/node-postgres/migrator');
    const { Pool } = await import('pg');
    const pool = new Pool({ connectionString: where.url });
    const db = drizzle(pool, { schema });
    return { db: db as unknown as Database, migrate: (folder) => migrate(db, { migrationsFolder: folder }), close: () => pool.end() };
  }
  const { PGlite } = await import('@electric-sql/pglite');
  const { drizzle } = await import('drizzle-orm/pglite');
  const { migrate } = await import('drizzle-orm/pglite/migrator');
  let client: InstanceType<typeof PGlite>;
  if (where.folder === 'memory') client = await PGlite.create();
  else {
    const folder = where.folder ?? dataFolder();
    mkdirSync(folder, { recursive: true });
    takeLock(path.join(/* turbopackIgnore: true */ folder, 'lock'));
    client = await PGlite.create(path.join(/* turbopackIgnore: true */ folder, 'pg'));
  }
  const db = drizzle(client, { schema });
  return { db: db as unknown as Database, migrate: (folder) => migrate(db, { migrationsFolder: folder }), close: () => client.close() };
}

const shared = globalThis as { ampleDatabase?: Promise<OpenDatabase> };
/** The one handle of this server process. */
export function database(): Promise<OpenDatabase> {
  if (process.env.NEXT_PHASE === 'phase-production-build') throw new Error('no database while building');
  if (!shared.ampleDatabase) {
    const opening = openDatabase();
    shared.ampleDatabase = opening;
    // one that could not be opened is tried again by the next request
    opening.catch(() => {
      if (shared.ampleDatabase === opening) shared.ampleDatabase = undefined;
    });
  }
  return shared.ampleDatabase;
}
export { schema };
