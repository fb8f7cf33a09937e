import { describe, expect, it } from 'vitest';
import {
  ballStart,
  bordersOf,
  boxStart,
  type Cage,
  cornersOf,
  cylinderStart,
  discStart,
  gridStart,
  limitThrough,
  partsOf,
  type Refinable,
  refine,
  ringStart,
  share,
  torusStart,
  triangleStart,
  valenceOf,
  vertexLimit,
} from './index.ts';

const round = { opening: 360 };
/** Enclosed volume and area of the faces, each from its middle in triangles. */
function measured(c: Refinable): { volume: number; area: number } {
  const { shape: s, points: p } = c;
  let [volume, area] = [0, 0];
  for (let f = 0; f < s.faces; f++) {
    const ring = Array.from({ length: cornersOf(s, f) }, (_, k) => s.corners[s.faceStart[f] + k]).map((v) => [
      p[3 * v],
      p[3 * v + 1],
      p[3 * v + 2],
    ]);
    const m = [0, 1, 2].map((k) => ring.reduce((x, q) => x + q[k], 0) / ring.length);
    ring.forEach((a, i) => {
      const b = ring[(i + 1) % ring.length];
      const [u, w] = [a.map((x, k) => x - m[k]), b.map((x, k) => x - m[k])];
      const n = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
      area += Math.hypot(...n) / 2;
      volume += (m[0] * n[0] + m[1] * n[1] + m[2] * n[2]) / 6;
    });
  }
  return { volume, area };
}
const poles = (c: Cage) => {
  const out: Record<number, number> = {};
  for (let v = 0; v < c.shape.vertices; v++) {
    const n = valenceOf(c.shape, v);
    if (c.shape.twin[c.shape.out[v]] >= 0 && n !== 4) out[n] = (out[n] ?? 0) + 1;
  }
  return out;
};
const numbers = (c: Cage) => [c.shape.vertices, c.shape.edges, c.shape.faces, bordersOf(c.shape).length];
const all: [string, () => Cage, number[], Record<number, number>][] = [
  ['grid', () => gridStart({ width: 30, depth: 20, across: 3, along: 2 }), [12, 17, 6, 1], {}],
  ['disc', () => discStart({ radius: 10, quarter: 2, rings: 2, ...round }), [25, 44, 20, 1], { 3: 4 }],
  ['disc, opened', () => discStart({ radius: 10, quarter: 2, rings: 1, opening: 180 }), [11, 18, 8, 1], {}],
  ['ring', () => ringStart({ outer: 10, inner: 6, segments: 8, rings: 2, ...round }), [24, 40, 16, 2], {}],
  ['ring, opened', () => ringStart({ outer: 10, inner: 6, segments: 4, rings: 1, opening: 90 }), [10, 13, 4, 1], {}],
  ['triangle', () => triangleStart({ side: 12, segments: 2 }), [19, 30, 12, 1], { 3: 1 }],
  ['box', () => boxStart({ width: 4, depth: 6, height: 8, across: 1, along: 2, up: 3, taper: 1 }), [24, 44, 22, 0], { 3: 8 }],
  ['ball', () => ballStart({ radius: 10, segments: 3, ...round }), [56, 108, 54, 0], { 3: 8 }],
  ['ball, opened', () => ballStart({ radius: 10, segments: 2, opening: 90 }), [11, 18, 8, 1], {}],
  [
    'cylinder',
    () => cylinderStart({ radius: 5, height: 9, segments: 8, up: 2, taper: 1, caps: true, rings: 1, ...round }),
    [42, 80, 40, 0],
    { 3: 8 },
  ],
  [
    'cylinder with caps of one face',
    () => cylinderStart({ radius: 5, height: 9, segments: 6, up: 2, taper: 0.5, caps: true, rings: 1, ...round }),
    [18, 30, 14, 0],
    { 3: 12 },
  ],
  [
    'cylinder, open',
    () => cylinderStart({ radius: 5, height: 9, segments: 8, up: 2, taper: 1, caps: false, rings: 1, ...round }),
    [24, 40, 16, 2],
    {},
  ],
  [
    'cone',
    () => cylinderStart({ radius: 5, height: 9, segments: 8, up: 2, taper: 0, caps: true, rings: 1, ...round }),
    [26, 52, 28, 0],
    { 3: 4, 8: 1 },
  ],
  ['torus', () => torusStart({ radius: 20, tube: 6, segments: 8, across: 5, ...round }), [40, 80, 40, 0], {}],
  ['torus, opened', () => torusStart({ radius: 20, tube: 6, segments: 6, across: 5, opening: 200 }), [35, 65, 30, 2], {}],
];

describe('starts', () => {
  it.each(all)(
    '%s: one part with the vertices, edges, faces, borders and poles it must have; names are unique',
    (_, make, counts, wanted) => {
      const c = make();
      expect(numbers(c)).toEqual(counts);
      expect(poles(c)).toEqual(wanted);
      expect(partsOf(c.shape).length).toBe(1);
      expect(new Set(c.vertexNames).size).toBe(c.shape.vertices);
      expect(new Set(c.faceNames).size).toBe(c.shape.faces);
      expect(bordersOf(c.shape).length || measured(c).volume > 0).toBeTruthy();
    },
  );
  it('have the sizes that were asked', () => {
    expect(measured(boxStart({ width: 4, depth: 6, height: 8, across: 2, along: 2, up: 2, taper: 1 })).volume).toBeCloseTo(192, 12);
    // a frustum: h/3 (A + B + sqrt(AB))
    expect(measured(boxStart({ width: 4, depth: 6, height: 8, across: 2, along: 2, up: 4, taper: 0.5 })).volume).toBeCloseTo(
      (8 / 3) * (24 + 6 + 12),
      12,
    );
    expect(measured(gridStart({ width: 30, depth: 20, across: 4, along: 3 })).area).toBeCloseTo(600, 12);
    expect(measured(triangleStart({ side: 12, segments: 3 })).area).toBeCloseTo(36 * Math.sqrt(3), 12);
    // polygons of n corners in place of circles
    const gon = (n: number, r: number) => (n / 2) * r * r * Math.sin((2 * Math.PI) / n);
    expect(measured(discStart({ radius: 10, quarter: 3, rings: 2, ...round })).area).toBeCloseTo(gon(12, 10), 10);
    expect(measured(ringStart({ outer: 10, inner: 6, segments: 12, rings: 2, ...round })).area).toBeCloseTo(gon(12, 10) - gon(12, 6), 10);
    expect(
      measured(cylinderStart({ radius: 5, height: 9, segments: 16, up: 2, taper: 1, caps: true, rings: 1, ...round })).volume,
    ).toBeCloseTo(9 * gon(16, 5), 10);
    expect(
      measured(cylinderStart({ radius: 5, height: 9, segments: 12, up: 3, taper: 0, caps: true, rings: 1, ...round })).volume,
    ).toBeCloseTo(3 * gon(12, 5), 10);
  });
  it('a vertex keeps its name when segments double', () => {
    expect([share(0, 4), share(1, 4), share(2, 4), share(4, 4), share(2, 8)]).toEqual(['0', '1/4', '1/2', '1', '1/4']);
    const [a, b] = [
      boxStart({ width: 4, depth: 6, height: 8, across: 1, along: 2, up: 3, taper: 1 }),
      boxStart({ width: 4, depth: 6, height: 8, across: 2, along: 4, up: 6, taper: 1 }),
    ];
    for (const [v, name] of a.vertexNames.entries()) {
      const w = b.vertexNames.indexOf(name);
      expect([...b.points.subarray(3 * w, 3 * w + 3)]).toEqual([...a.points.subarray(3 * v, 3 * v + 3)]);
    }
  });
  it('sizes of the smooth surface: limits stand where the vertices stood, within 1e-10 mm', () => {
    for (const [name, make] of all) {
      const c = make();
      const fitted = limitThrough(c, 1e-10);
      if (!fitted) throw new Error(name);
      for (let v = 0; v < c.shape.vertices; v++) {
        const { point } = vertexLimit(fitted, v);
        for (let k = 0; k < 3; k++) expect(Math.abs(point[k] - c.points[3 * v + k])).toBeLessThan(1e-10);
      }
    }
    // a ball of 24 quads through 26 places of it: off by less than a hundredth between them
    let level: Refinable = limitThrough(ballStart({ radius: 10, segments: 2, ...round }), 1e-12) as Cage;
    const base = level;
    for (let k = 0; k < 5; k++) level = refine(level);
    let off = 0;
    for (let v = 0; v < level.shape.vertices; v += 7) off = Math.max(off, Math.abs(Math.hypot(...vertexLimit(level, v).point) - 10));
    expect(off).toBeLessThan(0.15);
    expect(base.points).not.toEqual(ballStart({ radius: 10, segments: 2, ...round }).points);
  });
});
