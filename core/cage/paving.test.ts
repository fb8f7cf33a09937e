import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { boxCage, done } from '../testing/cages.ts';
import {
  areaVector,
  ballStart,
  bordersOf,
  boxStart,
  type Cage,
  crease,
  distancesOnto,
  edgeName,
  extrudeFaces,
  FULL,
  facesAsTriangles,
  fitOnto,
  gridStart,
  halfOf,
  isBorderVertex,
  joined,
  mirrored,
  moved,
  named,
  originalOf,
  partsOf,
  paveRun,
  pointOf,
  quadsOf,
  replay,
  rowsBetween,
  rowsCage,
  seamOf,
  transformCage,
  vertexLimit,
} from './index.ts';

const UP: Vec3 = [0, 0, 1];
const run = (op: string, points: Vec3[], o: Partial<{ width: number; end: number; closed: boolean }> = {}) =>
  done(paveRun(op, points, UP, { width: 4, end: 4, closed: false, ...o }));
const counts = (c: Cage) => [c.shape.vertices, c.shape.faces, bordersOf(c.shape).length, partsOf(c.shape).length];
const area = (c: Cage) => Array.from({ length: c.shape.faces }, (_, f) => areaVector(c, f)[2]).reduce((a, b) => a + b, 0);

describe('runs of quads', () => {
  it('a straight run has its width, looks up, and is told by its place; it may narrow', () => {
    const c = run('p', [
      [0, 0, 0],
      [10, 0, 0],
      [20, 0, 0],
    ]);
    expect(counts(c)).toEqual([6, 2, 1, 1]);
    expect(area(c)).toBeCloseTo(80, 12);
    expect(c.faceNames).toEqual(['p f 0 0', 'p f 0 1/2']);
    expect(
      area(
        run(
          'p',
          [
            [0, 0, 0],
            [10, 0, 0],
            [20, 0, 0],
          ],
          { end: 2 },
        ),
      ),
    ).toBeCloseTo(60, 12);
  });
  it('a turn is mitred: both sides keep their distance; a closed one is a ring', () => {
    const c = run(
      'p',
      [
        [0, 0, 0],
        [20, 0, 0],
        [20, 20, 0],
        [0, 20, 0],
      ],
      { closed: true },
    );
    expect(counts(c)).toEqual([8, 4, 2, 1]);
    expect(area(c)).toBeCloseTo(24 * 24 - 16 * 16, 9);
    const bad = paveRun(
      'p',
      [
        [0, 0, 0],
        [1, 0, 0],
      ],
      UP,
      { width: 1, end: 1, closed: true },
    );
    expect(!bad.ok && bad.message).toMatch(/three points/);
  });
  it('a branch takes hold of the border it comes to, whichever way that looks; too far off it stands beside', () => {
    const first = run('a', [
      [0, 0, 0],
      [10, 0, 0],
      [20, 0, 0],
      [30, 0, 0],
    ]);
    // from the middle quad's upper side on
    const second = run(
      'b',
      [
        [15, 2, 0],
        [15, 12, 0],
      ],
      { width: 10, end: 10 },
    );
    const both = joined(first, second, 0.5);
    expect(both.ok && both.met).toBe(2);
    expect(counts(done(both))).toEqual([10, 4, 1, 1]);
    expect(area(done(both))).toBeCloseTo(120 + 100, 9);
    const down = transformCage(second, {
      m: [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, -1],
      ],
      t: [0, 0, 0],
    });
    expect(counts(done(joined(first, down, 0.5)))).toEqual([10, 4, 1, 1]);
    const apart = joined(
      first,
      run('c', [
        [15, 9, 0],
        [15, 19, 0],
      ]),
      0.5,
    );
    expect(apart.ok && [apart.met, ...counts(apart.cage)]).toEqual([0, 12, 4, 2, 2]);
    expect(new Set(done(apart).vertexNames).size).toBe(12);
    // the same run once more: names stay unique
    expect(
      new Set(
        done(
          joined(
            first,
            run('a', [
              [0, 30, 0],
              [10, 30, 0],
            ]),
            0.1,
          ),
        ).vertexNames,
      ).size,
    ).toBe(12);
  });
  it('rows between lines stand evenly, and on what they are laid onto', () => {
    const line = (y: number): Vec3[] => [0, 1, 2, 3].map((x) => [10 * x, y, 0]);
    const c = done(rowsBetween('r', [line(0), line(12)], { between: 2, closedAlong: false, closedAcross: false }));
    expect(counts(c)).toEqual([16, 9, 1, 1]);
    expect(pointOf(c.points, named(c).vertices.get('r v 1/3 1/3') as number)).toEqual([10, 4, 0]);
    const hill = done(
      rowsBetween('r', [line(0), line(12)], { between: 2, closedAlong: false, closedAcross: false }, (p) => [
        p[0],
        p[1],
        p[1] * (12 - p[1]),
      ]),
    );
    expect(pointOf(hill.points, named(hill).vertices.get('r v 1/3 1/3') as number)).toEqual([10, 4, 32]);
    const bad = rowsCage('r', [line(0), line(1).slice(1)], { closedAlong: false, closedAcross: false });
    expect(!bad.ok && bad.message).toMatch(/different numbers/);
  });
});

describe('onto a target', () => {
  const ball = (r: number) => (p: Vec3) => {
    const l = Math.hypot(...p) || 1;
    return { point: p.map((x) => (x * r) / l) as unknown as Vec3, distance: Math.abs(l - r) };
  };
  it('a coarse ball comes to lie on a larger one, nearer with more faces; the distance told is that of other places too', () => {
    const fit = (segments: number) =>
      fitOnto(ballStart({ radius: 10, segments, opening: 360 }), ball(18), { within: 1e-4, rounds: 60, even: 0.15, holdBorders: false });
    const [few, more] = [fit(2), fit(4)];
    expect(few.most).toBeLessThan(0.06);
    expect(more.most).toBeLessThan(few.most / 4);
    expect(distancesOnto(few.cage, ball(18), 4).most).toBeLessThan(1.25 * few.most + 1e-3);
  });
  it('held vertices and borders stay; a flat target takes a bumpy grid exactly', () => {
    const grid = gridStart({ width: 10, depth: 10, across: 5, along: 5 });
    const bumpy = done(moved(grid, (v, p) => (isBorderVertex(grid.shape, v) ? undefined : [p[0], p[1], Math.sin(7 * v)])));
    const r = fitOnto(bumpy, (p) => ({ point: [p[0], p[1], 0], distance: Math.abs(p[2]) }), {
      within: 1e-6,
      rounds: 100,
      even: 0,
      holdBorders: true,
    });
    expect(r.most).toBeLessThan(1e-5);
    for (let v = 0; v < grid.shape.vertices; v++)
      if (isBorderVertex(grid.shape, v)) expect(pointOf(r.cage.points, v)).toEqual(pointOf(grid.points, v));
  });
});

describe('a mirror', () => {
  const plane = { origin: [0, 0, 0] as Vec3, z: [1, 0, 0] as Vec3 };
  const box = boxStart({ width: 8, depth: 6, height: 5, across: 4, along: 3, up: 2, taper: 1 });
  it('a half and its image are the whole again, the seam exactly in the plane, the limit the same', () => {
    const half = done(halfOf(box, plane, 1e-9));
    expect(half.shape.faces).toBe(box.shape.faces / 2);
    const seam = seamOf(half, plane, 1e-9);
    expect(seam.length).toBe(10);
    const whole = done(mirrored(half, plane, 1e-9, new Set(seam)));
    expect([whole.shape.vertices, whole.shape.faces, bordersOf(whole.shape).length]).toEqual([box.shape.vertices, box.shape.faces, 0]);
    for (let v = 0; v < half.shape.vertices; v++) {
      const p = vertexLimit(whole, v).point;
      const q = vertexLimit(box, named(box).vertices.get(half.vertexNames[v]) as number).point;
      expect(Math.hypot(...p.map((x, k) => x - q[k]))).toBeLessThan(1e-12);
    }
    expect(whole.image).toBe('*');
    for (const n of whole.vertexNames.filter((x) => x.endsWith('*'))) {
      const [p, q] = [n, originalOf(whole, n)].map((x) => pointOf(whole.points, named(whole).vertices.get(x) as number));
      expect([p[0] + q[0], p[1] - q[1], p[2] - q[2]].map(Math.abs).every((x) => x < 1e-12)).toBe(true);
    }
  });
  it('what is done on one side is done on both; what is pulled off the seam comes back to it; a mirror through faces is refused', () => {
    const half = done(halfOf(box, plane, 1e-9));
    const seam = new Set(seamOf(half, plane, 1e-9));
    const face = half.faceNames.find((n) => n.startsWith('f z1')) as string;
    const { cage } = replay(half, [
      { id: 'k1', op: 'extrude-faces', faces: [face], by: 2 },
      { id: 'k2', op: 'move', vertices: [[...seam][0]], by: [0.7, 0, 0.4] },
    ]);
    const whole = mirrored(cage, plane, 1e-9, seam);
    const c = done(whole);
    expect(c.shape.faces).toBe(2 * cage.shape.faces);
    expect(c.points[3 * (named(c).vertices.get([...seam][0]) as number)]).toBe(0);
    expect(whole.ok && whole.beyond).toEqual([]);
    const past = mirrored(
      done(moved(cage, (v, p) => (cage.vertexNames[v].startsWith('k1') ? [p[0] - 9, p[1], p[2]] : undefined))),
      plane,
      1e-9,
      seam,
    );
    expect(past.ok && (past.beyond?.length ?? 0)).toBeGreaterThan(0);
    const no = halfOf(box, { origin: [1, 0, 0], z: [1, 0, 0] }, 1e-6);
    expect(!no.ok && no.message).toMatch(/Insert a loop/);
  });
  it('mirrored in one plane and then in another, every name is there once, and the image of an image finds its way back', () => {
    const sides = [plane, { origin: [0, 0, 0] as Vec3, z: [0, 1, 0] as Vec3 }];
    const even = boxStart({ width: 8, depth: 6, height: 5, across: 4, along: 4, up: 2, taper: 1 });
    let c: Cage = even;
    for (const [i, side] of sides.entries()) {
      const half = done(halfOf(c, side, 1e-9));
      c = done(mirrored(half, side, 1e-9, new Set(seamOf(half, side, 1e-9))));
      expect([c.shape.faces, c.image]).toEqual([even.shape.faces, i ? '**' : '*']);
      expect([new Set(c.vertexNames).size, new Set(c.faceNames).size]).toEqual([c.shape.vertices, c.shape.faces]);
      const own = new Set(half.faceNames);
      expect(new Set(c.faceNames.map((n) => originalOf(c, n)))).toEqual(own);
      expect(half.faceNames.every((n) => originalOf(c, n) === n)).toBe(true);
    }
  });
  it('the same shape while only places move, so that drags stay quick', () => {
    const half = done(halfOf(box, plane, 1e-9));
    const seam = new Set(seamOf(half, plane, 1e-9));
    const [a, b] = [1, 2].map((by) =>
      done(mirrored(done(moved(half, (_, p) => [p[0] + (p[0] > 0.1 ? by : 0), p[1], p[2]])), plane, 1e-9, seam)),
    );
    expect(b.shape).toBe(a.shape);
  });
  it('turned by a mirroring map, its outside stays outside', () => {
    const c = done(crease(boxCage(4), [0, 1], FULL));
    const t = transformCage(c, {
      m: [
        [-1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ],
      t: [3, 0, 0],
    });
    const volume = (k: Cage) =>
      Array.from(
        { length: k.shape.faces },
        (_, f) => areaVector(k, f)[0] * pointOf(k.points, k.shape.corners[k.shape.faceStart[f]])[0],
      ).reduce((s, x) => s + x, 0);
    expect(Math.sign(volume(t))).toBe(Math.sign(volume(c)));
    const sharp = (k: Cage) =>
      Array.from({ length: k.shape.edges }, (_, e) => e)
        .filter((e) => k.sharpness[e] > 0)
        .map((e) => edgeName(k, e))
        .sort();
    expect(sharp(t)).toEqual(sharp(c));
  });
});

describe('meshes', () => {
  it('a cage cut into triangles comes back as its quads', () => {
    const c = done(extrudeFaces(boxStart({ width: 8, depth: 6, height: 5, across: 3, along: 3, up: 2, taper: 1 }), 'k1', [20], 2));
    const t = facesAsTriangles(c);
    expect(t.indices.length / 3).toBe(2 * c.shape.faces);
    const back = done(quadsOf(t, 30));
    expect([back.shape.vertices, back.shape.faces]).toEqual([c.shape.vertices, c.shape.faces]);
    const bad = quadsOf({ positions: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, -1], indices: [0, 1, 2, 0, 1, 3, 0, 1, 4] }, 10);
    expect(!bad.ok && bad.message).toMatch(/no whole cage/);
  });
});
