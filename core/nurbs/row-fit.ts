import { solveSymmetricBanded, type Vec3 } from '../math/index.ts';
import { basisDerivatives, clipNet, findSpan, type Net } from './spline.ts';

/** A break of a row and the multiplicity of its knot. */
export interface RowBreak {
  readonly t: number;
  readonly multiplicity: number;
}
/**
 * A space curve on given knots over 0..1 by least squares on single conditions: the part along a direction of a value or derivative at a
 * place. Normal equations with the three coordinates together, banded Cholesky. `closed`: the basis repeats, its control points too
 * (numbered to and fro, so that the band stays narrow).
 */
export class RowFit {
  readonly degree: number;
  private readonly knots: Float64Array;
  private readonly count: number;
  private readonly half: number;
  private readonly A: Float64Array;
  private readonly B: Float64Array;
  private readonly basis: Float64Array;
  private readonly place: Int32Array;
  constructor(
    degree: number,
    breaks: readonly RowBreak[],
    private readonly closed: boolean,
  ) {
    this.degree = degree;
    const inner = breaks.flatMap((b) => Array<number>(b.multiplicity).fill(b.t));
    if (closed) {
      const n = inner.length;
      const knot = (i: number) => inner[((i % n) + n) % n] + Math.floor(i / n);
      this.count = n;
      this.knots = Float64Array.from({ length: 3 * n + degree + 1 }, (_, i) => knot(i - degree - n));
    } else {
      this.knots = Float64Array.from([...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(1)]);
      this.count = this.knots.length - degree - 1;
    }
    this.half = Math.min(3 * this.count - 1, closed ? 3 * (2 * degree + 1) + 2 : 3 * degree + 2);
    this.A = new Float64Array(3 * this.count * (this.half + 1));
    this.B = new Float64Array(3 * this.count);
    this.basis = new Float64Array(4 * (degree + 1));
    const n = this.count;
    this.place = Int32Array.from({ length: n }, (_, i) => (closed ? (2 * i < n ? 2 * i : 2 * (n - 1 - i) + 1) : i));
  }
  private column(span: number, j: number): number {
    const c = span - this.degree + j;
    return this.place[this.closed ? c % this.count : c];
  }
  /** Asks for direction · (order-th derivative at t) = value. */
  ask(t: number, order: number, direction: Vec3, value: number, weight: number): void {
    const x = this.closed ? t - Math.floor(t) : t;
    const p = this.degree;
    const span = this.closed ? spanOf(this.knots, p, x) : findSpan(this.knots, p, x);
    basisDerivatives(this.knots, p, span, x, order, this.basis);
    const w = this.half + 1;
    for (let a = 0; a <= p; a++) {
      const fa = this.basis[order * (p + 1) + a];
      if (fa === 0) continue;
      const i = 3 * this.column(span, a);
      for (let d = 0; d < 3; d++) {
        if (direction[d] === 0) continue;
        const row = i + d;
        const f = weight * fa * direction[d];
        this.B[row] += f * value;
        for (let c = 0; c <= p; c++) {
          const fc = this.basis[order * (p + 1) + c];
          if (fc === 0) continue;
          const k = 3 * this.column(span, c);
          for (let e = 0; e < 3; e++)
            if (k + e <= row && direction[e] !== 0) this.A[row * w + this.half - row + k + e] += f * fc * direction[e];
        }
      }
    }
  }
  /** Asks for a point in all three coordinates. */
  point(t: number, at: Vec3, weight: number): void {
    for (let d = 0; d < 3; d++) this.ask(t, 0, AXES[d], at[d], weight);
  }
  /** The row over 0..1 with clamped ends, homogeneous (weight 1); undefined when the conditions leave it open. */
  solve(): Net | undefined {
    const n = this.count;
    const A = this.A.slice();
    const B = this.B.slice();
    const w = this.half + 1;
    for (let i = 0; i < 3 * n; i++) A[i * w + this.half] += 1e-15 * (1 + A[i * w + this.half]);
    if (!solveSymmetricBanded(A, B, 3 * n, this.half)) return undefined;
    const rows = this.closed ? 3 * n : n;
    const data = new Float64Array(4 * rows);
    for (let i = 0; i < rows; i++) {
      const k = 3 * this.place[i % n];
      data[4 * i] = B[k];
      data[4 * i + 1] = B[k + 1];
      data[4 * i + 2] = B[k + 2];
      data[4 * i + 3] = 1;
    }
    const net: Net = { degree: this.degree, knots: this.knots, data, stride: 4 };
    return this.closed ? clipNet(net, 0, 1) : net;
  }
}
const AXES: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
/** The span of an unclamped knot vector that holds t. */
function spanOf(knots: Float64Array, degree: number, t: number): number {
  let low = degree;
  let high = knots.length - degree - 1;
  while (high - low > 1) {
    const mid = (low + high) >> 1;
    if (t < knots[mid]) high = mid;
    else low = mid;
  }
  return low;
}
