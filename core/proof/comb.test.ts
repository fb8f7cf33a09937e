import { describe, expect, it } from 'vitest';
import { frameFromNormal, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, controlPointCurve, ellipseArc, lineCurve } from '../nurbs/index.ts';
import { combOf } from './index.ts';

describe('combs', () => {
  it('of a circle: the same tooth everywhere, outwards', () => {
    const c = combOf([circleCurve(WORLD, 8)], 12);
    expect(c.flat).toBe(true);
    for (const s of c.samples) {
      expect(Math.abs(s.curvature)).toBeCloseTo(1 / 8, 9);
      expect((s.out[0] * s.point[0] + s.out[1] * s.point[1]) / 8).toBeCloseTo(1, 9);
    }
    expect(c.smallestRadius).toBeCloseTo(8, 9);
    expect(c.inflections).toEqual([]);
    expect(c.length).toBeGreaterThan(49);
  });
  it('of an ellipse: radii b²/a at the ends of the long axis, a²/b at the others', () => {
    const c = combOf([ellipseArc(WORLD, 10, 4)], 64);
    expect(c.smallestRadius).toBeCloseTo(1.6, 6);
    expect(Math.abs(c.smallestAt[0])).toBeCloseTo(10, 6);
    expect(Math.max(...c.samples.map((s) => 1 / Math.abs(s.curvature)))).toBeCloseTo(25, 5);
  });
  it('an odd curve has its inflection in the middle', () => {
    const pts: Vec3[] = [
      [-10, -6, 0],
      [-4, 8, 0],
      [4, -8, 0],
      [10, 6, 0],
    ];
    const c = combOf([controlPointCurve(pts, 3, false)], 16);
    expect(c.inflections.length).toBe(1);
    expect(Math.hypot(...c.inflections[0].point)).toBeLessThan(1e-9);
    const signs = c.samples.map((s) => Math.sign(s.curvature));
    expect(signs[2]).toBe(-signs[signs.length - 3]);
  });
  it('joints: line to arc is G1, line to line at an angle G0, arc to arc of the same radius G2', () => {
    const arc = circleCurve(frameFromNormal([10, 5, 0], [0, 0, 1], [1, 0, 0]), 5, -Math.PI / 2, 0);
    const joint = (a: Parameters<typeof combOf>[0]) => combOf(a).joints.map((j) => j.grade);
    expect(joint([lineCurve([0, 0, 0], [10, 0, 0]), arc])).toEqual(['G1']);
    expect(joint([lineCurve([0, 0, 0], [10, 0, 0]), lineCurve([10, 0, 0], [12, 3, 0])])).toEqual(['G0']);
    expect(joint([circleCurve(WORLD, 5, 0, 1), circleCurve(WORLD, 5, 1, 2)])).toEqual(['G2']);
    const apart = combOf([lineCurve([0, 0, 0], [10, 0, 0]), lineCurve([10, 0.3, 0], [20, 0.3, 0])]).joints[0];
    expect(apart.grade).toBe('open');
    expect(apart.gap).toBeCloseTo(0.3, 12);
    // 1/r against 0: the step is the whole
    expect(combOf([lineCurve([0, 0, 0], [10, 0, 0]), arc]).joints[0].step).toBeCloseTo(200, 6);
  });
  it('curves in space have curvature without a sign', () => {
    const c = combOf([
      controlPointCurve(
        [
          [0, 0, 0],
          [5, 8, 3],
          [10, -4, 9],
          [18, 2, 1],
        ],
        3,
        false,
      ),
    ]);
    expect(c.flat).toBe(false);
    expect(c.samples.every((s) => s.curvature >= 0)).toBe(true);
    expect(c.inflections).toEqual([]);
  });
});
