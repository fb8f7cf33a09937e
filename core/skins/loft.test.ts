import { describe, expect, it } from 'vitest';
import { isWatertight, massProperties } from '../brep/index.ts';
import { frameFromNormal, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, closestOnCurve, controlPointCurve, curveThrough, polylineCurve, surfacePoint } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { type LoftOptions, type LoftSection, loft } from './index.ts';

const base: LoftOptions = {
  degree: 3,
  ring: false,
  fit: 'through',
  match: 'auto',
  tolerance: 1e-6,
  perInterval: false,
  cap: true,
  adjust: [],
  pins: [],
};
const chain = (c: ReturnType<typeof circleCurve>): LoftSection => ({ kind: 'chain', curves: [c] });
const at = (z: number) => frameFromNormal([0, 0, z], [0, 0, 1], [1, 0, 0]);
const good = (sections: LoftSection[], o: Partial<LoftOptions> = {}) => {
  const r = loft(sections, { ...base, ...o }, 'l');
  if (!r.ok) throw new Error(r.message);
  return r.result;
};
const hexagon = (turn: number, z: number, way = 1) =>
  controlPointCurve(
    Array.from({ length: 6 }, (_, i): Vec3 => {
      const a = way * (turn + (i * Math.PI) / 3);
      return [25 * Math.cos(a), 25 * Math.sin(a), z];
    }),
    3,
    true,
  );
const square = (z: number, s: number) =>
  polylineCurve([
    [s, s, z],
    [-s, s, z],
    [-s, -s, z],
    [s, -s, z],
    [s, s, z],
  ]);

describe('loft', () => {
  it.each([
    [0.2, 1],
    [0.9, 1],
    [1.7, -1],
    [2.9, -1],
    [4.4, 1],
  ])('circle to a hexagon-like spline turned by %f (way %i) comes out untwisted', (turn, way) => {
    const hex = hexagon(turn, 60, way);
    const r = good([chain(circleCurve(WORLD, 20)), chain(hex)]);
    expect(isWatertight(r.body)).toBe(true);
    for (let i = 0; i < 24; i++) {
      const [p, q] = [surfacePoint(r.surface, 0, i / 24), surfacePoint(r.surface, 1, i / 24)];
      const turned = Math.atan2(p[0] * q[1] - p[1] * q[0], p[0] * q[0] + p[1] * q[1]);
      // symmetry of the hexagon leaves at most 30 degrees open
      expect(Math.abs(turned)).toBeLessThan(0.55);
    }
    let worst = 0;
    for (let i = 0; i < 200; i++) {
      worst = Math.max(
        worst,
        closestOnCurve(hex, surfacePoint(r.surface, 1, i / 200)).distance,
        Math.abs(Math.hypot(...(surfacePoint(r.surface, 0, i / 200).slice(0, 2) as [number, number])) - 20),
      );
    }
    expect(worst).toBeLessThan(1e-6);
    const seam = measureSeams(r.body).find((s) => s.faces[0] === s.faces[1]);
    expect(seam?.grade).toMatch(/^G[23]$/);
  });
  it.each([1e-2, 1e-4, 1e-6])('four sections that are not alike: each within %f mm by itself, and so it says', (tolerance) => {
    const curves = [circleCurve(WORLD, 20), hexagon(0.4, 20), hexagon(1.3, 45), circleCurve(at(70), 9)];
    const r = good(curves.map(chain), { tolerance });
    expect(r.fitDeviation).toBeLessThanOrEqual(tolerance);
    const worst = curves.map((c) => {
      let most = 0;
      // the row across at the section's height; its parameter by bisection, z grows with u at the first point of the row
      let [a, b] = [0, 1];
      const z = closestOnCurve(c, [0, 0, 0]).point[2];
      for (let k = 0; k < 60; k++) {
        const m = (a + b) / 2;
        if (surfacePoint(r.surface, m, 0.5)[2] < z) a = m;
        else b = m;
      }
      for (let i = 0; i < 300; i++) most = Math.max(most, closestOnCurve(c, surfacePoint(r.surface, (a + b) / 2, i / 300)).distance);
      return most;
    });
    for (const w of worst) expect(w).toBeLessThan(1.05 * tolerance + 1e-9);
  });
  it('two circles are used exactly: frustum volume to 1e-12', () => {
    const r = good([chain(circleCurve(WORLD, 10)), chain(circleCurve(at(30), 4))]);
    expect(r.exact).toBe(true);
    expect(Math.abs(massProperties(r.body).volume / (Math.PI * 10 * 156) - 1)).toBeLessThan(1e-12);
  });
  it('corners meet corners: squares give four sides', () => {
    const r = good([chain(square(0, 10)), chain(square(10, 8)), chain(square(20, 10))]);
    expect(r.body.faces.length).toBe(6);
    // section side is 2(10 - 2 (1 - (1 - z/10)²)): integral of its square is known
    expect(massProperties(r.body).volume).toBeCloseTo(6037.3333333333, 8);
  });
  it('circle to square: one face a corner, watertight', () => {
    const r = good([chain(circleCurve(WORLD, 20)), chain(square(30, 10))]);
    expect(r.body.faces.length).toBe(6);
    expect(isWatertight(r.body)).toBe(true);
  });
  it('a point section makes an exact cone', () =>
    expect(massProperties(good([chain(circleCurve(WORLD, 20)), { kind: 'point', point: [0, 0, 30] }]).body).volume).toBeCloseTo(
      (Math.PI * 400 * 30) / 3,
      8,
    ));
  it('a closed ring of circles is smooth at its join', () => {
    const ring = Array.from({ length: 8 }, (_, i) => {
      const a = (i / 8) * 2 * Math.PI;
      return chain(
        circleCurve(
          {
            origin: [20 * Math.cos(a), 20 * Math.sin(a), 0],
            x: [Math.cos(a), Math.sin(a), 0],
            y: [0, 0, 1],
            z: [Math.sin(a), -Math.cos(a), 0],
          },
          6,
        ),
      );
    });
    const r = good(ring, { ring: true });
    expect(isWatertight(r.body)).toBe(true);
    for (const s of measureSeams(r.body)) expect(s.kink).toBeLessThan(1e-6);
  });
  it('interval faces, near fit, start and direction by hand', () => {
    const sections = [0, 20, 45].map((z, i) => chain(circleCurve(at(z), 10 + 3 * i)));
    expect(good(sections, { perInterval: true, cap: false }).body.faces.length).toBe(2);
    const near = good(sections, { fit: 'near', cap: false });
    expect(Math.hypot(...(surfacePoint(near.surface, 0.5, 0).slice(0, 2) as [number, number]))).toBeCloseTo(13, 1);
    const turned = good([chain(circleCurve(WORLD, 10)), chain(circleCurve(at(30), 10))], {
      adjust: [{ section: 1, start: 0.25 }],
      cap: false,
    });
    expect(turned.twist).toBeCloseTo(90, 0);
  });
  it('open curves: direction is chosen', () => {
    const a = curveThrough([
      [0, 0, 0],
      [10, 3, 0],
      [20, 0, 0],
    ]);
    const b = curveThrough([
      [20, 0, 10],
      [10, 5, 10],
      [0, 0, 10],
    ]);
    const r = good([
      { kind: 'chain', curves: [a] },
      { kind: 'chain', curves: [b] },
    ]);
    expect(Math.abs(surfacePoint(r.surface, 0, 0)[0] - surfacePoint(r.surface, 1, 0)[0])).toBeLessThan(1e-6);
  });
  it.each([
    [
      'open with closed',
      [
        chain(circleCurve(WORLD, 5)),
        chain(
          polylineCurve([
            [0, 0, 9],
            [5, 0, 9],
          ]),
        ),
      ],
      'open-with-closed',
    ],
    [
      'a point in the middle',
      [chain(circleCurve(WORLD, 5)), { kind: 'point', point: [0, 0, 4] }, chain(circleCurve(at(9), 5))],
      'inner-point',
    ],
    ['one section', [chain(circleCurve(WORLD, 5))], 'too-few'],
    [
      'two points',
      [
        { kind: 'point', point: [0, 0, 4] },
        { kind: 'point', point: [0, 0, 9] },
      ],
      'only-points',
    ],
  ] as [string, LoftSection[], string][])('%s is refused with the reason', (_, sections, code) => {
    const r = loft(sections, base, 'l');
    expect(r.ok ? 'made' : r.code).toBe(code);
  });
});
