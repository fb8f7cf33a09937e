import { formatNumber, lerp, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  clipCurve,
  compatibleCurves,
  domain,
  interpolateInSpace,
  lengthTable,
  makeCompatible,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  remapCurve,
  reverseCurve,
  transpose,
} from '../nurbs/index.ts';
import { type Passing, passing } from './guides.ts';
import { fitRows, trackOf } from './sections.ts';

/** One curve of a network: which of the given ones, and whether it is run against its own direction. */
export interface Strand {
  readonly index: number;
  readonly curve: NurbsCurve;
}
export interface Crossing {
  readonly first: number;
  readonly second: number;
  readonly miss: number;
  readonly at: Vec3;
}
export interface Network {
  /** Curves of constant u (running along v), in order, and curves of constant v. */
  readonly along: readonly Strand[];
  readonly across: readonly Strand[];
  /** Shares at which along[i] is passed on across[j]'s own length, and the other way round. */
  readonly crossings: readonly (readonly Passing[])[];
  readonly misses: readonly Crossing[];
}
type Bad = { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };

/**
 * Sorts curves into two families that cross each other: curves that pass each other within `reach` (mm) belong to different families.
 * Each family is put in order and direction. Curves that cross none of the others are all one family.
 */
export function sortNetwork(curves: readonly NurbsCurve[], reach: number): { ok: true; network: Network } | Bad {
  const n = curves.length;
  const near = new Map<string, Passing>();
  const meets = (i: number, j: number) => near.get(`${i},${j}`);
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++) {
      const p = passing(curves[i], curves[j]);
      if (p.miss > reach) continue;
      near.set(`${i},${j}`, p);
      near.set(`${j},${i}`, { ...p, on: p.section, section: p.on });
    }
  const colour = new Int8Array(n).fill(-1);
  for (let s = 0; s < n; s++) {
    if (colour[s] >= 0 || ![...Array(n).keys()].some((j) => meets(s, j))) continue;
    const list = [s];
    colour[s] = list.length === 1 ? 0 : colour[s];
    for (const i of list)
      for (let j = 0; j < n; j++) {
        if (!meets(i, j)) continue;
        if (colour[j] < 0) {
          colour[j] = 1 - colour[i];
          list.push(j);
        } else if (colour[j] === colour[i])
          return {
            ok: false,
            code: 'not-a-grid',
            message: `Curves ${i + 1} and ${j + 1} cross each other and both cross a third one: a weave needs two families that cross like threads. Take one of them away, or use a patch`,
            place: [meets(i, j)?.at as Vec3],
          };
      }
  }
  if (colour.every((c) => c < 0)) colour.fill(0);
  const loose = colour.findIndex((c) => c < 0);
  if (loose >= 0) {
    // how far it is from the nearest of the others
    let best: { miss: number; at: Vec3; j: number } | undefined;
    for (let j = 0; j < n; j++) {
      if (j === loose) continue;
      const p = passing(curves[loose], curves[j]);
      if (!best || p.miss < best.miss) best = { miss: p.miss, at: p.at, j };
    }
    return {
      ok: false,
      code: 'loose-curve',
      message: `Curve ${loose + 1} crosses none of the others: it passes curve ${(best?.j ?? 0) + 1} at ${formatNumber(best?.miss ?? 0, 3)} mm. Move it there, or raise the gap that is closed`,
      place: best && [best.at],
    };
  }
  const family = (c: number) => [...Array(n).keys()].filter((i) => colour[i] === c);
  let [a, b] = [family(0), family(1)];
  if (b.length > a.length) [a, b] = [b, a];
  if (b.length < 1)
    return { ok: true, network: { along: a.map((i) => ({ index: i, curve: curves[i] })), across: [], crossings: [], misses: [] } };
  const missing = a.flatMap((i) => b.flatMap((j) => (meets(i, j) ? [] : [[i, j]])))[0];
  if (missing) {
    const p = passing(curves[missing[0]], curves[missing[1]]);
    return {
      ok: false,
      code: 'misses',
      message: `Curves ${missing[0] + 1} and ${missing[1] + 1} pass each other at ${formatNumber(p.miss, 3)} mm; every curve of one family has to cross every one of the other. Move one of them, or raise the gap that is closed`,
      place: [p.at],
    };
  }
  const on = (i: number, j: number) => (meets(i, j) as Passing).on;
  const other = (i: number, j: number) => (meets(i, j) as Passing).section;
  // order by places on the first curve of the other family
  a = [...a].sort((x, y) => other(x, b[0]) - other(y, b[0]));
  b = [...b].sort((x, y) => on(a[0], x) - on(a[0], y));
  const turnedA = a.map((i) => b.length > 1 && on(i, b[0]) > on(i, b[b.length - 1]));
  const turnedB = b.map((j) => a.length > 1 && other(a[0], j) > other(a[a.length - 1], j));
  const shareA = (i: number, k: number, j: number) => (turnedA[k] ? 1 - on(i, j) : on(i, j));
  const shareB = (i: number, j: number, m: number) => (turnedB[m] ? 1 - other(i, j) : other(i, j));
  for (const [k, i] of a.entries())
    for (let m = 1; m < b.length; m++)
      if (shareA(i, k, b[m]) <= shareA(i, k, b[m - 1]) + 1e-9)
        return {
          ok: false,
          code: 'order',
          message: `Curve ${i + 1} crosses curves ${b[m - 1] + 1} and ${b[m] + 1} in another order than the rest: they are no grid`,
          place: [meets(i, b[m])?.at as Vec3],
        };
  for (const [m, j] of b.entries())
    for (let k = 1; k < a.length; k++)
      if (shareB(a[k], j, m) <= shareB(a[k - 1], j, m) + 1e-9)
        return {
          ok: false,
          code: 'order',
          message: `Curve ${j + 1} crosses curves ${a[k - 1] + 1} and ${a[k] + 1} in another order than the rest: they are no grid`,
          place: [meets(a[k], j)?.at as Vec3],
        };
  const strand = (i: number, turned: boolean): Strand => ({ index: i, curve: turned ? reverseCurve(curves[i]) : curves[i] });
  return {
    ok: true,
    network: {
      along: a.map((i, k) => strand(i, turnedA[k])),
      across: b.map((j, m) => strand(j, turnedB[m])),
      crossings: a.map((i, k) =>
        b.map((j, m) => ({
          on: shareA(i, k, j),
          section: shareB(i, j, m),
          miss: (meets(i, j) as Passing).miss,
          at: (meets(i, j) as Passing).at,
        })),
      ),
      misses: a.flatMap((i) =>
        b.map((j) => ({ first: i, second: j, miss: (meets(i, j) as Passing).miss, at: (meets(i, j) as Passing).at })),
      ),
    },
  };
}

/** One family on a common parameter in which crossings stand at the same values. `shares[i][j]`: share of length of crossing j on curve i. */
function family(
  curves: readonly NurbsCurve[],
  shares: readonly (readonly number[])[],
  tolerance: number,
): { rows: NurbsCurve[]; at: number[]; deviation: number } {
  const last = shares[0].length - 1;
  const clipped = curves.map((c, i) => {
    const t = lengthTable(c);
    const [d0, d1] = domain(c);
    const end = (s: number) => (s < 1e-9 ? d0 : s > 1 - 1e-9 ? d1 : t.exact(s * t.total));
    const [from, to] = [end(shares[i][0]), end(shares[i][last])];
    const part = from === d0 && to === d1 ? c : clipCurve(c, from, to);
    return { curve: remapCurve(part, 0, 1), own: shares[i].map((s) => (end(s) - from) / (to - from)) };
  });
  const first = clipped[0].own;
  if (clipped.every((c) => !c.curve.rational && c.own.every((x, j) => Math.abs(x - first[j]) < 1e-6)))
    return {
      rows: compatibleCurves(clipped.map((c) => c.curve)),
      at: first.map((_, j) => clipped.reduce((s, c) => s + c.own[j], 0) / clipped.length),
      deviation: 0,
    };
  const inner = shares.map((l) => l.slice(1, -1).map((s) => (s - l[0]) / (l[last] - l[0])));
  const tracks = clipped.map((c) => trackOf(c.curve, 0, false, false, tolerance));
  const pins = inner[0].map((_, j) => inner.map((l) => l[j]));
  const fit = fitRows(tracks, { tolerance, pins }, false);
  const at = [0, ...inner[0].map((_, j) => inner.reduce((s, l) => s + l[j], 0) / inner.length), 1];
  return { rows: fit.rows, at, deviation: fit.deviation };
}

export interface GordonResult {
  readonly surface: NurbsSurface;
  /** Parameters of the curves: along[i] at u[i], across[j] at v[j]. */
  readonly u: readonly number[];
  readonly v: readonly number[];
  readonly deviation: number;
}
/** Surface over rows at parameters, degree 3 or as far as the rows reach. */
function over(rows: readonly NurbsCurve[], at: readonly number[]): NurbsSurface {
  const degree = Math.min(3, rows.length - 1);
  const t = Float64Array.from(at);
  const stride = rows[0].control.length;
  const data = new Float64Array(rows.length * stride);
  rows.forEach((r, i) => {
    data.set(r.control, i * stride);
  });
  const net = interpolateInSpace(degree, averagedKnots(t, degree), t, data, stride);
  if (!net) throw new Error('the curves lie on each other');
  return {
    degreeU: degree,
    degreeV: rows[0].degree,
    knotsU: net.knots,
    knotsV: rows[0].knots,
    countU: rows.length,
    countV: stride / 4,
    control: net.data,
    rational: false,
  };
}
/** Surfaces on one degree and knot vector in both directions. */
export function compatibleSurfaces(list: readonly NurbsSurface[]): NurbsSurface[] {
  const alongU = (l: readonly NurbsSurface[]) =>
    makeCompatible(l.map((s) => ({ degree: s.degreeU, knots: s.knotsU, data: s.control, stride: s.countV * 4 }))).map(
      (n, i): NurbsSurface => ({ ...l[i], degreeU: n.degree, knotsU: n.knots, control: n.data, countU: n.data.length / n.stride }),
    );
  return alongU(alongU(list).map(transpose)).map(transpose);
}

/**
 * The surface through a network of two or more curves each way: Boolean sum of both families' interpolations less the grid of their
 * crossings (Gordon 1969). Curves that miss each other are met halfway. Exact for curves that lie on a bicubic at least four each way.
 */
export function gordon(n: Network, tolerance: number): GordonResult {
  const along = family(
    n.along.map((s) => s.curve),
    n.crossings.map((l) => l.map((p) => p.on)),
    tolerance,
  );
  const across = family(
    n.across.map((s) => s.curve),
    n.across.map((_, j) => n.crossings.map((l) => l[j].section)),
    tolerance,
  );
  const [u, v] = [across.at, along.at];
  const first = over(along.rows, u);
  const second = transpose(over(across.rows, v));
  const grid = along.rows.map((r, i) => v.map((x, j) => lerp(pointAt(r, x), pointAt(across.rows[j], u[i]), 0.5)));
  const rowsOf = grid.map((list): NurbsCurve => {
    const degree = Math.min(3, v.length - 1);
    const t = Float64Array.from(v);
    const net = interpolateInSpace(degree, averagedKnots(t, degree), t, Float64Array.from(list.flatMap((p) => [...p, 1])), 4);
    if (!net) throw new Error('the curves lie on each other');
    return { dim: 3, degree, knots: net.knots, control: net.data, rational: false };
  });
  const third = over(rowsOf, u);
  const [a, b, c] = compatibleSurfaces([first, second, third]);
  const control = Float64Array.from(a.control, (x, i) => x + b.control[i] - c.control[i]);
  for (let i = 3; i < control.length; i += 4) control[i] = 1;
  return { surface: { ...a, control, rational: false }, u, v, deviation: Math.max(along.deviation, across.deviation) };
}
