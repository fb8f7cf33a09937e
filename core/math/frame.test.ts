import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  applyPoint,
  applyVector,
  betweenFrames,
  compose,
  cross,
  DEG,
  determinant,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  frameFromPoints,
  IDENTITY,
  isRigid,
  placeFrame,
  reflection,
  rotation,
  scaling,
  sub,
  toLocal,
  toWorld,
  translation,
  unit,
  type Vec3,
  WORLD,
} from './index.ts';

const coordinate = fc.double({ min: -100, max: 100, noNaN: true });
const point = fc.tuple(coordinate, coordinate, coordinate) as fc.Arbitrary<Vec3>;
const direction = point.filter((p) => Math.hypot(...p) > 1).map((p) => unit(p));
const angle = fc.double({ min: -3, max: 3, noNaN: true });
const frame = fc.tuple(point, direction, direction).map(([o, n, x]) => frameFromNormal(o, n, x));
const orthonormal = (f: Frame) =>
  Math.max(
    ...[f.x, f.y, f.z].map((v) => Math.abs(dot(v, v) - 1)),
    Math.abs(dot(f.x, f.y)),
    Math.abs(dot(f.y, f.z)),
    distance(cross(f.x, f.y), f.z),
  );
const runs = { numRuns: 300 };

describe('frames', () => {
  it('are right-handed and of unit length whatever they are made from', () =>
    fc.assert(
      fc.property(point, direction, fc.option(direction, { nil: undefined }), (o, n, x) => {
        const f = frameFromNormal(o, n, x);
        expect(orthonormal(f)).toBeLessThan(1e-12);
        expect(distance(f.z, n)).toBeLessThan(1e-12);
        // the wished x is as near as the plane allows: no part of it lies along y
        if (x && Math.abs(dot(x, n)) < 0.99) expect(Math.abs(dot(x, f.y))).toBeLessThan(1e-9);
      }),
      runs,
    ));
  it('carry places there and back', () =>
    fc.assert(
      fc.property(frame, point, (f, p) => {
        expect(distance(toWorld(f, toLocal(f, p)), p)).toBeLessThan(1e-10);
        expect(Math.abs(distance(toWorld(f, p), f.origin) - Math.hypot(...p))).toBeLessThan(1e-10);
      }),
      runs,
    ));
  it('through three points; none in line', () => {
    const f = frameFromPoints([1, 1, 1], [4, 1, 1], [2, 5, 1]) as Frame;
    expect(f.x).toEqual([1, 0, 0]);
    expect(f.z).toEqual([0, 0, 1]);
    expect(frameFromPoints([0, 0, 0], [1, 1, 1], [3, 3, 3])).toBeUndefined();
    expect(frameFromPoints([2, 2, 2], [2, 2, 2], [3, 3, 3])).toBeUndefined();
  });
  it('are placed along and about their own axes', () => {
    const f = placeFrame(WORLD, [10, 0, 5], [0, 0, 90 * DEG]);
    expect(distance(f.origin, [10, 0, 5])).toBeLessThan(1e-12);
    expect(distance(f.x, [0, 1, 0])).toBeLessThan(1e-12);
    // the second placing counts in the axes of the first
    const g = placeFrame(f, [2, 0, 0], [90 * DEG, 0, 0]);
    expect(distance(g.origin, [10, 2, 5])).toBeLessThan(1e-12);
    expect(distance(g.z, [1, 0, 0])).toBeLessThan(1e-12);
  });
});

describe('maps', () => {
  it('one after the other is their product', () =>
    fc.assert(
      fc.property(point, direction, angle, point, point, (c, axis, a, t, p) => {
        const [r, m] = [rotation(c, axis, a), translation(t)];
        expect(distance(applyPoint(compose(m, r), p), applyPoint(m, applyPoint(r, p)))).toBeLessThan(1e-10);
        expect(applyPoint(compose(IDENTITY, r), p)).toEqual(applyPoint(r, p));
      }),
      runs,
    ));
  it('a turn keeps its axis, lengths and handedness; turned back it is where it was', () =>
    fc.assert(
      fc.property(point, direction, angle, point, point, (c, axis, a, p, q) => {
        const r = rotation(c, axis, a);
        expect(distance(applyPoint(r, c), c)).toBeLessThan(1e-10);
        expect(distance(applyVector(r, axis), axis)).toBeLessThan(1e-12);
        expect(Math.abs(distance(applyPoint(r, p), applyPoint(r, q)) - distance(p, q))).toBeLessThan(1e-10);
        expect(determinant(r)).toBeCloseTo(1, 12);
        expect(isRigid(r)).toBe(true);
        expect(distance(applyPoint(rotation(c, axis, -a), applyPoint(r, p)), p)).toBeLessThan(1e-10);
        // by the angle itself: the part across the axis turns by it
        const across = (v: Vec3) =>
          sub(v, applyVector({ m: [0, 1, 2].map((i) => axis.map((x) => x * axis[i])) as never, t: [0, 0, 0] }, v));
        const [u, w] = [across(sub(p, c)), across(sub(applyPoint(r, p), c))];
        if (Math.hypot(...u) > 1) expect(Math.abs(dot(u, w) / dot(u, u) - Math.cos(a))).toBeLessThan(1e-9);
      }),
      runs,
    ));
  it('a mirror image twice is the thing itself, and its plane stays', () =>
    fc.assert(
      fc.property(frame, point, (f, p) => {
        const m = reflection(f);
        expect(determinant(m)).toBeCloseTo(-1, 12);
        expect(isRigid(m)).toBe(true);
        expect(distance(applyPoint(m, applyPoint(m, p)), p)).toBeLessThan(1e-10);
        const [before, after] = [toLocal(f, p), toLocal(f, applyPoint(m, p))];
        expect(Math.hypot(before[0] - after[0], before[1] - after[1], before[2] + after[2])).toBeLessThan(1e-10);
      }),
      runs,
    ));
  it('between two frames: what stands in one stands alike in the other', () =>
    fc.assert(
      fc.property(frame, frame, point, (f, g, p) => {
        const m = betweenFrames(f, g);
        expect(distance(applyPoint(m, toWorld(f, p)), toWorld(g, p))).toBeLessThan(1e-10);
        expect(isRigid(m)).toBe(true);
      }),
      runs,
    ));
  it('scaling is not rigid unless by one', () => {
    expect(applyPoint(scaling([1, 1, 1], 3), [2, 1, 0])).toEqual([4, 1, -2]);
    expect(isRigid(scaling([1, 1, 1], 3))).toBe(false);
    expect(isRigid(scaling([1, 1, 1], 1))).toBe(true);
  });
});
