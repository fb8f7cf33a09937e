import { ClipperD, ClipType, EndType, FillRule, inflatePathsD, JoinType, type PolyPathD, PolyTreeD } from 'clipper2-ts';

export type Flat = readonly [number, number];
/** Connected flat material: an outline, anticlockwise, with clockwise holes. Points are in mm. */
export interface Region {
  readonly outer: readonly Flat[];
  readonly holes: readonly (readonly Flat[])[];
}
type PathsD = { x: number; y: number }[][];
/** Digits after the point that booleans of polygons keep, mm. */
const DIGITS = 6;
const toPaths = (loops: readonly (readonly Flat[])[]): PathsD => loops.map((l) => l.map(([x, y]) => ({ x, y })));
const flat = (p: readonly { x: number; y: number }[]): Flat[] => p.map((q): Flat => [q.x, q.y]);
export const loopsOf = (r: Region): readonly (readonly Flat[])[] => [r.outer, ...r.holes];

function combine(kind: ClipType, rule: FillRule, subject: readonly (readonly Flat[])[], clip: readonly (readonly Flat[])[]): Region[] {
  const c = new ClipperD(DIGITS);
  c.addSubjectPaths(toPaths(subject));
  if (clip.length) c.addClipPaths(toPaths(clip));
  const tree = new PolyTreeD();
  c.execute(kind, rule, tree);
  const out: Region[] = [];
  const walk = (node: PolyPathD) => {
    for (let i = 0; i < node.count; i++) {
      const child = node.child(i);
      const holes: Flat[][] = [];
      for (let k = 0; k < child.count; k++) {
        const hole = child.child(k);
        holes.push(flat(hole.poly ?? []));
        walk(hole);
      }
      out.push({ outer: flat(child.poly ?? []), holes });
    }
  };
  walk(tree);
  return out.filter((r) => r.outer.length > 2);
}
/** The material inside an odd number of loops. */
export const regionsOf = (loops: readonly (readonly Flat[])[]): Region[] => combine(ClipType.Union, FillRule.EvenOdd, loops, []);
export const without = (a: readonly Region[], loops: readonly (readonly Flat[])[]): Region[] =>
  combine(ClipType.Difference, FillRule.NonZero, a.flatMap(loopsOf), loops);
export const common = (a: readonly Region[], b: readonly Region[]): Region[] =>
  combine(ClipType.Intersection, FillRule.NonZero, a.flatMap(loopsOf), b.flatMap(loopsOf));
/** Material grown by `by` mm on all sides, or worn off by it when it is negative. */
export const grown = (a: readonly Region[], by: number): Region[] =>
  regionsOf(
    inflatePathsD(toPaths(a.flatMap(loopsOf)), by, JoinType.Round, EndType.Polygon, 2, DIGITS, Math.max(1e-3, Math.abs(by) / 100)).map(
      flat,
    ),
  );
/** The parts of lines, closed or not, that run inside material. */
export function linesInside(loops: readonly (readonly Flat[])[], inside: readonly Region[], closed = true): Flat[][] {
  const c = new ClipperD(DIGITS);
  c.addOpenSubjectPaths(toPaths(closed ? loops.map((l) => [...l, l[0]]) : loops));
  c.addClipPaths(toPaths(inside.flatMap(loopsOf)));
  const open: PathsD = [];
  c.execute(ClipType.Intersection, FillRule.NonZero, [] as PathsD, open);
  return joined(open.map(flat));
}
/** Lines put end to end: a loop is cut where it begins, whether or not it leaves the material there. */
function joined(lines: Flat[][]): Flat[][] {
  const out = lines.filter((l) => l.length > 1);
  const same = (a: Flat, b: Flat) => Math.hypot(a[0] - b[0], a[1] - b[1]) < 2e-6;
  for (let i = 0; i < out.length; i++)
    for (let k = 0; k < out.length; k++) {
      if (i === k || !same(out[i][out[i].length - 1], out[k][0])) continue;
      out[i] = [...out[i], ...out[k].slice(1)];
      out.splice(k, 1);
      if (k < i) i--;
      k = -1;
    }
  return out;
}

export const loopArea = (l: readonly Flat[]): number => {
  let s = 0;
  for (let i = 0; i < l.length; i++) {
    const [a, b] = [l[i], l[(i + 1) % l.length]];
    s += a[0] * b[1] - b[0] * a[1];
  }
  return s / 2;
};
export const regionArea = (r: Region): number => Math.abs(loopArea(r.outer)) - r.holes.reduce((s, h) => s + Math.abs(loopArea(h)), 0);
export function boundsOf(points: readonly Flat[]): { min: [number, number]; max: [number, number] } {
  const min: [number, number] = [Infinity, Infinity];
  const max: [number, number] = [-Infinity, -Infinity];
  for (const p of points)
    for (const k of [0, 1] as const) {
      if (p[k] < min[k]) min[k] = p[k];
      if (p[k] > max[k]) max[k] = p[k];
    }
  return { min, max };
}
/** Is a point inside material? On its border either may be said. */
export function isInside(r: Region, p: Flat): boolean {
  let odd = false;
  for (const l of loopsOf(r))
    for (let i = 0, j = l.length - 1; i < l.length; j = i++)
      if (l[i][1] > p[1] !== l[j][1] > p[1] && p[0] < ((l[j][0] - l[i][0]) * (p[1] - l[i][1])) / (l[j][1] - l[i][1]) + l[i][0]) odd = !odd;
  return odd;
}
/** Distance of a point from a line through points, closed or not. */
export function distanceToLine(p: Flat, line: readonly Flat[], closed: boolean): number {
  let best = Infinity;
  for (let i = 0; i + (closed ? 0 : 1) < line.length; i++) {
    const [a, b] = [line[i], line[(i + 1) % line.length]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const t = Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
    best = Math.min(best, Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy));
  }
  return best;
}
export type Move = { readonly turn: number; readonly x: number; readonly y: number };
/** Turned by degrees about the origin, then shifted. */
export function moved(p: Flat, m: Move): Flat {
  const quarter = [0, 90, 180, 270].indexOf(m.turn);
  const c = quarter >= 0 ? [1, 0, -1, 0][quarter] : Math.cos((m.turn * Math.PI) / 180);
  const s = quarter >= 0 ? [0, 1, 0, -1][quarter] : Math.sin((m.turn * Math.PI) / 180);
  return [p[0] * c - p[1] * s + m.x, p[0] * s + p[1] * c + m.y];
}
export const movedRegion = (r: Region, m: Move): Region => ({
  outer: r.outer.map((p) => moved(p, m)),
  holes: r.holes.map((h) => h.map((p) => moved(p, m))),
});
