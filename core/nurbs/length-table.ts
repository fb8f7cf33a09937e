import { gaussRule } from '../math/index.ts';
import { domain, evaluateSpan, type NurbsCurve } from './curve.ts';
import { knotRuns } from './spline.ts';

const scratch = new Float64Array(12);

interface Cell {
  readonly span: number;
  readonly t0: number;
  readonly t1: number;
  readonly s0: number;
  readonly s1: number;
  /** Lengths where the polynomial piece starts and ends. */
  low: number;
  high: number;
  /** dt/ds and d2t/ds2 at both ends, from inside; undefined where the curve stands still there (Newton only). */
  readonly ends?: readonly [number, number, number, number];
}
/** A knot of the curve (the last one: the seam of a closed curve) and how the shape runs into and out of it. */
export interface Joint {
  readonly t: number;
  readonly s: number;
  /** First three derivatives by length from before the knot, and from behind it. */
  readonly left: Float64Array;
  readonly right: Float64Array;
}

/**
 * Length of a curve and its inverse, in cells that never reach over a knot (the speed may jump there). Cells are halved until Gauss
 * quadrature agrees with two halves and the quintic inverse meets a quarter (on arcs the middle agrees by symmetry alone). `accuracy` is
 * relative to the length. The inverse is one-sided and never runs backwards; `exact` adds bracketed Newton.
 */
export class LengthTable {
  readonly cells: Cell[] = [];
  readonly total: number;
  readonly joints: Joint[] = [];
  private readonly starts: Float64Array;
  constructor(
    readonly curve: NurbsCurve,
    readonly accuracy = 1e-10,
    private readonly order = 10,
  ) {
    const { values } = knotRuns(curve.knots, curve.degree);
    const scale = roughLength(curve);
    let at = 0;
    const spans: number[] = [];
    for (let i = 0; i + 1 < values.length; i++) {
      let span = spans.length ? spans[spans.length - 1] : curve.degree;
      while (curve.knots[span + 1] <= values[i]) span++;
      spans.push(span);
      const [from, first] = [at, this.cells.length];
      at = this.fill(span, values[i], values[i + 1], at, this.gauss(span, values[i], values[i + 1]), scale, 0);
      for (let k = first; k < this.cells.length; k++) [this.cells[k].low, this.cells[k].high] = [from, at];
    }
    this.total = at;
    this.starts = Float64Array.from(this.cells, (c) => c.s0);
    let k = 0;
    for (let i = 1; i + 1 < values.length; i++) {
      while (this.cells[k].t0 < values[i]) k++;
      this.joints.push({
        t: values[i],
        s: this.cells[k].s0,
        left: this.byLength(spans[i - 1], values[i]),
        right: this.byLength(spans[i], values[i]),
      });
    }
    // the seam of a closed curve
    const n = values.length;
    this.joints.push({
      t: values[0],
      s: 0,
      left: this.byLength(spans[spans.length - 1], values[n - 1]),
      right: this.byLength(spans[0], values[0]),
    });
  }
  private gauss(span: number, a: number, b: number): number {
    const { nodes, weights } = gaussRule(this.order);
    const h = (b - a) / 2;
    let sum = 0;
    for (let i = 0; i < this.order; i++) sum += weights[i] * this.speed(span, a + h * (1 + nodes[i]));
    return sum * h;
  }
  private speed(span: number, t: number): number {
    evaluateSpan(this.curve, span, t, 1, scratch);
    const d = this.curve.dim;
    return Math.hypot(scratch[d], scratch[d + 1], d === 3 ? scratch[d + 2] : 0);
  }
  private fill(span: number, a: number, b: number, at: number, whole: number, scale: number, depth: number): number {
    const m = (a + b) / 2;
    const [l, r] = [this.gauss(span, a, m), this.gauss(span, m, b)];
    if (depth < 14) {
      let fine = Math.abs(l + r - whole) <= this.accuracy * scale;
      const cell = fine ? this.cell(span, a, b, at, at + l + r) : undefined;
      if (fine && cell?.ends) {
        // a quarter by the quintic (the middle meets by symmetry on arcs): its miss, in length
        const q = a + (b - a) / 4;
        const t = hermite(cell, at + this.gauss(span, a, q));
        fine = t > a && t < b && Math.abs(t - q) * this.speed(span, q) <= 10 * this.accuracy * scale;
      } else if (fine && b - a > 1e-4 * (this.curve.knots[span + 1] - this.curve.knots[span])) fine = false;
      if (fine && cell) {
        this.cells.push(cell);
        return cell.s1;
      }
      at = this.fill(span, a, m, at, l, scale, depth + 1);
      return this.fill(span, m, b, at, r, scale, depth + 1);
    }
    const cell = this.cell(span, a, b, at, at + l + r);
    this.cells.push(cell);
    return cell.s1;
  }
  private cell(span: number, t0: number, t1: number, s0: number, s1: number): Cell {
    const d = this.curve.dim;
    const side = (t: number): [number, number] | undefined => {
      evaluateSpan(this.curve, span, t, 2, scratch);
      let [v2, turn] = [0, 0];
      for (let k = 0; k < d; k++) {
        v2 += scratch[d + k] ** 2;
        turn += scratch[d + k] * scratch[2 * d + k];
      }
      return v2 * (t1 - t0) ** 2 > 1e-16 * (s1 - s0) ** 2 ? [1 / Math.sqrt(v2), -turn / v2 ** 2] : undefined;
    };
    const [p, q] = [side(t0), side(t1)];
    return { span, t0, t1, s0, s1, low: s0, high: s1, ends: p && q ? [p[0], p[1], q[0], q[1]] : undefined };
  }
  /** First three derivatives by length, from one side. */
  private byLength(span: number, t: number): Float64Array {
    const d = this.curve.dim;
    evaluateSpan(this.curve, span, t, Math.min(3, Math.max(2, this.curve.degree)), scratch);
    if (this.curve.degree < 3 && !this.curve.rational) scratch.fill(0, 3 * d, 4 * d);
    else evaluateSpan(this.curve, span, t, 3, scratch);
    const v = (k: number, c: number) => (c < d ? scratch[k * d + c] : 0);
    const dot = (i: number, j: number) => v(i, 0) * v(j, 0) + v(i, 1) * v(j, 1) + v(i, 2) * v(j, 2);
    const g = Math.sqrt(dot(1, 1));
    const out = new Float64Array(9);
    if (g < 1e-14) return out;
    const g1 = dot(1, 2) / g;
    const g2 = (dot(2, 2) + dot(1, 3) - g1 * g1) / g;
    const [t1, t2, t3] = [1 / g, -g1 / g ** 3, (3 * g1 * g1 - g * g2) / g ** 5];
    for (let c = 0; c < 3; c++) {
      out[c] = v(1, c) * t1;
      out[3 + c] = v(2, c) * t1 * t1 + v(1, c) * t2;
      out[6 + c] = v(3, c) * t1 ** 3 + 3 * v(2, c) * t1 * t2 + v(1, c) * t3;
    }
    return out;
  }
  cellAt(s: number): Cell {
    let low = 0;
    let high = this.cells.length;
    while (high - low > 1) {
      const mid = (low + high) >> 1;
      if (this.starts[mid] <= s) low = mid;
      else high = mid;
    }
    return this.cells[low];
  }
  private cellOf(t: number): Cell {
    let low = 0;
    let high = this.cells.length;
    while (high - low > 1) {
      const mid = (low + high) >> 1;
      if (this.cells[mid].t0 <= t) low = mid;
      else high = mid;
    }
    return this.cells[low];
  }
  /** Length up to parameter t. */
  lengthAt(t: number): number {
    const c = this.cellOf(t);
    return t >= c.t1 ? c.s1 : t <= c.t0 ? c.s0 : c.s0 + this.gauss(c.span, c.t0, t);
  }
  /** Length up to parameter t within a few hundredths, at no cost. */
  lengthAbout(t: number): number {
    const c = this.cellOf(t);
    return c.s0 + (c.s1 - c.s0) * Math.min(1, Math.max(0, (t - c.t0) / (c.t1 - c.t0 || 1)));
  }
  /** Curve parameter at length s, good to `accuracy`; never runs backwards. */
  near(s: number): number {
    const c = this.cellAt(s);
    const x = Math.min(c.s1, Math.max(c.s0, s));
    return c.ends ? Math.min(c.t1, Math.max(c.t0, hermite(c, x))) : this.exact(s);
  }
  /** The same to rounding: Newton inside a bracket. */
  exact(s: number): number {
    const c = this.cellAt(s);
    const x = Math.min(c.s1, Math.max(c.s0, s));
    let [low, high] = [c.t0, c.t1];
    let t = c.ends ? Math.min(high, Math.max(low, hermite(c, x))) : low + ((high - low) * (x - c.s0)) / Math.max(1e-300, c.s1 - c.s0);
    for (let k = 0; k < 40; k++) {
      const e = c.s0 + this.gauss(c.span, c.t0, t) - x;
      if (e > 0) high = t;
      else low = t;
      const step = e / this.speed(c.span, t);
      let next = t - step;
      if (!(next > low && next < high)) next = (low + high) / 2;
      if (Math.abs(next - t) <= 4e-16 * (Math.abs(t) + 1)) break;
      t = next;
    }
    return t;
  }
}
function hermite(c: Cell, s: number): number {
  const [d0, e0, d1, e1] = c.ends as readonly [number, number, number, number];
  const h = c.s1 - c.s0;
  const x = (s - c.s0) / h;
  const x2 = x * x;
  const x3 = x2 * x;
  const x4 = x3 * x;
  const x5 = x4 * x;
  return (
    c.t0 +
    (c.t1 - c.t0) * (10 * x3 - 15 * x4 + 6 * x5) +
    h * d0 * (x - 6 * x3 + 8 * x4 - 3 * x5) +
    h * d1 * (-4 * x3 + 7 * x4 - 3 * x5) +
    0.5 * h * h * (e0 * (x2 - 3 * x3 + 3 * x4 - x5) + e1 * (x3 - 2 * x4 + x5))
  );
}
function roughLength(c: NurbsCurve): number {
  const s = c.dim + 1;
  let l = 0;
  for (let i = s; i < c.control.length; i += s) {
    let q = 0;
    for (let k = 0; k < c.dim; k++) q += (c.control[i + k] / c.control[i + c.dim] - c.control[i - s + k] / c.control[i - s + c.dim]) ** 2;
    l += Math.sqrt(q);
  }
  return l || 1;
}

const tables = new WeakMap<NurbsCurve, LengthTable>();
/** The table of a curve, made once. */
export function lengthTable(c: NurbsCurve): LengthTable {
  let t = tables.get(c);
  if (!t) {
    t = new LengthTable(c, 1e-9, 8);
    tables.set(c, t);
  }
  return t;
}

/**
 * Arc length as a parameter over [a, b]: total length, and the curve parameter at a given length from the start. `near` is good to about
 * 1e-9 of the length and never runs backwards; `at` to rounding.
 */
export function lengthParameter(
  c: NurbsCurve,
  a = domain(c)[0],
  b = domain(c)[1],
): { total: number; at: (s: number) => number; near: (s: number) => number } {
  const table = lengthTable(c);
  const [d0, d1] = domain(c);
  const from = a <= d0 ? 0 : table.lengthAt(a);
  const total = (b >= d1 ? table.total : table.lengthAt(b)) - from;
  const inside = (s: number): number | undefined => (s <= 0 ? a : s >= total ? b : undefined);
  return { total, near: (s) => inside(s) ?? table.near(from + s), at: (s) => inside(s) ?? table.exact(from + s) };
}

/** Parameters at `n`+1 equally long steps along the curve (ends included). */
export function equalLengthParameters(c: NurbsCurve, n: number): Float64Array {
  const { total, at } = lengthParameter(c);
  return Float64Array.from({ length: n + 1 }, (_, i) => at((total * i) / n));
}
