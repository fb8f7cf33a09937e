import { describe, expect, it } from 'vitest';
import { Neighbour, surfaceBody, topologyOf } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import {
  circleCurve,
  clampedKnots,
  isoU,
  isoV,
  lineCurve,
  makeCurve,
  makeSurface,
  type NurbsCurve,
  pointAt,
  polylineCurve,
  surfacePoint,
} from '../nurbs/index.ts';
import { measureAgainst } from '../proof/index.ts';
import { type RailOptions, twoRails } from './index.ts';

const base: RailOptions = { tolerance: 1e-6, height: 'kept' };
const good = (a: NurbsCurve, b: NurbsCurve, sections: NurbsCurve[], o: Partial<RailOptions> = {}) => {
  const r = twoRails(
    [a],
    [b],
    sections.map((s) => [s]),
    { ...base, ...o },
  );
  if (!r.ok) throw new Error(r.message);
  return r.result;
};
const knots = [0, 0, 0, 0, 0.4, 1, 1, 1, 1];
describe('two rails', () => {
  it('an arc over two straight rails is the cylinder', () => {
    const arc = circleCurve({ origin: [10, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 10, 0, Math.PI);
    const r = good(lineCurve([0, 0, 0], [0, 60, 0]), lineCurve([20, 60, 0], [20, 0, 0]), [arc]);
    for (let i = 0; i <= 10; i++)
      for (let j = 0; j <= 20; j++) {
        const p = surfacePoint(
          r.surface,
          i / 10,
          r.surface.knotsV[0] + (j / 20) * (r.surface.knotsV[r.surface.knotsV.length - 1] - r.surface.knotsV[0]),
        );
        expect(Math.abs(Math.hypot(p[0] - 10, p[2]) - 10)).toBeLessThan(1e-9);
      }
    expect(r.railMiss).toBeLessThan(1e-12);
  });
  it('converging rails: height that follows the width is the cone, height that is kept is not', () => {
    const [a, b] = [lineCurve([-20, 0, 0], [-5, 60, 0]), lineCurve([20, 0, 0], [5, 60, 0])];
    const arc = circleCurve({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 20, 0, Math.PI);
    const cone = good(a, b, [arc], { height: 'width' });
    let flat = 0;
    for (let i = 0; i <= 10; i++)
      for (let j = 0; j <= 10; j++) {
        const s = cone.surface;
        const p = surfacePoint(s, i / 10, s.knotsV[0] + (j / 10) * (s.knotsV[s.knotsV.length - 1] - s.knotsV[0]));
        expect(Math.abs(Math.hypot(p[0], p[2]) - (20 - p[1] / 4))).toBeLessThan(1e-9);
        flat = Math.max(flat, p[2]);
      }
    const kept = good(a, b, [arc]);
    expect(
      surfacePoint(kept.surface, 1, (kept.surface.knotsV[0] + kept.surface.knotsV[kept.surface.knotsV.length - 1]) / 2)[2],
    ).toBeCloseTo(20, 6);
  });
  it('over four curves of a bicubic between parallel sides gives it back', () => {
    const s = makeSurface(
      3,
      3,
      Array.from({ length: 4 }, (_, i) =>
        Array.from({ length: 4 }, (_, j): Vec3 => [10 * j, 15 * i, j === 0 || j === 3 ? 0 : 5 * Math.sin(1 + i * 1.7 + j)]),
      ),
      clampedKnots(4, 3),
      clampedKnots(4, 3),
    );
    const r = good(
      isoV(s, 0),
      isoV(s, 1),
      [0, 0.3, 0.7, 1].map((u) => isoU(s, u)),
    );
    for (let i = 0; i <= 12; i++)
      for (let j = 0; j <= 12; j++)
        expect(distance(surfacePoint(r.surface, i / 12, j / 12), surfacePoint(s, i / 12, j / 12))).toBeLessThan(1e-6);
    expect(r.sectionMiss).toBeLessThan(1e-6);
  });
  const wave = (y: number, up: number) =>
    makeCurve(
      3,
      [
        [0, y, 0],
        [15, y + 6, up],
        [30, y - 4, 2 * up],
        [45, y + 3, up],
        [60, y, 0],
      ] as Vec3[],
      knots,
    );
  it('bent rails are touched to rounding, sections met where they stand', () => {
    const [a, b] = [wave(0, 3), wave(30, -2)];
    const section = (t: number, h: number) => {
      const [p, q] = [pointAt(a, t), pointAt(b, t)];
      const up = (k: number): Vec3 => [p[0] + k * (q[0] - p[0]), p[1] + k * (q[1] - p[1]), p[2] + k * (q[2] - p[2]) + h];
      return makeCurve(3, [p, up(0.3), up(0.7), q], [0, 0, 0, 0, 1, 1, 1, 1]);
    };
    const r = good(a, b, [section(0, 8), section(0.5, 12), section(1, 5)]);
    expect(r.railMiss).toBeLessThan(1e-10);
    expect(r.sectionMiss).toBeLessThan(1e-5);
    expect(r.moved).toBeLessThan(1e-9);
  });
  it('a section that ends beside the rails is brought there, and the way is told', () => {
    const r = good(lineCurve([0, 0, 0], [0, 50, 0]), lineCurve([20, 0, 0], [20, 50, 0]), [
      polylineCurve([
        [0, 0, 0.5],
        [10, 0, 8],
        [20, 0, 0],
      ]),
    ]);
    expect(r.moved).toBeCloseTo(0.5, 9);
    expect(r.railMiss).toBeLessThan(1e-12);
  });
  it.each([1, 2] as const)('rails that are borders carry G%i to their neighbours', (grade) => {
    const sheet = (far: number) =>
      makeSurface(
        3,
        3,
        Array.from({ length: 5 }, (_, i) =>
          Array.from({ length: 6 }, (_, j): Vec3 => [far + 8 * i, 10 * j, 2 * Math.sin(i + 0.8 * j) - (far < 0 ? 0 : 1)]),
        ),
        clampedKnots(5, 3),
        clampedKnots(6, 3),
      );
    const [left, right] = [
      surfaceBody(sheet(-50), { prefix: 'l', face: () => 'l' }).body,
      surfaceBody(sheet(20), { prefix: 'r', face: () => 'r' }).body,
    ];
    const side = (b: typeof left, x: number) =>
      topologyOf(b).rims.find((e) => Math.abs(pointAt(b.edges[e].curve, 0.5)[0] - x) < 0.5) as number;
    const [el, er] = [side(left, -18), side(right, 20)];
    const [a, b] = [left.edges[el].curve, right.edges[er].curve];
    const section = (t: number) => {
      const [p, q] = [pointAt(a, t), pointAt(b, t)];
      return makeCurve(3, [p, [p[0] + 8, p[1], p[2] + 1], [0, (p[1] + q[1]) / 2, 6], [q[0] - 8, q[1], q[2] + 1], q] as Vec3[], knots);
    };
    const [first, second] = [el, er].map((edge, k) => ({ neighbour: new Neighbour(k ? right : left, [{ edge, reversed: false }]), grade }));
    const r = good(a, b, [section(0), section(1)], { first, second });
    for (const [s, c] of [
      ['v0', first],
      ['v1', second],
    ] as const) {
      const m = measureAgainst(r.surface, s, c.neighbour, 60);
      expect(m.gap).toBeLessThan(1e-9);
      expect(m.kink).toBeLessThan(0.01);
      if (grade === 2) expect(m.step).toBeLessThan(1);
    }
    expect(r.surface.countU).toBeLessThan(80);
  });
  it('rails that run towards each other are refused with the place', () => {
    const r = twoRails(
      [lineCurve([0, 0, 0], [10, 0, 0])],
      [lineCurve([20, 0, 0], [30, 0, 0])],
      [
        [
          polylineCurve([
            [0, 0, 0],
            [10, 5, 0],
            [20, 0, 0],
          ]),
        ],
      ],
      base,
    );
    expect(r.ok).toBe(false);
    if (!r.ok) expect(r.place?.length).toBe(1);
  });
});
