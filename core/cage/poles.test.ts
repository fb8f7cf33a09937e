import { describe, expect, it } from 'vitest';
import { done } from '../testing/cages.ts';
import {
  ballStart,
  boxStart,
  type Cage,
  connect,
  cornersOf,
  cylinderStart,
  edgeBetween,
  FOLD_LIMIT,
  flatAround,
  flatten,
  flattening,
  foldOf,
  gridStart,
  insertLoops,
  junctionsOf,
  limitThrough,
  makeCage,
  manySided,
  named,
  partsOfCage,
  poleAdvice,
  polesOf,
  refine,
  regularCurvature,
  runOn,
  sharpestPoles,
  stopAt,
  torusStart,
} from './index.ts';

const round = { opening: 360 };
const vertex = (c: Cage, name: string) => named(c).vertices.get(name) as number;
/** A grid with one edge added in its left column, which ends on the side of the next face. */
function withJunction(): { c: Cage; v: number } {
  const points: [number, number, number][] = [];
  for (let j = 0; j <= 2; j++) for (let i = 0; i <= 4; i++) points.push([i, j, 0.2 * i * j]);
  const id = (i: number, j: number) => j * 5 + i;
  const low = points.push([0, 0.5, 0]) - 1;
  const side = points.push([1, 0.5, 0.1]) - 1;
  const faces = [
    [id(0, 0), id(1, 0), side, low],
    [low, side, id(1, 1), id(0, 1)],
    [id(1, 0), id(2, 0), id(2, 1), id(1, 1), side],
    [id(2, 0), id(3, 0), id(3, 1), id(2, 1)],
    [id(3, 0), id(4, 0), id(4, 1), id(3, 1)],
    ...[0, 1, 2, 3].map((i) => [id(i, 1), id(i + 1, 1), id(i + 1, 2), id(i, 2)]),
  ];
  const made = makeCage({ points, faces });
  if (!made.ok) throw new Error(made.trouble.message);
  return { c: made.cage, v: side };
}

describe('edges that end, faces of many sides', () => {
  it('an edge that ends on a side is found; run on, it reaches the border and all faces have four corners', () => {
    const { c, v } = withJunction();
    expect(junctionsOf(c).map((j) => j.vertex)).toEqual([v]);
    expect(manySided(c).map((f) => f.corners)).toEqual([5]);
    const on = done(runOn(c, 'k1', v));
    expect(junctionsOf(on)).toEqual([]);
    expect(manySided(on)).toEqual([]);
    expect(on.shape.faces).toBe(c.shape.faces + 3);
    // at the same share of every edge it crosses
    for (const [w, name] of on.vertexNames.entries()) if (name.startsWith('k1')) expect(on.points[3 * w + 1]).toBeCloseTo(0.5, 12);
  });
  it('stopped, its corner is straight and the vertex stands in the line of the side', () => {
    const { c, v } = withJunction();
    const off = { ...c, points: c.points.map((x, k) => (k === 3 * v ? x + 0.2 : x)) };
    expect(junctionsOf(off)).toEqual([]);
    const stopped = done(stopAt(off, v));
    expect(junctionsOf(stopped).map((j) => j.angle)).toEqual([expect.closeTo(180, 6)]);
    const refused = stopAt(c, 0);
    expect(!refused.ok && refused.message).toMatch(/No edge ends here/);
  });
  it('through a cap of seven corners it comes to the corner over against it; from a quad it is refused', () => {
    const can = cylinderStart({ radius: 5, height: 9, segments: 6, up: 1, taper: 1, caps: true, rings: 1, ...round });
    const one = done(insertLoops(can, 'k1', edgeBetween(can.shape, vertex(can, 'v 0 0'), vertex(can, 'v 1/6 0')), [0.5]));
    const v = vertex(one, 'k1(v 0 1~v 1/6 1)');
    const cap = Array.from({ length: one.shape.faces }, (_, f) => f).find(
      (f) =>
        cornersOf(one.shape, f) === 7 && [...one.shape.corners.subarray(one.shape.faceStart[f], one.shape.faceStart[f + 1])].includes(v),
    ) as number;
    // seven corners: over against it lies an edge, behind that a quad of the wall, and at its end the other cap
    const on = done(runOn(one, 'k2', v, cap));
    expect(
      manySided(on)
        .map((f) => f.corners)
        .sort(),
    ).toEqual([5, 5, 5, 5]);
    const box = boxStart({ width: 4, depth: 4, height: 4, across: 2, along: 2, up: 2, taper: 1 });
    const refused = runOn(box, 'k', 0);
    expect(!refused.ok && refused.message).toMatch(/Only faces of four corners/);
  });
});

describe('poles', () => {
  it('of a box: eight of three edges, folded by 90 degrees; a full crease keeps its fold', () => {
    const box = boxStart({ width: 4, depth: 4, height: 4, across: 2, along: 2, up: 2, taper: 1 });
    const poles = polesOf(box, 'print');
    expect(poles.map((p) => p.valence)).toEqual(Array(8).fill(3));
    for (const p of poles) expect(p.fold).toBeCloseTo(90, 9);
    expect(poles.every((p) => !p.calm && /Flatten here/.test(poleAdvice(p, 'print')))).toBe(true);
    const creased = { ...box, sharpness: box.sharpness.map(() => Infinity) };
    for (const p of polesOf(creased, 'mould')) expect([p.fold, p.calm]).toEqual([0, true]);
    // regular ones are none: a torus has no pole, a flat grid neither
    expect(polesOf(torusStart({ radius: 9, tube: 3, segments: 8, across: 6, ...round }), 'mould')).toEqual([]);
    expect(polesOf(gridStart({ width: 3, depth: 3, across: 3, along: 3 }), 'mould')).toEqual([]);
  });
  it('of a ball: curvatures near its poles are those of the ball within 12 %, at its regular places within 2 %', () => {
    const ball = limitThrough(ballStart({ radius: 10, segments: 4, ...round }), 1e-10) as Cage;
    const poles = polesOf(ball, 'mould');
    expect(poles.length).toBe(8);
    for (const p of poles) {
      expect(Math.hypot(...p.at)).toBeCloseTo(10, 9);
      const [high, low] = p.curvature as [number, number];
      expect(high).toBeLessThan(0.112);
      expect(low).toBeGreaterThan(0.088);
    }
    const level = refine(ball);
    const k = regularCurvature(level, named(ball).vertices.get('v 1/2 1/2 1') as number) as [number, number];
    for (const x of k) expect(Math.abs(x - 0.1)).toBeLessThan(0.002);
  });
  it('of thousands of triangles: the sharpest are the same as in the whole list, all are counted', () => {
    const quads = torusStart({ radius: 60, tube: 20, segments: 40, across: 20, ...round });
    const { points, faces } = partsOfCage(quads);
    const made = makeCage({
      points,
      faces: faces.flatMap(([a, b, c, d]) => [
        [a, b, c],
        [a, c, d],
      ]),
    });
    if (!made.ok) throw new Error(made.trouble.message);
    const all = polesOf(made.cage, 'mould');
    // every triangle, and every vertex, where six edges meet
    expect(all.length).toBe(2 * 800 + 800);
    const few = sharpestPoles(made.cage, 'mould', 25);
    expect([few.of, few.loud]).toEqual([2400, all.filter((p) => !p.calm).length]);
    expect(few.poles).toEqual(all.slice(0, 25));
    for (const [i, p] of sharpestPoles(made.cage, 'mould', 25, false).poles.entries()) {
      expect(p.curvature).toBeUndefined();
      expect([p.name, p.at]).toEqual([all[i].name, all[i].at]);
    }
  });
  it('flattened, a pole folds less, and the report says so', () => {
    const box = boxStart({ width: 8, depth: 8, height: 8, across: 4, along: 4, up: 4, taper: 1 });
    const [before] = polesOf(box, 'print');
    const { vertices, plane } = flatAround(box, before);
    const flat = done(flatten(box, vertices, plane, undefined, 1));
    const after = polesOf(flat, 'print').find((p) => p.name === before.name);
    expect(after?.fold).toBeLessThan(1e-6);
    expect(after?.calm).toBe(true);
    // a face of five corners is told as such, and its neighbours as poles
    const split = done(connect(box, 'k1', vertex(box, 'v 1/2 1/2 1'), vertex(box, 'v 1/4 1/4 1')));
    const faces = polesOf(split, 'print').filter((p) => p.kind === 'face');
    expect(faces.map((p) => p.valence)).toEqual([3, 3]);
    for (const p of faces) expect(p.fold).toBeLessThan(1e-9);
  });
  it('is flattened by no more than its fold asks: to the limit of the use, or to half where it is calm already', () => {
    const box = boxStart({ width: 8, depth: 8, height: 8, across: 3, along: 3, up: 3, taper: 1 });
    for (const use of ['print', 'mould'] as const) {
      const [pole] = polesOf(box, use);
      expect(pole.fold).toBeCloseTo(90, 9);
      const f = flattening(box, pole, use);
      const flat = flatten(box, f.vertices, f.plane, undefined, f.share);
      if (!flat.ok) throw new Error(flat.message);
      const after = foldOf(flat.cage, pole);
      expect(after).toBeLessThanOrEqual(0.9 * FOLD_LIMIT[use] + 1e-9);
      expect(after).toBeGreaterThan(0.8 * FOLD_LIMIT[use]);
    }
    const ball = ballStart({ radius: 20, segments: 6, opening: 360 });
    const [calm] = polesOf(ball, 'print');
    expect(calm.calm).toBe(true);
    const f = flattening(ball, calm, 'print');
    const flat = flatten(ball, f.vertices, f.plane, undefined, f.share);
    expect(flat.ok && foldOf(flat.cage, calm) / calm.fold).toBeCloseTo(0.5, 1);
  });
});
