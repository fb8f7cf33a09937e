import { describe, expect, it } from 'vitest';
import { type Body, BodyBuilder, faceNormal, flatBody, surfaceBody } from '../brep/index.ts';
import { cross, DEG, distance, dot, type Frame, frameFromNormal, length, scale, sub, unit, type Vec3, WORLD } from '../math/index.ts';
import {
  arcLength,
  circleCurve,
  closestOnSurface,
  derivativesAt,
  domain,
  extrudedSurface,
  lineCurve,
  type NurbsCurve,
  pointAt,
  polylineCurve,
  reverseCurve as reverse,
  revolvedSurface,
  surfacePoint,
} from '../nurbs/index.ts';
import {
  clipToFace,
  intersection,
  type OffsetOnFace,
  type OnSkin,
  offsetOnFace,
  outline,
  planeSection,
  projectAlong,
  pull,
  sectionArray,
  splineOnFace,
} from './index.ts';

const bodyOf = (s: Parameters<typeof surfaceBody>[0], name = 's'): Body =>
  surfaceBody(s, { prefix: name, face: () => name }, new BodyBuilder()).body;
const sphere = (r: number): Body =>
  bodyOf(
    revolvedSurface(
      circleCurve(frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]), r, -Math.PI / 2, Math.PI / 2),
      [0, 0, 0],
      [0, 0, 1],
      0,
      2 * Math.PI,
    ),
  );
const torus = (R: number, r: number): Body =>
  bodyOf(revolvedSurface(circleCurve(frameFromNormal([R, 0, 0], [0, -1, 0], [1, 0, 0]), r), [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI));
const cylinder = (r: number, f: Frame, h: number): Body =>
  bodyOf(
    extrudedSurface(circleCurve({ ...f, origin: sub(f.origin, [(f.z[0] * h) / 2, (f.z[1] * h) / 2, (f.z[2] * h) / 2]) }, r), [
      f.z[0] * h,
      f.z[1] * h,
      f.z[2] * h,
    ]),
  );
const along = (r: OnSkin, test: (p: Vec3, tangent: Vec3) => number): number => {
  let worst = 0;
  for (const chain of r.chains)
    for (const c of chain.curves) {
      const [a, b] = domain(c);
      for (let k = 0; k <= 97; k++) {
        const p = pointAt(c, a + ((b - a) * k) / 97);
        worst = Math.max(worst, Math.abs(test(p, [0, 0, 0])));
      }
    }
  return worst;
};
const total = (r: OnSkin) => r.chains.reduce((s, c) => s + c.curves.reduce((t, x: NurbsCurve) => t + arcLength(x), 0), 0);
const torusAt = (R: number, r: number) => (p: Vec3) => Math.hypot(Math.hypot(p[0], p[1]) - R, p[2]) - r;

describe('plane sections', () => {
  it('a sphere: circles of the right length, on sphere and plane, at few points', () => {
    const s = sphere(20);
    for (const [z, tilt] of [
      [0.7, 0],
      [11, 20],
      [-15, 63],
    ]) {
      const f = frameFromNormal([0, 0, z], [Math.sin(tilt * DEG), 0, Math.cos(tilt * DEG)]);
      const r = planeSection(s, f);
      const h = z * Math.cos(tilt * DEG);
      expect(r.chains.length).toBe(1);
      expect(r.chains[0].closed).toBe(true);
      expect(along(r, (p) => length(p) - 20)).toBeLessThan(1e-5);
      expect(along(r, (p) => dot(sub(p, f.origin), f.z))).toBeLessThan(1e-5);
      expect(total(r)).toBeCloseTo(2 * Math.PI * Math.sqrt(400 - h * h), 3);
      expect(r.points).toBeLessThan(90);
    }
  });
  it('a torus: ovals on torus and plane near the bitangent plane, two circles across the axis', () => {
    const t = torus(20, 6);
    const tilt = Math.asin(6 / 20) - 0.02;
    const r = planeSection(t, frameFromNormal([0, 0, 0], [Math.sin(tilt), 0, Math.cos(tilt)]));
    expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
    expect(r.chains.length).toBe(2);
    expect(r.chains.every((c) => c.closed)).toBe(true);
    const side = planeSection(t, frameFromNormal([0, 0, 1], [0, 0, 1]));
    expect(side.chains.length).toBe(2);
    expect(total(side)).toBeCloseTo(2 * Math.PI * 2 * 20, 3);
  });
  it('along lines of the surface they are those lines: planes through the poles, of the seam, across the axis, and touching along the top', () => {
    const s = sphere(10);
    for (const [z, n] of [
      [
        [0, 0, 0],
        [0, 1, 0],
      ],
      [
        [0, 0, 0],
        [1, 1, 0],
      ],
      [
        [0, 0, 3],
        [0, 0, 1],
      ],
    ] as [Vec3, Vec3][]) {
      const f = frameFromNormal(z, n);
      const r = planeSection(s, f);
      expect(r.chains.length).toBe(1);
      expect(r.chains[0].closed).toBe(true);
      expect(r.points).toBeLessThan(12);
      expect(along(r, (p) => length(p) - 10)).toBeLessThan(1e-12);
      expect(along(r, (p) => dot(sub(p, f.origin), f.z))).toBeLessThan(1e-12);
      expect(total(r)).toBeCloseTo(2 * Math.PI * Math.sqrt(100 - z[2] ** 2), 9);
    }
    for (const [z, radius] of [
      [5.334462374215946, 19.18694957275875],
      [-5.334462374215946, 19.18694957275875],
    ]) {
      const top = planeSection(torus(19.18694957275875, 5.334462374215946), frameFromNormal([0, 0, z], [0, 0, 1]));
      expect(top.chains.length).toBe(1);
      expect(total(top)).toBeCloseTo(2 * Math.PI * radius, 9);
    }
    // a cylinder along the line in which the plane touches it
    const line = planeSection(cylinder(10, WORLD, 20), frameFromNormal([6, 8, 0], [0.6, 0.8, 0]));
    expect(total(line)).toBeCloseTo(20, 9);
    expect(along(line, (p) => Math.hypot(p[0] - 6, p[1] - 8))).toBeLessThan(1e-6);
  });
  it('a plane that touches a torus in two places gives two whole circles, whatever the seam', () => {
    const t = torus(20, 6);
    for (let k = 0; k < 12; k++) {
      const phi = (k * Math.PI) / 6 + (k % 3) * 0.1;
      const r = planeSection(t, frameFromNormal([0, 0, 0], [-0.3 * Math.cos(phi), -0.3 * Math.sin(phi), Math.sqrt(1 - 0.09)]));
      expect(r.chains.length).toBe(2);
      for (const c of r.chains) {
        expect(c.closed).toBe(true);
        expect(c.curves.reduce((s, x) => s + arcLength(x), 0)).toBeCloseTo(2 * Math.PI * 20, 4);
      }
      expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
      expect(r.points).toBeLessThan(150);
    }
  });
  it('a plane that touches the inside of a torus gives the eight', () => {
    const r = planeSection(torus(20, 6), frameFromNormal([14, 0, 0], [1, 0, 0]));
    expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
    expect(along(r, (p) => p[0] - 14)).toBeLessThan(1e-5);
    // the eight in the plane x = 14, by chords over the angle round the tube
    let sum = 0;
    let last: [number, number] | undefined;
    for (let i = 0; i <= 400000; i++) {
      const a = (2 * Math.PI * i) / 400000;
      const rho = 20 + 6 * Math.cos(a);
      const y = Math.sqrt(Math.max(0, rho * rho - 196));
      const p: [number, number] = [y, 6 * Math.sin(a)];
      if (last) sum += Math.hypot(p[0] - last[0], p[1] - last[1]);
      last = p;
    }
    expect(total(r)).toBeCloseTo(2 * sum, 3);
  });
  it('an array of sections keeps its spacing', () => {
    const list = sectionArray(sphere(20), frameFromNormal([0, 0, -15], [0, 0, 1]), 7, 5);
    expect(list.map((x) => x.offset)).toEqual([0, 5, 10, 15, 20, 25, 30]);
    list.forEach((x, i) => {
      const z = -15 + 5 * i;
      expect(total(x.section)).toBeCloseTo(2 * Math.PI * Math.sqrt(400 - z * z), 2);
    });
  });
});

describe('outline', () => {
  it('of a sphere is the great circle across the direction', () => {
    for (const d of [
      [0, 0, 1],
      [1, 2, 3],
      [-1, 0.2, 0.1],
    ] as Vec3[]) {
      const r = outline(sphere(20), d);
      expect(along(r, (p) => dot(p, unit(d)))).toBeLessThan(1e-5);
      expect(along(r, (p) => length(p) - 20)).toBeLessThan(1e-5);
      expect(total(r)).toBeCloseTo(2 * Math.PI * 20, 3);
    }
  });
  it.each([0, 5, 30, 60, 85])('of a torus tilted by %i degrees is complete and exact', (tilt) => {
    const d: Vec3 = [Math.sin(tilt * DEG), 0, Math.cos(tilt * DEG)];
    const r = outline(torus(20, 6), d);
    expect(r.chains.length).toBe(2);
    expect(r.chains.every((c) => c.closed)).toBe(true);
    expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
    // the normal of a torus points from the core circle
    const off = along(r, (p) => {
      const l = Math.hypot(p[0], p[1]);
      return dot(unit(sub(p, [(20 * p[0]) / l, (20 * p[1]) / l, 0])), d);
    });
    expect(off).toBeLessThan(1e-5);
  });
  it.each([0, 33, 90])(
    'of a torus seen from the side, where its branches cross, is complete: two rings and two rounds (turned by %i degrees)',
    (turn) => {
      const d: Vec3 = [Math.cos(turn * DEG), Math.sin(turn * DEG), 0];
      const r = outline(torus(20, 6), d);
      expect(r.chains.every((c) => c.closed)).toBe(true);
      expect(total(r)).toBeCloseTo(2 * (2 * Math.PI * 20 + 2 * Math.PI * 6), 3);
      expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
      // on one of the rings at the top and the bottom, or on one of the two rounds
      expect(along(r, (p) => Math.min(Math.hypot(Math.abs(p[2]) - 6, Math.hypot(p[0], p[1]) - 20), Math.abs(dot(p, d))))).toBeLessThan(
        1e-5,
      );
    },
  );
  it('takes sharp edges where the faces look to different sides', () => {
    // a closed cylinder seen along its own axis: its side is the outline as a whole, its rims when they are wanted
    const tube = cylinder(5, WORLD, 10);
    const r = outline(tube, [1, 0, 0], { rims: false });
    expect(total(r)).toBeCloseTo(20, 4);
    expect(along(r, (p) => p[0])).toBeLessThan(1e-5);
  });
});

describe('projection along a direction', () => {
  it('a circle onto a sphere: near, far and both', () => {
    const s = sphere(20);
    const c = circleCurve(frameFromNormal([3, 1, 50], [0, 0, 1]), 8);
    const near = projectAlong(s, c, [0, 0, -1], 'near');
    const far = projectAlong(s, c, [0, 0, -1], 'far');
    const both = projectAlong(s, c, [0, 0, -1], 'both');
    for (const r of [near, far]) {
      expect(r.chains.length).toBe(1);
      expect(r.chains[0].closed).toBe(true);
      expect(along(r, (p) => length(p) - 20)).toBeLessThan(1e-5);
      expect(along(r, (p) => Math.hypot(p[0] - 3, p[1] - 1) - 8)).toBeLessThan(1e-5);
    }
    expect(pointAt(near.chains[0].curves[0], 0)[2]).toBeGreaterThan(0);
    expect(pointAt(far.chains[0].curves[0], 0)[2]).toBeLessThan(0);
    expect(both.chains.length).toBe(2);
    expect(near.points).toBeLessThan(80);
  });
  it('an open line onto a torus ends exactly where the line ends', () => {
    const t = torus(20, 6);
    const line = lineCurve([16, -4, 40], [23, 5, 40]);
    const r = projectAlong(t, line, [0, 0, 1], 'near');
    expect(r.chains.length).toBe(1);
    expect(r.chains[0].closed).toBe(false);
    const first = r.chains[0].curves[0];
    const last = r.chains[0].curves[r.chains[0].curves.length - 1];
    const ends = [pointAt(first, domain(first)[0]), pointAt(last, domain(last)[1])];
    for (const e of ends) expect(Math.min(Math.hypot(e[0] - 16, e[1] + 4), Math.hypot(e[0] - 23, e[1] - 5))).toBeLessThan(1e-6);
    expect(ends.every((e) => e[2] > 0)).toBe(true);
    expect(along(r, torusAt(20, 6))).toBeLessThan(1e-5);
    const n = unit(cross([7, 9, 0], [0, 0, 1]));
    expect(along(r, (p) => dot(sub(p, [16, -4, 0]), n))).toBeLessThan(1e-5);
  });
  it('a line longer than the body gives the part that falls on it', () => {
    const r = projectAlong(sphere(20), lineCurve([-50, 2, 60], [50, 2, 60]), [0, 0, -1], 'near');
    expect(total(r)).toBeCloseTo(Math.PI * Math.sqrt(396), 2);
  });
  it('a corner of the curve stays a corner of the projection', () => {
    const v = polylineCurve([
      [-6, 0, 40],
      [0, 5, 40],
      [6, 0, 40],
    ]);
    const r = projectAlong(sphere(20), v, [0, 0, 1], 'near');
    expect(along(r, (p) => Math.abs(p[1] - (5 - (5 * Math.abs(p[0])) / 6)))).toBeLessThan(2e-5);
    expect(along(r, (p) => length(p) - 20)).toBeLessThan(1e-5);
  });
});

describe('intersection of skins', () => {
  it('two cylinders crossing at right angles', () => {
    const a = cylinder(10, WORLD, 60);
    const b = cylinder(6, frameFromNormal([0, 0, 0], [1, 0, 0]), 60);
    const r = intersection(a, b);
    expect(r.chains.length).toBe(2);
    expect(r.chains.every((c) => c.closed)).toBe(true);
    expect(along(r, (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    expect(along(r, (p) => Math.hypot(p[1], p[2]) - 6)).toBeLessThan(1e-5);
    expect(r.points).toBeLessThan(90);
    expect(intersection(a, b, 1e-6).points).toBeLessThan(98);
    // the same from the other side
    expect(total(intersection(b, a))).toBeCloseTo(total(r), 4);
  });
  it('two cylinders of one radius: two whole ellipses that cross, whatever the seams', () => {
    for (const turn of [0, 0.3, Math.PI / 2]) {
      const x: Vec3 = [Math.cos(turn), Math.sin(turn), 0];
      const r = intersection(cylinder(10, WORLD, 60), cylinder(10, frameFromNormal([0, 0, 0], x), 60));
      expect(r.chains.map((c) => c.closed)).toEqual([true, true]);
      // circumference of the ellipse with half axes 10 and 10·√2, by its series
      const h = ((Math.SQRT2 - 1) / (Math.SQRT2 + 1)) ** 2;
      const around = 10 * Math.PI * (1 + Math.SQRT2) * (1 + h / 4 + h ** 2 / 64 + h ** 3 / 256 + (25 * h ** 4) / 16384);
      for (const c of r.chains) expect(c.curves.reduce((s, k) => s + arcLength(k), 0)).toBeCloseTo(around, 4);
      expect(along(r, (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(5e-6);
      expect(along(r, (p) => Math.hypot(dot(p, [-x[1], x[0], 0]), p[2]) - 10)).toBeLessThan(5e-6);
      expect(r.points).toBeLessThan(120);
    }
  });
  it('skins that touch along a curve give that curve: a ball in a tube', () => {
    const r = intersection(cylinder(10, WORLD, 60), sphere(10));
    expect(r.chains.length).toBe(1);
    expect(total(r)).toBeCloseTo(2 * Math.PI * 10, 5);
    expect(along(r, (p) => p[2])).toBeLessThan(1e-6);
  });
  it('ends at the rim of the smaller skin', () => {
    const a = sphere(20);
    const strip = bodyOf(extrudedSurface(lineCurve([0, -5, 0], [0, 5, 0]), [0, 0, 40]));
    const r = intersection(a, strip);
    expect(total(r)).toBeCloseTo(2 * 20 * Math.asin(0.25), 4);
    const first = r.chains[0].curves[0];
    expect(Math.abs(pointAt(first, domain(first)[0])[1])).toBeCloseTo(5, 5);
  });
  it('skins that do not meet give nothing', () =>
    expect(intersection(sphere(5), cylinder(2, frameFromNormal([20, 0, 0], [0, 0, 1]), 4)).chains).toEqual([]));
});

it('chains meet end to end within the tolerance they were made with', () => {
  const r = outline(torus(20, 6), [1, 0, 0.3]);
  for (const c of r.chains)
    for (let i = 0; i + 1 < c.curves.length; i++) {
      const [x, y] = [c.curves[i], c.curves[i + 1]];
      expect(distance(pointAt(x, domain(x)[1]), pointAt(y, domain(y)[0]))).toBeLessThan(1e-5 * 60);
    }
});

describe('along the normals', () => {
  it('a circle above a sphere is pulled to the parallel below it; the far side is its image through the middle', () => {
    const s = sphere(20);
    const c = circleCurve(frameFromNormal([0, 0, 30], [0, 0, 1]), 15);
    const near = pull(s, c, 'near');
    const scaleTo = 20 / Math.hypot(15, 30);
    expect(along(near, (p) => length(p) - 20)).toBeLessThan(1e-5);
    expect(along(near, (p) => p[2] - 30 * scaleTo)).toBeLessThan(1e-5);
    expect(total(near)).toBeCloseTo(2 * Math.PI * 15 * scaleTo, 3);
    const far = pull(s, c, 'far');
    expect(along(far, (p) => p[2] + 30 * scaleTo)).toBeLessThan(1e-5);
  });
  it('round, over and beside a pole the image is whole: near, far and both', () => {
    let state = 7;
    const random = () => (state = (state * 16807) % 2147483647) / 2147483647;
    const list: [number, Vec3, number][] = [
      [30, [2, 0, 50], 8],
      [59.6731467731297, [1.567372623831, -2.106546268302, 76.401979429987], 5.904082775327],
      [30, [8, 0, 50], 8],
      [30, [7.999, 0.3, 50], 8],
      [30, [1e-3, 0, 50], 8],
    ];
    while (list.length < 16) list.push([30, [20 * (random() - 0.5), 20 * (random() - 0.5), 45 + 20 * random()], 2 + 10 * random()]);
    for (const [radius, centre, r] of list) {
      const s = sphere(radius);
      const c = circleCurve(frameFromNormal(centre, [0.1 * random(), 0.1, 1]), r);
      // the image through the middle, by chords
      let true_ = 0;
      let last: Vec3 | undefined;
      for (let i = 0; i <= 20000; i++) {
        const p = pointAt(c, (2 * Math.PI * i) / 20000);
        const q = scale(p, radius / length(p));
        if (last) true_ += distance(q, last);
        last = q;
      }
      for (const side of ['near', 'far', 'both'] as const) {
        const x = pull(s, c, side);
        const name = `${radius} ${centre} ${r} ${side}`;
        expect(x.left, name).toEqual([]);
        expect(x.deviation, name).toBeLessThan(2.5e-6);
        expect(
          x.chains.map((k) => k.closed),
          name,
        ).toEqual(side === 'both' ? [true, true] : [true]);
        expect(total(x) / (side === 'both' ? 2 : 1), name).toBeCloseTo(true_, 4);
        expect(
          along(x, (p) => length(p) - radius),
          name,
        ).toBeLessThan(5e-6);
      }
    }
  });
  it('what no normal meets is told, with its share and place', () => {
    const c = lineCurve([3, 0, 12], [14, 0, 2]);
    const r = pull(cylinder(10, WORLD, 20), c, 'near');
    // the line is above the rim until z = 10, a fifth of its length
    expect(r.left?.length).toBe(1);
    expect(r.left?.[0].share).toBeCloseTo(0.2, 4);
    expect(r.left?.[0].place[2]).toBeCloseTo(11, 3);
  });
  it('onto a cylinder and its lid the pieces meet at the edge', () => {
    const c = lineCurve([3, 0, 12], [14, 0, 2]);
    const r = pull(cylinder(10, WORLD, 20), c, 'near');
    // only the side is there: above it the foot leaves the face at the rim
    expect(along(r, (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    const z = r.chains.flatMap((x) => x.curves).flatMap((x) => [pointAt(x, domain(x)[0])[2], pointAt(x, domain(x)[1])[2]]);
    expect(Math.max(...z)).toBeCloseTo(10, 4);
    expect(Math.min(...z)).toBeCloseTo(2, 6);
  });
});

describe('on a face', () => {
  it('a spline through places stays on the face and goes through them, also over the seam', () => {
    const t = torus(20, 6);
    const at = (a: number, b: number): Vec3 => [
      (20 + 6 * Math.cos(b)) * Math.cos(a),
      (20 + 6 * Math.cos(b)) * Math.sin(a),
      6 * Math.sin(b),
    ];
    const places = [at(-0.4, -0.3), at(-0.1, 0.5), at(0.3, -0.2), at(0.8, 0.4)];
    const r = splineOnFace(t, 0, places, { closed: false, degree: 3, tolerance: 5e-6 });
    if (!r.ok) throw new Error(r.message);
    const one: OnSkin = { chains: [{ curves: [r.curve], closed: false }], points: 0, deviation: 0 };
    expect(along(one, torusAt(20, 6))).toBeLessThan(1e-5);
    for (const p of places) {
      let least = Infinity;
      const [a, b] = domain(r.curve);
      for (let i = 0; i <= 4000; i++) least = Math.min(least, distance(pointAt(r.curve, a + ((b - a) * i) / 4000), p));
      expect(least).toBeLessThan(0.01);
    }
    // across the seam it takes the short way
    expect(arcLength(r.curve)).toBeLessThan(50);
  });
  it('a point off the face says which; the face may change under the points', () => {
    const half = bodyOf(
      revolvedSurface(circleCurve(frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]), 10, 0, 1.2), [0, 0, 0], [0, 0, 1], 0, Math.PI),
    );
    const places: Vec3[] = [
      [0, 10, 1],
      [3, 9, 3],
      [6, 6, 4],
    ];
    const r = splineOnFace(half, 0, places, { closed: false, degree: 3, tolerance: 5e-6 });
    expect(r.ok).toBe(true);
    if (r.ok)
      expect(along({ chains: [{ curves: [r.curve], closed: false }], points: 0, deviation: 0 }, (p) => length(p) - 10)).toBeLessThan(1e-5);
    expect(splineOnFace(half, 0, [places[0], places[0]], { closed: false, degree: 3, tolerance: 5e-6 })).toMatchObject({
      ok: false,
      message: expect.stringContaining('fall together'),
    });
  });
  it('an isoparm is cut to the trims of its face', () => {
    const disc = flatBody([{ outer: [circleCurve(WORLD, 10)], holes: [[circleCurve(WORLD, 4)]] }], WORLD, 'd');
    const line = lineCurve([-10, 0, 0], [10, 0, 0]);
    const s = disc.faces[0].surface;
    const parts = clipToFace(disc, 0, line, (t) => {
      const foot = closestOnSurface(s, pointAt(line, t));
      return [foot.u, foot.v];
    });
    expect(parts.length).toBe(2);
    expect(parts.reduce((x, c) => x + arcLength(c), 0)).toBeCloseTo(12, 2);
  });
});

describe('closed curves on skins', () => {
  it('are as smooth in their join as elsewhere, and have no span without length', () => {
    const tube = cylinder(20, { ...WORLD, origin: [0, 0, 30] }, 60);
    const made = [
      projectAlong(tube, circleCurve(frameFromNormal([0, -40, 30], [0, 1, 0]), 9), [0, 1, 0], 'near'),
      projectAlong(tube, circleCurve(frameFromNormal([8, -40, 30], [0.4, 1, 0.1]), 7), [0.4, 1, 0.1], 'near'),
      planeSection(tube, frameFromNormal([0, 0, 30], [0.2, 0.1, 1])),
      planeSection(sphere(20), frameFromNormal([0, 0, 3], [0.3, 0.2, 1])),
      outline(torus(20, 6), [0.3, 0, 1]),
    ];
    let rings = 0;
    for (const r of made)
      for (const chain of r.chains) {
        if (chain.curves.length > 1 || !chain.closed) continue;
        rings++;
        const [c] = chain.curves;
        const [a, b] = domain(c);
        const knots = [...new Set(c.knots)];
        expect(Math.min(...knots.slice(1).map((k, i) => k - knots[i]))).toBeGreaterThan(1e-6 * (b - a));
        const [start, end] = [derivativesAt(c, a, 2), derivativesAt(c, b, 2)];
        expect(distance(start[0], end[0])).toBeLessThan(1e-9);
        // tangent and curvature vector, whatever the speed
        const bend = ([, d1, d2]: Vec3[]): Vec3 => {
          const n = cross(d1, d2);
          return scale(cross(n, d1), 1 / length(d1) ** 4);
        };
        expect(distance(unit(start[1]), unit(end[1]))).toBeLessThan(1e-4);
        expect(distance(bend([...start]), bend([...end]))).toBeLessThan(2e-3 * length(bend([...start])));
      }
    expect(rings).toBeGreaterThan(3);
  });
});

describe('offset on a face', () => {
  const good = (r: OffsetOnFace) => {
    if (!r.ok) throw new Error(r.message);
    return r;
  };
  const lengths = (r: OffsetOnFace) => good(r).chains.reduce((s, c) => s + c.reduce((t, x) => t + arcLength(x), 0), 0);
  const off = (r: OffsetOnFace, test: (p: Vec3) => number) =>
    along({ chains: good(r).chains.map((curves) => ({ curves, closed: false })), points: 0, deviation: 0 }, test);
  it('a circle of latitude on a ball becomes another one, at few points', () => {
    const [R, polar] = [20, 70 * DEG];
    const circle = circleCurve(frameFromNormal([0, 0, R * Math.cos(polar)], [0, 0, 1], [1, 0, 0]), R * Math.sin(polar));
    const ball = sphere(R);
    const side = faceNormal(ball.faces[0], 0, 1)[0] * surfacePoint(ball.faces[0].surface, 0, 1)[0] > 0 ? 1 : -1;
    for (const d of [4, -9, 15]) {
      const r = offsetOnFace(ball, 0, [circle], side * d, 1e-6);
      // counter-clockwise seen against the normal: left is towards the upper pole
      expect(off(r, (p) => Math.acos(p[2] / R) * R - (polar * R - d))).toBeLessThan(1e-5);
      expect(off(r, (p) => length(p) - R)).toBeLessThan(1e-5);
      expect(lengths(r)).toBeCloseTo(2 * Math.PI * R * Math.sin(polar - d / R), 4);
      expect(good(r).chains.length).toBe(1);
      expect(good(r).chains[0].reduce((n, c) => n + c.control.length / 4, 0)).toBeLessThan(90);
    }
  });
  it('on a tube: a ruling becomes a ruling, a square grows and shrinks as it does when laid flat', () => {
    const r0 = 15;
    const tube = cylinder(r0, WORLD, 60);
    const at = (x: number, z: number): Vec3 => [r0 * Math.cos(x / r0 + 2), r0 * Math.sin(x / r0 + 2), z];
    const ruling = offsetOnFace(tube, 0, [lineCurve(at(0, -10), at(0, 10))], 5, 1e-6);
    expect(off(ruling, (p) => distance(p, at(-5, p[2])))).toBeLessThan(1e-5);
    const arc = (z: number, x0: number, x1: number) =>
      circleCurve({ ...WORLD, origin: [0, 0, z] }, r0, Math.min(x0, x1) / r0 + 2, Math.max(x0, x1) / r0 + 2);
    const square = [arc(-6, -6, 6), lineCurve(at(6, -6), at(6, 6)), reverse(arc(6, -6, 6)), lineCurve(at(-6, 6), at(-6, -6))];
    const out = offsetOnFace(tube, 0, square, -3, 1e-6);
    expect(good(out).chains.length).toBe(1);
    expect(lengths(out)).toBeCloseTo(48 + 2 * Math.PI * 3, 4);
    const inward = offsetOnFace(tube, 0, square, 2, 1e-6);
    expect(good(inward).chains.length).toBe(1);
    expect(good(inward).removed).toBeGreaterThan(0);
    expect(lengths(inward)).toBeCloseTo(32, 4);
    expect(off(inward, (p) => Math.max(0, Math.abs(p[2]) - 4))).toBeLessThan(1e-5);
    expect(good(offsetOnFace(tube, 0, square, 7, 1e-6)).chains).toEqual([]);
  });
  it('ends where the face ends, and refuses a chain that is not on it', () => {
    const tube = cylinder(15, WORLD, 20);
    const line = lineCurve([15, 0, -8], [15, 0, 8]);
    const tilted = offsetOnFace(tube, 0, [circleCurve({ ...WORLD, origin: [0, 0, 6] }, 15, 1, 2)], 3.5, 1e-6);
    expect(good(tilted).chains.length).toBe(1);
    const gone = offsetOnFace(tube, 0, [circleCurve({ ...WORLD, origin: [0, 0, 6] }, 15, 1, 2)], 4.5, 1e-6);
    expect([good(gone).chains.length, good(gone).cut]).toEqual([0, true]);
    expect(good(offsetOnFace(tube, 0, [line], 2, 1e-6)).cut).toBe(false);
    const away = offsetOnFace(tube, 0, [lineCurve([15.5, 0, -8], [15.5, 0, 8])], 2, 1e-6);
    expect(away.ok ? '' : away.message).toMatch(/0.500 mm off the face/);
  });
});
