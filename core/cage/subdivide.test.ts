import { describe, expect, it } from 'vitest';
import { boxCage, fanCage } from '../testing/cages.ts';
import {
  bordersOf,
  type Cage,
  type CageShape,
  endOf,
  FULL,
  fanOf,
  isBorderVertex,
  makeCage,
  partsOf,
  type Refinable,
  refine,
  valenceOf,
  vertexLimit,
} from './index.ts';

/** Everything that is true of a shape, whatever it is of. */
function checkShape(s: CageShape): void {
  const n = s.corners.length;
  for (let h = 0; h < n; h++) {
    expect(s.prev[s.next[h]]).toBe(h);
    expect(s.face[s.next[h]]).toBe(s.face[h]);
    const t = s.twin[h];
    if (t >= 0) {
      expect(s.twin[t]).toBe(h);
      expect([s.corners[t], endOf(s, t)]).toEqual([endOf(s, h), s.corners[h]]);
      expect(s.edgeOf[t]).toBe(s.edgeOf[h]);
      expect(s.face[t]).not.toBe(s.face[h]);
    }
  }
  const seen = new Set<number>();
  for (let e = 0; e < s.edges; e++) {
    expect(s.edgeOf[s.edgeHalf[e]]).toBe(e);
    seen.add(s.edgeHalf[e]);
  }
  expect(seen.size).toBe(s.edges);
  let around = 0;
  for (let v = 0; v < s.vertices; v++) {
    const fan = fanOf(s, v);
    around += fan.length;
    for (const h of fan) expect(s.corners[h]).toBe(v);
    if (isBorderVertex(s, v)) expect(s.twin[fan[0]]).toBe(-1);
  }
  expect(around).toBe(n);
}
const euler = (s: CageShape) => s.vertices - s.edges + s.faces;
const limitNear = (a: Refinable, b: Refinable, v: number) => {
  const [p, q] = [vertexLimit(a, v), vertexLimit(b, v)];
  return {
    point: Math.hypot(...p.point.map((x, k) => x - q.point[k])),
    // in the order of the sectors
    normal: Math.max(...p.normals.map((m, i) => Math.hypot(...m.map((x, k) => x - q.normals[i][k])))),
  };
};

describe('shapes', () => {
  it('a box is closed, a fan has one border; refined ones have the numbers they must have', () => {
    for (const c of [boxCage(0), fanCage(5, 1), fanCage(3, 2, { open: true })]) {
      checkShape(c.shape);
      let level: Refinable = c;
      for (let k = 0; k < 3; k++) {
        const { shape: s } = level;
        level = refine(level);
        checkShape(level.shape);
        expect([level.shape.vertices, level.shape.edges, level.shape.faces]).toEqual([
          s.vertices + s.edges + s.faces,
          2 * s.edges + s.corners.length,
          s.corners.length,
        ]);
        expect(euler(level.shape)).toBe(euler(c.shape));
      }
    }
    expect(bordersOf(boxCage(0).shape)).toEqual([]);
    expect(bordersOf(fanCage(5, 1).shape).map((r) => r.length)).toEqual([20]);
    expect(partsOf(boxCage(0).shape).length).toBe(1);
    expect(valenceOf(fanCage(7, 1).shape, 0)).toBe(7);
    expect(valenceOf(fanCage(3, 1, { open: true }).shape, 0)).toBe(4);
  });
  it.each([
    ['a face runs through a vertex twice', [[0, 1, 2, 1]], /twice/],
    [
      'two faces on one side of an edge',
      [
        [0, 1, 2],
        [0, 1, 3],
      ],
      /same way/,
    ],
    [
      'three faces at an edge',
      [
        [0, 1, 2],
        [1, 0, 3],
        [0, 1, 4],
      ],
      /same way|three meet/,
    ],
    [
      'faces that meet in a point',
      [
        [0, 1, 2],
        [0, 3, 4],
      ],
      /single point/,
    ],
    ['two corners', [[0, 1]], /fewer than three/],
    ['a vertex that is not there', [[0, 1, 9]], /names vertex 9/],
  ])('%s is refused', (_, faces, words) => {
    const points = [0, 1, 2, 3, 4].map((i): [number, number, number] => [i, i * i, 0]);
    const r = makeCage({ points, faces });
    expect(!r.ok && r.trouble.message).toMatch(words);
  });
});

/** Catmull and Clark's rules over lists and maps, written apart from the code, for smooth cages with borders. */
function plain(points: number[][], faces: number[][]): { points: number[][]; faces: number[][] } {
  const mean = (list: number[][]) => [0, 1, 2].map((k) => list.reduce((s, p) => s + p[k], 0) / list.length);
  const key = (a: number, b: number) => `${Math.min(a, b)} ${Math.max(a, b)}`;
  const middles = faces.map((f) => mean(f.map((v) => points[v])));
  const edges = new Map<string, { ends: [number, number]; faces: number[] }>();
  faces.forEach((f, i) => {
    f.forEach((v, k) => {
      const w = f[(k + 1) % f.length];
      const e = edges.get(key(v, w)) ?? { ends: [v, w] as [number, number], faces: [] };
      e.faces.push(i);
      edges.set(key(v, w), e);
    });
  });
  const list = [...edges.values()];
  const edgePoints = list.map((e) => {
    const ends = e.ends.map((v) => points[v]);
    return e.faces.length === 1 ? mean(ends) : mean([...ends, ...e.faces.map((f) => middles[f])]);
  });
  const moved = points.map((p, v) => {
    const own = list.filter((e) => e.ends.includes(v));
    const round = faces.flatMap((f, i) => (f.includes(v) ? [i] : []));
    const border = own.filter((e) => e.faces.length === 1);
    if (border.length) {
      if (round.length === 1) return p;
      const [a, b] = border.map((e) => points[e.ends[0] === v ? e.ends[1] : e.ends[0]]);
      return [0, 1, 2].map((k) => (6 * p[k] + a[k] + b[k]) / 8);
    }
    const N = own.length;
    const Q = mean(round.map((f) => middles[f]));
    const R = mean(own.map((e) => mean(e.ends.map((x) => points[x]))));
    return [0, 1, 2].map((k) => (Q[k] + 2 * R[k] + (N - 3) * p[k]) / N);
  });
  const index = new Map([...edges.keys()].map((k, i) => [k, points.length + i]));
  return {
    points: [...moved, ...edgePoints, ...middles],
    faces: faces.flatMap((f, i) =>
      f.map((v, k) => [
        v,
        index.get(key(v, f[(k + 1) % f.length])) as number,
        points.length + list.length + i,
        index.get(key(v, f[(k + f.length - 1) % f.length])) as number,
      ]),
    ),
  };
}
const listed = (c: Cage) => ({
  points: Array.from({ length: c.shape.vertices }, (_, v) => [...c.points.subarray(3 * v, 3 * v + 3)]),
  faces: Array.from({ length: c.shape.faces }, (_, f) => [...c.shape.corners.subarray(c.shape.faceStart[f], c.shape.faceStart[f + 1])]),
});

describe('refinement', () => {
  it('gives the places that the rules give, also of faces with three, five and six corners', () => {
    const mixed = makeCage({
      points: [
        [0, 0, 0],
        [4, 0, 1],
        [6, 3, 0],
        [3, 5, 2],
        [-1, 4, 0],
        [-3, 1, 1],
        [8, -1, 0],
        [2, -4, 1],
        [-2, -3, 2],
      ],
      faces: [
        [0, 1, 2, 3, 4],
        [0, 4, 5],
        [1, 0, 7, 6],
        [0, 5, 8, 7],
        [2, 1, 6],
      ],
    });
    if (!mixed.ok) throw new Error(mixed.trouble.message);
    for (const c of [mixed.cage, boxCage(4), fanCage(6, 3)]) {
      let brute = listed(c);
      let level: Refinable = c;
      for (let k = 0; k < 3; k++) {
        brute = plain(brute.points, brute.faces);
        level = refine(level);
        // edges are numbered otherwise there: places are compared as sets
        const sorted = (list: number[][]) => list.map((p) => p.map((x) => (Math.round(x * 1e6 + 1e-4) / 1e6).toFixed(6)).join()).sort();
        const own = Array.from({ length: level.shape.vertices }, (_, v) => [...level.points.subarray(3 * v, 3 * v + 3)]);
        expect(sorted(own)).toEqual(sorted(brute.points));
        if (c === mixed.cage) checkShape(level.shape);
      }
    }
  });
  it('keeps the limit: valences 3 to 12, borders, creases of every sharpness, pinned vertices, within 1e-12', () => {
    const cages: Cage[] = [
      ...[3, 4, 5, 6, 7, 8, 9, 10, 11, 12].map((n) => fanCage(n, n)),
      ...[2, 3, 4, 5].map((n) => fanCage(n, n, { open: true })),
      ...[0.3, 1, 1.5, 2.7, 10, Number.POSITIVE_INFINITY].flatMap((sharp) => [4, 5, 6].map((n) => fanCage(n, n, { sharp }))),
      ...Array.from({ length: 12 }, (_, i) => boxCage(i)),
    ];
    let [points, normals] = [0, 0];
    for (const c of cages) {
      const finer = refine(c);
      const finest = refine(finer);
      for (let v = 0; v < c.shape.vertices; v++) {
        const a = limitNear(c, finer, v);
        expect(a.point).toBeLessThan(1e-12);
        points = Math.max(points, a.point);
      }
      for (let v = 0; v < c.shape.vertices; v++) {
        const d = limitNear(finer, finest, v);
        expect(d.point).toBeLessThan(1e-12);
        // a vertex that is held alone ends in a spike, which has no normal
        if (c.pins[v] < FULL) normals = Math.max(normals, d.normal);
      }
    }
    expect(points).toBeGreaterThan(0);
    expect(normals).toBeLessThan(1e-6);
  });
  it('limits of smooth vertices are where eight steps lead, by plain refinement', () => {
    for (const n of [3, 5, 7]) {
      const c = fanCage(n, n, { rings: 1 });
      let level: Refinable = c;
      for (let k = 0; k < 7; k++) level = refine(level);
      const { point, normals } = vertexLimit(c, 0);
      const deep = [...level.points.subarray(0, 3)];
      // the vertex nears its limit by a quarter a step, at least as fast as the largest eigenvalue below it
      expect(Math.hypot(...point.map((x, k) => x - deep[k]))).toBeLessThan(2e-3);
      const fan = fanOf(level.shape, 0).map((h) => [...level.points.subarray(3 * endOf(level.shape, h), 3 * endOf(level.shape, h) + 3)]);
      const area = [0, 0, 0];
      fan.forEach((p, i) => {
        const [a, b] = [p, fan[(i + 1) % fan.length]].map((q) => q.map((x, k) => x - deep[k]));
        area[0] += a[1] * b[2] - a[2] * b[1];
        area[1] += a[2] * b[0] - a[0] * b[2];
        area[2] += a[0] * b[1] - a[1] * b[0];
      });
      const l = Math.hypot(...area);
      expect(Math.hypot(...normals[0].map((x, k) => x - area[k] / l))).toBeLessThan(0.02);
    }
  });
});
