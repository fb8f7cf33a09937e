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
        const f = V.value[b];
        const g = V.slope[b];
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
