import { isDimension, pointsOf, type Sketch } from './model.ts';
import { type Residual, residualsOf, type Unknowns, unknownsOf } from './residuals.ts';

export interface SolveReport {
  readonly sketch: Sketch;
  /** All residuals below 1e-9 of the sketch's size. */
  readonly solved: boolean;
  readonly worst: number;
  /** Degrees of freedom left. */
  readonly freedom: number;
  /** Points and curves that can still move. */
  readonly loose: readonly string[];
  /** Minimal sets of rules that contradict each other, by index. */
  readonly conflicts: readonly (readonly number[])[];
  /** Rules that follow from others and agree with them. */
  readonly redundant: readonly number[];
  readonly iterations: number;
}
export interface SolveOptions {
  /** Numbers of dimensions by rule index; what the sketch holds when missing. */
  readonly values?: ReadonlyMap<number, number>;
  /** A point that is dragged: it goes as near to the place as the rules allow. */
  readonly drag?: { readonly point: string; readonly x: number; readonly y: number };
  /** Leave out the freedom count and the search for contradictions (while dragging). */
  readonly quick?: boolean;
}

/**
 * Solves a sketch by Levenberg-Marquardt steps on sparse residuals (Nocedal & Wright, Numerical Optimization, 10.3): the normal equations are
 * ordered by reverse Cuthill-McKee and factored within their envelope, so that the cost grows with the number of rules and not its cube.
 * Steps are the smallest ones that serve, so what no rule touches stays where it is.
 */
export function solveSketch(s: Sketch, options: SolveOptions = {}): SolveReport {
  const u = unknownsOf(s);
  const x = u.x.slice();
  const values = new Map(options.values ?? []);
  s.rules.forEach((r, i) => {
    if (isDimension(r) && !values.has(i)) values.set(i, typeof r.value === 'number' ? r.value : Number.NaN);
  });
  const size = Math.max(1, ...s.points.map((p) => Math.hypot(p.x, p.y)));
  const residuals = residualsOf(s, u, values, x.slice());
  let iterations = 0;
  if (options.drag && u.point.has(options.drag.point)) {
    const p = u.point.get(options.drag.point) as number;
    const { x: tx, y: ty } = options.drag;
    const w = 0.03;
    const pulled: Residual[] = [
      ...residuals,
      { rule: -2, variables: [p], value: (v) => w * (v[p] - tx) },
      { rule: -2, variables: [p + 1], value: (v) => w * (v[p + 1] - ty) },
    ];
    iterations += descend(pulled, x, size, 12);
  }
  iterations += descend(residuals, x, size, options.quick ? 60 : 300);
  const worst = Math.max(0, ...residuals.map((r) => Math.abs(r.value(x))));
  const solved = worst <= 1e-9 * size;
  const sketch = written(s, u, x);
  if (options.quick) return { sketch, solved, worst, freedom: -1, loose: [], conflicts: [], redundant: [], iterations };
  return { sketch, solved, worst, iterations, ...structure(s, residuals, u, x, size, solved) };
}

function written(s: Sketch, u: Unknowns, x: Float64Array): Sketch {
  return {
    ...s,
    points: s.points.map((p) => ({ ...p, x: x[u.point.get(p.id) as number], y: x[(u.point.get(p.id) as number) + 1] })),
    curves: s.curves.map((c) =>
      c.type === 'circle' || c.type === 'ellipse' ? { ...c, r: Math.max(1e-9, Math.abs(x[u.radius.get(c.id) as number])) } : c,
    ),
  };
}

/** Rows of the Jacobian by central differences on each residual's own unknowns. */
function rowsOf(list: readonly Residual[], x: Float64Array, size: number): Float64Array[] {
  const h = 1e-6 * size;
  return list.map((r) => {
    const row = new Float64Array(r.variables.length);
    r.variables.forEach((v, k) => {
      const keep = x[v];
      x[v] = keep + h;
      const up = r.value(x);
      x[v] = keep - h;
      const down = r.value(x);
      x[v] = keep;
      row[k] = (up - down) / (2 * h);
    });
    return row;
  });
}

/** How far along a step its bend is measured. */
const PART = 0.1;

/** Levenberg-Marquardt in place, its steps bent along the valley (Transtrum & Sethna 2012); returns the number of steps. */
function descend(list: readonly Residual[], x: Float64Array, size: number, most: number): number {
  const used = [...new Set(list.flatMap((r) => r.variables))];
  if (!used.length) return 0;
  const order = cuthillMcKee(used, list);
  const place = new Map(order.map((v, i) => [v, i]));
  const n = order.length;
  // envelope: the first column of each row of the normal matrix
  const first = Int32Array.from({ length: n }, (_, i) => i);
  const places = list.map((r) => Int32Array.from(r.variables, (v) => place.get(v) as number));
  for (const p of places) {
    const low = Math.min(...p);
    for (const i of p) first[i] = Math.min(first[i], low);
  }
  const offset = new Int32Array(n + 1);
  for (let i = 0; i < n; i++) offset[i + 1] = offset[i] + (i - first[i] + 1);
  const A = new Float64Array(offset[n]);
  const L = new Float64Array(offset[n]);
  const g = new Float64Array(n);
  const step = new Float64Array(n);
  const cost = (y: Float64Array) => list.reduce((s, r) => s + r.value(y) ** 2, 0);
  let now = cost(x);
  let lambda = 1e-6;
  const trial = x.slice();
  const here = new Float64Array(list.length);
  const bent = new Float64Array(n);
  const goTo = (part: number) => {
    trial.set(x);
    for (let i = 0; i < n; i++) trial[order[i]] += part * step[i];
  };
  let steps = 0;
  for (; steps < most && now > (1e-13 * size) ** 2 * list.length; steps++) {
    const rows = rowsOf(list, x, size);
    A.fill(0);
    g.fill(0);
    list.forEach((r, k) => {
      const value = r.value(x);
      here[k] = value;
      const p = places[k];
      const row = rows[k];
      for (let a = 0; a < p.length; a++) {
        g[p[a]] -= row[a] * value;
        for (let b = 0; b < p.length; b++) if (p[b] <= p[a]) A[offset[p[a]] + p[b] - first[p[a]]] += row[a] * row[b];
      }
    });
    let better = false;
    for (let attempt = 0; attempt < 12; attempt++) {
      L.set(A);
      for (let i = 0; i < n; i++) L[offset[i] + i - first[i]] += lambda;
      if (factor(L, first, offset, n)) {
        step.set(g);
        backSolve(L, first, offset, n, step);
        // how the residuals bend along the step, by a second difference; where two rules nearly touch the way to them is a narrow bent valley
        goTo(PART);
        bent.fill(0);
        list.forEach((r, k) => {
          const p = places[k];
          const slope = rows[k].reduce((sum, d, a) => sum + d * step[p[a]], 0);
          const bend = (2 / PART) * ((r.value(trial) - here[k]) / PART - slope);
          for (let a = 0; a < p.length; a++) bent[p[a]] -= (rows[k][a] * bend) / 2;
        });
        backSolve(L, first, offset, n, bent);
        goTo(1);
        let next = cost(trial);
        if (Math.hypot(...bent) < 0.75 * Math.hypot(...step)) {
          for (let i = 0; i < n; i++) trial[order[i]] += bent[i];
          const turned = cost(trial);
          if (turned < next) next = turned;
          else goTo(1);
        }
        if (next < now) {
          const gain = now - next;
          x.set(trial);
          lambda = Math.max(1e-12, lambda / 8);
          better = gain > 1e-24 * size * size && next < now * (1 - 1e-12);
          now = next;
          break;
        }
      }
      lambda = Math.max(1e-12, lambda * 10);
      if (lambda > 1e8) break;
    }
    if (!better) break;
  }
  return steps;
}

/** Orders unknowns so that those which meet in a residual stand near each other (Cuthill & McKee 1969, reversed). */
function cuthillMcKee(used: readonly number[], list: readonly Residual[]): number[] {
  const near = new Map<number, Set<number>>(used.map((v) => [v, new Set()]));
  for (const r of list) for (const a of r.variables) for (const b of r.variables) if (a !== b) near.get(a)?.add(b);
  const out: number[] = [];
  const done = new Set<number>();
  const degree = (v: number) => near.get(v)?.size ?? 0;
  const breadth = (from: number): number[] => {
    const queue = [from];
    const seen = new Set([from]);
    for (let k = 0; k < queue.length; k++)
      for (const w of [...(near.get(queue[k]) ?? [])].sort((a, b) => degree(a) - degree(b)))
        if (!seen.has(w) && !done.has(w)) {
          seen.add(w);
          queue.push(w);
        }
    return queue;
  };
  for (const v of [...used].sort((a, b) => degree(a) - degree(b))) {
    if (done.has(v)) continue;
    // the far end of a first walk is a better place to start
    const walk = breadth(v);
    const queue = breadth(walk[walk.length - 1]);
    for (const w of queue) done.add(w);
    out.push(...queue);
  }
  return out.reverse();
}
/** Cholesky within the envelope (George & Liu 1981, ch. 4). False when the matrix is not positive definite. */
function factor(L: Float64Array, first: Int32Array, offset: Int32Array, n: number): boolean {
  for (let i = 0; i < n; i++) {
    const oi = offset[i] - first[i];
    for (let j = first[i]; j < i; j++) {
      const oj = offset[j] - first[j];
      let s = L[oi + j];
      for (let k = Math.max(first[i], first[j]); k < j; k++) s -= L[oi + k] * L[oj + k];
      L[oi + j] = s / L[oj + j];
    }
    let d = L[oi + i];
    for (let k = first[i]; k < i; k++) d -= L[oi + k] ** 2;
    if (!(d > 0)) return false;
    L[oi + i] = Math.sqrt(d);
  }
  return true;
}
function backSolve(L: Float64Array, first: Int32Array, offset: Int32Array, n: number, b: Float64Array): void {
  for (let i = 0; i < n; i++) {
    const o = offset[i] - first[i];
    let s = b[i];
    for (let k = first[i]; k < i; k++) s -= L[o + k] * b[k];
    b[i] = s / L[o + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    const o = offset[i] - first[i];
    b[i] /= L[o + i];
    for (let k = first[i]; k < i; k++) b[k] -= L[o + k] * b[i];
  }
}

/**
 * Numerical rank by sparse elimination: each row is reduced by the pivots before it, and remembers which rows it was reduced by. A row that
 * vanishes follows from those; when its residual does not vanish too, they contradict each other, and that set is minimal (a circuit).
 */
function structure(s: Sketch, residuals: readonly Residual[], u: Unknowns, x: Float64Array, size: number, solved: boolean) {
  const rows = rowsOf(residuals, x, size);
  const pivots: { column: number; row: Map<number, number>; mix: Map<number, number> }[] = [];
  const byColumn = new Map<number, number>();
  const conflicts: number[][] = [];
  const redundant = new Set<number>();
  residuals.forEach((r, k) => {
    const row = new Map<number, number>();
    r.variables.forEach((v, i) => {
      if (rows[k][i] !== 0) row.set(v, rows[k][i]);
    });
    const scale = Math.max(1e-12, ...[...row.values()].map(Math.abs));
    const mix = new Map<number, number>([[k, 1]]);
    for (;;) {
      // reduce by the latest pivot that touches this row
      let at = -1;
      for (const [v, value] of row) {
        const p = byColumn.get(v);
        if (p !== undefined && Math.abs(value) > 1e-12 * scale && (at < 0 || p < at)) at = p;
      }
      if (at < 0) break;
      const p = pivots[at];
      const f = (row.get(p.column) as number) / (p.row.get(p.column) as number);
      for (const [v, value] of p.row) {
        const next = (row.get(v) ?? 0) - f * value;
        if (Math.abs(next) < 1e-11 * scale) row.delete(v);
        else row.set(v, next);
      }
      row.delete(p.column);
      for (const [m, value] of p.mix) mix.set(m, (mix.get(m) ?? 0) - f * value);
    }
    let column = -1;
    let largest = 1e-7 * scale;
    for (const [v, value] of row) if (Math.abs(value) > largest) [column, largest] = [v, Math.abs(value)];
    if (column >= 0) {
      byColumn.set(column, pivots.length);
      pivots.push({ column, row, mix });
      return;
    }
    const set = [...new Set([...mix].filter(([, f]) => Math.abs(f) > 1e-7).map(([m]) => residuals[m].rule))]
      .filter((i) => i >= 0)
      .sort((a, b) => a - b);
    const off = [...mix].reduce((sum, [m, f]) => sum + f * residuals[m].value(x), 0);
    if (!solved && Math.abs(off) > 1e-8 * size) {
      if (!conflicts.some((c) => c.join() === set.join())) conflicts.push(set);
    } else if (r.rule >= 0) redundant.add(r.rule);
  });
  // what depends on an unknown without a pivot is loose: eliminate upwards, then look at the columns that are left
  const free = new Set(u.owner.map((_, v) => v).filter((v) => !byColumn.has(v)));
  for (let i = pivots.length - 1; i >= 0; i--) {
    const p = pivots[i];
    for (const [v, value] of [...p.row]) {
      const q = v !== p.column ? byColumn.get(v) : undefined;
      if (q === undefined || q <= i) continue;
      const f = value / (pivots[q].row.get(pivots[q].column) as number);
      for (const [w, other] of pivots[q].row) {
        const next = (p.row.get(w) ?? 0) - f * other;
        if (Math.abs(next) < 1e-10) p.row.delete(w);
        else p.row.set(w, next);
      }
      p.row.delete(v);
    }
  }
  const loose = new Set([...free].map((v) => u.owner[v]));
  for (const p of pivots)
    if ([...p.row].some(([v, value]) => v !== p.column && free.has(v) && Math.abs(value) > 1e-6 * Math.abs(p.row.get(p.column) as number)))
      loose.add(u.owner[p.column]);
  for (const c of s.curves) {
    if (pointsOf(c).some((p) => loose.has(p))) loose.add(c.id);
  }
  return { freedom: free.size, loose: [...loose], conflicts, redundant: [...redundant] };
}
