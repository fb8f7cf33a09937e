import { polygonBox } from '../math/index.ts';
import { greville, interpolateInSpace, type NurbsSurface } from '../nurbs/index.ts';
import type { Quadric } from './patch-base.ts';
import type { Over } from './patch-charts.ts';
import { type HeightField, heightOf, PATCH_DEGREE } from './patch-solve.ts';

/** The quadric itself over the rectangle of the rim: three by three points, exact. */
export function quadricSurface(q: Quadric, R: number, polygon: readonly (readonly [number, number])[]): NurbsSurface {
  const [x0, x1, y0, y1] = polygonBox(polygon);
  const pad = 0.01 * Math.max(x1 - x0, y1 - y0);
  const knots = (a: number, b: number) => Float64Array.of(a - pad, a - pad, a - pad, b + pad, b + pad, b + pad);
  const [kx, ky] = [knots(x0, x1), knots(y0, y1)];
  const [gx, gy] = [greville(kx, 2), greville(ky, 2)];
  const k = 1 / (4 * R * R);
  const values = new Float64Array(9 * 4);
  gx.forEach((x, i) => {
    gy.forEach((y, j) => {
      const rho = (x * x + y * y) * k;
      const s = [x / R, y / R, 1 - rho];
      const w = 1 + rho;
      for (let d = 0; d < 3; d++)
        values[4 * (3 * i + j) + d] = q.centre[d] * w + q.axes[0][d] * s[0] + q.axes[1][d] * s[1] + q.axes[2][d] * s[2];
      values[4 * (3 * i + j) + 3] = w;
    });
  });
  return inSpace(2, kx, ky, values, true);
}
/** The tensor surface through values (rows of 4, homogeneous) at the Greville places of its knots. */
export function inSpace(degree: number, kx: Float64Array, ky: Float64Array, values: Float64Array, rational: boolean): NurbsSurface {
  const [nx, ny] = [kx.length - degree - 1, ky.length - degree - 1];
  const first = interpolateInSpace(degree, kx, greville(kx, degree), values, ny * 4);
  if (!first) throw new Error('a patch cannot be interpolated');
  // the other direction, row by row
  const turned = new Float64Array(nx * ny * 4);
  for (let i = 0; i < nx; i++)
    for (let j = 0; j < ny; j++) turned.set(first.data.subarray(4 * (i * ny + j), 4 * (i * ny + j) + 4), 4 * (j * nx + i));
  const second = interpolateInSpace(degree, ky, greville(ky, degree), turned, nx * 4);
  if (!second) throw new Error('a patch cannot be interpolated');
  const control = new Float64Array(nx * ny * 4);
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) control.set(second.data.subarray(4 * (j * nx + i), 4 * (j * nx + i) + 4), 4 * (i * ny + j));
  if (!rational) for (let i = 3; i < control.length; i += 4) control[i] = 1;
  return { degreeU: degree, degreeV: degree, knotsU: kx, knotsV: ky, countU: nx, countV: ny, control, rational };
}
/** The patch as one surface: exact over a plane, else interpolated (in homogeneous coordinates over a ball) on the heights' own knots. */
export function surfaceOver(f: HeightField, over: Over): NurbsSurface {
  const p = PATCH_DEGREE;
  const one = new Float64Array(60);
  const at = (kx: Float64Array, ky: Float64Array) => {
    const [gx, gy] = [greville(kx, p), greville(ky, p)];
    const values = new Float64Array(gx.length * gy.length * 4);
    gx.forEach((x, i) => {
      gy.forEach((y, j) => {
        over.base.at(x, y, one);
        const h = heightOf(f, x, y);
        const w = over.base.weight(x, y);
        const k = 4 * (i * gy.length + j);
        for (let d = 0; d < 3; d++) values[k + d] = w * (one[d] + h * one[30 + d]);
        values[k + 3] = w;
      });
    });
    return inSpace(p, kx, ky, values, over.base.rational);
  };
  if (over.frame) {
    // linear in x and y: the control points themselves
    const fr = over.frame;
    const [gx, gy] = [greville(f.knotsX, p), greville(f.knotsY, p)];
    const control = new Float64Array(f.count * f.count * 4);
    gx.forEach((x, i) => {
      gy.forEach((y, j) => {
        const k = i * f.count + j;
        for (let d = 0; d < 3; d++) control[4 * k + d] = fr.origin[d] + x * fr.x[d] + y * fr.y[d] + f.h[k] * fr.z[d];
        control[4 * k + 3] = 1;
      });
    });
    return { degreeU: p, degreeV: p, knotsU: f.knotsX, knotsV: f.knotsY, countU: f.count, countV: f.count, control, rational: false };
  }
  return at(f.knotsX, f.knotsY);
}
