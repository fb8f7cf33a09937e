import { describe, expect, it } from 'vitest';
import { angleBetween, cross, DEG, distance, dot, type Frame, frameFromNormal, length, sub, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, controlPointCurve, derivativesAt, lineCurve, pointAt, revolvedSurface } from '../nurbs/index.ts';
import {
  planeAcross,
  planeBetween,
  planeTangent,
  planeTangentAlong,
  planeThrough,
  planeThroughLine,
  planeThroughPoint,
  shareNear,
} from './index.ts';

const sphere = revolvedSurface(
  circleCurve(frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]), 20, -1.5, 1.5),
  [0, 0, 0],
  [0, 0, 1],
  0,
  2 * Math.PI,
);
const right = (f: Frame) => {
  expect(length(f.x)).toBeCloseTo(1, 12);
  expect(distance(cross(f.x, f.y), f.z)).toBeLessThan(1e-12);
};

describe('work planes', () => {
  it('across a circle at any share: through the place, normal along it, x to the middle', () => {
    const c = circleCurve(WORLD, 7);
    for (const s of [0, 0.2, 0.5, 0.9]) {
      const f = planeAcross(c, s);
      right(f);
      const a = 2 * Math.PI * s;
      expect(distance(f.origin, [7 * Math.cos(a), 7 * Math.sin(a), 0])).toBeLessThan(1e-6);
      expect(Math.abs(dot(f.z, f.origin))).toBeLessThan(1e-6);
      expect(dot(f.x, f.origin)).toBeCloseTo(-7, 6);
    }
  });
  it('tangent to a sphere: touches at the foot, looks outwards, also sliding along a curve', () => {
    const f = planeTangent(sphere, false, [30, 15, 10]);
    right(f);
    expect(length(f.origin)).toBeCloseTo(20, 9);
    expect(Math.abs(dot(f.z, f.origin))).toBeCloseTo(20, 9);
    expect(angleBetween(f.origin, [30, 15, 10])).toBeLessThan(1e-9);
    const parallel = circleCurve(frameFromNormal([0, 0, 12], [0, 0, 1]), 16);
    for (const s of [0.1, 0.5, 0.77]) {
      const r = planeTangentAlong(sphere, false, parallel, s);
      expect(r.off).toBeLessThan(1e-9);
      expect(Math.abs(dot(r.frame.z, r.frame.origin))).toBeCloseTo(20, 8);
      expect(Math.abs(dot(r.frame.x, [0, 0, 1]))).toBeLessThan(1e-9);
    }
  });
  it('best fit through points finds the plane they were taken from', () => {
    const f = frameFromNormal([3, -2, 5], [1, 2, 2]);
    const at = (a: number, b: number, h: number): Vec3 =>
      [0, 1, 2].map((k) => f.origin[k] + a * f.x[k] + b * f.y[k] + h * f.z[k]) as unknown as Vec3;
    const pts = Array.from({ length: 12 }, (_, i) => at(10 * Math.cos(i), 7 * Math.sin(2 * i), i % 2 ? 0.01 : -0.01));
    const r = planeThrough(pts, []);
    expect(r && Math.abs(dot(r.frame.z, f.z))).toBeCloseTo(1, 4);
    expect(r?.deviation).toBeGreaterThan(0.005);
    expect(r?.deviation).toBeLessThan(0.02);
    expect(
      planeThrough(
        [
          [0, 0, 0],
          [1, 1, 1],
          [2, 2, 2],
        ],
        [],
      ),
    ).toBeUndefined();
    const c = planeThrough([], [circleCurve(f, 9)]);
    expect(c?.deviation).toBeLessThan(1e-9);
  });
  it('halfway between two: the middle of parallel ones, half the angle of others', () => {
    const up = frameFromNormal([0, 0, 10], [0, 0, 1]);
    const m = planeBetween(WORLD, up, false);
    expect(m.origin[2]).toBeCloseTo(5, 12);
    const slanted = frameFromNormal([0, 0, 0], [0, -Math.sin(40 * DEG), Math.cos(40 * DEG)]);
    for (const other of [false, true]) {
      const h = planeBetween(WORLD, slanted, other);
      right(h);
      const [a, b] = [WORLD, slanted].map((f) => Math.min(angleBetween(f.z, h.z), Math.PI - angleBetween(f.z, h.z)) / DEG);
      expect(a).toBeCloseTo(other ? 70 : 20, 9);
      expect(b).toBeCloseTo(other ? 70 : 20, 9);
      // both planes meet in the x axis, and so does the one between
      expect(Math.abs(dot(h.z, sub([5, 0, 0], h.origin)))).toBeLessThan(1e-9);
    }
  });
  it('through a line at an angle; a bent curve is refused with the place', () => {
    const r = planeThroughLine(lineCurve([0, 0, 4], [10, 0, 4]), WORLD, 30 * DEG);
    expect(r.ok && angleBetween(r.frame.z, [0, 0, 1]) / DEG).toBeCloseTo(30, 9);
    if (r.ok)
      for (const p of [
        [0, 0, 4],
        [10, 0, 4],
      ] as Vec3[])
        expect(Math.abs(dot(r.frame.z, sub(p, r.frame.origin)))).toBeLessThan(1e-12);
    expect(planeThroughLine(circleCurve(WORLD, 3, 0, 2), WORLD, 0)).toMatchObject({ ok: false });
    expect(planeThroughPoint(WORLD, [1, 2, 3]).origin).toEqual([1, 2, 3]);
  });
  it('the share of a place on a curve is found again', () => {
    const c = controlPointCurve(
      [
        [0, 0, 0],
        [5, 9, 0],
        [14, -3, 2],
        [25, 0, 1],
      ],
      3,
      false,
    );
    for (const s of [0.1, 0.45, 0.8]) {
      const f = planeAcross(c, s);
      expect(shareNear(c, f.origin)).toBeCloseTo(s, 6);
      const [, d] = derivativesAt(c, c.knots[0], 1);
      expect(length(d)).toBeGreaterThan(0);
    }
    expect(distance(pointAt(c, 0), [0, 0, 0])).toBe(0);
  });
});
