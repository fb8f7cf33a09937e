import { evaluateSpan } from './curve.ts';
import type { LengthTable } from './length-table.ts';
import { basisDerivatives, clipNet } from './spline.ts';

export interface FitTrack {
  /** Length along the section at a common share. */
  readonly place: (share: number) => number;
  readonly table: LengthTable;
}
export interface FitTask {
  readonly a: number;
  readonly b: number;
  readonly degree: number;
  readonly tolerance: number;
  readonly periodic: boolean;
  /** Known joints: multiplicity to begin with, and the most they may get before the spans beside them are split. */
  readonly seeds: readonly { t: number; multiplicity: number; most: number }[];
}
interface Break {
  t: number;
  multiplicity: number;
  most: number;
}
/**
 * Fits all sections together on one knot vector. The error that counts is the distance from the section (feet: sample places slide along
 * the section, never over one of its joints), so arcs converge faster than their parametrisation by length does. Spans that miss are split
 * into as many as the order of convergence asks for, joints are raised before.
 */
export function fitTogether(tracks: readonly FitTrack[], task: FitTask): { knots: Float64Array; data: Float64Array; deviation: number } {
  const { a, b, degree: p, periodic, tolerance } = task;
  const period = b - a;
  const dim = 3 * tracks.length;
  const per = p === 1 ? 1 : p + 3;
  let breaks: Break[] = [];
  for (const s of [...task.seeds].sort((x, y) => x.t - y.t)) {
    const last = breaks[breaks.length - 1];
    const gap = 2e-6 * period;
    if (last && s.t - last.t < gap) {
      last.multiplicity = Math.max(last.multiplicity, s.multiplicity);
      last.most = Math.max(last.most, s.most);
    } else if (periodic ? !(breaks.length && breaks[0].t + period - s.t < gap) : s.t > a + gap && s.t < b - gap) breaks.push({ ...s });
  }
  if (periodic) {
    let count = breaks.reduce((s, k) => s + k.multiplicity, 0);
    if (!breaks.length) {
      breaks.push({ t: a, multiplicity: 1, most: 1 });
      count++;
    }
    while (count < p + 1) {
      const k = breaks.length;
      let worst = 0;
      for (let i = 1; i < k; i++) if (gapOf(i) > gapOf(worst)) worst = i;
      const t = breaks[worst].t + gapOf(worst) / 2;
      breaks.push({ t: t >= b ? t - period : t, multiplicity: 1, most: 1 });
      breaks.sort((x, y) => x.t - y.t);
      count++;
    }
  } else breaks = [{ t: a, multiplicity: p + 1, most: p + 1 }, ...breaks, { t: b, multiplicity: p + 1, most: p + 1 }];
  function gapOf(i: number): number {
    return i + 1 < breaks.length ? breaks[i + 1].t - breaks[i].t : breaks[0].t + period - breaks[i].t;
  }
  const basis = new Float64Array(2 * (p + 1));
  const kept = new Map<string, Block>();
  let best: { knots: Float64Array; data: Float64Array; deviation: number; breaks: Break[] } | undefined;
  for (let round = 0; round < 14; round++) {
    const flat = breaks.flatMap((k) => Array<number>(k.multiplicity).fill(k.t));
    const n = periodic ? flat.length : flat.length - p - 1;
    const knot = (i: number) => flat[((i % flat.length) + flat.length) % flat.length] + period * Math.floor(i / flat.length);
    const knots = periodic ? Float64Array.from({ length: n + 2 * p + 1 }, (_, i) => knot(i - p)) : Float64Array.from(flat);
    const column = (j: number) => (periodic ? ((j % n) + n) % n : j);
    // samples of each span: Chebyshev places to fit, others to check; spans that stayed keep their places and their slid feet
    const spans = periodic ? breaks.length : breaks.length - 1;
    const blocks: Block[] = [];
    let at = p;
    for (let i = 0; i < spans; i++) {
      const [t0, g] = [breaks[i].t, gapOf(i)];
      while (at + 1 < knots.length - 1 && knots[at + 1] <= t0 + 1e-13) at++;
      const ends = periodic ? 0 : (i === 0 ? 1 : 0) + (i === spans - 1 ? 2 : 0);
      const key = `${t0}|${g}`;
      let block = kept.get(key);
      if (!block) {
        block = makeBlock(tracks, t0, g, per, p === 1 ? 2 : 7, ends, p);
        kept.set(key, block);
      }
      for (let c = 0; c <= p; c++) block.columns[c] = column(at - p + c);
      for (let q = 0; q < block.count; q++) {
        basisDerivatives(knots, p, at, block.at[q], 0, basis);
        for (let c = 0; c <= p; c++) block.basis[q * (p + 1) + c] = basis[c];
      }
      blocks.push(block);
    }
    const A = Array.from({ length: n }, () => new Float64Array(n));
    for (const { fitted, basis: w, columns } of blocks)
      for (let q = 0; q < fitted; q++)
        for (let i = 0; i <= p; i++) {
          const r = A[columns[i]];
          const wi = w[q * (p + 1) + i];
          for (let j = 0; j <= p; j++) r[columns[j]] += wi * w[q * (p + 1) + j];
        }
    for (let i = 0; i < n; i++) A[i][i] += 1e-13;
    const A0 = A.map((r) => [r[0], r[n - 1]]);
    const factor = choleskyWithout(A, periodic ? [] : [0, n - 1]);
    const data = new Float64Array(n * dim);
    const solve = () => {
      data.fill(0);
      for (const { fitted, basis: w, columns, target } of blocks)
        for (let q = 0; q < fitted; q++)
          for (let i = 0; i <= p; i++) {
            const r = columns[i] * dim;
            const wi = w[q * (p + 1) + i];
            for (let d = 0; d < dim; d++) data[r + d] += wi * target[q * dim + d];
          }
      if (!periodic) {
        const one = blocks[0].target.slice(0, dim);
        const lastBlock = blocks[spans - 1];
        const two = lastBlock.target.slice((lastBlock.fitted - 1) * dim, lastBlock.fitted * dim);
        for (let i = 1; i < n - 1; i++) for (let d = 0; d < dim; d++) data[i * dim + d] -= A0[i][0] * one[d] + A0[i][1] * two[d];
        factor(data, dim);
        data.set(one, 0);
        data.set(two, (n - 1) * dim);
      } else factor(data, dim);
    };
    const miss = new Float64Array(spans);
    const passes = p === 1 ? 1 : 3;
    for (let pass = 0; pass < passes; pass++) {
      solve();
      miss.fill(0);
      const slides = pass < passes - 1;
      blocks.forEach((block, i) => {
        for (let q = 0; q < block.count; q++) {
          const end = (i === 0 && !periodic && q === 0) || (i === spans - 1 && !periodic && q === block.fitted - 1);
          for (let k = 0; k < tracks.length; k++) {
            const o = q * dim + 3 * k;
            let [x, y, z] = [-block.target[o], -block.target[o + 1], -block.target[o + 2]];
            for (let j = 0; j <= p; j++) {
              const w = block.basis[q * (p + 1) + j];
              const r = block.columns[j] * dim + 3 * k;
              x += w * data[r];
              y += w * data[r + 1];
              z += w * data[r + 2];
            }
            const along = x * block.tangent[o] + y * block.tangent[o + 1] + z * block.tangent[o + 2];
            const normal = Math.sqrt(Math.max(0, x * x + y * y + z * z - along * along));
            const slack = Math.sqrt(tolerance * tracks[k].table.total) * 0.05;
            const e = slides ? normal : Math.max(normal, (Math.abs(along) / slack) * tolerance);
            if (e > miss[i]) miss[i] = e;
            block.along[q * tracks.length + k] = end ? 0 : along;
          }
        }
      });
      // no sliding while the knots are far too few
      if (pass === 0 && !nearlyMet(miss, tolerance)) break;
      if (slides)
        blocks.forEach((block, i) => {
          if (miss[i] > 0.3 * tolerance) slideBlock(tracks, block, 0.2 * tolerance);
        });
    }
    const deviation = miss.reduce((m, x) => Math.max(m, x), 0);
    if (!best || deviation < best.deviation) best = { knots, data: data.slice(), deviation, breaks: breaks.map((k) => ({ ...k })) };
    if (deviation <= tolerance || n > 400) break;
    const next: Break[] = [];
    const raised = new Set<Break>();
    const span = (i: number) => (i < 0 ? (periodic ? spans - 1 : -1) : i);
    for (let i = 0; i < breaks.length; i++) {
      const bad = Math.max(i < spans ? miss[i] : 0, span(i - 1) >= 0 ? miss[span(i - 1)] : 0);
      if (bad > tolerance && breaks[i].multiplicity < breaks[i].most) {
        breaks[i].multiplicity++;
        raised.add(breaks[i]);
      }
    }
    for (let i = 0; i < breaks.length; i++) {
      next.push(breaks[i]);
      if (i >= spans || miss[i] <= tolerance) continue;
      const other = i + 1 < breaks.length ? breaks[i + 1] : breaks[0];
      if ((raised.has(breaks[i]) || raised.has(other)) && miss[i] < 300 * tolerance) continue;
      const parts = Math.min(4, Math.max(2, Math.round((miss[i] / tolerance) ** (1 / 7))));
      for (let k = 1; k < parts; k++) {
        let t = breaks[i].t + (gapOf(i) * k) / parts;
        if (periodic && t >= b) t -= period;
        next.push({ t, multiplicity: 1, most: 1 });
      }
    }
    breaks = next.sort((x, y) => x.t - y.t);
  }
  const done = best;
  if (!done) throw new Error('the fit had no round');
  if (!periodic) return done;
  // unrolled over three periods, then clipped
  const flat = done.breaks.flatMap((k) => Array<number>(k.multiplicity).fill(k.t));
  const n = flat.length;
  const knot = (i: number) => flat[((i % n) + n) % n] + period * Math.floor(i / n);
  const long = Float64Array.from({ length: 3 * n + p + 1 }, (_, i) => knot(i - p - n));
  const rows = new Float64Array(3 * n * dim);
  for (let i = 0; i < 3 * n; i++) rows.set(done.data.subarray((i % n) * dim, (i % n) * dim + dim), i * dim);
  const net = clipNet({ degree: p, knots: long, data: rows, stride: dim }, a, b);
  return { knots: net.knots, data: net.data, deviation: done.deviation };
}
interface Block {
  readonly count: number;
  readonly fitted: number;
  readonly at: Float64Array;
  readonly basis: Float64Array;
  readonly columns: Int32Array;
  readonly lengths: Float64Array;
  readonly low: Float64Array;
  readonly high: Float64Array;
  readonly target: Float64Array;
  readonly tangent: Float64Array;
  readonly along: Float64Array;
}
function makeBlock(tracks: readonly FitTrack[], t0: number, g: number, per: number, checks: number, ends: number, p: number): Block {
  const at: number[] = [];
  if (ends & 1) at.push(t0);
  for (let k = 0; k < per; k++) at.push(t0 + (g * (1 - Math.cos((Math.PI * (k + 0.5)) / per))) / 2);
  if (ends & 2) at.push(t0 + g);
  const fitted = at.length;
  for (let k = 0; k < checks; k++) at.push(t0 + (g * (k + 0.37)) / checks);
  const [count, m] = [at.length, tracks.length];
  const block: Block = {
    count,
    fitted,
    at: Float64Array.from(at),
    basis: new Float64Array(count * (p + 1)),
    columns: new Int32Array(p + 1),
    lengths: new Float64Array(count * m),
    low: new Float64Array(count * m),
    high: new Float64Array(count * m),
    target: new Float64Array(count * m * 3),
    tangent: new Float64Array(count * m * 3),
    along: new Float64Array(count * m),
  };
  for (let q = 0; q < count; q++)
    for (let k = 0; k < m; k++) {
      // ends of a span count from inside
      const s = tracks[k].place(Math.min(t0 + g * (1 - 1e-9), Math.max(t0 + g * 1e-9, at[q])));
      const cell = tracks[k].table.cellAt(s);
      block.lengths[q * m + k] = s;
      block.low[q * m + k] = cell.low;
      block.high[q * m + k] = cell.high;
      place(tracks[k], block, q, k, m);
    }
  return block;
}
const row = new Float64Array(12);
function place(track: FitTrack, block: Block, q: number, k: number, m: number): void {
  const s = block.lengths[q * m + k];
  const c = track.table.curve;
  evaluateSpan(c, track.table.cellAt(s).span, track.table.near(s), 1, row);
  const d = c.dim;
  const g = Math.hypot(row[d], row[d + 1], d === 3 ? row[d + 2] : 0) || 1;
  const o = (q * m + k) * 3;
  for (let i = 0; i < d; i++) {
    block.target[o + i] = row[i];
    block.tangent[o + i] = row[d + i] / g;
  }
}
function slideBlock(tracks: readonly FitTrack[], block: Block, least: number): void {
  const m = tracks.length;
  for (let q = 0; q < block.count; q++)
    for (let k = 0; k < m; k++) {
      const i = q * m + k;
      if (Math.abs(block.along[i]) < least) continue;
      block.lengths[i] = Math.min(block.high[i] - 1e-12, Math.max(block.low[i], block.lengths[i] + block.along[i]));
      place(tracks[k], block, q, k, m);
    }
}
/** Worth sliding: within some hundred tolerances. */
const nearlyMet = (miss: Float64Array, tolerance: number): boolean => miss.every((m) => m < 500 * tolerance);
/** Cholesky of A without the fixed rows; solves rows 1..n-2 (or all) of data in place. Rows start at their first entry (envelope). */
function choleskyWithout(A: Float64Array[], fixed: readonly number[]): (data: Float64Array, dim: number) => void {
  const lo = fixed.length ? 1 : 0;
  const n = A.length - (fixed.length ? 2 : 0);
  const L: Float64Array[] = [];
  const start = new Int32Array(n);
  for (let i = 0; i < n; i++) {
    const r = A[i + lo].slice(lo, lo + i + 1);
    let f = 0;
    while (f < i && r[f] === 0) f++;
    start[i] = f;
    for (let j = f; j <= i; j++) {
      let s = r[j];
      const q = i === j ? r : L[j];
      for (let k = Math.max(f, i === j ? f : start[j]); k < j; k++) s -= r[k] * q[k];
      r[j] = i === j ? Math.sqrt(Math.max(s, 1e-300)) : s / q[j];
    }
    L.push(r);
  }
  return (data, dim) => {
    for (let i = 0; i < n; i++) {
      const r = L[i];
      const o = (i + lo) * dim;
      for (let k = start[i]; k < i; k++) if (r[k] !== 0) for (let d = 0; d < dim; d++) data[o + d] -= r[k] * data[(k + lo) * dim + d];
      for (let d = 0; d < dim; d++) data[o + d] /= r[i];
    }
    for (let i = n - 1; i >= 0; i--) {
      const r = L[i];
      const o = (i + lo) * dim;
      for (let d = 0; d < dim; d++) data[o + d] /= r[i];
      for (let k = start[i]; k < i; k++) if (r[k] !== 0) for (let d = 0; d < dim; d++) data[(k + lo) * dim + d] -= r[k] * data[o + d];
    }
  };
}
