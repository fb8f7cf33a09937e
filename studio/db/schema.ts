import type { Model, RecipeEdit } from '@ample-skin/core/recipe';
import type { SweepRow } from '@ample-skin/core/report/sweep-rows';
import type { JobRequest } from '@ample-skin/engine/job-requests';
import { customType, index, integer, jsonb, pgTable, primaryKey, text, timestamp, unique } from 'drizzle-orm/pg-core';

const bytea = customType<{ data: Uint8Array; driverData: Uint8Array }>({ dataType: () => 'bytea' });
const created = () => timestamp('created_at', { withTimezone: true }).notNull().defaultNow();

export const project = pgTable('project', { id: text('id').primaryKey(), name: text('name').notNull(), createdAt: created() });

/** The newest state of each model; `revision` counts its edits. */
export const model = pgTable('model', {
  id: text('id').primaryKey(),
  projectId: text('project_id')
    .notNull()
    .references(() => project.id),
  name: text('name').notNull(),
  /** Slug of the demo it was made from. */
  demo: text('demo'),
  recipe: jsonb('recipe').$type<Model>().notNull(),
  revision: integer('revision').notNull().default(0),
  /** What the home page shows without opening the model. */
  summary: jsonb('summary').$type<{ pieces?: number; seams?: string; state?: string }>().notNull().default({}),
  picture: bytea('picture'),
  createdAt: created(),
  changedAt: timestamp('changed_at', { withTimezone: true }).notNull().defaultNow(),
});

/** Append-only: every edit as it happened, with its inverse. */
export const edit = pgTable(
  'edit',
  {
    modelId: text('model_id')
      .notNull()
      .references(() => model.id, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    clientId: text('client_id').notNull(),
    sequence: integer('sequence').notNull(),
    kind: text('kind').$type<'do' | 'undo' | 'redo'>().notNull(),
    change: jsonb('change').$type<RecipeEdit>().notNull(),
    inverse: jsonb('inverse').$type<RecipeEdit>().notNull(),
    createdAt: created(),
  },
  (t) => [primaryKey({ columns: [t.modelId, t.revision] }), unique('edit_once').on(t.modelId, t.clientId, t.sequence)],
);

export const version = pgTable(
  'version',
  {
    id: text('id').primaryKey(),
    modelId: text('model_id')
      .notNull()
      .references(() => model.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    revision: integer('revision').notNull(),
    recipe: jsonb('recipe').$type<Model>().notNull(),
    createdAt: created(),
  },
  (t) => [index('version_model').on(t.modelId)],
);

/** Imported files by the digest of their content. */
export const asset = pgTable('asset', {
  hash: text('hash').primaryKey(),
  name: text('name').notNull(),
  size: integer('size').notNull(),
  /** Only in older databases; files lie under the data folder. */
  data: bytea('data'),
  createdAt: created(),
});

/** Heavy work asked for once; what is to be done is kept whole, so that any worker can do any item of it. */
export const job = pgTable('job', {
  id: text('id').primaryKey(),
  kind: text('kind').$type<'sweep' | 'check' | 'export'>().notNull(),
  title: text('title').notNull(),
  request: jsonb('request').$type<JobRequest>().notNull(),
  createdAt: created(),
});
export const jobItem = pgTable(
  'job_item',
  {
    jobId: text('job_id')
      .notNull()
      .references(() => job.id, { onDelete: 'cascade' }),
    index: integer('index').notNull(),
    name: text('name').notNull(),
    state: text('state').$type<'waits' | 'runs' | 'done' | 'failed' | 'cancelled'>().notNull().default('waits'),
    attempts: integer('attempts').notNull().default(0),
    /** Which worker has it, or had it last. */
    worker: text('worker'),
    result: jsonb('result').$type<{ ok: boolean; why: readonly string[]; row?: SweepRow }>(),
    /** Why it failed. */
    error: text('error'),
    fileName: text('file_name'),
    file: bytea('file'),
    changedAt: timestamp('changed_at', { withTimezone: true }).notNull().defaultNow(),
  },
  (t) => [primaryKey({ columns: [t.jobId, t.index] })],
);

export const setting = pgTable('setting', { key: text('key').primaryKey(), value: jsonb('value').notNull() });
