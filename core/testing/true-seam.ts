import type { Vec3 } from '../math/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';

/**
 * A second way to measure a seam that shares nothing with the constructions or the proof: plain de Boor evaluation, derivatives by central
 * differences of fourth order, feet by Gauss-Newton over those. Slow and simple on purpose. Lengths in mm, angles in degrees.
 */
export interface TrueSeam {
  readonly gap: number;
  readonly kink: number;
  /** Difference of the curvatures across, per cent of their mean (least 0.01 / mm). */
  readonly step: number;
}
type V = [number, number, number];
const sub = (a: readonly number[], b: readonly number[]): V => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: readonly number[], b: readonly number[]): V => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const unit = (a: readonly number[]): V => {
  const l = Math.sqrt(dot(a, a));
  return [a[0] / l, a[1] / l, a[2] / l];
};

function spanOf(knots: ArrayLike<number>, p: number, n: number, t: number): number {
  let k = p;
  while (k + 1 < n && t >= knots[k + 1]) k++;
  return k;
}
/** De Boor's triangle on the p + 1 rows that count in span k. */
function boor(knots: ArrayLike<number>, p: number, rows: number[][], k: number, t: number): number[] {
  const d = rows;
  for (let r = 1; r <= p; r++)
    for (let j = p; j >= r; j--) {
      const i = k - p + j;
      const x = (t - knots[i]) / (knots[i + p - r + 1] - knots[i]);
      for (let c = 0; c < 4; c++) d[j][c] = (1 - x) * d[j - 1][c] + x * d[j][c];
    }
  return d[p];
}
/** A point of the surface; parameters beyond its range carry its polynomial on. */
export function plainPoint(s: NurbsSurface, u: number, v: number): Vec3 {
  const [p, q] = [s.degreeU, s.degreeV];
  const [k, l] = [spanOf(s.knotsU, p, s.countU, u), spanOf(s.knotsV, q, s.countV, v)];
  const rows: number[][] = [];
  for (let i = 0; i <= p; i++) {
    const row: number[][] = [];
    for (let j = 0; j <= q; j++) {
      const o = 4 * ((k - p + i) * s.countV + l - q + j);
      row.push([s.control[o], s.control[o + 1], s.control[o + 2], s.control[o + 3]]);
    }
    rows.push(boor(s.knotsV, q, row, l, v));
  }
  const h = boor(s.knotsU, p, rows, k, u);
  return [h[0] / h[3], h[1] / h[3], h[2] / h[3]];
}
interface Plain {
  p: V;
  u: V;
  v: V;
  uu: V;
  uv: V;
  vv: V;
}
/** Derivatives by differences; steps stay inside the spans where they can. */
function jet(s: NurbsSurface, u: number, v: number): Plain {
  const step = (knots: ArrayLike<number>, p: number, t: number): readonly [number, number] => {
    const [a, b] = [knots[p], knots[knots.length - p - 1]];
    let [low, high] = [a, b];
    for (let i = 0; i < knots.length; i++) {
      if (knots[i] <= t + 1e-12 && knots[i] > low && knots[i] < b) low = knots[i];
      if (knots[i] > t + 1e-12 && knots[i] < high) high = knots[i];
    }
    // the middle of five places, moved inside the span
    const h = Math.min(2e-3 * (b - a), (high - low) / 8);
    return [Math.min(high - 2.01 * h, Math.max(low + 2.01 * h, t)) - t, h];
  };
  const [su, hu] = step(s.knotsU, s.degreeU, u);
  const [sv, hv] = step(s.knotsV, s.degreeV, v);
  // values on 5 x 5 places about the moved middle, then the polynomial through them at (u, v)
  const at = [-2, -1, 0, 1, 2];
  const grid = at.map((i) => at.map((j) => plainPoint(s, u + su + i * hu, v + sv + j * hv)));
  const weights = (shift: number, h: number, order: number): number[] => {
    // derivatives of the Lagrange basis at -shift / h
    const x = -shift / h;
    return at.map((xi, i) => {
      const others = at.filter((_, k) => k !== i);
      const scale = others.reduce((m, o) => m * (xi - o), 1);
      const poly = (list: number[]) => list.reduce((m, o) => m * (x - o), 1);
      if (order === 0) return poly(others) / scale;
      let sum = 0;
      for (let a = 0; a < 4; a++) {
        const rest = others.filter((_, k) => k !== a);
        if (order === 1) sum += poly(rest);
        else for (let b = 0; b < 3; b++) sum += poly(rest.filter((_, k) => k !== b));
      }
      return sum / scale / h ** order;
    });
  };
  const [U, W] = [0, 1, 2].reduce<[number[][], number[][]]>(
    (m, o) => [
      [...m[0], weights(su, hu, o)],
      [...m[1], weights(sv, hv, o)],
    ],
    [[], []],
  );
  const mix = (a: number, b: number): V =>
    [0, 1, 2].map((d) => grid.reduce((x, row, i) => x + U[a][i] * row.reduce((y, q, j) => y + W[b][j] * q[d], 0), 0)) as V;
  return { p: mix(0, 0), u: mix(1, 0), v: mix(0, 1), uu: mix(2, 0), uv: mix(1, 1), vv: mix(0, 2) };
}
function curvature(j: Plain, n: V, along: V): number {
  const [E, F, G] = [dot(j.u, j.u), dot(j.u, j.v), dot(j.v, j.v)];
  const [x, y] = [dot(along, j.u), dot(along, j.v)];
  const det = E * G - F * F;
  const [a, b] = [(x * G - y * F) / det, (y * E - x * F) / det];
  return (dot(j.uu, n) * a * a + 2 * dot(j.uv, n) * a * b + dot(j.vv, n) * b * b) / (E * a * a + 2 * F * a * b + G * b * b);
}
/** Foot of p on a surface: the nearest of a coarse grid, then Gauss-Newton; may leave the range by a little. */
function foot(s: NurbsSurface, p: readonly number[], start?: readonly [number, number]): readonly [number, number] {
  const range = (k: ArrayLike<number>, d: number) => [k[d], k[k.length - d - 1]] as const;
  const [u0, u1] = range(s.knotsU, s.degreeU);
  const [v0, v1] = range(s.knotsV, s.degreeV);
  let best = start ?? [u0, v0];
  if (!start) {
    let least = Infinity;
    for (let i = 0; i <= 40; i++)
      for (let j = 0; j <= 40; j++) {
        const at = [u0 + ((u1 - u0) * i) / 40, v0 + ((v1 - v0) * j) / 40] as const;
        const d = sub(plainPoint(s, ...at), p);
        if (dot(d, d) < least) [least, best] = [dot(d, d), at];
      }
  }
  let [u, v] = best;
  for (let k = 0; k < 30; k++) {
    const j = jet(s, u, v);
    const r = sub(j.p, p);
    const [E, F, G] = [dot(j.u, j.u), dot(j.u, j.v), dot(j.v, j.v)];
    const [f, g] = [dot(r, j.u), dot(r, j.v)];
    const det = E * G - F * F;
    const [du, dv] = [-(f * G - g * F) / det, -(g * E - f * F) / det];
    u = Math.min(u1, Math.max(u0, u + du));
    v = Math.min(v1, Math.max(v0, v + dv));
    if (Math.abs(du) * Math.sqrt(E) + Math.abs(dv) * Math.sqrt(G) < 1e-11) break;
  }
  return [u, v];
}
/** Worst of `count` places on a border of `s` given by `border(k)`, against the surface beside it. */
export function trueSeam(
  s: NurbsSurface,
  border: (share: number) => readonly [number, number],
  beside: NurbsSurface,
  count = 97,
): TrueSeam {
  let worst = { gap: 0, kink: 0, step: 0 };
  let near: readonly [number, number] | undefined;
  for (let i = 0; i < count; i++) {
    const at = border((i + 0.5) / count);
    const a = jet(s, ...at);
    near = foot(beside, a.p, near);
    const b = jet(beside, ...near);
    const [na, nb] = [unit(cross(a.u, a.v)), unit(cross(b.u, b.v))];
    const h = 1e-4;
    const [p, q] = [border(Math.max(0, (i + 0.5) / count - h)), border(Math.min(1, (i + 0.5) / count + h))];
    const tangent = unit(sub(plainPoint(s, ...q), plainPoint(s, ...p)));
    const flip = dot(na, nb) < 0 ? -1 : 1;
    const kink = (Math.atan2(Math.sqrt(dot(cross(na, nb), cross(na, nb))), Math.abs(dot(na, nb))) * 180) / Math.PI;
    const ka = curvature(a, na, unit(cross(na, tangent)));
    const kb = flip * curvature(b, nb, unit(cross(nb, tangent)));
    const d = sub(a.p, b.p);
    worst = {
      gap: Math.max(worst.gap, Math.sqrt(dot(d, d))),
      kink: Math.max(worst.kink, kink),
      step: Math.max(worst.step, (200 * Math.abs(ka - kb)) / Math.max(Math.abs(ka) + Math.abs(kb), 0.01)),
    };
  }
  return worst;
}
