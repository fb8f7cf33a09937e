import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { done } from '../testing/cages.ts';
import {
  boxStart,
  type Cage,
  chainOf,
  cylinderStart,
  extrudeFaces,
  FULL,
  flatten,
  gridStart,
  insertLoops,
  intoCircle,
  named,
  type Operation,
  operationsSchema,
  pointOf,
  relax,
  replay,
  spaceEvenly,
  straighten,
  transformVertices,
} from './index.ts';

const box = (height = 4) => boxStart({ width: 4, depth: 4, height, across: 2, along: 2, up: 2, taper: 1 });
const at = (c: Cage, name: string): Vec3 => pointOf(c.points, named(c).vertices.get(name) as number);
const near = (p: Vec3, q: readonly number[], digits = 10) => {
  p.forEach((x, k) => {
    expect(x).toBeCloseTo(q[k], digits);
  });
};
const bulge: Operation[] = [
  { id: 'k1', op: 'insert-loop', edge: 'v 0 0 0~v 0 0 1/2', shares: ['low'] },
  { id: 'k2', op: 'extrude-faces', faces: ['f z1 1/2 1/2 of 2 2'], by: '2 * low' },
  { id: 'k3', op: 'move', vertices: ['k2(v 1/2 1/2 1)'], by: [0, 0, 1] },
  { id: 'k4', op: 'crease', edges: ['k2(v 1 1 1)~k2(v 1/2 1 1)', 'v 0 0 0~v 0 1/2 0'], sharpness: 11 },
];
const values = (low: number) => (x: number | string) => (typeof x === 'number' ? x : x.startsWith('2') ? 2 * low : low);

describe('a list of operations', () => {
  it('is what its edits are one by one; numbers may hang on dials', () => {
    const r = replay(box(), bulge, values(0.4));
    expect(r.outcomes.map((o) => o.state)).toEqual(['fine', 'fine', 'fine', 'fine']);
    const one = done(insertLoops(box(), 'k1', named(box()).edges.get('v 0 0 0~v 0 0 1/2') as number, [0.4]));
    const two = done(extrudeFaces(one, 'k2', [named(one).faces.get('f z1 1/2 1/2 of 2 2') as number], 0.8));
    expect([r.cage.vertexNames, r.cage.faceNames]).toEqual([two.vertexNames, two.faceNames]);
    near(at(r.cage, 'k2(v 1/2 1/2 1)'), [0, 0, 4 + 0.8 + 1]);
    near(at(r.cage, 'k1(v 0 0 0~v 0 0 1/2)'), [-2, -2, 0.8]);
    expect([...r.cage.sharpness].filter((s) => s === FULL).length).toBe(2);
    expect(r.outcomes.map((o) => o.faces)).toEqual([32, 36, 36, 36]);
  });
  it('over a changed start it gives what fresh edits give', () => {
    const other = replay(box(9), bulge, values(0.25)).cage;
    const one = done(insertLoops(box(9), 'k1', named(box(9)).edges.get('v 0 0 0~v 0 0 1/2') as number, [0.25]));
    const two = done(extrudeFaces(one, 'k2', [named(one).faces.get('f z1 1/2 1/2 of 2 2') as number], 0.5));
    const three = done(transformVertices(two, [named(two).vertices.get('k2(v 1/2 1/2 1)') as number], { by: [0, 0, 1] }));
    expect([...other.points]).toEqual([...three.points]);
    expect(other.shape).toEqual(three.shape);
  });
  it('goes on where elements are gone, and says which', () => {
    const list: Operation[] = [
      { id: 'k1', op: 'remove', faces: ['f z1 1/2 1/2 of 2 2', 'f z1 0 0 of 2 2'] },
      { id: 'k2', op: 'extrude-faces', faces: ['f z1 1/2 1/2 of 2 2', 'f z1 0 1/2 of 2 2'], by: 1 },
      { id: 'k3', op: 'extrude-faces', faces: ['f z1 0 0 of 2 2'], by: 1 },
      { id: 'k4', op: 'fill', edge: 'v 0 0 0~v 0 0 1/2' },
      { id: 'k5', op: 'move', vertices: ['v 0 0 0'], by: [0, 0, -1], muted: true },
      { id: 'k6', op: 'move', vertices: ['v 0 0 0'], by: [-1, 0, 0] },
    ];
    const r = replay(box(), list);
    expect(r.outcomes.map((o) => o.state)).toEqual(['fine', 'part', 'lost', 'refused', 'muted', 'fine']);
    expect(r.outcomes.map((o) => o.message ?? '')).toEqual([
      '',
      '1 of 2 elements are not there any more, "f z1 1/2 1/2 of 2 2" among them: it acts on the rest',
      '"f z1 0 0 of 2 2" is not there any more: it changes nothing',
      'Only a border can be filled: pick one of its edges',
      '',
      '',
    ]);
    expect(r.outcomes[3].place?.length).toBe(1);
    near(at(r.cage, 'v 0 0 0'), [-3, -2, 0]);
    // without the first, all of it goes
    const whole = replay(
      box(),
      list.map((o) => (o.id === 'k1' ? { ...o, muted: true } : o)),
    );
    expect(whole.outcomes.slice(0, 3).map((o) => o.state)).toEqual(['muted', 'fine', 'fine']);
  });
  it('is checked as it is read', () => {
    expect(operationsSchema.safeParse(bulge).success).toBe(true);
    const bad = (list: unknown) => operationsSchema.safeParse(list).error?.issues[0].message ?? '';
    expect(bad([bulge[0], bulge[0]])).toMatch(/same id/);
    expect(bad([{ id: 'k1', op: 'melt' }])).toMatch(/Invalid/);
    expect(bad([{ id: 'k1', op: 'fill', edge: 3 }])).toMatch(/Invalid/);
  });
});

describe('places', () => {
  const grid = gridStart({ width: 8, depth: 8, across: 8, along: 8 });
  const row = Array.from(
    { length: 9 },
    (_, i) =>
      named(grid).vertices.get(
        `v ${i === 0 ? '0' : i === 8 ? '1' : i % 4 === 0 ? '1/2' : i % 2 === 0 ? `${i / 2}/4` : `${i}/8`} 1/2`,
      ) as number,
  );
  it('turn and scale about the middle of what is picked, in axes of one’s own; others follow by their falloff', () => {
    const turned = done(transformVertices(grid, row, { turn: [90, 0, 0], scale: [0.5, 1, 1] }));
    near(pointOf(turned.points, row[8]), [2, 0, 0]);
    const side = done(transformVertices(grid, row, { by: [0, 0, 2], frame: { x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] } }));
    near(pointOf(side.points, row[0]), [-2, 0, 0]);
    const soft = done(transformVertices(grid, [row[4]], { by: [0, 0, 1], radius: 3 }));
    near(pointOf(soft.points, row[5]), [1, 0, (1 - 1 / 9) ** 2]);
    near(pointOf(soft.points, row[7]), [3, 0, 0]);
  });
  it('flatten, straighten, space evenly, into a circle', () => {
    const wild: Cage = { ...grid, points: grid.points.map((x, k) => x + 0.3 * Math.sin(7.3 * k)) };
    const flat = done(flatten(wild, row, { origin: [0, 0, 5], normal: [0, 0, 2] }, undefined));
    for (const v of row) expect(flat.points[3 * v + 2]).toBeCloseTo(5, 12);
    const slanting = done(flatten(wild, [row[3]], { origin: [0, 0, 5], normal: [0, 0, 1] }, [1, 0, 1]));
    near(pointOf(slanting.points, row[3]), [wild.points[3 * row[3]] + 5 - wild.points[3 * row[3] + 2], wild.points[3 * row[3] + 1], 5]);
    const own = done(flatten(wild, row.slice(0, 5), undefined, undefined));
    const again = done(flatten(own, row.slice(0, 5), undefined, undefined));
    for (const v of row.slice(0, 5)) near(pointOf(again.points, v), pointOf(own.points, v));
    expect(chainOf(wild, [...row].reverse())?.chain).toEqual([...row].reverse());
    const straight = done(straighten(wild, row, true));
    const [a, b] = [pointOf(wild.points, row[0]), pointOf(wild.points, row[8])];
    row.forEach((v, i) => {
      near(
        pointOf(straight.points, v),
        a.map((x, k) => x + ((b[k] - x) * i) / 8),
      );
    });
    const even = done(spaceEvenly(wild, row));
    const steps = row.slice(1).map((v, i) => Math.hypot(...pointOf(even.points, v).map((x, k) => x - even.points[3 * row[i] + k])));
    // chords of one polyline at even steps along it: alike but for its corners
    expect(Math.max(...steps) / Math.min(...steps)).toBeLessThan(1.2);
    const can = cylinderStart({ radius: 5, height: 4, segments: 8, up: 1, taper: 1, caps: false, rings: 1, opening: 360 });
    const rim = Array.from({ length: 8 }, (_, i) => i).map((i) =>
      can.vertexNames.indexOf(`v ${['0', '1/8', '1/4', '3/8', '1/2', '5/8', '3/4', '7/8'][i]} 1`),
    );
    const shaken: Cage = { ...can, points: can.points.map((x, k) => x + 0.4 * Math.sin(3.1 * k)) };
    const circle = done(intoCircle(shaken, rim));
    const centre = [0, 1, 2].map((k) => rim.reduce((s, v) => s + circle.points[3 * v + k], 0) / 8);
    const radii = rim.map((v) => Math.hypot(...pointOf(circle.points, v).map((x, k) => x - centre[k])));
    for (const r of radii) expect(r).toBeCloseTo(radii[0], 10);
    // a true circle stays where it is
    const still = done(intoCircle(can, rim));
    for (const v of rim) near(pointOf(still.points, v), pointOf(can.points, v));
    const refused = straighten(grid, [row[0], row[3], row[5]], false);
    expect(!refused.ok && refused.message).toMatch(/in a row/);
  });
  it('calming takes a spike down and keeps the border', () => {
    const spiked = done(transformVertices(grid, [row[4]], { by: [0, 0, 2] }));
    const all = Array.from({ length: grid.shape.vertices }, (_, v) => v);
    const calm = done(relax(spiked, all, 8));
    expect(calm.points[3 * row[4] + 2]).toBeLessThan(1);
    near(pointOf(calm.points, row[0]), [-4, 0, 0], 6);
  });
});
