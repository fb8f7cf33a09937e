import { basisDerivatives, findSpan } from './spline.ts';
import type { NurbsSurface } from './surface.ts';

/** Basis rows for a list of parameters: values and first derivatives, and the first control row each touches. */
function basisTable(knots: Float64Array, degree: number, at: ArrayLike<number>) {
  const w = degree + 1;
  const first = new Int32Array(at.length);
  const value = new Float64Array(at.length * w);
  const slope = new Float64Array(at.length * w);
  const out = new Float64Array(2 * w);
  for (let i = 0; i < at.length; i++) {
    const span = findSpan(knots, degree, at[i]);
    basisDerivatives(knots, degree, span, at[i], 1, out);
    first[i] = span - degree;
    value.set(out.subarray(0, w), i * w);
    slope.set(out.subarray(w, 2 * w), i * w);
  }
  return { first, value, slope };
}

/** Below this share of what both derivatives could make of it, their product is rounding. */
const POLE = 1e-12;

/**
 * Positions and unit normals (nothing where the surface has none of its own, as in a pole) on the grid us x vs: arrays of us.length*vs.length*3, u-major. Basis functions are computed once per row
 * and column; each row is contracted along u first, so that a point costs 2·(degreeV+1) products (Piegl & Tiller, section 3.5 rearranged).
 */
export function evaluateGrid(
  s: NurbsSurface,
  us: ArrayLike<number>,
  vs: ArrayLike<number>,
  positions = new Float64Array(us.length * vs.length * 3),
  normals = new Float64Array(us.length * vs.length * 3),
) {
  const { degreeU: p, degreeV: q, countV, control } = s;
  const U = basisTable(s.knotsU, p, us);
  const V = basisTable(s.knotsV, q, vs);
  const q1 = q + 1;
  const line = new Float64Array(countV * 8);
  const nv = vs.length;
  const { value, slope } = V;
  const spans = q === 3 ? cubicSpans(s.knotsV, V, vs) : undefined;
  for (let i = 0; i < us.length; i++) {
    line.fill(0);
    for (let a = 0; a <= p; a++) {
      const f = U.value[i * (p + 1) + a];
      const g = U.slope[i * (p + 1) + a];
      let c = (U.first[i] + a) * countV * 4;
      for (let j = 0, o = 0; j < countV; j++, o += 8, c += 4) {
        const x = control[c];
        const y = control[c + 1];
        const z = control[c + 2];
        const w = control[c + 3];
        line[o] += f * x;
        line[o + 1] += f * y;
        line[o + 2] += f * z;
        line[o + 3] += f * w;
        line[o + 4] += g * x;
        line[o + 5] += g * y;
        line[o + 6] += g * z;
        line[o + 7] += g * w;
      }
    }
    if (q === 3) {
      cubicRow(line, V, spans as CubicSpans, nv, positions, normals, i * nv * 3);
      continue;
    }
    for (let j = 0; j < nv; j++) {
      let x = 0,
        y = 0,
        z = 0,
        w = 0;
      let xu = 0,
        yu = 0,
        zu = 0,
        wu = 0;
      let xv = 0,
        yv = 0,
        zv = 0,
        wv = 0;
      let o = V.first[j] * 8;
      for (let b = j * q1, e = b + q1; b < e; b++, o += 8) {
        const f = value[b];
        const g = slope[b];
        const lx = line[o],
          ly = line[o + 1],
          lz = line[o + 2],
          lw = line[o + 3];
        x += f * lx;
        y += f * ly;
        z += f * lz;
        w += f * lw;
        xv += g * lx;
        yv += g * ly;
        zv += g * lz;
        wv += g * lw;
        xu += f * line[o + 4];
        yu += f * line[o + 5];
        zu += f * line[o + 6];
        wu += f * line[o + 7];
      }
      const r = 1 / w;
      x *= r;
      y *= r;
      z *= r;
      // derivatives are only needed up to a positive factor
      const ax = xu - wu * x,
        ay = yu - wu * y,
        az = zu - wu * z;
      const bx = xv - wv * x,
        by = yv - wv * y,
        bz = zv - wv * z;
      let nx = ay * bz - az * by;
      let ny = az * bx - ax * bz;
      let nz = ax * by - ay * bx;
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
      const k = l > POLE * (ax * ax + ay * ay + az * az + bx * bx + by * by + bz * bz) ? 1 / l : 0;
      nx *= k;
      ny *= k;
      nz *= k;
      const t = (i * nv + j) * 3;
      positions[t] = x;
      positions[t + 1] = y;
      positions[t + 2] = z;
      normals[t] = nx;
      normals[t + 1] = ny;
      normals[t + 2] = nz;
    }
  }
  return { positions, normals };
}

/**
 * One row of the grid for degree 3 in v. Points of one knot span share one cubic a component: its Taylor coefficients at the start of the
 * span are held in locals while the span lasts, so that a point costs a few Horner steps and hardly any loads.
 */
function cubicRow(
  line: Float64Array,
  V: ReturnType<typeof basisTable>,
  taylor: CubicSpans,
  nv: number,
  positions: Float64Array,
  normals: Float64Array,
  at: number,
): void {
  const { first } = V;
  const { matrix, offset } = taylor;
  let t = at;
  for (let j = 0; j < nv; ) {
    const here = first[j];
    const o = here * 8;
    const m = here * 16;
    const m0 = matrix[m + 0];
    const m1 = matrix[m + 1];
    const m2 = matrix[m + 2];
    const m3 = matrix[m + 3];
    const m4 = matrix[m + 4];
    const m5 = matrix[m + 5];
    const m6 = matrix[m + 6];
    const m7 = matrix[m + 7];
    const m8 = matrix[m + 8];
    const m9 = matrix[m + 9];
    const m10 = matrix[m + 10];
    const m11 = matrix[m + 11];
    const m12 = matrix[m + 12];
    const m13 = matrix[m + 13];
    const m14 = matrix[m + 14];
    const m15 = matrix[m + 15];
    const x0 = m0 * line[o + 0] + m1 * line[o + 8] + m2 * line[o + 16] + m3 * line[o + 24];
    const x1 = m4 * line[o + 0] + m5 * line[o + 8] + m6 * line[o + 16] + m7 * line[o + 24];
    const x2 = m8 * line[o + 0] + m9 * line[o + 8] + m10 * line[o + 16] + m11 * line[o + 24];
    const x3 = m12 * line[o + 0] + m13 * line[o + 8] + m14 * line[o + 16] + m15 * line[o + 24];
    const y0 = m0 * line[o + 1] + m1 * line[o + 9] + m2 * line[o + 17] + m3 * line[o + 25];
    const y1 = m4 * line[o + 1] + m5 * line[o + 9] + m6 * line[o + 17] + m7 * line[o + 25];
    const y2 = m8 * line[o + 1] + m9 * line[o + 9] + m10 * line[o + 17] + m11 * line[o + 25];
    const y3 = m12 * line[o + 1] + m13 * line[o + 9] + m14 * line[o + 17] + m15 * line[o + 25];
    const z0 = m0 * line[o + 2] + m1 * line[o + 10] + m2 * line[o + 18] + m3 * line[o + 26];
    const z1 = m4 * line[o + 2] + m5 * line[o + 10] + m6 * line[o + 18] + m7 * line[o + 26];
    const z2 = m8 * line[o + 2] + m9 * line[o + 10] + m10 * line[o + 18] + m11 * line[o + 26];
    const z3 = m12 * line[o + 2] + m13 * line[o + 10] + m14 * line[o + 18] + m15 * line[o + 26];
    const w0 = m0 * line[o + 3] + m1 * line[o + 11] + m2 * line[o + 19] + m3 * line[o + 27];
    const w1 = m4 * line[o + 3] + m5 * line[o + 11] + m6 * line[o + 19] + m7 * line[o + 27];
    const w2 = m8 * line[o + 3] + m9 * line[o + 11] + m10 * line[o + 19] + m11 * line[o + 27];
    const w3 = m12 * line[o + 3] + m13 * line[o + 11] + m14 * line[o + 19] + m15 * line[o + 27];
    const a0 = m0 * line[o + 4] + m1 * line[o + 12] + m2 * line[o + 20] + m3 * line[o + 28];
    const a1 = m4 * line[o + 4] + m5 * line[o + 12] + m6 * line[o + 20] + m7 * line[o + 28];
    const a2 = m8 * line[o + 4] + m9 * line[o + 12] + m10 * line[o + 20] + m11 * line[o + 28];
    const a3 = m12 * line[o + 4] + m13 * line[o + 12] + m14 * line[o + 20] + m15 * line[o + 28];
    const b0 = m0 * line[o + 5] + m1 * line[o + 13] + m2 * line[o + 21] + m3 * line[o + 29];
    const b1 = m4 * line[o + 5] + m5 * line[o + 13] + m6 * line[o + 21] + m7 * line[o + 29];
    const b2 = m8 * line[o + 5] + m9 * line[o + 13] + m10 * line[o + 21] + m11 * line[o + 29];
    const b3 = m12 * line[o + 5] + m13 * line[o + 13] + m14 * line[o + 21] + m15 * line[o + 29];
    const c0 = m0 * line[o + 6] + m1 * line[o + 14] + m2 * line[o + 22] + m3 * line[o + 30];
    const c1 = m4 * line[o + 6] + m5 * line[o + 14] + m6 * line[o + 22] + m7 * line[o + 30];
    const c2 = m8 * line[o + 6] + m9 * line[o + 14] + m10 * line[o + 22] + m11 * line[o + 30];
    const c3 = m12 * line[o + 6] + m13 * line[o + 14] + m14 * line[o + 22] + m15 * line[o + 30];
    const d0 = m0 * line[o + 7] + m1 * line[o + 15] + m2 * line[o + 23] + m3 * line[o + 31];
    const d1 = m4 * line[o + 7] + m5 * line[o + 15] + m6 * line[o + 23] + m7 * line[o + 31];
    const d2 = m8 * line[o + 7] + m9 * line[o + 15] + m10 * line[o + 23] + m11 * line[o + 31];
    const d3 = m12 * line[o + 7] + m13 * line[o + 15] + m14 * line[o + 23] + m15 * line[o + 31];
    for (; j < nv && first[j] === here; j++, t += 3) {
      const s = offset[j];
      const inverse = 1 / (w0 + s * (w1 + s * (w2 + s * w3)));
      const x = (x0 + s * (x1 + s * (x2 + s * x3))) * inverse;
      const y = (y0 + s * (y1 + s * (y2 + s * y3))) * inverse;
      const z = (z0 + s * (z1 + s * (z2 + s * z3))) * inverse;
      const twice = 2 * s;
      const thrice = 3 * s * s;
      const wu = d0 + s * (d1 + s * (d2 + s * d3));
      const wv = w1 + twice * w2 + thrice * w3;
      // derivatives are only needed up to a positive factor
      const ux = a0 + s * (a1 + s * (a2 + s * a3)) - wu * x;
      const uy = b0 + s * (b1 + s * (b2 + s * b3)) - wu * y;
      const uz = c0 + s * (c1 + s * (c2 + s * c3)) - wu * z;
      const vx = x1 + twice * x2 + thrice * x3 - wv * x;
      const vy = y1 + twice * y2 + thrice * y3 - wv * y;
      const vz = z1 + twice * z2 + thrice * z3 - wv * z;
      const nx = uy * vz - uz * vy;
      const ny = uz * vx - ux * vz;
      const nz = ux * vy - uy * vx;
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
      const n = l > POLE * (ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz) ? 1 / l : 0;
      positions[t] = x;
      positions[t + 1] = y;
      positions[t + 2] = z;
      normals[t] = nx * n;
      normals[t + 1] = ny * n;
      normals[t + 2] = nz * n;
    }
  }
}

interface CubicSpans {
  /** For each span, by its first control row: basis functions' Taylor coefficients at the start of the span, 4 orders x 4 functions. */
  readonly matrix: Float64Array;
  /** Distance of each parameter from the start of its span. */
  readonly offset: Float64Array;
}
function cubicSpans(knots: Float64Array, V: ReturnType<typeof basisTable>, at: ArrayLike<number>): CubicSpans {
  const matrix = new Float64Array((knots.length - 4) * 16);
  const offset = new Float64Array(at.length);
  const out = new Float64Array(16);
  let before = -1;
  for (let j = 0; j < at.length; j++) {
    const first = V.first[j];
    const start = knots[first + 3];
    offset[j] = at[j] - start;
    if (first === before) continue;
    before = first;
    basisDerivatives(knots, 3, first + 3, start, 3, out);
    for (let k = 0; k < 4; k++) for (let i = 0; i < 4; i++) matrix[first * 16 + 4 * k + i] = out[4 * k + i] / FACTORIAL[k];
  }
  return { matrix, offset };
}
const FACTORIAL = [1, 1, 2, 6];
