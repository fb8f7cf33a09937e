import { describe, expect, it } from 'vitest';
import { type Body, edgePoint, isWatertight, massProperties, transformBody } from '../brep/index.ts';
import { compose, distance, rotation, translation, type Vec3 } from '../math/index.ts';
import { circleCurve, lineCurve, surfacePoint } from '../nurbs/index.ts';
import {
  anyDirection,
  asSkin,
  asSolid,
  ball,
  between,
  block,
  cone,
  flatSheet,
  loftSolid,
  placed,
  prism,
  ringBody,
  wavySheet,
} from '../testing/random-bodies.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { boxesMeet, cellsOf, footNear, meetingCells } from './cells.ts';
import { edgeFoot } from './edge-foot.ts';
import { hollow } from './hollow.ts';
import { inBody, placeInFace } from './inside-body.ts';
import { meetSurfaces } from './meeting.ts';
import { pierceSurface } from './pierce.ts';
import { PointHash } from './point-hash.ts';
import { trackOf } from './track.ts';
import { measureWalls } from './wall-truth.ts';

const surfaceOf = (b: Body) => b.faces[0].surface;

describe('cells of a surface', () => {
  it('hold the surface: every place lies in the box of its cell, and its foot comes back', () => {
    const r = randomFrom(11);
    for (const b of [ball(12), ringBody(20, 6), wavySheet(r, 30, 4)]) {
      const t = cellsOf(surfaceOf(b));
      const [u0, u1, v0, v1] = t.domain;
      for (let k = 0; k < 200; k++) {
        const p = surfacePoint(t.surface, between(r, u0, u1), between(r, v0, v1));
        expect(boxesMeet(t.root.box, Float64Array.of(...p, ...p))).toBe(true);
        const foot = footNear(t, p);
        expect(foot?.[2]).toBeLessThan(1e-9);
      }
    }
    expect(footNear(cellsOf(surfaceOf(ball(12))), [0, 0, 0])).toBeUndefined();
  });
  it('a ball has two poles, a ring none; sheets five millimetres beside each other have no pair of cells in common', () => {
    expect(cellsOf(surfaceOf(ball(5))).pole.filter(Boolean).length).toBe(2);
    expect(cellsOf(surfaceOf(ringBody(9, 2))).pole.some(Boolean)).toBe(false);
    const sheet = wavySheet(randomFrom(5), 30, 3);
    const beside = transformBody(sheet, translation([0, 0, 5]));
    expect(meetingCells(cellsOf(surfaceOf(sheet)), cellsOf(surfaceOf(beside))).length).toBe(0);
  });
});

describe('where surfaces meet', () => {
  it('planes at random cut a ball in circles of the right radius, closed or ended on its seam', () => {
    for (let seed = 0; seed < 30; seed++) {
      const r = randomFrom(40 + seed);
      const h = between(r, -18, 18);
      const n = anyDirection(r);
      const s = ball(20);
      const plane = flatSheet([h * n[0], h * n[1], h * n[2]], n);
      const m = meetSurfaces(surfaceOf(s), surfaceOf(plane));
      expect(m.lost.length).toBe(0);
      let length = 0;
      for (const b of m.branches) {
        const t = trackOf(b, surfaceOf(s), surfaceOf(plane));
        length += t.total;
        for (let k = 0; k <= 20; k++) {
          const x = t.exact((t.total * k) / 20);
          expect(Math.abs(Math.hypot(x[4], x[5], x[6]) - 20)).toBeLessThan(1e-9);
          expect(Math.abs(x[4] * n[0] + x[5] * n[1] + x[6] * n[2] - h)).toBeLessThan(1e-9);
        }
      }
      expect(Math.abs(length / (2 * Math.PI * Math.sqrt(400 - h * h)) - 1)).toBeLessThan(2e-4);
    }
  });
  it('equal crossing posts: four arms that end in the two places where they cross', () => {
    const post = asSkin(cone(10, 10, 60));
    const lying = transformBody(post, compose(translation([0, 30, 30]), rotation([0, 0, 0], [1, 0, 0], Math.PI / 2)));
    const side = (b: Body) => b.faces.find((f) => f.name.includes('side')) as Body['faces'][number];
    const m = meetSurfaces(side(post).surface, side(lying).surface);
    const crossings = m.touches.filter((t) => Math.abs(t.gap) < 1e-8);
    for (const t of crossings) expect(Math.abs(Math.abs(t.spot[4]) - 10)).toBeLessThan(1e-6);
    expect(m.branches.flatMap((b) => b.ends).filter((e) => e === 'lost' || e === 'touch')).toEqual([]);
    // each ellipse has semi-axes 10 and 14.142: both together, by Ramanujan's formula
    const total = m.branches.reduce((s, b) => s + trackOf(b, side(post).surface, side(lying).surface).total, 0);
    const [a, b] = [10 * Math.SQRT2, 10];
    const h = ((a - b) / (a + b)) ** 2;
    expect(total / (2 * Math.PI * (a + b) * (1 + (3 * h) / (10 + Math.sqrt(4 - 3 * h))))).toBeCloseTo(1, 3);
  });
  it('a line through a ball pierces it twice, a tangent one nowhere or once, and where it should', () => {
    const tree = cellsOf(surfaceOf(ball(10)));
    const ray = (from: Vec3, to: Vec3) => ({
      curve: lineCurve(from, to),
      range: [0, distance(from, to)] as const,
      start: 0,
      end: 0,
      tolerance: 0,
      name: 'l',
    });
    const through = ray([-20, 3, 4], [20, 3, 4]);
    const c = through.curve;
    const hits = pierceSurface({ ...through, range: [c.knots[0], c.knots[c.knots.length - 1]] }, tree);
    expect(
      hits
        .map((x) => x.point[0])
        .sort((x, y) => x - y)
        .map((x) => Number(x.toFixed(8))),
    ).toEqual([-Math.sqrt(75), Math.sqrt(75)].map((x) => Number(x.toFixed(8))));
    const past = ray([-20, 0, 10.001], [20, 0, 10.001]);
    expect(pierceSurface({ ...past, range: [c.knots[0], c.knots[c.knots.length - 1]] }, tree).length).toBe(0);
  });
});

describe('small parts', () => {
  it('feet on edges are the nearest places of an arc', () => {
    const curve = circleCurve({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, 10, 0, 1.5 * Math.PI);
    const range = [curve.knots[0], curve.knots[curve.knots.length - 1]] as const;
    const e = { curve, range, start: 0, end: 1, tolerance: 0, name: 'arc' };
    const r = randomFrom(8);
    for (let k = 0; k < 200; k++) {
      const p: Vec3 = [between(r, -20, 20), between(r, -20, 20), between(r, -5, 5)];
      const angle = (Math.atan2(p[1], p[0]) + 2 * Math.PI) % (2 * Math.PI);
      const ends = Math.min(...range.map((t) => distance(edgePoint(e, t), p)));
      const want = angle <= 1.5 * Math.PI ? Math.min(ends, Math.hypot(Math.hypot(p[0], p[1]) - 10, p[2])) : ends;
      expect(Math.abs(edgeFoot(e, p).distance - want)).toBeLessThan(1e-9);
    }
  });
  it('a hash of points finds what a search through all finds', () => {
    const r = randomFrom(3);
    const points = Array.from({ length: 500 }, (): Vec3 => [between(r, 0, 5), between(r, 0, 5), between(r, 0, 5)]);
    const hash = new PointHash(0.6);
    points.forEach((p, i) => {
      hash.add(i, p);
    });
    for (const p of points.slice(0, 60))
      expect(hash.near(p, 0.5).sort((x, y) => x - y)).toEqual(points.flatMap((q, i) => (distance(p, q) <= 0.5 ? [i] : [])));
  });
  it('inside or outside a ring and a block, beside closed forms', () => {
    const r = randomFrom(21);
    const [ring, cube] = [ringBody(20, 6), block(8, 9, 10)];
    for (let k = 0; k < 60; k++) {
      const p: Vec3 = [between(r, -28, 28), between(r, -28, 28), between(r, -8, 8)];
      const far = Math.hypot(Math.hypot(p[0], p[1]) - 20, p[2]) - 6;
      if (Math.abs(far) > 0.05) expect(inBody(ring, p)).toBe(far < 0);
      expect(inBody(cube, p)).toBe(Math.abs(p[0]) < 8 && Math.abs(p[1]) < 9 && Math.abs(p[2]) < 10);
    }
    const inside = placeInFace(cube, 0);
    expect(distance(inside.point, surfacePoint(cube.faces[0].surface, ...inside.uv))).toBeLessThan(1e-12);
  });
});

describe('mass', () => {
  it('does not depend on where a part lies: at home, a metre and a hundred metres away', () => {
    const home = loftSolid(randomFrom(9), 15, 40);
    const here = massProperties(home);
    for (const by of [1e3, 1e5]) {
      const away = massProperties(transformBody(home, translation([by, -by, by / 3])));
      expect(Math.abs(away.volume / here.volume - 1)).toBeLessThan(by * 1e-14 * 40);
      expect(distance(away.centre, [here.centre[0] + by, here.centre[1] - by, here.centre[2] + by / 3])).toBeLessThan(1e-9 * by);
    }
    const cube = massProperties(transformBody(block(1, 2, 3), translation([1e5, 0, 0])));
    expect(cube.volume).toBeCloseTo(48, 6);
    expect(cube.volumeError).toBeLessThan(1e-6);
  });
  it('an open body says what its gap may mean', () => {
    const cube = block(5, 5, 5);
    const open = { ...cube, faces: cube.faces.slice(1) };
    expect(massProperties(open).volumeError).toBeGreaterThan(10);
  });
});

const WALLS = Number(process.env.WALLS ?? 10);
describe('walls', () => {
  it.each([
    ['out', -1],
    ['out', 5],
    ['both', -1],
    ['both', 5],
  ] as const)('a block turned at random, wall %s, open face %i: closed form', (side, open) => {
    const [a, b, c, w] = [24, 30, 18, 1.6];
    const solid = placed(block(a / 2, b / 2, c / 2), randomFrom(5), 10);
    const top = open < 0 ? -1 : solid.faces.findIndex((f) => f.name.endsWith('top'));
    const walls = solid.faces.map((_, k) => (k === top ? 0 : w));
    const h = hollow(solid, walls, { stepId: 'w', tolerance: 1e-3 }, side);
    if (!h.ok) throw new Error(h.message);
    const [grown, less] = side === 'out' ? [w, 0] : [w / 2, w / 2];
    // the open side keeps its level
    const lid = top < 0 ? 2 : 1;
    const box = (d: number) => (a + 2 * d) * (b + 2 * d) * (c + lid * d);
    expect(massProperties(h.body).volume).toBeCloseTo(box(grown) - box(-less), 6);
    expect(isWatertight(h.body)).toBe(true);
    const truth = measureWalls(solid, h.body, (k) => (side === 'both' ? walls[k] / 2 : walls[k]));
    expect(truth.off).toBeLessThan(1e-9);
  });
  it('walls of their own outwards; a ball both ways; an inner corner and a hollow body are refused with the place', () => {
    const solid = block(12, 15, 9);
    const walls = solid.faces.map((f) => (f.name.endsWith('top') ? 3 : f.name.endsWith('base') ? 2 : 1));
    const h = hollow(solid, walls, { stepId: 'w', tolerance: 1e-3 }, 'out');
    if (!h.ok) throw new Error(h.message);
    expect(massProperties(h.body).volume).toBeCloseTo(26 * 32 * 23 - 24 * 30 * 18, 6);
    const round = hollow(ball(15), [2], { stepId: 'w', tolerance: 1e-3 }, 'both');
    if (!round.ok) throw new Error(round.message);
    expect(massProperties(round.body).volume).toBeCloseTo((4 / 3) * Math.PI * (16 ** 3 - 14 ** 3), 0);
    expect(measureWalls(ball(15), round.body, () => 1, 500).off).toBeLessThan(1e-3);
    const corner: Vec3[] = [
      [0, 0, 0],
      [20, 0, 0],
      [20, 8, 0],
      [8, 8, 0],
      [8, 20, 0],
      [0, 20, 0],
    ];
    const bent = asSolid(prism(corner, 10));
    const no = hollow(
      bent,
      bent.faces.map(() => 1),
      { stepId: 'w', tolerance: 1e-3 },
      'out',
    );
    expect(no).toMatchObject({ ok: false, message: expect.stringContaining('inner corner') });
    expect(!no.ok && no.place?.slice(0, 2)).toEqual([8, 8]);
    expect(
      hollow(
        h.body,
        h.body.faces.map(() => 1),
        { stepId: 'w', tolerance: 1e-3 },
        'out',
      ),
    ).toMatchObject({ ok: false });
  });
  it(`${WALLS} random walls outwards and both ways: thickness at 1,000 places, or refused with a place (more: WALLS=60)`, () => {
    const refused: string[] = [];
    for (let i = 0; i < WALLS; i++) {
      const r = randomFrom(7000 + i);
      const solid = placed(
        [
          () => loftSolid(r, between(r, 12, 22), between(r, 30, 60), true),
          () => cone(between(r, 10, 20), between(r, 8, 20), 40),
          () => ball(between(r, 10, 20)),
        ][i % 3](),
        r,
        10,
      );
      const side = i % 2 ? 'out' : 'both';
      const wall = between(r, 0.4, 3);
      const open = i % 4 > 1 ? solid.faces.findIndex((f) => /top|base/.test(f.name)) : -1;
      const walls = solid.faces.map((_, k) => (k === open ? 0 : wall));
      const h = hollow(solid, walls, { stepId: 'w', tolerance: 1e-3 }, side);
      if (!h.ok) {
        refused.push(`${i} ${side}: ${h.message} at ${h.place}`);
        continue;
      }
      const truth = measureWalls(solid, h.body, (k) => (side === 'both' ? walls[k] / 2 : walls[k]), 1000);
      expect(truth.places, `wall ${i}`).toBeGreaterThan(500);
      expect(truth.off, `wall ${i}`).toBeLessThan(1e-3);
      expect(isWatertight(h.body), `wall ${i}`).toBe(true);
    }
    expect(refused.length, refused.join('\n')).toBeLessThanOrEqual(Math.ceil(0.1 * WALLS));
    if (refused.length) console.log(refused.join('\n'));
  });
  it(`${WALLS} random walls: thickness at 1,000 places within the tolerance, or refused with a place (more: WALLS=60)`, () => {
    let built = 0;
    for (let i = 0; i < WALLS; i++) {
      const r = randomFrom(7000 + i);
      const solid = placed(
        [
          // every fourth has a crease along its seam: those must be refused
          () => loftSolid(r, between(r, 12, 22), between(r, 30, 60), i % 12 !== 0),
          () => cone(between(r, 10, 20), between(r, 8, 20), 40),
          () => block(12, 15, 9),
        ][i % 3](),
        r,
        10,
      );
      const wall = between(r, 0.4, 3);
      const open = i % 2 ? solid.faces.findIndex((f) => /top|base/.test(f.name)) : -1;
      const walls = solid.faces.map((_, k) => (k === open ? 0 : wall));
      const h = hollow(solid, walls, { stepId: 'w', tolerance: 1e-3 });
      if (!h.ok) {
        expect(h.message.length, `wall ${i}`).toBeGreaterThan(10);
        continue;
      }
      built++;
      const truth = measureWalls(solid, h.body, (k) => walls[k], 1000);
      expect(truth.places, `wall ${i}`).toBeGreaterThan(500);
      expect(truth.off, `wall ${i}`).toBeLessThan(1e-3);
      expect(isWatertight(h.body), `wall ${i}`).toBe(true);
      expect(massProperties(h.body).volume, `wall ${i}`).toBeLessThan(massProperties(solid).volume);
    }
    expect(built).toBeGreaterThan(0.7 * WALLS);
  });
});
