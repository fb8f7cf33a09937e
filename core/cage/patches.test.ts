import { describe, expect, it } from 'vitest';
import { isWatertight, makeSolid, massProperties } from '../brep/index.ts';
import { surfacePoint } from '../nurbs/index.ts';
import { findDefects, measureSeams } from '../proof/index.ts';
import { probeOf } from '../proof/surface-probe.ts';
import { done, fanCage } from '../testing/cages.ts';
import { seeded } from '../testing/mutate.ts';
import {
  apart,
  ballStart,
  boxStart,
  type Cage,
  capsOff,
  crease,
  cylinderStart,
  extrudeFaces,
  FULL,
  fanOf,
  gridStart,
  type PatchOptions,
  patchesOf,
  pin,
  type Refinable,
  refine,
  skinOf,
  torusStart,
  vertexLimit,
  withPoints,
} from './index.ts';

const OPTIONS: PatchOptions = { degree: 8, closer: 0, merge: true };
const bodyOf = (c: Cage, o: Partial<PatchOptions> = {}) => {
  const r = patchesOf(c, { ...OPTIONS, ...o });
  if (!r.ok) throw new Error(r.message);
  return { ...r, ...skinOf(c, r, 's') };
};
const box = boxStart({ width: 40, depth: 30, height: 25, across: 3, along: 3, up: 2, taper: 1 });
const rimmed = (sharp: number) => {
  const c = cylinderStart({ radius: 10, height: 20, segments: 8, up: 2, taper: 0.7, caps: true, rings: 1, opening: 360 });
  const edges = Array.from({ length: c.shape.edges }, (_, e) => e).filter((e) => {
    const h = c.shape.edgeHalf[e];
    return [c.shape.corners[h], c.shape.corners[c.shape.next[h]]].every(
      (v) => Math.abs(c.points[3 * v + 2] - 20) < 1e-9 && Math.abs(Math.hypot(c.points[3 * v], c.points[3 * v + 1]) - 7) < 1e-9,
    );
  });
  expect(edges.length).toBe(8);
  return done(crease(c, edges, sharp));
};
/** The box with the rim of its top creased: at its corners the lid has a single face beside a crease that runs on round the corner. */
const rimmedBox = () => {
  const at = (v: number, k: number) => box.points[3 * v + k];
  const edges = Array.from({ length: box.shape.edges }, (_, e) => e).filter((e) => {
    const h = box.shape.edgeHalf[e];
    const [a, b] = [box.shape.corners[h], box.shape.corners[box.shape.next[h]]];
    const along = (k: number, side: number) => Math.abs(at(a, k)) === side && at(a, k) === at(b, k);
    return at(a, 2) === 25 && at(b, 2) === 25 && (along(0, 20) || along(1, 15));
  });
  expect(edges.length).toBe(12);
  return done(crease(box, edges, FULL));
};
/** Volume inside a closed cage refined `steps` times, its vertices put on their limits: triangles, nothing of the patches. */
function volumeByRefining(c: Cage, steps: number): number {
  let level: Refinable = c;
  for (let k = 0; k < steps; k++) level = refine(level);
  const { shape: s } = level;
  const at = Array.from({ length: s.vertices }, (_, v) => vertexLimit(level, v).point);
  let six = 0;
  for (let f = 0; f < s.faces; f++) {
    const [a, b, d, e] = [0, 1, 2, 3].map((i) => at[s.corners[s.faceStart[f] + i]]);
    for (const [p, q, r] of [
      [a, b, d],
      [a, d, e],
    ])
      six += p[0] * (q[1] * r[2] - q[2] * r[1]) + p[1] * (q[2] * r[0] - q[0] * r[2]) + p[2] * (q[0] * r[1] - q[1] * r[0]);
  }
  return six / 6;
}

describe('a cage as NURBS faces', () => {
  it('without poles it is one exact surface: a grid, a torus, every place of them the limit', () => {
    const grid = gridStart({ width: 9, depth: 6, across: 9, along: 6 });
    const r = seeded(3);
    const wavy = withPoints(
      grid,
      grid.points.map((x) => x + r() - 0.5),
    );
    for (const c of [wavy, torusStart({ radius: 30, tube: 9, segments: 12, across: 8, opening: 360 })]) {
      const { patches, body, steps } = bodyOf(c);
      expect([patches.length, body.faces.length, steps]).toEqual([1, 1, 0]);
      const twice = refine(refine(c));
      for (const [y, row] of patches[0].rows.entries())
        for (const [x, h] of row.entries()) {
          // the middle of the face, and a quarter of the way from its corner: vertices of the cage refined twice
          const middle = twice.shape.corners[4 * 4 * h + 2 * 4 + 0];
          const { point } = vertexLimit(twice, middle);
          const here = surfacePoint(patches[0].surface, x + 0.5, y + 0.5);
          expect(Math.hypot(...point.map((q, k) => q - here[k]))).toBeLessThan(1e-11);
          const quarter = vertexLimit(twice, twice.shape.corners[4 * 4 * h + 2]).point;
          const there = surfacePoint(patches[0].surface, x + 0.25, y + 0.25);
          expect(Math.hypot(...quarter.map((q, k) => q - there[k]))).toBeLessThan(1e-11);
        }
    }
  });
  it.each([
    ['a box', box, 27],
    ['a ball', ballStart({ radius: 20, segments: 2, opening: 360 }), 24],
    ['a box with a limb', done(extrudeFaces(box, 'k1', [box.faceNames.findIndex((n) => n.startsWith('f z1 1/3 1/3'))], 12)), 63],
    [
      'a can with six-sided lids',
      cylinderStart({ radius: 10, height: 20, segments: 6, up: 2, taper: 0.7, caps: true, rings: 1, opening: 360 }),
      61,
    ],
    ['a can with a rim of full sharpness', rimmed(FULL), 25],
    ['a can with a rim of sharpness 1.5', rimmed(1.5), 31],
    ['a box whose rim is creased round its corners', rimmedBox(), 23],
  ] as [string, Cage, number][])('%s closes to a solid, tangent over every seam that is not sharp', (_, c, count) => {
    const { body, level, sharp } = bodyOf(c);
    expect(body.faces.length).toBe(count);
    expect(isWatertight(body)).toBe(true);
    const seams = measureSeams(body);
    expect(Math.max(...seams.map((x) => x.gap))).toBeLessThan(1e-10);
    const creased = seams.filter((x) => x.kink > 1);
    expect(creased.map((x) => x.edge)).toEqual([...sharp]);
    expect(sharp.size).toBe([...level.sharpness].some((x) => x === FULL) ? (count === 25 ? 8 : 12) : 0);
    expect(Math.max(...seams.filter((x) => x.kink <= 1).map((x) => x.kink))).toBeLessThan(0.01);
    const solid = makeSolid(body);
    if (!solid.ok) throw new Error(solid.message);
    expect(findDefects(solid.body, 1e-6)).toEqual([]);
    const volume = massProperties(solid.body).volume;
    const [coarse, fine] = [volumeByRefining(c, 4), volumeByRefining(c, 5)];
    // chords of a mesh miss by a quarter at each step
    expect(Math.abs(volume / (fine + (fine - coarse) / 3) - 1)).toBeLessThan(2e-5);
    expect(new Set(body.faces.map((f) => f.name)).size).toBe(body.faces.length);
    expect(new Set(body.edges.map((e) => e.name)).size).toBe(body.edges.length);
  });
  it('all edges sharp: the box itself, to rounding error', () => {
    const { body } = bodyOf(
      done(
        crease(
          box,
          Array.from({ length: box.shape.edges }, (_, e) => e),
          FULL,
        ),
      ),
    );
    const solid = makeSolid(body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume).toBeCloseTo(40 * 30 * 25, 8);
  });
  it('merged or face by face, closer or not, it is the same surface', () => {
    const bump = done(extrudeFaces(box, 'k1', [box.faceNames.findIndex((n) => n.startsWith('f z1 1/3 1/3'))], 12));
    const volume = (o: Partial<PatchOptions>) => {
      const solid = makeSolid(bodyOf(bump, o).body);
      if (!solid.ok) throw new Error(solid.message);
      return massProperties(solid.body).volume;
    };
    expect(volume({ merge: false }) / volume({}) - 1).toBeLessThan(1e-12);
    const exact = volumeByRefining(bump, 5) + (volumeByRefining(bump, 5) - volumeByRefining(bump, 4)) / 3;
    expect(Math.abs(volume({ closer: 1 }) - exact)).toBeLessThan(Math.abs(volume({}) - exact) / 2 + 0.02);
    expect(Math.abs(volume({ degree: 9 }) / exact - 1)).toBeLessThan(2e-5);
  });
  it('names stay when a cage is pulled about', () => {
    const names = (c: Cage) => bodyOf(c).body.faces.map((f) => f.name);
    const pulled = withPoints(
      box,
      box.points.map((x, i) => x + 0.4 * Math.sin(i)),
    );
    expect(names(pulled)).toEqual(names(box));
  });

  describe.each([3, 4, 5, 6, 8])('sectors at a vertex of %i faces', (n) => {
    const c = fanCage(n, n, { rings: 3, by: 1 });
    const spokes: number[] = [];
    for (let h = c.shape.out[0]; !spokes.includes(c.shape.edgeOf[h]); h = c.shape.twin[c.shape.prev[h]]) spokes.push(c.shape.edgeOf[h]);
    it.each([
      ['a crease that ends', [0]],
      ['a smooth crease with one face on a side', [0, 1]],
      ['a corner of three creases', [0, 1, 2]],
      ['a held vertex', []],
    ] as [string, number[]][])('%s: the faces lie on the limit, seams meet, kinks stand in the pole alone', (word, which) => {
      const creased = done(
        crease(
          c,
          which.map((i) => spokes[i]),
          FULL,
        ),
      );
      const cage = which.length ? creased : done(pin(creased, [0], FULL));
      const made = bodyOf(cage);
      // faces beside a dart at the far end of the crease too
      expect(capsOff(made).most).toBeLessThan(n > 3 && word.includes('one face') ? 0.02 : 1e-12);
      const seams = measureSeams(made.body);
      expect(Math.max(...seams.map((s) => s.gap))).toBeLessThan(1e-10);
      for (const s of seams) {
        if (made.sharp.has(s.edge)) continue;
        for (const q of s.samples) {
          const { kink, point } = q;
          const ends = [made.body.edges[s.edge].start, made.body.edges[s.edge].end].map((v) => made.body.vertices[v].point);
          // the innermost cell is a 64th of a face in its own parameters; round many faces places draw together more slowly
          const far = Math.min(...ends.map((e) => Math.hypot(...e.map((x, k) => x - point[k]))));
          if (far > (n > 5 ? 0.6 : 0.15)) expect(kink).toBeLessThan(0.01);
        }
      }
    });
  });
});

describe('partial sharpness', () => {
  it('as high as it can be refined away is exact; above it is taken as full, and how far that is off falls by half for each step', () => {
    const exact = patchesOf(rimmed(3), OPTIONS);
    if (!exact.ok) throw new Error(exact.message);
    expect([exact.hardened, exact.steps >= 3]).toEqual([undefined, true]);
    const offs: number[] = [];
    for (const sharp of [8, 9, 10]) {
      const c = rimmed(sharp);
      const r = patchesOf(c, OPTIONS);
      if (!r.ok) throw new Error(r.message);
      expect(r.hardened?.count).toBe(8);
      expect(r.level.sharpness.some((x) => x > 0 && x < Infinity)).toBe(false);
      const off = apart(c, (r.hardened as NonNullable<typeof r.hardened>).cage);
      // where it is: on the rim
      expect(off.place?.[2]).toBeGreaterThan(18);
      offs.push(off.most);
      // and the same by a second way: the limits of the rim's vertices
      const rim = Array.from({ length: c.shape.vertices }, (_, v) => v).filter((v) => c.points[3 * v + 2] === 20);
      const other = rim.map((v) => {
        const [p, q] = [vertexLimit(c, v).point, vertexLimit((r.hardened as NonNullable<typeof r.hardened>).cage, v).point];
        return Math.hypot(...p.map((x, k) => x - q[k]));
      });
      expect(Math.max(...other)).toBeLessThan(1.0001 * off.most);
      expect(Math.max(...other)).toBeGreaterThan(0.7 * off.most);
    }
    for (const k of [1, 2]) {
      expect(offs[k - 1] / offs[k]).toBeGreaterThan(1.8);
      expect(offs[k - 1] / offs[k]).toBeLessThan(2.2);
    }
    expect(offs[2]).toBeLessThan(0.01);
  });
});

describe('caps on edges of 7 mm, told by what knows nothing of them: the seams of the body, and places after five plain steps', () => {
  /** Quads round a pole on a bulge of 30 mm radius, their places shaken by half a millimetre. */
  const bulge = (n: number, seed: number): Cage => {
    const flat = fanCage(n, seed, { rings: 4, by: 0.3 });
    const points = flat.points.map((x) => (x * 7) / 4);
    for (let v = 0; v < points.length; v += 3) points[v + 2] -= (points[v] ** 2 + points[v + 1] ** 2) / 60;
    return withPoints(flat, points);
  };
  it.each([3, 5, 6, 7, 8])(
    'valence %i: kink below 0.01 degrees, within 0.02 mm, 0.005 mm refined once; curvature steps below two per cent',
    (n) => {
      for (const closer of [0, 1]) {
        const c = bulge(n, n);
        const { body } = bodyOf(c, { degree: 9, closer });
        const seams = measureSeams(body);
        expect(Math.max(...seams.map((x) => x.kink))).toBeLessThan(0.01);
        expect(Math.max(...seams.map((x) => x.step))).toBeLessThan(2);
        let level: Refinable = c;
        // faces that come of those at the pole
        let own = new Set(fanOf(c.shape, 0).map((h) => c.shape.face[h]));
        for (let k = 0; k < 5; k++) {
          const { shape } = level;
          level = refine(level);
          own = new Set(
            [...own].flatMap((f) => Array.from({ length: shape.faceStart[f + 1] - shape.faceStart[f] }, (_, i) => shape.faceStart[f] + i)),
          );
        }
        const probe = probeOf(body);
        let off = 0;
        for (const [i, f] of [...own].entries())
          if (i % 9 === 0)
            off = Math.max(off, probe.nearest(vertexLimit(level, level.shape.corners[level.shape.faceStart[f]]).point)?.distance ?? 0);
        expect(off).toBeGreaterThan(0);
        expect(off).toBeLessThan(closer ? 0.005 : 0.02);
      }
    },
  );
});
