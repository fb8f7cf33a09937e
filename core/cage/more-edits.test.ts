import { describe, expect, it } from 'vitest';
import { boxCage, done, fanCage } from '../testing/cages.ts';
import { seeded } from '../testing/mutate.ts';
import {
  areaVector,
  bordersOf,
  boxStart,
  bridgeFaces,
  type Cage,
  cornersOf,
  crease,
  dissolveEdges,
  duplicateFaces,
  edgeBetween,
  edgeLoop,
  edgeName,
  FULL,
  fanOf,
  gridStart,
  insetFaces,
  named,
  partsOf,
  pointOf,
  refineAll,
  refinePart,
  slide,
  smoothMesh,
  splitOff,
  thicken,
  vertexLimit,
  withPoints,
} from './index.ts';

const box = () => boxStart({ width: 4, depth: 4, height: 4, across: 2, along: 2, up: 2, taper: 1 });
const grid = (n = 4) => gridStart({ width: n, depth: n, across: n, along: n });
const counts = (c: Cage) => [c.shape.vertices, c.shape.edges, c.shape.faces, bordersOf(c.shape).length];
const vertex = (c: Cage, name: string) => {
  const v = named(c).vertices.get(name);
  if (v === undefined) throw new Error(`no ${name}`);
  return v;
};
const edgeOf = (c: Cage, a: string, b: string) => edgeBetween(c.shape, vertex(c, a), vertex(c, b));
const face = (c: Cage, name: string) => named(c).faces.get(name) as number;
/** Signed volume inside a closed cage of any faces. */
const volume = (c: Cage): number => {
  let six = 0;
  for (let f = 0; f < c.shape.faces; f++) {
    const own = [...c.shape.corners.subarray(c.shape.faceStart[f], c.shape.faceStart[f + 1])].map((v) => pointOf(c.points, v));
    for (let i = 1; i + 1 < own.length; i++) {
      const [p, q, r] = [own[0], own[i], own[i + 1]];
      six += p[0] * (q[1] * r[2] - q[2] * r[1]) + p[1] * (q[2] * r[0] - q[0] * r[2]) + p[2] * (q[0] * r[1] - q[1] * r[0]);
    }
  }
  return six / 6;
};

describe('rings inside, parts, copies, walls', () => {
  it('a ring inside a face: the face keeps its name and draws together towards its middle', () => {
    const c = box();
    const name = 'f z1 1/2 1/2 of 2 2';
    const r = done(insetFaces(c, 'k1', [face(c, name)], 0.25));
    expect(counts(r)).toEqual([30, 56, 28, 0]);
    const own = face(r, name);
    expect(areaVector(r, own).map((x) => Number(x.toFixed(12)))).toEqual([0, 0, 4 * 0.75 ** 2]);
    // round a pole: its faces stay where they meet, their far corners come nearer
    const v = vertex(c, 'v 1 1 1');
    const faces = fanOf(c.shape, v).map((h) => c.shape.face[h]);
    const p = done(insetFaces(c, 'k1', faces, 0.3));
    expect(fanOf(p.shape, vertex(p, 'v 1 1 1')).length).toBe(3);
    expect(pointOf(p.points, vertex(p, 'v 1 1 1'))).toEqual([2, 2, 4]);
    expect(p.shape.faces).toBe(24 + 6);
    const no = insetFaces(c, 'k1', faces, 1.2);
    expect(!no.ok && no.message).toMatch(/between 0 and 1/);
  });
  it('split off: two parts with borders of their own in the same places; sharp edges stay sharp on both', () => {
    const c = done(crease(grid(), [0, 1, 2, 3, 4, 5], FULL));
    const faces = [0, 1, 4, 5];
    const r = done(splitOff(c, 'k1', faces));
    expect([partsOf(r.shape).length, r.shape.faces, r.shape.vertices]).toEqual([2, 16, 25 + 5]);
    expect([...r.sharpness].filter((x) => x === FULL).length).toBeGreaterThanOrEqual(6);
    const again = splitOff(r, 'k2', faces);
    expect(!again.ok && again.message).toMatch(/already/);
    const all = splitOff(
      c,
      'k1',
      Array.from({ length: 16 }, (_, f) => f),
    );
    expect(!all.ok && all.message).toMatch(/all the faces/);
  });
  it('a copy beside: as many faces more, moved, looking the same way', () => {
    const c = box();
    const r = done(duplicateFaces(c, 'k1', [face(c, 'f z1 0 0 of 2 2'), face(c, 'f z1 1/2 0 of 2 2')], [0, 0, 5]));
    expect([partsOf(r.shape).length, r.shape.faces, r.shape.vertices]).toEqual([2, 26, 26 + 6]);
    expect(areaVector(r, face(r, 'k1(f z1 0 0 of 2 2)'))[2]).toBeCloseTo(4, 12);
    expect(pointOf(r.points, vertex(r, 'k1(v 0 0 1)'))).toEqual([-2, -2, 9]);
  });
  it('a wall, behind or in front: closed, looking outwards, with the volume it must have', () => {
    for (const by of [-0.5, 0.5]) {
      const r = done(thicken(grid(), 'k1', by));
      expect(counts(r)).toEqual([50, 96, 48, 0]);
      expect(volume(r)).toBeCloseTo(16 * 0.5, 12);
      expect(pointOf(r.points, vertex(r, 'k1(v 0 0)'))[2]).toBeCloseTo(by, 12);
    }
    const closed = thicken(box(), 'k1', 1);
    expect(!closed.ok && closed.message).toMatch(/open border/);
  });
  it('a way through two faces: no border, one hole, straight walls wherever the sides begin; turned, or with other corners, it still closes', () => {
    const c = boxStart({ width: 9, depth: 9, height: 6, across: 3, along: 3, up: 2, taper: 1 });
    const [top, foot] = ['f z1 1/3 1/3 of 3 3', 'f z0 1/3 1/3 of 3 3'].map((n) => face(c, n));
    // edges of the walls, from one face of the box to the other, that stand upright
    const upright = (m: Cage) =>
      Array.from({ length: m.shape.edges }, (_, e) => {
        const h = m.shape.edgeHalf[e];
        const [p, q] = [h, m.shape.next[h]].map((x) => pointOf(m.points, m.shape.corners[x]));
        return Math.abs(p[2] - q[2]) > 5 && Math.hypot(p[0] - q[0], p[1] - q[1]) < 1e-9 ? 1 : 0;
      }).reduce((x: number, y) => x + y, 0);
    for (const [a, b] of [
      [top, foot],
      [foot, top],
    ]) {
      const r = done(bridgeFaces(c, 'k1', a, b));
      expect(bordersOf(r.shape).length).toBe(0);
      expect(r.shape.vertices - r.shape.edges + r.shape.faces).toBe(0);
      expect(volume(r)).toBeCloseTo(9 * 9 * 6 - 3 * 3 * 6, 9);
      const turned = done(bridgeFaces(c, 'k1', a, b, 1));
      expect(counts(turned)).toEqual(counts(r));
      expect([upright(r), upright(turned)]).toEqual([4, 0]);
    }
    // two sides of one face become one: five corners against four
    const five = done(dissolveEdges(c, [edgeOf(c, 'v 1/3 1/3 1', 'v 1/3 0 1')], true));
    const many = five.faceNames.findIndex((_, f) => cornersOf(five.shape, f) > 4);
    const r = done(bridgeFaces(five, 'k1', many, face(five, 'f z0 1/3 1/3 of 3 3')));
    expect([bordersOf(r.shape).length, r.shape.vertices - r.shape.edges + r.shape.faces]).toEqual([0, 0]);
    const near = bridgeFaces(c, 'k1', top, face(c, 'f z1 0 1/3 of 3 3'));
    expect(!near.ok && near.message).toMatch(/share a corner/);
  });
  it('a loop slides to its left and to its right by a share of the edges it crosses', () => {
    const c = grid();
    const e = Array.from({ length: c.shape.edges }, (_, i) => i).find((i) => edgeName(c, i) === 'v 1/2 1/2~v 1/2 1/4') as number;
    const loop = edgeLoop(c.shape, e).halves.map((h) => c.shape.edgeOf[h]);
    expect(loop.length).toBe(4);
    const xs = (k: Cage) => ['0', '1/4', '1/2', '3/4', '1'].map((t) => Number(pointOf(k.points, vertex(k, `v 1/2 ${t}`))[0].toFixed(12)));
    const [left, right] = [done(slide(c, loop, 0.25)), done(slide(c, loop, -0.25))];
    const side = Math.sign(xs(left)[0]);
    expect(xs(left)).toEqual(Array(5).fill(0.25 * side));
    expect(xs(right)).toEqual(Array(5).fill(-0.25 * side));
    // round a can, closed, all the way the same
    const no = slide(c, [loop[0], loop[3]], 0.2);
    expect(!no.ok && no.message).toMatch(/in a row/);
  });
  it('refined everywhere: the limits of its vertices stay within 1e-12, whatever its faces, creases and borders; names are whole and its own again', () => {
    const r = seeded(8);
    const cages = [
      box(),
      boxCage(1),
      boxCage(3),
      boxCage(6),
      fanCage(5, 2),
      fanCage(6, 4, { sharp: 1.5 }),
      fanCage(3, 1, { open: true, sharp: FULL }),
    ];
    for (const start of cages) {
      const c = withPoints(
        start,
        start.points.map((x) => x + 0.3 * (r() - 0.5)),
      );
      const fine = done(refineAll(c, 'k1', 1e6));
      expect(fine.shape.faces).toBe(c.shape.corners.length);
      expect(new Set(fine.vertexNames).size).toBe(fine.shape.vertices);
      expect(new Set(fine.faceNames).size).toBe(fine.shape.faces);
      for (let v = 0; v < c.shape.vertices; v++) {
        const [p, q] = [vertexLimit(c, v), vertexLimit(fine, vertex(fine, c.vertexNames[v]))];
        expect(Math.hypot(...p.point.map((x, k) => x - q.point[k]))).toBeLessThan(1e-12);
      }
      const twice = done(refineAll(fine, 'k2', 1e6));
      expect([...twice.shape.corners].every((v) => v < twice.shape.vertices)).toBe(true);
      expect(Array.from({ length: fine.shape.faces }, (_, f) => cornersOf(fine.shape, f)).every((n) => n === 4)).toBe(true);
    }
    const no = refineAll(box(), 'k1', 50);
    expect(!no.ok && no.message).toMatch(/at most 50/);
  });
  it('refined in part: the smooth surface stays within what is told, measured by other places; a flat one stays exactly', () => {
    const r = seeded(3);
    const flat = done(refinePart(grid(), 'k1', [5, 6], 1e6));
    expect(flat.shape.faces).toBe(16 + 2 * 3);
    expect([...flat.points].every((x, i) => i % 3 !== 2 || Math.abs(x) < 1e-12)).toBe(true);
    const hill = withPoints(
      grid(6),
      grid(6).points.map((x, i, all) => (i % 3 === 2 ? 1.5 * Math.exp(-(all[i - 2] ** 2 + all[i - 1] ** 2) / 6) + 0.02 * r() : x)),
    );
    const part = refinePart(hill, 'k1', [14, 15, 20, 21], 1e6);
    if (!part.ok) throw new Error(part.message);
    const off = part.off ?? Infinity;
    expect(off).toBeLessThan(0.02);
    expect(off).toBeGreaterThan(0);
    // places of the new surface against the old one refined further than what it was measured by
    // heights over the nearest place of the old one, along its tangent plane
    const [a, b] = [smoothMesh(part.cage, 4), smoothMesh(hill, 5)];
    let worst = 0;
    for (let v = 0; v < a.shape.vertices; v += 5) {
      let [least, w] = [Infinity, 0];
      for (let i = 0; i < b.shape.vertices; i++) {
        const d2 = (a.positions[3 * v] - b.positions[3 * i]) ** 2 + (a.positions[3 * v + 1] - b.positions[3 * i + 1]) ** 2;
        if (d2 < least) [least, w] = [d2, i];
      }
      const away = [0, 1, 2].reduce((sum, k) => sum + (a.positions[3 * v + k] - b.positions[3 * w + k]) * b.normals[3 * w + k], 0);
      worst = Math.max(worst, Math.abs(away));
    }
    expect(worst).toBeLessThan(1.2 * off + 1e-3);
    expect(worst).toBeGreaterThan(off / 3);
    expect(new Set(part.cage.vertexNames).size).toBe(part.cage.shape.vertices);
    const no = refinePart(hill, 'k1', [0], 30);
    expect(!no.ok && no.message).toMatch(/at most 30/);
  });
});
