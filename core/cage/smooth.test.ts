import { describe, expect, it } from 'vitest';
import { boxCage, done, fanCage } from '../testing/cages.ts';
import { seeded } from '../testing/mutate.ts';
import {
  alongEdge,
  type Cage,
  crease,
  edgeBetween,
  FULL,
  gridStart,
  levelFor,
  refine,
  smoothMesh,
  torusStart,
  vertexLimit,
  withPoints,
} from './index.ts';

const far = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let m = 0;
  for (let i = 0; i < a.length; i++) m = Math.max(m, Math.abs(a[i] - b[i]));
  return m;
};
/** Nodes against the limits of vertices taken one by one. */
function checkLimits(c: Cage, level: number): void {
  const m = smoothMesh(c, level);
  let now: Parameters<typeof refine>[0] = c;
  for (let k = 0; k < level; k++) now = refine(now);
  for (let v = 0; v < now.shape.vertices; v++) {
    const l = vertexLimit(now, v);
    expect(Math.hypot(...l.point.map((x, k) => x - m.positions[3 * v + k]))).toBeLessThan(1e-11);
    expect(Math.min(...l.normals.map((n) => Math.hypot(...n.map((x, k) => x - m.normals[3 * v + k]))))).toBeLessThan(1e-9);
  }
}

describe('the smooth surface as a mesh', () => {
  it.each([3, 4, 5, 6, 8, 11])('a fan of %i faces, open and closed, creased or not: every node is the limit of its vertex', (n) => {
    for (const o of [{}, { sharp: 1.5 }, { sharp: FULL }, { open: true }]) checkLimits(fanCage(n, n, o), 2);
  });
  it('along a full crease the two sides have normals of their own', () => {
    const grid = gridStart({ width: 8, depth: 8, across: 4, along: 4 });
    const at = (share: string) => grid.vertexNames.indexOf(`v 1/2 ${share}`);
    const shares = ['0', '1/4', '1/2', '3/4', '1'];
    const line = shares.slice(1).map((share, j) => edgeBetween(grid.shape, at(shares[j]), at(share)));
    expect(line.every((e) => e >= 0)).toBe(true);
    const creased = done(crease(grid, line, FULL));
    // a roof: up in the middle
    const roof = withPoints(
      creased,
      creased.points.map((x, i) => (i % 3 === 2 ? 4 - Math.abs(creased.points[i - 2]) : x)),
    );
    const m = smoothMesh(roof, 3);
    expect(m.positions.length / 3).toBe(m.shape.vertices + 4 * 8 + 1);
    // every triangle is as flat as its nodes say
    for (let t = 0; t < m.indices.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => [...m.positions.subarray(3 * m.indices[t + k], 3 * m.indices[t + k] + 3)]);
      const [u, w] = [b.map((x, k) => x - a[k]), c.map((x, k) => x - a[k])];
      const n = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
      for (let k = 0; k < 3; k++) {
        const q = m.normals.subarray(3 * m.indices[t + k], 3 * m.indices[t + k] + 3);
        expect(n.reduce((s, x, i) => s + x * q[i], 0) / Math.hypot(...n)).toBeGreaterThan(0.99);
      }
    }
  });
  it('triangles of a face stand together; an edge of the cage is followed from end to end', () => {
    const c = boxCage(4);
    const m = smoothMesh(c, 3);
    expect([...m.faceRanges].filter((_, i) => i % 2 === 1).reduce((a, b) => a + b, 0)).toBe(m.indices.length);
    for (let e = 0; e < c.shape.edges; e++) {
      const h = c.shape.edgeHalf[e];
      const line = alongEdge(m, e);
      expect([line[0], line[line.length - 1], line.length]).toEqual([c.shape.corners[h], c.shape.corners[c.shape.next[h]], 9]);
      for (let i = 1; i < line.length; i++) expect(edgeBetween(m.shape, line[i - 1], line[i])).toBeGreaterThanOrEqual(0);
    }
  });
  it('places that move are followed exactly, near them only', () => {
    const c = torusStart({ radius: 30, tube: 9, segments: 40, across: 20, opening: 360 });
    const r = seeded(5);
    let now = c;
    smoothMesh(now, 3);
    for (let k = 0; k < 12; k++) {
      const points = now.points.slice();
      for (let j = 0; j <= k % 3; j++) points[Math.floor(r() * points.length)] += r() - 0.5;
      now = withPoints(now, points);
      const fast = smoothMesh(now, 3);
      expect(fast.touched).toBeLessThan(0.1 * (fast.positions.length / 3));
      const plain = smoothMesh({ ...now, shape: { ...now.shape } }, 3);
      expect(far(fast.positions, plain.positions)).toBeLessThan(1e-12);
      expect(far(fast.normals, plain.normals)).toBeLessThan(1e-10);
    }
  });
  it('an open, creased, pinned cage too, and all of it moved at once', () => {
    for (const seed of [1, 3, 5, 9]) {
      for (const c of [boxCage(seed), fanCage(5, seed, { open: true, sharp: 1.5 })]) {
        smoothMesh(c, 2);
        const moved = withPoints(
          c,
          c.points.map((x, i) => (i === 4 ? x + 1 : x)),
        );
        expect(far(smoothMesh(moved, 2).positions, smoothMesh({ ...moved, shape: { ...moved.shape } }, 2).positions)).toBeLessThan(1e-12);
        const all = withPoints(
          c,
          c.points.map((x) => 2 * x),
        );
        expect(far(smoothMesh(all, 2).positions, smoothMesh({ ...all, shape: { ...all.shape } }, 2).positions)).toBeLessThan(1e-12);
      }
    }
  });
  it('as many steps as the chord asks: chords of a torus stay within what was asked, and not by far', () => {
    const c = torusStart({ radius: 30, tube: 9, segments: 12, across: 8, opening: 360 });
    for (const chord of [0.3, 0.05, 0.01]) {
      const level = levelFor(c, chord, 1e6);
      const [m, fine] = [smoothMesh(c, level), smoothMesh(c, level + 2)];
      let worst = 0;
      // the middle of every side against the vertex that the finer mesh has there
      for (let e = 0; e < m.shape.edges; e++) {
        const h = m.shape.edgeHalf[e];
        const [a, b] = [m.shape.corners[h], m.shape.corners[m.shape.next[h]]];
        const mid = m.shape.vertices + e;
        worst = Math.max(
          worst,
          Math.hypot(...[0, 1, 2].map((k) => (m.positions[3 * a + k] + m.positions[3 * b + k]) / 2 - fine.positions[3 * mid + k])),
        );
      }
      expect(worst).toBeLessThan(chord);
      expect(worst).toBeGreaterThan(chord / 40);
    }
    expect(smoothMesh(c, levelFor(c, 1e-9, 10_000)).shape.faces).toBeLessThanOrEqual(10_000);
  });
});
