import { add, cross, dot, length, rotateAbout, scale, scatter, sub, symmetric3, unit, type Vec3 } from '../math/index.ts';
import { type Cage, pointOf } from './cage.ts';
import { type Edited, moved } from './edits.ts';
import { falloff } from './select.ts';
import { edgeBetween, endOf, fanOf, isBorderVertex } from './shape.ts';

const no = (message: string, at: readonly number[] = []): Edited => ({ ok: false, message, at });
const middleOf = (list: readonly Vec3[]): Vec3 => scale(list.reduce(add, [0, 0, 0]), 1 / list.length);

export interface Motion {
  readonly by?: Vec3;
  /** Degrees about x, then y, then z of `frame`. */
  readonly turn?: Vec3;
  readonly scale?: Vec3;
  /** Axes of the motion; those of the world when left out. */
  readonly frame?: { readonly x: Vec3; readonly y: Vec3; readonly z: Vec3 };
  /** What is turned and scaled about; the middle of the vertices when left out. */
  readonly pivot?: Vec3;
  /** Vertices farther away follow, less and less up to this distance along the cage, mm. */
  readonly radius?: number;
}
const WORLD_AXES = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } as const;

/** Moves, turns and scales vertices; with a radius, others follow by their falloff. */
export function transformVertices(c: Cage, vertices: readonly number[], m: Motion): Edited {
  if (!vertices.length) return no('Pick vertices to move');
  const f = m.frame ?? WORLD_AXES;
  const pivot = m.pivot ?? middleOf(vertices.map((v) => pointOf(c.points, v)));
  const axes = [f.x, f.y, f.z].map(unit);
  const weights = m.radius && m.radius > 0 ? falloff(c.shape, c.points, vertices, m.radius) : undefined;
  const own = new Set(vertices);
  return moved(c, (v, p) => {
    const w = weights ? weights[v] : own.has(v) ? 1 : 0;
    if (!(w > 0)) return undefined;
    let q = sub(p, pivot);
    const local = axes.map((a) => dot(q, a));
    // shares of a scaling and a turn are taken of themselves, so that what half follows keeps its shape
    const s = (m.scale ?? [1, 1, 1]).map((k) => 1 + w * (k - 1));
    q = axes.reduce<Vec3>((sum, a, k) => add(sum, scale(a, s[k] * local[k])), [0, 0, 0]);
    (m.turn ?? [0, 0, 0]).forEach((degrees, k) => {
      if (degrees) q = rotateAbout(q, axes[k], (w * degrees * Math.PI) / 180);
    });
    const by = axes.reduce<Vec3>((sum, a, k) => add(sum, scale(a, w * (m.by?.[k] ?? 0))), [0, 0, 0]);
    return add(add(pivot, q), by);
  });
}

/** The plane that vertices lie nearest to: through their middle, its normal the direction in which they spread least. */
export function nearestPlane(points: readonly Vec3[]): { origin: Vec3; normal: Vec3 } | undefined {
  if (points.length < 3) return undefined;
  const origin = middleOf(points);
  const { values, axes } = symmetric3(scatter(points.map((p) => sub(p, origin))));
  const order = [0, 1, 2].sort((a, b) => values[a] - values[b]);
  return values[order[1]] > 1e-18 * Math.max(values[order[2]], 1e-300) ? { origin, normal: axes[order[0]] } : undefined;
}
/** Vertices brought into a plane, straight or along an axis; into the plane nearest to them when none is given. `share` is how far they go. */
export function flatten(
  c: Cage,
  vertices: readonly number[],
  plane: { readonly origin: Vec3; readonly normal: Vec3 } | undefined,
  along: Vec3 | undefined,
  share = 1,
): Edited {
  const target = plane ?? nearestPlane(vertices.map((v) => pointOf(c.points, v)));
  if (!target) return no('Three vertices or more that do not stand in one line tell a plane', vertices);
  const n = unit(target.normal);
  const way = along ? unit(along) : n;
  const slope = dot(way, n);
  if (Math.abs(slope) < 1e-6) return no('The axis lies in the plane: vertices never come to it that way', vertices);
  const own = new Set(vertices);
  return moved(c, (v, p) => (own.has(v) ? sub(p, scale(way, (share * dot(sub(p, target.origin), n)) / slope)) : undefined));
}

/** Vertices in the order in which edges lead from one to the next; closed where the last leads to the first. */
export function chainOf(c: Cage, vertices: readonly number[]): { chain: number[]; closed: boolean } | undefined {
  const own = new Set(vertices);
  const next = new Map<number, number[]>();
  for (const v of own) {
    const list = new Set<number>();
    for (const h of fanOf(c.shape, v)) for (const w of [endOf(c.shape, h), c.shape.corners[c.shape.prev[h]]]) if (own.has(w)) list.add(w);
    // ends of edges only: corners across a face are no neighbours
    next.set(
      v,
      [...list].filter((w) => edgeBetween(c.shape, v, w) >= 0),
    );
  }
  if ([...next.values()].some((l) => l.length > 2 || !l.length)) return undefined;
  const ends = [...next].filter(([, l]) => l.length === 1).map(([v]) => v);
  if (ends.length !== 0 && ends.length !== 2) return undefined;
  const start = ends.length ? (own.has(vertices[0]) && ends.includes(vertices[0]) ? vertices[0] : ends[0]) : vertices[0];
  const chain = [start];
  let before = -1;
  for (;;) {
    const v = chain[chain.length - 1];
    const w = (next.get(v) as number[]).find((x) => x !== before && (x !== start || chain.length > 2));
    if (w === undefined || w === start) break;
    before = v;
    chain.push(w);
    if (chain.length > own.size) return undefined;
  }
  return chain.length === own.size ? { chain, closed: !ends.length } : undefined;
}
/** A row of vertices brought into the line of its ends, keeping its shares of length; evenly spaced when asked. */
export function straighten(c: Cage, vertices: readonly number[], even: boolean): Edited {
  const row = chainOf(c, vertices);
  if (!row || row.closed || row.chain.length < 3) return no('Pick three vertices or more in a row, not in a ring', vertices);
  const points = row.chain.map((v) => pointOf(c.points, v));
  const [a, b] = [points[0], points[points.length - 1]];
  const at = even ? points.map((_, i) => i / (points.length - 1)) : sharesOf(points);
  const place = new Map(row.chain.map((v, i) => [v, add(a, scale(sub(b, a), at[i]))]));
  return moved(c, (v) => place.get(v));
}
function sharesOf(points: readonly Vec3[]): number[] {
  const steps = points.slice(1).map((p, i) => length(sub(p, points[i])));
  const total = steps.reduce((x, y) => x + y, 0) || 1;
  let sum = 0;
  return [0, ...steps.map((s) => (sum += s) / total)];
}
/** Vertices of a row or a ring spaced evenly along the line they make. */
export function spaceEvenly(c: Cage, vertices: readonly number[]): Edited {
  const row = chainOf(c, vertices);
  if (!row || row.chain.length < 3) return no('Pick three vertices or more in a row or a ring', vertices);
  const points = row.chain.map((v) => pointOf(c.points, v));
  if (row.closed) points.push(points[0]);
  const at = sharesOf(points);
  const n = points.length - 1;
  const place = new Map<number, Vec3>();
  row.chain.forEach((v, i) => {
    const t = i / n;
    let k = 0;
    while (k < n - 1 && at[k + 1] < t) k++;
    const w = at[k + 1] > at[k] ? (t - at[k]) / (at[k + 1] - at[k]) : 0;
    place.set(v, add(points[k], scale(sub(points[k + 1], points[k]), w)));
  });
  return moved(c, (v) => place.get(v));
}
/** A ring of vertices brought onto the circle nearest to it: its plane, its middle, the mean of its radii; turned so that it moves least. */
export function intoCircle(c: Cage, vertices: readonly number[]): Edited {
  const row = chainOf(c, vertices);
  const points = row?.chain.map((v) => pointOf(c.points, v)) ?? [];
  const plane = nearestPlane(points);
  if (!row?.closed || !plane) return no('Pick the vertices of a ring of edges', vertices);
  const n = points.length;
  const x = unit(sub(sub(points[0], plane.origin), scale(plane.normal, dot(sub(points[0], plane.origin), plane.normal))));
  let y = cross(plane.normal, x);
  const flat = points.map((p) => [dot(sub(p, plane.origin), x), dot(sub(p, plane.origin), y)] as const);
  const radius = flat.reduce((s, [a, b]) => s + Math.hypot(a, b), 0) / n;
  // the way round that the ring takes
  const turn = flat.reduce((s, [a, b], i) => {
    const [p, q] = flat[(i + 1) % n];
    return s + a * q - b * p;
  }, 0);
  if (turn < 0) y = scale(y, -1);
  // mean of what each vertex is ahead of its even place
  let [re, im] = [0, 0];
  flat.forEach(([a, b], i) => {
    const t = (2 * Math.PI * i) / n;
    const q = turn < 0 ? -b : b;
    re += a * Math.cos(t) + q * Math.sin(t);
    im += q * Math.cos(t) - a * Math.sin(t);
  });
  const ahead = Math.atan2(im, re);
  const place = new Map(
    row.chain.map((v, i) => {
      const t = ahead + (2 * Math.PI * i) / n;
      return [v, add(plane.origin, add(scale(x, radius * Math.cos(t)), scale(y, radius * Math.sin(t))))] as const;
    }),
  );
  return moved(c, (v) => place.get(v));
}
/**
 * Vertices calmed: each goes by a share towards the middle of its neighbours, border vertices along the border only, held ones not at all; the
 * second half of every round goes back a little farther, so that the cage does not shrink (Taubin 1995).
 */
export function relax(c: Cage, vertices: readonly number[], rounds: number, share = 0.5): Edited {
  if (!vertices.length) return no('Pick vertices to calm');
  const { shape: s } = c;
  let points = c.points.slice();
  const round = (k: number) => {
    const next = points.slice();
    for (const v of vertices) {
      if (c.pins[v] > 0) continue;
      const fan = fanOf(s, v);
      const border = isBorderVertex(s, v);
      const round = border ? [endOf(s, fan[0]), s.corners[s.prev[fan[fan.length - 1]]]] : fan.map((h) => endOf(s, h));
      if (border && fan.length === 1) continue;
      for (let d = 0; d < 3; d++)
        next[3 * v + d] += k * (round.reduce((x, w) => x + points[3 * w + d], 0) / round.length - points[3 * v + d]);
    }
    points = next;
  };
  for (let i = 0; i < rounds; i++) {
    round(share);
    round(-share / (1 - 0.1 * share));
  }
  return { ok: true, cage: { ...c, points } };
}
