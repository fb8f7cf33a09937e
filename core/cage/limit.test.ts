import { describe, expect, it } from 'vitest';
import { cross, dot, type Vec3 } from '../math/index.ts';
import { seeded } from '../testing/mutate.ts';
import { type Cage, FULL, fanOf, makeCage, vertexLimit } from './index.ts';

/**
 * The neighbourhood of one vertex refined by itself, by rules written down here: the vertex, the ends of its edges, the far corners of its quads.
 * Everything is kept relative to the vertex, and in size.
 */
interface Ring {
  readonly closed: boolean;
  at: Vec3;
  /** Size of what is kept against what it is. */
  scale: number;
  ends: Vec3[];
  far: Vec3[];
  sharp: number[];
}
const mix = (...terms: [number, Vec3][]): Vec3 => [0, 1, 2].map((k) => terms.reduce((s, [w, p]) => s + w * p[k], 0)) as unknown as Vec3;
const O: Vec3 = [0, 0, 0];
function step(r: Ring, held: boolean): void {
  const n = r.far.length;
  const mid = r.far.map((f, i) => mix([0.25, O], [0.25, r.ends[i]], [0.25, f], [0.25, r.ends[(i + 1) % r.ends.length]]));
  const ends = r.ends.map((e, i) => {
    const w = Math.min(1, r.sharp[i]);
    if (w === 1) return mix([0.5, e]);
    const [f, g] = [mid[(i + n - 1) % n], mid[i]];
    return mix([w / 2, e], [(1 - w) / 4, e], [(1 - w) / 4, f], [(1 - w) / 4, g]);
  });
  const marked = r.sharp.flatMap((s, i) => (s > 0 ? [i] : []));
  const smooth = mix(...r.ends.map((e): [number, Vec3] => [1 / (n * n), e]), ...mid.map((f): [number, Vec3] => [1 / (n * n), f]));
  const along = marked.length === 2 ? mix([1 / 8, r.ends[marked[0]]], [1 / 8, r.ends[marked[1]]]) : O;
  const mean = marked.length ? marked.reduce((s, i) => s + r.sharp[i], 0) / marked.length : 0;
  const w = marked.length < 2 ? 0 : Math.min(1, mean);
  const go = held ? O : mix([1 - w, smooth], [w, along]);
  const grown = 2;
  r.at = mix([1, r.at], [1 / r.scale, go]);
  r.ends = ends.map((p) => mix([grown, p], [-grown, go]));
  r.far = mid.map((p) => mix([grown, p], [-grown, go]));
  r.scale *= grown;
  r.sharp = r.sharp.map((s) => (s === FULL ? s : Math.max(0, s > 1 ? s - 1 : 0)));
}
const unit = (p: Vec3): Vec3 => {
  const l = Math.hypot(...p);
  return p.map((x) => x / l) as unknown as Vec3;
};
/** The limit and the normals of the sectors from `STEPS` plain steps. Sizes drift by the eigenvalues: both rows are brought back each time. */
function plain(start: Ring, held: boolean): { point: Vec3; normals: Vec3[] } {
  const r: Ring = { ...start };
  const crease: Vec3[][] = [];
  for (let k = 0; k < 600; k++) {
    step(r, held);
    const full = r.sharp.flatMap((s, i) => (s > 0 ? [i] : []));
    // directions along creases, before what runs across outgrows them
    if (k === 40 && full.length > 1) crease.push(...full.map((i) => [r.ends[i]]));
    const size = Math.max(...r.ends.map((e) => Math.hypot(...e)));
    if (size > 1e6 || size < 1e-6) {
      r.ends = r.ends.map((e) => mix([1 / size, e]));
      r.far = r.far.map((e) => mix([1 / size, e]));
      r.scale /= size;
    }
  }
  const n = r.far.length;
  const full = r.sharp.flatMap((s, i) => (s > 0 ? [i] : []));
  if (full.length < 2) {
    const sum = r.ends.map((e, i) => cross(e, r.ends[(i + 1) % n])).reduce((a, b) => mix([1, a], [1, b]));
    return { point: r.at, normals: [unit(sum)] };
  }
  const normals = full.flatMap((from, i) => {
    const to = full[i + 1] ?? (r.closed ? full[0] + r.ends.length : undefined);
    if (to === undefined) return [];
    const [a, b] = [crease[i][0], crease[(i + 1) % full.length][0]];
    const inner = Array.from({ length: to - from - 1 }, (_, k) => unit(r.ends[(from + 1 + k) % r.ends.length]));
    const across = inner.length ? inner.reduce((p, q) => mix([1, p], [1, q])) : unit(r.far[from % n]);
    if (!held) return [unit(cross(unit(mix([1, a], [-1, b])), across))];
    const normal = cross(a, b);
    return [unit(dot(cross(a, across), normal) < 0 ? mix([-1, normal]) : normal)];
  });
  return { point: r.at, normals };
}

/** Quads round the vertex 0, their places shaken; `spokes` are sharp by what is told. */
function fan(n: number, seed: number, open: boolean, spokes: ReadonlyMap<number, number>): { cage: Cage; ring: Ring } {
  const random = seeded(seed);
  const shaken = (x: number, y: number): Vec3 => [x + 0.3 * (random() - 0.5), y + 0.3 * (random() - 0.5), 0.8 * (random() - 0.5)];
  const count = open ? n + 1 : n;
  const turn = (open ? Math.PI : 2 * Math.PI) / n;
  const centre = shaken(0, 0);
  const ends = Array.from({ length: count }, (_, i) => shaken(4 * Math.cos(turn * i), 4 * Math.sin(turn * i)));
  const far = Array.from({ length: n }, (_, i) => shaken(6 * Math.cos(turn * (i + 0.5)), 6 * Math.sin(turn * (i + 0.5))));
  const made = makeCage({
    points: [centre, ...ends, ...far],
    faces: far.map((_, i) => [0, 1 + i, 1 + count + i, 1 + ((i + 1) % count)]),
    sharp: [...spokes].map(([i, sharpness]) => ({ ends: [0, 1 + i] as [number, number], sharpness })),
  });
  if (!made.ok) throw new Error(made.trouble.message);
  const from = (p: Vec3) => mix([1, p], [-1, centre]);
  const sharp = ends.map((_, i) => (open && (i === 0 || i === n) ? FULL : (spokes.get(i) ?? 0)));
  // the fan may begin at another edge
  const first = made.cage.shape.corners[made.cage.shape.next[fanOf(made.cage.shape, 0)[0]]] - 1;
  const turned = <T>(list: readonly T[]): T[] => (open ? [...list] : [...list.slice(first), ...list.slice(0, first)]);
  expect(open ? first : 0).toBe(0);
  return {
    cage: made.cage,
    ring: { closed: !open, at: centre, scale: 1, ends: turned(ends).map(from), far: turned(far).map(from), sharp: turned(sharp) },
  };
}
function compare(what: string, n: number, open: boolean, spokes: ReadonlyMap<number, number>, held = false): void {
  for (const seed of [1, 2, 3]) {
    const { cage, ring } = fan(n, seed * 100 + n, open, spokes);
    const told = vertexLimit(cage, 0);
    const seen = plain(ring, held);
    const off = Math.hypot(...told.point.map((x, k) => x - seen.point[k]));
    expect([what, off < 1e-9]).toEqual([what, true]);
    expect([what, told.normals.length]).toEqual([what, seen.normals.length]);
    for (const [i, m] of told.normals.entries()) {
      const apart = Math.hypot(...m.map((x, k) => x - seen.normals[i][k]));
      expect([what, i, apart < 1e-9 ? 0 : apart]).toEqual([what, i, 0]);
    }
  }
}

describe('limits and normals are where plain refinement of a neighbourhood leads, within 1e-9', () => {
  it('smooth, 3 to 12 edges', () => {
    for (let n = 3; n <= 12; n++) compare(`valence ${n}`, n, false, new Map());
  });
  it('on a border of 2 to 8 faces', () => {
    for (let n = 2; n <= 8; n++) compare(`border of ${n}`, n, true, new Map());
  });
  it('on a full crease, two to six faces on either side', () => {
    for (let n = 4; n <= 12; n++)
      for (let m = 2; m <= Math.min(6, n - 2); m++)
        compare(
          `crease, ${m} of ${n}`,
          n,
          false,
          new Map([
            [0, FULL],
            [m, FULL],
          ]),
        );
  });
  it('where three creases meet: a corner', () => {
    for (let n = 6; n <= 12; n++)
      compare(
        `corner of ${n}`,
        n,
        false,
        new Map([
          [0, FULL],
          [2, FULL],
          [4, FULL],
        ]),
        true,
      );
  });
  it('with partial sharpness along a line, 3 to 12 edges', () => {
    for (const sharp of [0.4, 1, 1.7, 3])
      for (let n = 3; n <= 12; n++)
        compare(
          `sharpness ${sharp}, ${n}`,
          n,
          false,
          new Map([
            [0, sharp],
            [Math.floor(n / 2), sharp],
          ]),
        );
  });
});
