import { describe, expect, it } from 'vitest';
import { massProperties } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { distance, frameFromNormal, type Vec3, WORLD } from '../math/index.ts';
import {
  arcLength,
  circleCurve,
  domain,
  ellipseArc,
  endPoint,
  lineCurve,
  type NurbsCurve,
  planeSurface,
  pointAt,
  revolvedSurface,
  startPoint,
} from '../nurbs/index.ts';
import { IgesSheet, readIges } from './index.ts';

const read = async (s: IgesSheet) => {
  const r = await readIges(s.bytes(), kernel, 'part');
  if (!r.ok) throw new Error(r.message);
  return r;
};
const [A, B, C] = [20, 30, 40];
/** Sides of a block as frames, with their widths and heights; z outwards. */
const sides: [Vec3, Vec3, Vec3, number, number][] = [
  [[0, 0, 0], [0, 0, -1], [0, 1, 0], B, A],
  [[0, 0, C], [0, 0, 1], [1, 0, 0], A, B],
  [[0, 0, 0], [0, -1, 0], [1, 0, 0], A, C],
  [[0, B, 0], [0, 1, 0], [0, 0, 1], C, A],
  [[0, 0, 0], [-1, 0, 0], [0, 0, 1], C, B],
  [[A, 0, 0], [1, 0, 0], [0, 1, 0], B, C],
];
const corners = (w: number, h: number): Vec3[] => [
  [0, 0, 0],
  [w, 0, 0],
  [w, h, 0],
  [0, h, 0],
];
const inSpace = (f: ReturnType<typeof frameFromNormal>, p: Vec3): Vec3 =>
  [0, 1, 2].map((k) => f.origin[k] + p[0] * f.x[k] + p[1] * f.y[k]) as unknown as Vec3;

describe('IGES skins', () => {
  it('trimmed patches with images become a solid, in millimetres, with colours', async () => {
    const s = new IgesSheet(1);
    const red = s.add(314, [100, 0, 0], { status: '00000200' });
    for (const [o, z, x, w, h] of sides) {
      const f = frameFromNormal(o, z, x);
      const surface = s.surface(planeSurface(f, -5, w + 5, -5, h + 5));
      const ring = corners(w, h);
      const images = ring.map((p, i) => s.curve(lineCurve(p, ring[(i + 1) % 4]), true));
      const curves = ring.map((p, i) => s.curve(lineCurve(inSpace(f, p), inSpace(f, ring[(i + 1) % 4]))));
      s.add(144, [surface, 1, 0, s.loop(surface, images, curves)], { colour: -red });
    }
    const r = await read(s);
    expect(r.unit).toBe('in');
    expect(r.notes).toEqual([]);
    expect(r.parts.length).toBe(1);
    const { body } = r.parts[0];
    expect([body.solids.length, body.faces.length, body.edges.length, body.vertices.length]).toEqual([1, 6, 12, 8]);
    expect(massProperties(body).volume / (A * B * C * 25.4 ** 3)).toBeCloseTo(1, 12);
    expect(body.faces.every((f) => f.colour === '#ff0000')).toBe(true);
  });
  it('a plane with a round hole cut by images alone', async () => {
    const s = new IgesSheet();
    const surface = s.surface(planeSurface(WORLD, -20, 20, -10, 10));
    const ring = corners(30, 16).map(([x, y]): Vec3 => [x - 15, y - 8, 0]);
    const outer = s.loop(
      surface,
      ring.map((p, i) => s.curve(lineCurve(p, ring[(i + 1) % 4]), true)),
      [],
    );
    const inner = s.loop(surface, [s.curve(circleCurve({ ...WORLD, origin: [4, 1, 0] }, 5), true)], []);
    s.add(144, [surface, 1, 1, outer, inner]);
    const r = await read(s);
    expect(massProperties(r.parts[0].body).area).toBeCloseTo(480 - 25 * Math.PI, 4);
    expect(r.parts[0].body.faces[0].loops.length).toBe(2);
  });
  it('a can of a turned surface, and flat lids bounded by arcs under a matrix', async () => {
    const [radius, height] = [7, 25];
    const s = new IgesSheet();
    const axis = s.curve(lineCurve([0, 0, 0], [0, 0, 1]));
    s.add(120, [axis, s.curve(lineCurve([radius, 0, 0], [radius, 0, height])), 0, 2 * Math.PI]);
    for (const z of [0, height]) {
      const plane = s.add(108, [0, 0, 1, z, 0, 0, 0, 0, 0], { status: '00010000' });
      const matrix = s.add(124, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, z]);
      const circle = s.add(100, [0, 0, 0, radius, 0, radius, 0], { matrix, status: '00010000' });
      s.add(144, [plane, 1, 0, s.loop(plane, [], [circle])]);
    }
    const r = await read(s);
    expect(r.parts.map((p) => p.body.solids.length)).toEqual([1]);
    expect(massProperties(r.parts[0].body).volume / (Math.PI * radius ** 2 * height)).toBeCloseTo(1, 7);
  });
  it('boundaries given in space alone find their images on a curved patch', async () => {
    const s = new IgesSheet();
    const [r0, a0, a1] = [12, 0.3, 1.4];
    const surface = s.surface(revolvedSurface(lineCurve([r0, 0, -5], [r0, 0, 30]), [0, 0, 0], [0, 0, 1], 0, Math.PI));
    const at = (a: number, z: number): Vec3 => [r0 * Math.cos(a), r0 * Math.sin(a), z];
    const arc = (z: number) => ellipseArc({ ...WORLD, origin: [0, 0, z] }, r0, r0, a0, a1);
    const loop = s.add(
      141,
      [
        0,
        2,
        surface,
        4,
        s.curve(arc(0)),
        1,
        0,
        s.curve(lineCurve(at(a1, 0), at(a1, 20))),
        1,
        0,
        s.curve(arc(20)),
        2,
        0,
        s.curve(lineCurve(at(a0, 20), at(a0, 0))),
        1,
        0,
      ],
      {
        status: '00010000',
      },
    );
    s.add(143, [0, surface, 1, loop]);
    const r = await read(s);
    expect(r.notes).toEqual([]);
    expect(massProperties(r.parts[0].body).area).toBeCloseTo(r0 * (a1 - a0) * 20, 4);
  });
  it('a shell with shared edges, and a whole patch placed twice', async () => {
    const s = new IgesSheet();
    const points = [0, 1, 2, 3, 4, 5, 6, 7].map((i): Vec3 => [i & 1 ? A : 0, i & 2 ? B : 0, i & 4 ? C : 0]);
    const vertices = s.add(502, [8, ...points.flat()], { form: 1, status: '00010000' });
    const pairs = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) => [1, 2, 4].filter((b) => !(i & b)).map((b) => [i, i | b]));
    const edges = s.add(
      504,
      [12, ...pairs.flatMap(([a, b]) => [s.curve(lineCurve(points[a], points[b])), vertices, a + 1, vertices, b + 1])],
      { form: 1, status: '00010000' },
    );
    const rings = [
      [0, 2, 3, 1],
      [4, 5, 7, 6],
      [0, 1, 5, 4],
      [2, 6, 7, 3],
      [0, 4, 6, 2],
      [1, 3, 7, 5],
    ];
    const faces = rings.map((ring) => {
      const uses = ring.flatMap((a, i) => {
        const b = ring[(i + 1) % 4];
        const k = pairs.findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a));
        return [0, edges, k + 1, pairs[k][0] === a ? 1 : 0, 0];
      });
      const loop = s.add(508, [4, ...uses], { form: 1, status: '00010000' });
      const location = s.add(116, [...points[ring[0]], 0], { status: '00010000' });
      const [p, q, t] = [points[ring[0]], points[ring[1]], points[ring[2]]];
      const n = [0, 1, 2].map(
        (k) =>
          (q[(k + 1) % 3] - p[(k + 1) % 3]) * (t[(k + 2) % 3] - p[(k + 2) % 3]) -
          (q[(k + 2) % 3] - p[(k + 2) % 3]) * (t[(k + 1) % 3] - p[(k + 1) % 3]),
      );
      const plane = s.add(190, [location, s.add(123, n, { status: '00010000' }), 0], { status: '00010000' });
      return s.add(510, [plane, 1, 1, loop], { form: 1, status: '00010000' });
    });
    const shell = s.add(514, [6, ...faces.flatMap((f) => [f, 1])], { form: 1, status: '00010000' });
    s.add(186, [shell, 1, 0]);
    const patch = s.surface(planeSurface(WORLD, 0, 10, 0, 10));
    const group = s.add(308, [0, '3Hpad', 1, patch], { status: '00000200' });
    s.add(408, [group, 100, 0, 0, 1]);
    s.add(408, [group, 200, 0, 0, 2]);
    const r = await read(s);
    expect(r.parts.map((p) => p.body.solids.length)).toEqual([1, 0, 0]);
    expect(massProperties(r.parts[0].body).volume).toBeCloseTo(A * B * C, 6);
    expect(r.parts.slice(1).map((p) => Math.round(massProperties(p.body).area))).toEqual([100, 400]);
  });
});

describe('IGES curves', () => {
  it('arcs, lines, polylines, chains, cubics and conics, exactly', async () => {
    const s = new IgesSheet();
    s.add(100, [3, 1, 2, 6, 2, 1, 7]); // a quarter of radius 5 about (1, 2, 3)
    s.add(106, [2, 3, 0, 0, 0, 3, 4, 0, 3, 4, 12], { form: 12 });
    const parts = [s.curve(lineCurve([0, 0, 0], [10, 0, 0])), s.add(110, [10, 0, 0, 10, 5, 0], { status: '00010000' })];
    s.add(102, [2, ...parts]);
    s.add(112, [3, 0, 3, 1, 0, 2, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0.5]); // x = 1 + t, y = t², z = t³/2 for t in 0..2
    s.add(104, [1 / 9, 0, 1 / 4, 0, 0, -1, 0, 3, 0, -3, 0], { form: 1 }); // upper half of an ellipse 3 x 2
    s.add(104, [1, 0, 0, 0, -1, 0, 0, -2, 4, 2, 4], { form: 3 }); // y = x²
    s.add(104, [1, 0, -1, 0, 0, -1, 0, Math.cosh(1), -Math.sinh(1), Math.cosh(1), Math.sinh(1)], { form: 2 }); // x² - y² = 1
    s.add(116, [7, 8, 9, 0]);
    const r = await read(s);
    expect(r.notes).toEqual([]);
    const [arc, poly, chain, cubic, ellipse, parabola, hyperbola] = r.curves.map((c) => c.curves);
    expect(arcLength(arc[0])).toBeCloseTo((5 * Math.PI) / 2, 10);
    expect(distance(endPoint(arc[0]), [1, 7, 3])).toBeLessThan(1e-12);
    expect(arcLength(poly[0])).toBeCloseTo(17, 12);
    expect(chain.length).toBe(2);
    const along = (c: NurbsCurve, off: (p: Vec3) => number) =>
      Math.max(...Array.from({ length: 41 }, (_, i) => Math.abs(off(pointAt(c, domain(c)[0] + ((domain(c)[1] - domain(c)[0]) * i) / 40)))));
    expect(along(cubic[0], (p) => p[1] - (p[0] - 1) ** 2)).toBeLessThan(1e-12);
    expect(along(cubic[0], (p) => p[2] - (p[0] - 1) ** 3 / 2)).toBeLessThan(1e-12);
    expect(distance(endPoint(cubic[0]), [3, 4, 4])).toBeLessThan(1e-12);
    expect(along(ellipse[0], (p) => p[0] ** 2 / 9 + p[1] ** 2 / 4 - 1)).toBeLessThan(1e-12);
    expect(along(ellipse[0], (p) => Math.min(0, p[1] + 1e-9))).toBe(0);
    expect(along(parabola[0], (p) => p[1] - p[0] ** 2)).toBeLessThan(1e-11);
    expect(along(hyperbola[0], (p) => p[0] ** 2 - p[1] ** 2 - 1)).toBeLessThan(1e-11);
    expect(distance(startPoint(hyperbola[0]), [Math.cosh(1), -Math.sinh(1), 0])).toBeLessThan(1e-12);
    expect(r.points).toEqual([[7, 8, 9]]);
  });
});

describe('IGES files that are not whole', () => {
  const said = async (data: Uint8Array) => {
    const r = await readIges(data, kernel);
    return r.ok ? r.notes.join('; ') : r.message;
  };
  const plain = () => {
    const s = new IgesSheet();
    s.add(110, [0, 0, 0, 1, 0, 0]);
    return s;
  };
  it('say what is wrong and keep what is good', async () => {
    const whole = plain().bytes();
    expect(await said(whole)).toBe('');
    expect(await said(whole.slice(0, -82))).toMatch(/cut off/);
    expect(await said(new TextEncoder().encode('ISO-10303-21;'))).toMatch(/not an IGES file/);
    const torn = plain();
    torn.add(144, [999, 1, 0, 998]);
    torn.add(128, [1, 1, 1]);
    torn.add(140, [0, 0, 1, 2, 3]);
    torn.add(110, [0, 0, 0, 1, 0, 0], { status: '01000000' });
    expect(await said(torn.bytes())).toMatch(
      /2 entities could not be read and were left out; the first: entity 999 is not in the file; 1 hidden entities were left out; 1 of type 140 \(offset surface\) were passed over/,
    );
    const open = plain();
    const surface = open.surface(planeSurface(WORLD, 0, 9, 0, 9));
    const gap = [lineCurve([1, 1, 0], [5, 1, 0]), lineCurve([5, 1, 0], [5, 5, 0]), lineCurve([5, 5.5, 0], [1, 1, 0])].map((c) =>
      open.curve(c, true),
    );
    open.add(144, [surface, 1, 0, open.loop(surface, gap, [])]);
    expect(await said(open.bytes())).toMatch(/boundary of face1 is open by 0.5/);
    const beyond = plain();
    const corners: [number, number, number][] = [
      [1, 1, 0],
      [9.4, 1, 0],
      [5, 5, 0],
    ];
    const round = corners.map((c, i) => beyond.curve(lineCurve(c, corners[(i + 1) % 3]), true));
    const small = beyond.surface(planeSurface(WORLD, 0, 9, 0, 9));
    beyond.add(144, [small, 1, 0, beyond.loop(small, round, [])]);
    // it is not cut off where the surface ends: that would be another face
    expect(await said(beyond.bytes())).toMatch(/boundary of face1.e0 runs 0.400 mm beyond the end of its surface/);
  });
});
