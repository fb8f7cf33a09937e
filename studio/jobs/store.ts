import { randomUUID } from 'node:crypto';
import type { SweepRow } from '@ample-skin/core/report/sweep-rows';
import { itemsOf, type JobRequest, titleOf } from '@ample-skin/engine/job-requests';
import type { ItemResult } from '@ample-skin/engine/jobs';
import { and, asc, desc, eq, inArray, lt, sql } from 'drizzle-orm';
import type { Database } from '../db/client.ts';
import { job, jobItem } from '../db/schema.ts';

export type ItemState = 'waits' | 'runs' | 'done' | 'failed' | 'cancelled';
export interface JobItemView {
  readonly index: number;
  readonly name: string;
  readonly state: ItemState;
  readonly attempts: number;
  readonly worker?: string;
  readonly ok?: boolean;
  readonly why: readonly string[];
  readonly row?: SweepRow;
  readonly file?: string;
}
export interface JobView {
  readonly id: string;
  readonly kind: JobRequest['kind'];
  readonly title: string;
  readonly createdAt: string;
  /** Items by their state. */
  readonly counts: Readonly<Record<ItemState, number>>;
  readonly files: number;
  /** Items that came to a result which is not fine. */
  readonly bad: number;
}
/** Tries of an item before it is given up: the first, and two more. */
export const ATTEMPTS = 3;
/** Seconds without a sign of life after which another worker takes an item over. */
export const SILENCE = Number(process.env.AMPLE_SILENCE ?? 15);

/** Keeps a job with its items; words when there is nothing to do. */
export async function createJob(db: Database, request: JobRequest): Promise<{ id: string; count: number } | string> {
  const names = itemsOf(request);
  if (typeof names === 'string') return names;
  const id = randomUUID().slice(0, 8);
  await db.transaction(async (tx) => {
    await tx.insert(job).values({ id, kind: request.kind, title: titleOf(request).slice(0, 300), request });
    await tx.insert(jobItem).values(names.map((name, index) => ({ jobId: id, index, name: name.slice(0, 300) })));
  });
  return { id, count: names.length };
}
export async function listJobs(db: Database, only?: string): Promise<JobView[]> {
  const rows = await db
    .select({ id: job.id, kind: job.kind, title: job.title, createdAt: job.createdAt })
    .from(job)
    .where(only ? eq(job.id, only) : undefined)
    .orderBy(desc(job.createdAt))
    .limit(200);
  if (!rows.length) return [];
  const items = await db
    .select({
      jobId: jobItem.jobId,
      state: jobItem.state,
      count: sql<number>`count(*)`,
      files: sql<number>`count(${jobItem.fileName})`,
      bad: sql<number>`count(*) filter (where ${jobItem.result}->>'ok' = 'false')`,
    })
    .from(jobItem)
    .where(
      inArray(
        jobItem.jobId,
        rows.map((r) => r.id),
      ),
    )
    .groupBy(jobItem.jobId, jobItem.state);
  return rows.map((r) => {
    const mine = items.filter((i) => i.jobId === r.id);
    const of = (state: ItemState) => Number(mine.find((i) => i.state === state)?.count ?? 0);
    const sum = (k: 'files' | 'bad') => mine.reduce((n, i) => n + Number(i[k]), 0);
    return {
      ...r,
      createdAt: r.createdAt.toISOString(),
      counts: { waits: of('waits'), runs: of('runs'), done: of('done'), failed: of('failed'), cancelled: of('cancelled') },
      files: sum('files'),
      bad: sum('bad'),
    };
  });
}
export async function loadJob(db: Database, id: string): Promise<(JobView & { items: JobItemView[] }) | undefined> {
  const [view] = await listJobs(db, id);
  if (!view) return undefined;
  const rows = await db
    .select({
      index: jobItem.index,
      name: jobItem.name,
      state: jobItem.state,
      attempts: jobItem.attempts,
      worker: jobItem.worker,
      result: jobItem.result,
      error: jobItem.error,
      fileName: jobItem.fileName,
    })
    .from(jobItem)
    .where(eq(jobItem.jobId, id))
    .orderBy(asc(jobItem.index));
  return {
    ...view,
    items: rows.map((r) => ({
      index: r.index,
      name: r.name,
      state: r.state,
      attempts: r.attempts,
      worker: r.worker ?? undefined,
      ok: r.result?.ok,
      why: r.error ? [r.error] : (r.result?.why ?? []),
      row: r.result?.row,
      file: r.fileName ?? undefined,
    })),
  };
}
export async function requestOf(db: Database, id: string): Promise<JobRequest | undefined> {
  const [row] = await db.select({ request: job.request }).from(job).where(eq(job.id, id));
  return row?.request;
}
export async function filesOf(db: Database, id: string): Promise<{ name: string; data: Uint8Array }[]> {
  const rows = await db
    .select({ name: jobItem.fileName, data: jobItem.file })
    .from(jobItem)
    .where(eq(jobItem.jobId, id))
    .orderBy(asc(jobItem.index));
  return rows.flatMap((r) => (r.name && r.data ? [{ name: r.name, data: r.data }] : []));
}
const one = (id: string, index: number) => and(eq(jobItem.jobId, id), eq(jobItem.index, index));

/** Takes an item for a worker. Nothing when it is done, cancelled, given up, or in the hands of another that lives. */
export async function claim(db: Database, id: string, index: number, worker: string): Promise<{ attempt: number } | undefined> {
  const silent = new Date(Date.now() - SILENCE * 1000);
  const [row] = await db
    .update(jobItem)
    .set({ state: 'runs', worker, attempts: sql`${jobItem.attempts} + 1`, changedAt: new Date() })
    .where(
      and(
        one(id, index),
        sql`(${jobItem.state} = 'waits' or (${jobItem.state} = 'runs' and ${jobItem.changedAt} < ${silent.toISOString()}))`,
      ),
    )
    .returning({ attempts: jobItem.attempts });
  return row && { attempt: row.attempts };
}
/** A sign of life; false when the item is not this worker's any more, or was cancelled. */
export async function alive(db: Database, id: string, index: number, worker: string): Promise<boolean> {
  const rows = await db
    .update(jobItem)
    .set({ changedAt: new Date() })
    .where(and(one(id, index), eq(jobItem.state, 'runs'), eq(jobItem.worker, worker)))
    .returning({ index: jobItem.index });
  return rows.length > 0;
}
export async function finish(db: Database, id: string, index: number, worker: string, r: ItemResult): Promise<boolean> {
  const rows = await db
    .update(jobItem)
    .set({
      state: 'done',
      result: { ok: r.ok, why: r.why, row: r.row },
      error: null,
      fileName: r.file?.name ?? null,
      file: r.file?.data ?? null,
      changedAt: new Date(),
    })
    .where(and(one(id, index), eq(jobItem.state, 'runs'), eq(jobItem.worker, worker)))
    .returning({ index: jobItem.index });
  return rows.length > 0;
}
/** A try that went wrong: the item waits for the next one, or is given up after the last. */
export async function stumble(
  db: Database,
  id: string,
  index: number,
  worker: string,
  message: string,
): Promise<'waits' | 'failed' | 'gone'> {
  const [row] = await db
    .update(jobItem)
    .set({
      state: sql`case when ${jobItem.attempts} >= ${ATTEMPTS} then 'failed' else 'waits' end`,
      error: message.slice(0, 1000),
      changedAt: new Date(),
    })
    .where(and(one(id, index), eq(jobItem.state, 'runs'), eq(jobItem.worker, worker)))
    .returning({ state: jobItem.state });
  return (row?.state as 'waits' | 'failed' | undefined) ?? 'gone';
}
/** Items that should be worked on: those that wait, and those whose worker has fallen silent. */
export async function openItems(db: Database, id?: string): Promise<{ id: string; index: number }[]> {
  const silent = new Date(Date.now() - SILENCE * 1000);
  const rows = await db
    .select({ id: jobItem.jobId, index: jobItem.index })
    .from(jobItem)
    .innerJoin(job, eq(job.id, jobItem.jobId))
    .where(
      and(
        id ? eq(jobItem.jobId, id) : undefined,
        sql`(${jobItem.state} = 'waits' or (${jobItem.state} = 'runs' and ${jobItem.changedAt} < ${silent.toISOString()}))`,
      ),
    )
    .orderBy(asc(job.createdAt), asc(jobItem.index));
  return rows;
}
/** Ends what is not done of a job. False when there is no such job. */
export async function cancelJob(db: Database, id: string): Promise<boolean> {
  if (!(await requestOf(db, id))) return false;
  await db
    .update(jobItem)
    .set({ state: 'cancelled', changedAt: new Date() })
    .where(and(eq(jobItem.jobId, id), inArray(jobItem.state, ['waits', 'runs'])));
  return true;
}
/** What failed or was cancelled waits again, with all its tries. */
export async function retryJob(db: Database, id: string): Promise<boolean> {
  if (!(await requestOf(db, id))) return false;
  await db
    .update(jobItem)
    .set({ state: 'waits', attempts: 0, error: null, changedAt: new Date() })
    .where(and(eq(jobItem.jobId, id), inArray(jobItem.state, ['failed', 'cancelled'])));
  return true;
}
export async function removeJob(db: Database, id: string): Promise<boolean> {
  return (await db.delete(job).where(eq(job.id, id)).returning({ id: job.id })).length > 0;
}
/** Jobs older than so many days that have nothing left to do go. */
export async function sweepOut(db: Database, days = 30): Promise<void> {
  const before = new Date(Date.now() - days * 86_400_000);
  await db
    .delete(job)
    .where(
      and(
        lt(job.createdAt, before),
        sql`not exists (select 1 from job_item i where i.job_id = ${job.id} and i.state in ('waits', 'runs'))`,
      ),
    );
}
