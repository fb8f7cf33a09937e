import { describe, expect, it } from 'vitest';
import { type Body, flipBody, meshBody, subBody, surfaceBody, transformBody } from '../brep/index.ts';
import { translation, type Vec3 } from '../math/index.ts';
import { controlPointCurve, ruledSurface } from '../nurbs/index.ts';
import { seeded } from '../testing/mutate.ts';
import { ball, block, cone, placed, ringBody } from '../testing/random-bodies.ts';
import type { MapKind } from './map-kinds.ts';
import { mapMesh } from './map-mesh.ts';
import { distanceToBody, distanceToMesh, mapField, mapValues, nodeAreas, rangeOf } from './maps.ts';

const meshed = (b: Body) => meshBody(b, { chord: 0.05 });
const place = (m: ReturnType<typeof meshed>, i: number): Vec3 => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]];
/** Largest difference between a map and what it is by its closed form, over all nodes; those without expectation are left out. */
function off(b: Body, kind: MapKind, truth: (p: Vec3) => number | undefined, more: object = {}): number {
  const m = meshed(b);
  const { values } = mapValues(b, m, { kind, ...more });
  let worst = 0;
  for (let i = 0; i < values.length; i++) {
    const t = truth(place(m, i));
    if (t === undefined) continue;
    const d = Math.abs(values[i] - t);
    worst = Math.max(worst, Number.isNaN(d) ? Infinity : d);
  }
  return worst;
}
/** A ball in a ball, its void turned inside out: a wall of the same thickness everywhere. */
function shellOf(outer: number, inner: number): Body {
  const [a, b] = [ball(outer), flipBody(ball(inner))];
  const [v, e, f] = [a.vertices.length, a.edges.length, a.faces.length];
  return {
    vertices: [...a.vertices, ...b.vertices],
    edges: [...a.edges, ...b.edges.map((x) => ({ ...x, start: x.start + v, end: x.end + v }))],
    faces: [...a.faces, ...b.faces.map((x) => ({ ...x, loops: x.loops.map((l) => l.map((u) => ({ ...u, edge: u.edge + e }))) }))],
    shells: [
      { faces: a.faces.map((_, i) => i), closed: true },
      { faces: b.faces.map((_, i) => i + f), closed: true },
    ],
    solids: [[0, 1]],
  };
}
const axial = (p: Vec3) => Math.hypot(p[0], p[1]);

describe('curvature, by closed forms', () => {
  it('a ball', () => {
    // poles have no second derivatives of their own
    const free = (p: Vec3, x: number) => (axial(p) < 1e-6 ? undefined : x);
    expect(off(ball(8), 'gaussian', (p) => free(p, 1 / 64))).toBeLessThan(1e-9);
    expect(off(ball(8), 'mean', (p) => free(p, -1 / 8))).toBeLessThan(1e-9);
    expect(off(ball(8), 'radius', (p) => free(p, 8))).toBeLessThan(1e-10);
  });
  it('a ring', () => {
    const k = (p: Vec3) => {
      const c = (axial(p) - 20) / 6;
      return { tube: -1 / 6, round: -c / axial(p) };
    };
    const b = ringBody(20, 6);
    expect(off(b, 'gaussian', (p) => k(p).tube * k(p).round)).toBeLessThan(1e-9);
    expect(off(b, 'mean', (p) => (k(p).tube + k(p).round) / 2)).toBeLessThan(1e-9);
    expect(off(b, 'smallest', (p) => Math.min(k(p).tube, k(p).round))).toBeLessThan(1e-7);
    expect(off(b, 'largest', (p) => Math.max(k(p).tube, k(p).round))).toBeLessThan(1e-7);
  });
  it('a saddle z = x y / a', () => {
    const a = 10;
    const row = (y: number) =>
      controlPointCurve(
        [
          [-8, y, (-8 * y) / a],
          [8, y, (8 * y) / a],
        ],
        1,
        false,
      );
    const s = surfaceBody(ruledSurface(row(-8), row(8)), { prefix: 's', face: () => 's' }).body;
    const w = (p: Vec3) => 1 + (p[0] ** 2 + p[1] ** 2) / a ** 2;
    expect(off(s, 'gaussian', (p) => -1 / a ** 2 / w(p) ** 2)).toBeLessThan(1e-12);
    const up = (p: Vec3) => Math.abs((p[0] * p[1]) / a ** 3 / w(p) ** 1.5);
    const m = meshed(s);
    const { values } = mapValues(s, m, { kind: 'mean' });
    for (let i = 0; i < values.length; i++) expect(Math.abs(Math.abs(values[i]) - up(place(m, i)))).toBeLessThan(1e-12);
  });
  it('a cone: one curvature is nothing, the other falls off from the tip', () => {
    const b = cone(12, 4, 20);
    const side = b.faces.findIndex((f) => f.name.includes('side'));
    const only = subBody(b, [side]);
    const slope = Math.hypot(8, 20) / 20;
    const m = meshed(only);
    const { values } = mapValues(only, m, { kind: 'radius' });
    for (let i = 0; i < values.length; i++) expect(Math.abs(values[i] - axial(place(m, i)) * slope)).toBeLessThan(1e-6);
    expect(off(only, 'gaussian', () => 0)).toBeLessThan(1e-9);
  });
});

describe('draft', () => {
  it('a cone leans by its own angle, its lids by a right one', () => {
    const b = cone(12, 4, 20);
    const lean = (Math.atan2(8, 20) * 180) / Math.PI;
    const m = meshed(b);
    const { values, undercut } = mapValues(b, m, { kind: 'draft', direction: [0, 0, 3] });
    const side = b.faces.findIndex((f) => f.name.includes('side'));
    const nodes = new Set(m.indices.subarray(m.faceRanges[2 * side], m.faceRanges[2 * side] + m.faceRanges[2 * side + 1]));
    for (const i of nodes) expect(values[i]).toBeCloseTo(lean, 8);
    expect(Math.max(...values)).toBeCloseTo(90, 8);
    expect(undercut?.some((x) => x)).toBe(false);
  });
  it('the inner half of a ring that lies on its side is an undercut, its outside is not', () => {
    const b = ringBody(20, 6);
    const m = meshed(b);
    const { undercut } = mapValues(b, m, { kind: 'draft', direction: [1, 0, 0] });
    for (let i = 0; i < m.positions.length / 3; i++) {
      const p = place(m, i);
      if (Math.abs(p[2]) > 5.9 || Math.abs(p[1]) > 13.9 || Math.abs(p[0]) < 1) continue;
      // pulled along x: on the inner side of the ring its other half stands in the way
      const inner = axial(p) < 19.9;
      if (inner || axial(p) > 20.1) expect([p, undercut?.[i]]).toEqual([p, inner ? 1 : 0]);
    }
  });
});

describe('walls', () => {
  it('between two balls about one middle the wall is the same, by rays and by balls, from both sides', () => {
    const b = shellOf(10, 7.5);
    expect(off(b, 'ray', () => 2.5)).toBeLessThan(1e-6);
    expect(off(b, 'ball', () => 2.5)).toBeLessThan(1e-6);
  });
  it('a block: rays go through, balls are held by the nearest sides too', () => {
    const b = block(10, 6, 4);
    const m = meshBody(b, { chord: 0.05, longest: 3 });
    const rays = mapValues(b, m, { kind: 'ray' }).values;
    const balls = mapValues(b, m, { kind: 'ball' }).values;
    let seen = 0;
    for (let i = 0; i < rays.length; i++) {
      const p = place(m, i).map(Math.abs);
      const n = [0, 1, 2].findIndex((k) => Math.abs(m.normals[3 * i + k]) > 0.5);
      const half = [10, 6, 4];
      expect(rays[i]).toBeCloseTo(2 * half[n], 6);
      // inside the face the ball touches the opposite side or the nearest neighbour, whichever is first
      const room = Math.min(half[n], ...[0, 1, 2].filter((k) => k !== n).map((k) => half[k] - p[k]));
      if (room < 0.05) continue;
      seen++;
      expect(Math.abs(balls[i] - 2 * room)).toBeLessThan(1e-6);
    }
    expect(seen).toBeGreaterThan(40);
  });
  it('an open skin has no wall', () => {
    const b = subBody(block(3, 3, 3), [0]);
    const m = meshed(b);
    expect(mapValues(b, m, { kind: 'ray' }).values.every(Number.isNaN)).toBe(true);
  });
});

describe('distances', () => {
  it('between a ball and one about the same middle; a block and places beside its sides, edges and corners', () => {
    expect(off(ball(8), 'distance', () => -2, { to: { body: ball(10) } })).toBeLessThan(1e-6);
    expect(off(ball(10), 'distance', () => 2, { to: { body: ball(8) } })).toBeLessThan(1e-6);
    const away = distanceToBody(block(3, 4, 5));
    const r = seeded(3);
    for (let k = 0; k < 300; k++) {
      const p: Vec3 = [12 * (r() - 0.5), 14 * (r() - 0.5), 16 * (r() - 0.5)];
      const q = [Math.abs(p[0]) - 3, Math.abs(p[1]) - 4, Math.abs(p[2]) - 5];
      const truth = Math.hypot(...q.map((x) => Math.max(0, x))) + Math.min(0, Math.max(...q));
      expect(Math.abs(away(p) - truth)).toBeLessThan(1e-6);
    }
  });
  it('a ring and places round it, turned and moved', () => {
    const b = placed(ringBody(20, 6), seeded(8), 30);
    const flat = distanceToBody(ringBody(20, 6));
    const moved = distanceToBody(transformBody(ringBody(20, 6), translation([3, -2, 7])));
    const r = seeded(5);
    for (let k = 0; k < 200; k++) {
      const p: Vec3 = [60 * (r() - 0.5), 60 * (r() - 0.5), 20 * (r() - 0.5)];
      const truth = Math.hypot(axial(p) - 20, p[2]) - 6;
      expect(Math.abs(flat(p) - truth)).toBeLessThan(1e-6);
      expect(Math.abs(moved([p[0] + 3, p[1] - 2, p[2] + 7]) - truth)).toBeLessThan(1e-6);
    }
    expect(Number.isFinite(distanceToBody(b)([0, 0, 0]))).toBe(true);
  });
  it('to a mesh: the mesh of a block is the block', () => {
    const m = meshed(block(3, 4, 5));
    const place = new Map<number, number>();
    const positions: number[] = [];
    const node = Uint32Array.from(m.shared, (id, i) => {
      if (!place.has(id)) {
        place.set(id, positions.length / 3);
        positions.push(m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]);
      }
      return place.get(id) as number;
    });
    const away = distanceToMesh({ positions: Float64Array.from(positions), indices: m.indices.map((i) => node[i]) });
    const r = seeded(4);
    for (let k = 0; k < 300; k++) {
      const p: Vec3 = [12 * (r() - 0.5), 14 * (r() - 0.5), 16 * (r() - 0.5)];
      const q = [Math.abs(p[0]) - 3, Math.abs(p[1]) - 4, Math.abs(p[2]) - 5];
      const truth = Math.hypot(...q.map((x) => Math.max(0, x))) + Math.min(0, Math.max(...q));
      expect(Math.abs(away(p) - truth)).toBeLessThan(1e-12);
    }
  });
});

it('ranges leave out what is not there', () => {
  const values = [5, Number.NaN, 1, 3, 2, 100, 4];
  expect(rangeOf(values)).toEqual({ low: 1, high: 100, least: 2, most: 5 });
  expect(rangeOf(values, 0.4)).toMatchObject({ low: 2, high: 5 });
  expect(rangeOf([Number.NaN])).toBeUndefined();
  const m = meshed(ball(5));
  expect(nodeAreas(m).reduce((s, x) => s + x, 0)).toBeCloseTo(4 * Math.PI * 25, -1);
});

describe('between the nodes', () => {
  /** Worst difference between interpolated and exact values at random places of the triangles, as a share of the range. */
  async function offBetween(b: Body, kind: MapKind, truth: (p: Vec3) => number, more: object = {}): Promise<number> {
    const m = await mapMesh(b, meshBody(b, { chord: 0.03, normal: 1e-3 }), mapField(b, { kind, ...more }));
    const range = rangeOf(m.values, 0.01) as { low: number; high: number };
    const random = seeded(7);
    let worst = 0;
    for (let k = 0; k < 4000; k++) {
      const t = 3 * Math.floor(random() * (m.indices.length / 3));
      let [x, y] = [random(), random()];
      if (x + y > 1) [x, y] = [1 - x, 1 - y];
      const w = [1 - x - y, x, y];
      const c = [0, 1, 2].map((i) => m.indices[t + i]);
      const p = [0, 1, 2].map((d) => c.reduce((s, i, j) => s + w[j] * m.positions[3 * i + d], 0)) as unknown as Vec3;
      const shown = c.reduce((s, i, j) => s + w[j] * m.values[i], 0);
      worst = Math.max(worst, Math.abs(shown - truth(p)) / (range.high - range.low));
    }
    return worst;
  }
  it('maps of a ring keep to half a percent of their range at every place, its inner side too', async () => {
    const b = ringBody(20, 6);
    const round = (p: Vec3) => (axial(p) - 20) / 6 / axial(p);
    expect(await offBetween(b, 'gaussian', (p) => round(p) / 6)).toBeLessThan(0.005);
    expect(await offBetween(b, 'mean', (p) => -(1 / 6 + round(p)) / 2)).toBeLessThan(0.005);
    const c = (p: Vec3) => Math.hypot(axial(p) - 20, p[2]);
    expect(await offBetween(b, 'draft', (p) => (Math.asin(p[2] / c(p)) * 180) / Math.PI)).toBeLessThan(0.005);
  });
  it('what is the same everywhere needs no more nodes than a constant', async () => {
    const b = ball(20);
    const mesh = meshed(b);
    const constant = await mapMesh(b, mesh, { value: () => 1 });
    for (const kind of ['radius', 'mean', 'gaussian', 'largest'] as const) {
      const m = await mapMesh(b, mesh, mapField(b, { kind }));
      expect(m.values.length).toBe(constant.values.length);
      expect(m.settled).toBe(true);
    }
  });
  it('distances from a block to a ball', async () => {
    const b = block(5, 4, 3);
    const far = transformBody(ball(12), translation([1, 2, 30]));
    expect(await offBetween(b, 'distance', (p) => Math.hypot(p[0] - 1, p[1] - 2, p[2] - 30) - 12, { to: { body: far } })).toBeLessThan(
      0.005,
    );
  });
});
