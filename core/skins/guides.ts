import { monotoneMap, sub, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  clipNet,
  closestOnCurve,
  fitFunction,
  interpolateInSpace,
  isoV,
  lengthTable,
  makeCompatible,
  type Net,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  surfacePoint,
  transpose,
} from '../nurbs/index.ts';

/** Where a guide passes a section. */
export interface Passing {
  /** Share of the guide's length. */
  readonly on: number;
  /** Share of the section's own length. */
  readonly section: number;
  readonly miss: number;
  readonly at: Vec3;
}
/** Where guides and a section come nearest to each other. */
export function passing(guide: NurbsCurve, section: NurbsCurve): Passing {
  const table = lengthTable(guide);
  const other = lengthTable(section);
  let best = { d: Infinity, s: 0 };
  const foot = (s: number) => closestOnCurve(section, pointAt(guide, table.near(s * table.total)));
  const N = 64;
  for (let i = 0; i <= N; i++) {
    const d = foot(i / N).distance;
    if (d < best.d) best = { d, s: i / N };
  }
  let [low, high] = [Math.max(0, best.s - 1 / N), Math.min(1, best.s + 1 / N)];
  for (let k = 0; k < 60; k++) {
    const [x, y] = [high - 0.618034 * (high - low), low + 0.618034 * (high - low)];
    if (foot(x).distance < foot(y).distance) high = y;
    else low = x;
  }
  let s = (low + high) / 2;
  for (const end of [0, 1, best.s]) if (foot(end).distance <= foot(s).distance) s = end;
  // the nearest place of both, alternating: far better than the search where they cross
  let p = pointAt(guide, table.near(s * table.total));
  let f = closestOnCurve(section, p);
  for (let k = 0; k < 12; k++) {
    const back = closestOnCurve(guide, f.point);
    if (back.distance >= f.distance - 1e-15) break;
    p = back.point;
    s = table.lengthAt(back.t) / table.total;
    f = closestOnCurve(section, p);
  }
  return { on: s, section: other.lengthAt(f.t) / other.total, miss: f.distance, at: f.point };
}

/** Functions of 0..1 that are one at one place and zero at the others, as rows of a net (one number a place). */
export function cardinal(places: readonly number[], closed: boolean): Net {
  const n = places.length;
  let nodes: { at: number; values: number[] }[] = places.map((at, i) => ({ at, values: places.map((_, k) => (k === i ? 1 : 0)) }));
  if (closed) {
    // between few places the middles are given too, half and half; a single one fades to nothing on the far side
    if (n === 1) nodes = [0, 0.25, 0.5, 0.75].map((x, k) => ({ at: (places[0] + x) % 1, values: [[1, 0.5, 0, 0.5][k]] }));
    else
      while (nodes.length < 4) {
        const sorted = [...nodes].sort((a, b) => a.at - b.at);
        const gaps = sorted.map((x, i) => (i + 1 < sorted.length ? sorted[i + 1].at - x.at : sorted[0].at + 1 - x.at));
        const w = gaps.indexOf(Math.max(...gaps));
        const next = sorted[(w + 1) % sorted.length];
        nodes.push({ at: (sorted[w].at + gaps[w] / 2) % 1, values: sorted[w].values.map((v, k) => (v + next.values[k]) / 2) });
      }
    nodes.sort((a, b) => a.at - b.at);
    // periodic cubic interpolation: three turns, the middle one kept
    const m = nodes.length;
    const turns = 7;
    const at = Float64Array.from({ length: turns * m }, (_, i) => nodes[i % m].at + Math.floor(i / m) - (turns >> 1));
    const values = new Float64Array(turns * m * n);
    for (let i = 0; i < turns * m; i++) values.set(nodes[i % m].values, i * n);
    const knots = averagedKnots(at, 3);
    const net = interpolateInSpace(3, knots, at, values, n);
    if (!net) throw new Error('the guides stand on each other');
    return clipNet(net, 0, 1);
  }
  nodes.sort((a, b) => a.at - b.at);
  if (n === 1) {
    const at = places[0];
    const values = at < 0.05 ? [1, 0] : at > 0.95 ? [0, 1] : [1, 1];
    return { degree: 1, knots: Float64Array.of(0, 0, 1, 1), data: Float64Array.from(values), stride: 1 };
  }
  if (nodes[0].at > 1e-6) nodes.unshift({ at: 0, values: nodes[0].values });
  if (nodes[nodes.length - 1].at < 1 - 1e-6) nodes.push({ at: 1, values: nodes[nodes.length - 1].values });
  nodes[0] = { ...nodes[0], at: 0 };
  nodes[nodes.length - 1] = { ...nodes[nodes.length - 1], at: 1 };
  const degree = Math.min(3, nodes.length - 1);
  const at = Float64Array.from(nodes, (x) => x.at);
  const net = interpolateInSpace(degree, averagedKnots(at, degree), at, Float64Array.from(nodes.flatMap((x) => x.values)), n);
  if (!net) throw new Error('the guides stand on each other');
  return net;
}

/** Adds tensor functions: sum over k of along_k(u) across_k(v), `along` rows of 3 numbers a place, `across` one number a place. */
export function addTensor(s: NurbsSurface, along: Net, across: Net, places: number): NurbsSurface {
  // one space in each direction
  const [u, du] = makeCompatible([{ degree: s.degreeU, knots: s.knotsU, data: s.control, stride: s.countV * 4 }, along]);
  const wide: NurbsSurface = { ...s, degreeU: u.degree, knotsU: u.knots, control: u.data, countU: u.data.length / u.stride };
  const t = transpose(wide);
  const [v, dv] = makeCompatible([{ degree: t.degreeU, knots: t.knotsU, data: t.control, stride: t.countV * 4 }, across]);
  const full = transpose({ ...t, degreeU: v.degree, knotsU: v.knots, control: v.data, countU: v.data.length / v.stride });
  const control = new Float64Array(full.control);
  for (let i = 0; i < full.countU; i++)
    for (let j = 0; j < full.countV; j++)
      for (let k = 0; k < places; k++) {
        const b = dv.data[j * places + k];
        if (b === 0) continue;
        for (let d = 0; d < 3; d++) control[(i * full.countV + j) * 4 + d] += du.data[i * 3 * places + 3 * k + d] * b;
      }
  return { ...full, control };
}

export interface GuideFit {
  readonly surface: NurbsSurface;
  readonly deviation: number;
}
/**
 * Bends a polynomial skin so that its curve at v = places[k] runs along guide k, while the sections at `params` stay: the way from skin
 * to guide is added along u, spread across v (Gordon 1969, with the sections' share already in the skin). `passings[k]` tells where the
 * guide passes each section.
 */
export function followGuides(
  s: NurbsSurface,
  params: readonly number[],
  guides: readonly NurbsCurve[],
  passings: readonly (readonly Passing[])[],
  places: readonly number[],
  closed: boolean,
  tolerance: number,
): GuideFit {
  const n = guides.length;
  const tables = guides.map(lengthTable);
  const scales = passings.map((list) => [list[0].on, list[list.length - 1].on] as const);
  // the map runs from the first passing to the last
  const normal = passings.map((list, k) => {
    const [a, b] = scales[k];
    return monotoneMap(
      params.slice(1, -1),
      list.slice(1, -1).map((p) => (p.on - a) / (b - a)),
      0,
      1,
      false,
    );
  });
  const rows = places.map((v) => isoV(s, Math.min(1, Math.max(0, v))));
  // what is left at the sections is taken off again, so that they stay
  const left = passings.map((list, k) =>
    list.map((p, i) => sub(pointAt(guides[k], tables[k].near(p.on * tables[k].total)), pointAt(rows[k], params[i]))),
  );
  const delta = (u: number, out: Float64Array) => {
    for (let k = 0; k < n; k++) {
      const [a, b] = scales[k];
      const on = a + (b - a) * normal[k](u);
      const d = sub(pointAt(guides[k], tables[k].near(on * tables[k].total)), pointAt(rows[k], u));
      let i = 0;
      while (i < params.length - 2 && u > params[i + 1]) i++;
      const x = (u - params[i]) / (params[i + 1] - params[i]);
      const f = x * x * (3 - 2 * x);
      for (let c = 0; c < 3; c++) out[3 * k + c] = d[c] - (left[k][i][c] + f * (left[k][i + 1][c] - left[k][i][c]));
    }
  };
  const fit = fitFunction(
    delta,
    0,
    1,
    3 * n,
    5,
    tolerance,
    params.slice(1, -1).map((t) => ({ t, multiplicity: normal.every((m) => m.smooth === 2) ? 3 : 4 })),
    120,
  );
  const along: Net = { degree: 5, knots: fit.knots, data: fit.data, stride: 3 * n };
  return { surface: addTensor(s, along, cardinal(places, closed), n), deviation: fit.deviation };
}
/** Largest distance of guides from the skin's curves at their places. */
export function guideMiss(s: NurbsSurface, guides: readonly NurbsCurve[], places: readonly number[]): number {
  let worst = 0;
  guides.forEach((g, k) => {
    for (let i = 0; i <= 60; i++) worst = Math.max(worst, closestOnCurve(g, surfacePoint(s, i / 60, places[k])).distance);
  });
  return worst;
}
