import { isWatertight, type KernelService, massProperties } from '../brep/index.ts';
import { findDefects, gradeRank, measureSeams, rangeOf, seamKeys } from '../proof/index.ts';
import {
  type EvaluationMemory,
  evaluateModel,
  livePieces,
  type Model,
  type RunnableTool,
  seamKind,
  standings,
  stepLabel,
  targetOf,
} from '../recipe/index.ts';
import { sampled } from './sampled.ts';
import { modelAt, type SweepPoint, type SweepRow } from './sweep-rows.ts';

export interface SweepOptions {
  readonly tools: ReadonlyMap<string, RunnableTool>;
  readonly kernel: KernelService;
  /** Shared between the runs: steps that no swept dial reaches are computed once. */
  readonly memory?: EvaluationMemory;
  readonly asset?: (id: string) => Promise<{ name: string; data: Uint8Array } | undefined>;
  readonly signal?: AbortSignal;
  /** Milliseconds for one call of the kernel. */
  readonly limit?: number;
}
const least = (a: number | undefined, b: number | undefined): number | undefined =>
  a === undefined ? b : b === undefined ? a : Math.min(a, b);
const most = (a: number | undefined, b: number): number => (a === undefined ? b : Math.max(a, b));

/** Builds a recipe with its dials at a point and measures what comes out. A run that fails is a row that says so. */
export async function sweepRow(model: Model, point: SweepPoint, o: SweepOptions): Promise<SweepRow> {
  const start = performance.now();
  const m = modelAt(model, point);
  const result = await evaluateModel(m, { ...o, limit: o.limit ?? 60_000 });
  o.signal?.throwIfAborted();
  const why: string[] = [];
  for (const [name, v] of result.dials) if (!v.ok) why.push(`${name}: ${v.message}`);
  for (const s of m.steps) {
    const r = result.steps.get(s.id);
    if (r?.status === 'fine' || r?.status === 'muted') continue;
    const told = r?.diagnostics.find((d) => d.severity !== 'note')?.message;
    why.push(`${stepLabel(s, o.tools)}: ${told ?? r?.status ?? 'not reached'}`);
  }
  const standing = standings(m, o.tools);
  const row: { -readonly [K in keyof SweepRow]: SweepRow[K] } = { point, ok: false, why, ms: 0 };
  let count = 0;
  for (const { key, piece, stale } of livePieces(m, result, o.tools)) {
    // what a step left from another run is not what this one gives
    if (stale || standing(key).hidden || (piece.kind !== 'skin' && piece.kind !== 'solid')) continue;
    count++;
    const { body } = piece;
    const defects = findDefects(body, m.tolerance);
    const closed = isWatertight(body) && !defects.some((d) => d.code === 'loose-edge');
    if (piece.kind === 'solid') row.watertight = (row.watertight ?? true) && closed;
    else row.watertight ??= closed;
    row.defects = (row.defects ?? 0) + defects.length;
    const mass = massProperties(body);
    row.area = (row.area ?? 0) + mass.area;
    if (closed) row.volume = (row.volume ?? 0) + mass.volume;
    const seams = measureSeams(body);
    const keys = seamKeys(key, body);
    for (const [i, s] of seams.entries()) {
      const { target } = targetOf(m, keys[i], key, seamKind(s.faces, s.kink));
      row.gap = most(row.gap, s.gap);
      const smooth = s.grade !== 'open' && (s.grade !== 'G0' || (target !== undefined && gradeRank(target) > gradeRank('G0')));
      if (smooth) {
        row.kink = most(row.kink, s.kink);
        if (s.grade !== 'G0') row.step = most(row.step, s.step);
      }
      if (!target) continue;
      row.targets = (row.targets ?? 0) + 1;
      row.onTarget = (row.onTarget ?? 0) + (gradeRank(s.grade) >= gradeRank(target) ? 1 : 0);
    }
    o.signal?.throwIfAborted();
    const { values } = sampled(body);
    const radius = values({ kind: 'radius' });
    const tightest = rangeOf(radius);
    if (tightest) row.radius = least(row.radius, radius[tightest.least]);
    if (closed) {
      const walls = values({ kind: 'ray' });
      const thinnest = rangeOf(walls);
      if (thinnest) row.wall = least(row.wall, walls[thinnest.least]);
    }
  }
  if (!count) why.push('there is no skin or solid');
  if (row.watertight === false && livePieces(m, result, o.tools).some(({ piece, key }) => piece.kind === 'solid' && !standing(key).hidden))
    why.push('a solid is not watertight');
  const missed = (row.targets ?? 0) - (row.onTarget ?? 0);
  if (missed) why.push(`${missed} ${missed === 1 ? 'seam' : 'seams'} below target`);
  if (row.defects) why.push(`${row.defects} ${row.defects === 1 ? 'defect' : 'defects'}`);
  row.ok = !why.length;
  row.ms = performance.now() - start;
  return row;
}

/** Every point in turn; `onRow` is told of each as it is there. Ends with an error when `signal` is aborted. */
export async function sweep(
  model: Model,
  points: readonly SweepPoint[],
  o: SweepOptions,
  onRow?: (row: SweepRow, index: number) => void | Promise<void>,
): Promise<SweepRow[]> {
  const rows: SweepRow[] = [];
  for (const [i, p] of points.entries()) {
    o.signal?.throwIfAborted();
    const row = await sweepRow(model, p, o);
    rows.push(row);
    await onRow?.(row, i);
  }
  return rows;
}
