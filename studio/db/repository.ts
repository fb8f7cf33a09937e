import { randomUUID } from 'node:crypto';
import { applyEdit, emptyModel, type Model, parseModel, type RecipeEdit } from '@ample-skin/core/recipe';
import { and, asc, desc, eq, gt, sql } from 'drizzle-orm';
import type { Database } from './client.ts';
import { edit, model, project, version } from './schema.ts';

export { ASSET_LIMIT, AssetError, loadAsset, openAsset, storeAsset, storeStream } from './assets.ts';

const PROJECT = 'workshop';

export interface EditRow {
  readonly revision: number;
  readonly clientId: string;
  readonly sequence: number;
  readonly kind: 'do' | 'undo' | 'redo';
  readonly change: RecipeEdit;
  readonly inverse: RecipeEdit;
}
export interface ModelCard {
  readonly id: string;
  readonly name: string;
  readonly demo: string | null;
  readonly revision: number;
  readonly steps: number;
  readonly summary: { pieces?: number; seams?: string; state?: string };
  readonly hasPicture: boolean;
  readonly changedAt: string;
}

export async function ensureProject(db: Database): Promise<void> {
  await db.insert(project).values({ id: PROJECT, name: 'Workshop' }).onConflictDoNothing();
}
export async function listModels(db: Database): Promise<ModelCard[]> {
  // pictures and recipes stay where they are: only what the cards show is read
  const rows = await db
    .select({
      id: model.id,
      name: model.name,
      demo: model.demo,
      revision: model.revision,
      steps: sql<number>`coalesce(jsonb_array_length(${model.recipe}->'steps'), 0)`,
      summary: model.summary,
      hasPicture: sql<boolean>`${model.picture} is not null`,
      changedAt: model.changedAt,
    })
    .from(model)
    .orderBy(desc(model.changedAt));
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    demo: r.demo,
    revision: r.revision,
    steps: Number(r.steps),
    summary: r.summary,
    hasPicture: r.hasPicture,
    changedAt: r.changedAt.toISOString(),
  }));
}
export async function createModel(db: Database, name: string, recipe: Model = emptyModel(name), demo?: string): Promise<string> {
  await ensureProject(db);
  const id = randomUUID().slice(0, 8);
  await db.insert(model).values({ id, projectId: PROJECT, name, demo, recipe: { ...recipe, name } });
  return id;
}
export async function loadModel(db: Database, id: string) {
  const [row] = await db.select().from(model).where(eq(model.id, id));
  if (!row) return undefined;
  const parsed = parseModel(row.recipe);
  const history = await db.select().from(edit).where(eq(edit.modelId, id)).orderBy(asc(edit.revision));
  return {
    id,
    name: row.name,
    hasPicture: !!row.picture,
    revision: row.revision,
    recipe: parsed.ok ? parsed.model : row.recipe,
    problem: parsed.ok ? undefined : `${parsed.place}: ${parsed.message}`,
    history: history.map(
      (h): EditRow => ({
        revision: h.revision,
        clientId: h.clientId,
        sequence: h.sequence,
        kind: h.kind,
        change: h.change,
        inverse: h.inverse,
      }),
    ),
  };
}
export async function removeModel(db: Database, id: string): Promise<boolean> {
  const gone = await db.delete(model).where(eq(model.id, id)).returning({ id: model.id });
  return gone.length > 0;
}
/** Edits after a revision; undefined when there is no such model. */
export async function editsSince(db: Database, id: string, revision: number): Promise<EditRow[] | undefined> {
  const [known] = await db.select({ id: model.id }).from(model).where(eq(model.id, id));
  if (!known) return undefined;
  return (await db
    .select()
    .from(edit)
    .where(and(eq(edit.modelId, id), gt(edit.revision, revision)))
    .orderBy(asc(edit.revision))) as EditRow[];
}

export type AppendResult =
  | { readonly status: 'saved'; readonly revision: number }
  /** Another window was faster: these edits came in between. */
  | { readonly status: 'behind'; readonly revision: number; readonly edits: EditRow[] }
  | { readonly status: 'refused'; readonly message: string }
  | { readonly status: 'unknown' };

/**
 * Appends one edit at `base`. Sending the same edit twice (same client and sequence) is answered with the first result, so that a client
 * may retry after a lost answer. One transaction: the model row is locked, so nothing can be half written.
 */
export async function appendEdit(
  db: Database,
  id: string,
  e: { clientId: string; sequence: number; base: number; kind: 'do' | 'undo' | 'redo'; change: RecipeEdit },
): Promise<AppendResult> {
  return db.transaction(async (tx): Promise<AppendResult> => {
    const [row] = await tx.select().from(model).where(eq(model.id, id)).for('update');
    if (!row) return { status: 'unknown' };
    const [again] = await tx
      .select()
      .from(edit)
      .where(and(eq(edit.modelId, id), eq(edit.clientId, e.clientId), eq(edit.sequence, e.sequence)));
    if (again) return { status: 'saved', revision: again.revision };
    if (row.revision !== e.base) {
      const edits = (await tx
        .select()
        .from(edit)
        .where(and(eq(edit.modelId, id), gt(edit.revision, e.base)))
        .orderBy(asc(edit.revision))) as EditRow[];
      return { status: 'behind', revision: row.revision, edits };
    }
    // models saved by older versions get their missing parts here
    const parsed = parseModel(row.recipe);
    const r = applyEdit(parsed.ok ? parsed.model : row.recipe, e.change);
    if (!r.ok) return { status: 'refused', message: r.message };
    const revision = row.revision + 1;
    await tx
      .insert(edit)
      .values({ modelId: id, revision, clientId: e.clientId, sequence: e.sequence, kind: e.kind, change: e.change, inverse: r.inverse });
    await tx.update(model).set({ recipe: r.model, name: r.model.name, revision, changedAt: new Date() }).where(eq(model.id, id));
    return { status: 'saved', revision };
  });
}

/** False when there is no such model. */
export async function savePicture(db: Database, id: string, picture: Uint8Array, summary: ModelCard['summary']): Promise<boolean> {
  const changed = await db.update(model).set({ picture, summary }).where(eq(model.id, id)).returning({ id: model.id });
  return changed.length > 0;
}
export async function loadPicture(db: Database, id: string): Promise<Uint8Array | undefined> {
  const [row] = await db.select({ picture: model.picture }).from(model).where(eq(model.id, id));
  return row?.picture ?? undefined;
}
export async function saveVersion(db: Database, id: string, name: string): Promise<boolean> {
  const [row] = await db.select().from(model).where(eq(model.id, id));
  if (!row) return false;
  await db.insert(version).values({ id: randomUUID(), modelId: id, name, revision: row.revision, recipe: row.recipe });
  return true;
}
export async function listVersions(db: Database, id: string) {
  return (await db.select().from(version).where(eq(version.modelId, id)).orderBy(desc(version.createdAt))).map((v) => ({
    id: v.id,
    name: v.name,
    revision: v.revision,
    createdAt: v.createdAt.toISOString(),
    recipe: v.recipe,
  }));
}
