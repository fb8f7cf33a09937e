import { makeCompatible, type Net, type NurbsCurve, remapNet, reverseNet, rowCount } from '../nurbs/index.ts';
import { acrossHermite } from './across.ts';

/** A row with the derivatives of its neighbour straight across, homogeneous: 16 numbers a point (`Neighbour.natural`). */
export interface NaturalEnd {
  readonly net: Net;
  readonly grade: 1 | 2 | 3;
  readonly reach: number;
}

/**
 * Rows that are sides of surfaces, joined exactly: across the border the neighbour's own derivatives are carried on,
 * (1 + rho s) H(1 + lam s, v), so that the skin meets it in every grade by construction. Returns undefined when a row and its net are not
 * the same curve. Lofted in homogeneous coordinates; `rows` may have any degree and knots.
 */
export function acrossNatural(
  given: readonly NurbsCurve[],
  params: readonly number[],
  start: NaturalEnd | undefined,
  end: NaturalEnd | undefined,
  degree: number,
): { rows: NurbsCurve[]; degree: number; knots: Float64Array; data: Float64Array } | undefined {
  const last = given.length - 1;
  const nets: Net[] = given.map((r) => ({ degree: r.degree, knots: r.knots, data: r.control, stride: 4 }));
  const ends = [start, end];
  for (const [side, e] of ends.entries()) {
    if (!e) continue;
    const k = side ? last : 0;
    const net = running(e.net, given[k]);
    if (!net) return undefined;
    nets[k] = net;
  }
  const same = makeCompatible(nets);
  const count = rowCount(same[0]);
  const part = (n: Net, k: number) => {
    if (n.stride === 4) return n.data;
    const out = new Float64Array(count * 4);
    for (let i = 0; i < count; i++) out.set(n.data.subarray(i * 16 + 4 * k, i * 16 + 4 * k + 4), 4 * i);
    return out;
  };
  const controls = same.map((n) => part(n, 0));
  const lists = ends.map((e, side) => {
    if (!e) return [];
    const k = side ? last : 0;
    const [H, U, UU, UUU] = [0, 1, 2, 3].map((d) => part(same[k], d));
    const gap = side ? params[last] - params[last - 1] : params[1] - params[0];
    const next = controls[side ? last - 1 : 1];
    // speed out of the face at the middle of the row, and how far the next row is there
    const i = 4 * (count >> 1);
    const w = H[i + 3];
    const point = [0, 1, 2].map((d) => H[i + d] / w);
    const speed = Math.hypot(...[0, 1, 2].map((d) => (U[i + d] - U[i + 3] * point[d]) / w));
    const way = Math.hypot(...[0, 1, 2].map((d) => next[i + d] / next[i + 3] - point[d]));
    const sign = side ? -1 : 1;
    const lam = (sign * e.reach * way) / gap / Math.max(speed, 1e-12);
    // weights stay near one across the middle
    const rho = (-lam * U[i + 3]) / w;
    const mix = (f: (k: number) => number) => Float64Array.from({ length: count * 4 }, (_, q) => f(q));
    return [
      mix((q) => lam * U[q] + rho * H[q]),
      mix((q) => lam * lam * UU[q] + 2 * rho * lam * U[q]),
      mix((q) => lam ** 3 * UUU[q] + 3 * rho * lam * lam * UU[q]),
    ].slice(0, e.grade);
  });
  const rational = given.some((r) => r.rational) || same.some((n) => n.stride === 16 && hasWeights(n));
  const rows = controls.map((control): NurbsCurve => ({ dim: 3, degree: same[0].degree, knots: same[0].knots, control, rational }));
  const built = acrossHermite(controls, params, lists[0], lists[1], degree);
  for (let i = 3; i < built.data.length; i += 4) if (!(built.data[i] > 1e-3)) return undefined;
  return { rows, ...built };
}
const hasWeights = (n: Net): boolean => {
  for (let i = 0; i < n.data.length; i += 16) if (Math.abs(n.data[i + 3] - n.data[3]) > 1e-14) return true;
  return false;
};
/** The net on 0..1 in the direction of the row; undefined when it is another curve. */
function running(net: Net, row: NurbsCurve): Net | undefined {
  const point = (d: Float64Array, i: number) => [d[i] / d[i + 3], d[i + 1] / d[i + 3], d[i + 2] / d[i + 3]];
  const far = (a: number[], b: number[]) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
  const n = rowCount(net);
  const first = point(row.control, 0);
  const lastOf = point(row.control, row.control.length - 4);
  const [a, b] = [point(net.data, 0), point(net.data, (n - 1) * 16)];
  const ahead = far(a, first) + far(b, lastOf);
  const back = far(b, first) + far(a, lastOf);
  if (Math.min(ahead, back) > 1e-6) return undefined;
  const run = remapNet(ahead <= back ? net : reverseNet(net), 0, 1);
  // the same shape at the same parameters: compared in one space
  const [x, y] = makeCompatible([
    { degree: run.degree, knots: run.knots, data: run.data, stride: 16 },
    { degree: row.degree, knots: row.knots, data: row.control, stride: 4 },
  ]);
  const count = rowCount(x);
  for (let i = 0; i < count; i++) if (far(point(x.data, 16 * i), point(y.data, 4 * i)) > 1e-6) return undefined;
  return run;
}
