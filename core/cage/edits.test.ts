import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { done } from '../testing/cages.ts';
import { seeded } from '../testing/mutate.ts';
import {
  areaVector,
  ballStart,
  bordersOf,
  boxStart,
  bridge,
  bridgeFaces,
  type Cage,
  connect,
  crease,
  cylinderStart,
  discStart,
  dissolveEdges,
  dissolveVertices,
  duplicateFaces,
  type Edited,
  edgeBetween,
  edgeLoop,
  edgeName,
  edgeRing,
  endOf,
  extrudeEdges,
  extrudeFaces,
  FULL,
  faceLoop,
  falloff,
  fanOf,
  fillBorder,
  gridStart,
  grown,
  insertLoops,
  insetFaces,
  isBorderEdge,
  moved,
  partsOf,
  pin,
  polesOf,
  refineAll,
  removeFaces,
  shrunk,
  slide,
  splitOff,
  thicken,
  torusStart,
  weld,
} from './index.ts';

const round = { opening: 360 };
const refused = (e: Edited): string => (e.ok ? 'done' : e.message);
const box = () => boxStart({ width: 4, depth: 4, height: 4, across: 2, along: 2, up: 2, taper: 1 });
const grid = (n = 4) => gridStart({ width: n, depth: n, across: n, along: n });
const vertex = (c: Cage, name: string) => c.vertexNames.indexOf(name);
const edge = (c: Cage, a: string, b: string) => edgeBetween(c.shape, vertex(c, a), vertex(c, b));
const face = (c: Cage, name: string) => c.faceNames.findIndex((f) => f.startsWith(name));
const counts = ({ shape: s }: Cage) => [s.vertices, s.edges, s.faces, bordersOf(s).length];
const volume = (c: Cage): number => {
  let sum = 0;
  for (let f = 0; f < c.shape.faces; f++) {
    const a = areaVector(c, f);
    // flat faces: any of their corners will do
    const v = c.shape.corners[c.shape.faceStart[f]];
    sum += (a[0] * c.points[3 * v] + a[1] * c.points[3 * v + 1] + a[2] * c.points[3 * v + 2]) / 3;
  }
  return sum;
};

describe('what is picked with what', () => {
  it('loops, rings, what lies next', () => {
    const c = grid();
    const e = edge(c, 'v 1/2 1/4', 'v 1/2 1/2');
    expect(edgeLoop(c.shape, e).halves.length).toBe(4);
    expect(edgeRing(c.shape, e).halves.length).toBe(5);
    expect(faceLoop(c.shape, e).length).toBe(4);
    const t = torusStart({ radius: 9, tube: 3, segments: 8, across: 5, ...round });
    const round8 = edge(t, 'v 0 0', 'v 1/8 0');
    expect([edgeLoop(t.shape, round8).halves.length, edgeLoop(t.shape, round8).closed]).toEqual([8, true]);
    expect([edgeRing(t.shape, round8).halves.length, edgeRing(t.shape, round8).closed]).toEqual([5, true]);
    // along a border the loop goes round all of it
    expect(edgeLoop(c.shape, edge(c, 'v 0 0', 'v 1/4 0')).halves.length).toBe(16);
    const [m] = [vertex(c, 'v 1/2 1/2')];
    expect(grown(c.shape, [m]).length).toBe(5);
    expect(shrunk(c.shape, grown(c.shape, [m]))).toEqual([m]);
    // a loop ends at a pole
    const b = box();
    expect(edgeLoop(b.shape, edge(b, 'v 0 0 0', 'v 1/2 0 0')).halves.length).toBe(2);
  });
  it('what follows a selection falls off along the cage, not through the air', () => {
    // two leaves 1 mm apart, joined 20 mm away
    const c = done(moved(gridStart({ width: 40, depth: 4, across: 40, along: 1 }), (_, [x, y]) => [Math.abs(x), y, x < 0 ? 1 : 0]));
    const from = vertex(c, 'v 3/4 0');
    const w = falloff(c.shape, c.points, [from], 6);
    expect(w[from]).toBe(1);
    expect(w[vertex(c, 'v 31/40 0')]).toBeCloseTo((1 - 1 / 36) ** 2, 12);
    // straight above it
    expect(w[vertex(c, 'v 1/4 0')]).toBe(0);
  });
});

describe('edits', () => {
  it('faces are extruded: walls, names, sharpness and volume', () => {
    const c = done(crease(box(), [edge(box(), 'v 1/2 1/2 1', 'v 1 1/2 1')], 3));
    const up = done(extrudeFaces(c, 'k1', [face(c, 'f z1 1/2 1/2')], 1.5));
    expect(counts(up)).toEqual([26 + 4, 48 + 8, 24 + 4, 0]);
    expect(volume(up)).toBeCloseTo(64 + 2 * 2 * 1.5, 12);
    expect(up.faceNames).toContain('f z1 1/2 1/2 of 2 2');
    expect(up.vertexNames).toContain('k1(v 1/2 1/2 1)');
    // foot and head of the wall are as sharp as the edge was
    const head = edgeBetween(up.shape, vertex(up, 'k1(v 1/2 1/2 1)'), vertex(up, 'k1(v 1 1/2 1)'));
    expect([up.sharpness[head], up.sharpness[edge(up, 'v 1/2 1/2 1', 'v 1 1/2 1')]]).toEqual([3, 3]);
    // the four of a side at once: one vertex inside is only moved
    const side = [0, 1, 2, 3].map((i) => face(c, `f z1 ${['0', '1/2'][i & 1]} ${['0', '1/2'][i >> 1]}`));
    const all = done(extrudeFaces(c, 'k2', side, 2));
    expect(counts(all)).toEqual([26 + 8, 48 + 16, 24 + 8, 0]);
    expect(volume(all)).toBeCloseTo(64 + 32, 12);
    // two that touch in a corner get a vertex each there
    const two = done(extrudeFaces(c, 'k3', [side[0], side[3]], 1));
    expect(volume(two)).toBeCloseTo(64 + 8, 12);
    expect(
      refused(
        extrudeFaces(
          c,
          'k',
          Array.from({ length: 24 }, (_, i) => i),
          1,
        ),
      ),
    ).toMatch(/all there are/);
  });
  it('border edges are drawn out', () => {
    const c = grid(2);
    const out = done(extrudeEdges(c, 'k1', [edge(c, 'v 0 0', 'v 1/2 0'), edge(c, 'v 1/2 0', 'v 1 0')], [0, -1, 0]));
    expect(counts(out)).toEqual([12, 17, 6, 1]);
    let area = 0;
    for (let f = 0; f < 6; f++) area += areaVector(out, f)[2];
    expect(area).toBeCloseTo(4 + 2, 12);
    expect(refused(extrudeEdges(c, 'k', [edge(c, 'v 1/2 0', 'v 1/2 1/2')], [0, 0, 1]))).toMatch(/Only border edges/);
  });
  it('loops are inserted: through a closed ring, several at once, up to a border, up to faces that are no quads', () => {
    const b = box();
    const e = edge(b, 'v 0 0 0', 'v 0 0 1/2');
    const one = done(insertLoops(b, 'k1', e, [0.25]));
    expect(counts(one)).toEqual([26 + 8, 48 + 16, 24 + 8, 0]);
    for (const [v, name] of one.vertexNames.entries()) if (name.startsWith('k1')) expect(one.points[3 * v + 2]).toBeCloseTo(0.5, 12);
    expect(volume(one)).toBeCloseTo(64, 12);
    const two = done(insertLoops(grid(3), 'k2', edge(grid(3), 'v 0 0', 'v 1/3 0'), [0.5, 0.2]));
    expect(counts(two)).toEqual([16 + 8, 24 + 6 + 8, 9 + 6, 1]);
    const xs = [...two.vertexNames.entries()].filter(([, n]) => n.startsWith('k2.1')).map(([v]) => two.points[3 * v]);
    expect(xs.every((x) => Math.abs(x - (-1.5 + 0.2)) < 1e-12)).toBe(true);
    // a cap of one face gets a corner more at each end
    const can = cylinderStart({ radius: 5, height: 9, segments: 6, up: 1, taper: 1, caps: true, rings: 1, ...round });
    const cut = done(insertLoops(can, 'k3', edge(can, 'v 0 0', 'v 1/6 0'), [0.5]));
    expect(counts(cut)).toEqual([14, 21, 9, 0]);
    const sizes = Array.from({ length: 9 }, (_, f) => cut.shape.faceStart[f + 1] - cut.shape.faceStart[f]);
    expect(sizes.sort()).toEqual([4, 4, 4, 4, 4, 4, 4, 7, 7]);
    expect(refused(insertLoops(b, 'k', e, [0, 0.5]))).toMatch(/between 0 and 1/);
    // sharpness goes on to the halves
    const sharp = done(insertLoops(done(crease(b, [e], FULL)), 'k4', e, [0.5]));
    expect([...sharp.sharpness].filter((s) => s === FULL).length).toBe(2);
  });
  it('connect and dissolve are each other’s way back', () => {
    const c = grid(2);
    const cut = done(connect(c, 'k1', vertex(c, 'v 0 0'), vertex(c, 'v 1/2 1/2')));
    expect(counts(cut)).toEqual([9, 13, 5, 1]);
    const back = done(dissolveEdges(cut, [edge(cut, 'v 0 0', 'v 1/2 1/2')]));
    expect([counts(back), back.faceNames]).toEqual([counts(c), c.faceNames]);
    expect(refused(connect(c, 'k', vertex(c, 'v 0 0'), vertex(c, 'v 1 1')))).toMatch(/do not stand at one face/);
    expect(refused(connect(c, 'k', vertex(c, 'v 0 0'), vertex(c, 'v 1/2 0')))).toMatch(/already/);
    // a whole loop goes, and with it the vertices that only stood in the way
    const b = box();
    const looped = done(insertLoops(b, 'k2', edge(b, 'v 0 0 0', 'v 0 0 1/2'), [0.5]));
    const start = [...looped.vertexNames.entries()].filter(([, n]) => n.startsWith('k2')).map(([v]) => v);
    const loop = edgeLoop(
      looped.shape,
      looped.shape.edgeOf[fanOf(looped.shape, start[0]).find((h) => start.includes(endOf(looped.shape, h))) as number],
    );
    const gone = done(
      dissolveEdges(
        looped,
        loop.halves.map((h) => looped.shape.edgeOf[h]),
      ),
    );
    expect([counts(gone), [...gone.vertexNames].sort()]).toEqual([counts(b), [...b.vertexNames].sort()]);
    expect(counts(done(dissolveVertices(grid(3), [vertex(grid(3), 'v 1/3 1/3')])))).toEqual([16 - 1, 24 - 4, 9 - 3, 1]);
    expect(refused(dissolveVertices(c, [vertex(c, 'v 0 0')]))).toMatch(/border vertex/);
    // what would leave a ring of faces round a hole
    const centre = face(grid(3), 'f 1/3 1/3');
    const ring = [...new Set(Array.from({ length: 9 }, (_, f) => f).filter((f) => f !== centre))];
    const g = grid(3);
    const between = Array.from({ length: g.shape.edges }, (_, k) => k).filter(
      (k) =>
        !isBorderEdge(g.shape, k) && [g.shape.edgeHalf[k], g.shape.twin[g.shape.edgeHalf[k]]].every((h) => ring.includes(g.shape.face[h])),
    );
    expect(refused(dissolveEdges(g, between))).toMatch(/hole in it|touches itself/);
  });
  it('faces go, borders are filled, borders are bridged', () => {
    const b = box();
    const open = done(removeFaces(b, 'k1', [face(b, 'f z1 1/2 1/2'), face(b, 'f z0 1/2 1/2')]));
    expect(counts(open)).toEqual([26, 48, 22, 2]);
    const filled = done(fillBorder(open, 'k2', edge(open, 'v 1/2 1/2 1', 'v 1 1/2 1')));
    expect([counts(filled), volume(done(fillBorder(filled, 'k3', edge(open, 'v 1/2 1/2 0', 'v 1 1/2 0'))))]).toEqual([
      [26, 48, 23, 1],
      expect.closeTo(64, 10),
    ]);
    // a square hole through one corner of the box: a torus by its numbers
    const through = done(bridge(open, 'k4', edge(open, 'v 1/2 1/2 1', 'v 1 1/2 1'), edge(open, 'v 1/2 1/2 0', 'v 1 1/2 0')));
    const { shape: s } = through;
    expect([s.vertices - s.edges + s.faces, bordersOf(s).length]).toEqual([0, 0]);
    expect(refused(fillBorder(b, 'k', 0))).toMatch(/Only a border/);
    expect(
      refused(
        removeFaces(
          b,
          'k',
          Array.from({ length: 24 }, (_, i) => i),
        ),
      ),
    ).toMatch(/nothing/);
    // two faces that leave a vertex between them: it is parted
    const g = grid(2);
    const parted = done(removeFaces(g, 'k5', [face(g, 'f 0 0'), face(g, 'f 1/2 1/2')]));
    expect([counts(parted), partsOf(parted.shape).length]).toEqual([[8, 8, 2, 2], 2]);
    // six against four: two triangles take up the rest
    const long = boxStart({ width: 9, depth: 3, height: 3, across: 3, along: 1, up: 2, taper: 1 });
    const uneven = done(removeFaces(long, 'k6', [face(long, 'f z1 0'), face(long, 'f z1 1/3'), face(long, 'f z0 0')]));
    expect(
      bordersOf(uneven.shape)
        .map((x) => x.length)
        .sort(),
    ).toEqual([4, 6]);
    const joined = done(bridge(uneven, 'k7', edge(uneven, 'v 0 0 1', 'v 0 1 1'), edge(uneven, 'v 0 0 0', 'v 0 1 0')));
    const corners = Array.from({ length: joined.shape.faces }, (_, f) => joined.shape.faceStart[f + 1] - joined.shape.faceStart[f]);
    expect([bordersOf(joined.shape).length, corners.filter((n) => n === 3).length, corners.filter((n) => n === 4).length]).toEqual([
      0,
      2,
      19 + 4,
    ]);
  });
  it('vertices are welded; faces that lose their corners go', () => {
    const c = grid(2);
    const one = done(weld(c, [[vertex(c, 'v 0 0'), vertex(c, 'v 1/2 0')]]));
    expect(counts(one)).toEqual([8, 11, 4, 1]);
    expect(one.points[3 * vertex(one, 'v 0 0')]).toBeCloseTo(-0.5, 12);
    // an open round closed along its seam
    const open = cylinderStart({ radius: 5, height: 4, segments: 8, up: 1, taper: 1, caps: false, rings: 1, opening: 360 - 1e-7 });
    const shut = done(
      weld(
        open,
        [0, 1].map((t) => [vertex(open, `v 0 ${t}`), vertex(open, `v 1 ${t}`)]),
      ),
    );
    expect([bordersOf(open.shape).length, counts(shut)]).toEqual([1, [16, 24, 8, 2]]);
    expect(refused(weld(c, [[0]]))).toMatch(/at least two/);
  });
  it('10,000 random edits keep a cage that is whole, with names that are unique, or are refused with a sentence', () => {
    const r = seeded(11);
    const any = <T>(list: readonly T[]): T => list[Math.floor(r() * list.length)];
    const pick = (n: number) => Math.floor(r() * n);
    const starts = [
      box,
      () => grid(3),
      () => ballStart({ radius: 8, segments: 2, ...round }),
      () => discStart({ radius: 8, quarter: 1, rings: 2, ...round }),
      () => torusStart({ radius: 12, tube: 4, segments: 6, across: 4, ...round }),
      () => cylinderStart({ radius: 5, height: 9, segments: 6, up: 2, taper: 0, caps: true, rings: 1, opening: 360 }),
    ];
    const said = new Map<string, number>();
    let c = any(starts)();
    let [kept, no] = [0, 0];
    for (let k = 0; k < 10_000; k++) {
      if (k % 25 === 0 || c.shape.faces > 260) c = any(starts)();
      const { shape: s } = c;
      const borders = bordersOf(s)
        .flat()
        .map((h) => s.edgeOf[h]);
      const op = `k${k}`;
      const what = pick(18);
      const faces = Array.from({ length: 1 + pick(4) }, () => pick(s.faces));
      const e: Edited =
        what === 0
          ? extrudeFaces(c, op, faces, 2 * r() - 1)
          : what === 1
            ? extrudeEdges(c, op, borders.slice(0, 1 + pick(3)), [r(), r(), r()] as Vec3)
            : what === 2
              ? insertLoops(c, op, pick(s.edges), r() < 0.5 ? [r()] : [r(), r()])
              : what === 3
                ? connect(c, op, pick(s.vertices), pick(s.vertices))
                : what === 4
                  ? removeFaces(c, op, faces)
                  : what === 5
                    ? dissolveEdges(c, [pick(s.edges), pick(s.edges)], r() < 0.7)
                    : what === 6
                      ? dissolveVertices(c, [pick(s.vertices)])
                      : what === 7
                        ? fillBorder(c, op, borders.length && r() < 0.9 ? any(borders) : pick(s.edges))
                        : what === 8
                          ? weld(c, [[pick(s.vertices), pick(s.vertices)]])
                          : what === 9
                            ? bridge(c, op, borders.length ? any(borders) : 0, borders.length ? any(borders) : 0, pick(5))
                            : what === 10
                              ? insetFaces(c, op, faces, r())
                              : what === 11
                                ? splitOff(c, op, faces)
                                : what === 12
                                  ? duplicateFaces(c, op, faces, [r(), r(), 3])
                                  : what === 13
                                    ? thicken(c, op, r() - 0.5)
                                    : what === 14
                                      ? slide(c, [pick(s.edges)], 2.2 * r() - 1.1)
                                      : what === 15
                                        ? refineAll(c, op, 200)
                                        : what === 16
                                          ? bridgeFaces(c, op, faces[0], faces[faces.length - 1], pick(4))
                                          : r() < 0.5
                                            ? crease(c, [pick(s.edges)], any([0, 0.5, 2, FULL]))
                                            : pin(c, [pick(s.vertices)], any([0, 1.5, FULL]));
      if (!e.ok) {
        no++;
        said.set(e.message, (said.get(e.message) ?? 0) + 1);
        expect(e.message.length).toBeGreaterThan(20);
        continue;
      }
      kept++;
      c = e.cage;
      const t = c.shape;
      expect(c.points.every(Number.isFinite)).toBe(true);
      expect([c.sharpness.length, c.pins.length, c.vertexNames.length, c.faceNames.length]).toEqual([
        t.edges,
        t.vertices,
        t.vertices,
        t.faces,
      ]);
      expect(new Set(c.vertexNames).size).toBe(t.vertices);
      expect(new Set(c.faceNames).size).toBe(t.faces);
      for (let h = 0; h < t.corners.length; h += 1 + pick(5)) {
        const w = t.twin[h];
        if (w >= 0 && (t.twin[w] !== h || t.corners[w] !== endOf(t, h) || endOf(t, w) !== t.corners[h])) throw new Error(`twins at ${h}`);
      }
      // poles are told of whatever comes, with numbers that are numbers
      if (k % 50 === 0)
        for (const pole of polesOf(c, 'print'))
          expect([...pole.at, pole.fold, ...(pole.curvature ?? [])].every(Number.isFinite)).toBe(true);
      if (k % 50 === 0) for (let x = 0; x < t.edges; x++) expect(edgeName(c, x).length).toBeLessThan(120);
    }
    expect(kept).toBeGreaterThan(4000);
    expect(no).toBeGreaterThan(500);
    expect(said.size).toBeGreaterThan(8);
  });
});
