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

/**
 * Positions and unit normals on the grid us x vs: arrays of us.length*vs.length*3, u-major. Basis functions are computed once per row
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
      cubicRow(line, V, nv, positions, normals, i * nv * 3);
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
      const k = l > 0 ? 1 / l : 0;
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
 * One row of the grid for degree 3 in v. Points of one knot span share the same four control rows: they are held in locals while the span
 * lasts, so that a point costs arithmetic and hardly any loads.
 */
function cubicRow(line: Float64Array, V: ReturnType<typeof basisTable>, nv: number, positions: Float64Array, normals: Float64Array, at: number): void {
  const { first, value, slope } = V;
  let t = at;
  for (let j = 0; j < nv; ) {
    const o = first[j] * 8;
    const x0 = line[o + 0];
    const y0 = line[o + 1];
    const z0 = line[o + 2];
    const w0 = line[o + 3];
    const a0 = line[o + 4];
    const b0 = line[o + 5];
    const c0 = line[o + 6];
    const d0 = line[o + 7];
    const x1 = line[o + 8];
    const y1 = line[o + 9];
    const z1 = line[o + 10];
    const w1 = line[o + 11];
    const a1 = line[o + 12];
    const b1 = line[o + 13];
    const c1 = line[o + 14];
    const d1 = line[o + 15];
    const x2 = line[o + 16];
    const y2 = line[o + 17];
    const z2 = line[o + 18];
    const w2 = line[o + 19];
    const a2 = line[o + 20];
    const b2 = line[o + 21];
    const c2 = line[o + 22];
    const d2 = line[o + 23];
    const x3 = line[o + 24];
    const y3 = line[o + 25];
    const z3 = line[o + 26];
    const w3 = line[o + 27];
    const a3 = line[o + 28];
    const b3 = line[o + 29];
    const c3 = line[o + 30];
    const d3 = line[o + 31];
    const here = first[j];
    for (; j < nv && first[j] === here; j++, t += 3) {
      const k = j * 4;
      const f0 = value[k];
      const f1 = value[k + 1];
      const f2 = value[k + 2];
      const f3 = value[k + 3];
      const g0 = slope[k];
      const g1 = slope[k + 1];
      const g2 = slope[k + 2];
      const g3 = slope[k + 3];
      const inverse = 1 / (f0 * w0 + f1 * w1 + f2 * w2 + f3 * w3);
      const x = (f0 * x0 + f1 * x1 + f2 * x2 + f3 * x3) * inverse;
      const y = (f0 * y0 + f1 * y1 + f2 * y2 + f3 * y3) * inverse;
      const z = (f0 * z0 + f1 * z1 + f2 * z2 + f3 * z3) * inverse;
      const wu = f0 * d0 + f1 * d1 + f2 * d2 + f3 * d3;
      const wv = g0 * w0 + g1 * w1 + g2 * w2 + g3 * w3;
      const ux = f0 * a0 + f1 * a1 + f2 * a2 + f3 * a3 - wu * x;
      const uy = f0 * b0 + f1 * b1 + f2 * b2 + f3 * b3 - wu * y;
      const uz = f0 * c0 + f1 * c1 + f2 * c2 + f3 * c3 - wu * z;
      const vx = g0 * x0 + g1 * x1 + g2 * x2 + g3 * x3 - wv * x;
      const vy = g0 * y0 + g1 * y1 + g2 * y2 + g3 * y3 - wv * y;
      const vz = g0 * z0 + g1 * z1 + g2 * z2 + g3 * z3 - wv * z;
      const nx = uy * vz - uz * vy;
      const ny = uz * vx - ux * vz;
      const nz = ux * vy - uy * vx;
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
      const n = l > 0 ? 1 / l : 0;
      positions[t] = x;
      positions[t + 1] = y;
      positions[t + 2] = z;
      normals[t] = nx * n;
      normals[t + 1] = ny * n;
      normals[t + 2] = nz * n;
    }
  }
}
