import { describe, expect, it } from 'vitest';
import { type Body, edgeCurve, Neighbour, surfaceBody, topologyOf, transformBody } from '../brep/index.ts';
import { betweenFrames, placeFrame, translation, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, clampedKnots, makeSurface, type NurbsSurface, pointAt, revolvedSurface, surfacePoint } from '../nurbs/index.ts';
import { measureAgainst } from '../proof/index.ts';
import { type EndCondition, type LoftOptions, loft, PLAIN_LOFT } from './index.ts';

const skin = (s: NurbsSurface, prefix: string): Body => surfaceBody(s, { prefix, face: () => prefix }).body;
/** The rim nearest to a point. */
function rim(b: Body, near: Vec3): number {
  const mid = (e: number) => {
    const c = edgeCurve(b.edges[e]);
    const pts = [0.1, 0.35, 0.6, 0.85].map((k) => c.knots[c.degree] + k * (c.knots[c.knots.length - 1] - c.knots[0]));
    return pts.map((t) => {
      const q = pointAt(c, t);
      return Math.hypot(q[0] - near[0], q[1] - near[1], q[2] - near[2]);
    });
  };
  const { rims } = topologyOf(b);
  return rims.reduce((a, e) => (Math.min(...mid(e)) < Math.min(...mid(a)) ? e : a), rims[0]);
}
const Z: Vec3 = [0, 0, 1];
const ball = (r: number, from: number, to: number) =>
  skin(
    revolvedSurface(
      circleCurve({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, r, from, to),
      [0, 0, 0],
      Z,
      0,
      2 * Math.PI,
    ),
    'ball',
  );
const ringPart = (R: number, r: number) =>
  skin(
    revolvedSurface(
      circleCurve({ origin: [R, 0, 0], x: [-1, 0, 0], y: [0, 0, 1], z: [0, 1, 0] }, r, 0.2, 1.2),
      [0, 0, 0],
      Z,
      0,
      2 * Math.PI,
    ),
    'ring',
  );
const wavy = (lift: number, far: number) =>
  skin(
    makeSurface(
      3,
      3,
      Array.from({ length: 6 }, (_, i) =>
        Array.from({ length: 7 }, (_, j): Vec3 => [far + 8 * i, 8 * j, lift + 3 * Math.sin(1.3 * i + 0.9 * j)]),
      ),
      clampedKnots(6, 3),
      clampedKnots(7, 3),
    ),
    'wavy',
  );
const flatTo = (b: Body, e: number): EndCondition & { kind: 'neighbour' } => ({
  kind: 'neighbour',
  neighbour: new Neighbour(b, [{ edge: e, reversed: false }]),
  grade: 2,
  reach: 1,
});
const run = (a: Body, ea: number, b: Body, eb: number, grade: 1 | 2 | 3, options: Partial<LoftOptions> = {}) => {
  const start = { ...flatTo(a, ea), grade };
  const end = { ...flatTo(b, eb), grade };
  const r = loft(
    [
      { kind: 'chain', curves: [edgeCurve(a.edges[ea])] },
      { kind: 'chain', curves: [edgeCurve(b.edges[eb])] },
    ],
    { ...PLAIN_LOFT, start, end, ...options },
    'l',
  );
  if (!r.ok) throw new Error(r.message);
  const s = r.result.surface;
  return { s, result: r.result, at: [measureAgainst(s, 'u0', start.neighbour, 60), measureAgainst(s, 'u1', end.neighbour, 60)] };
};

describe('a loft that meets its neighbours', () => {
  const cases: [string, () => [Body, number, Body, number]][] = [
    [
      'ball and ring',
      () => {
        const a = ball(20, -1.2, 0.3);
        const b = transformBody(ringPart(30, 10), translation([0, 0, 30]));
        return [a, rim(a, [19, 0, 6]), b, rim(b, [20, 0, 32])];
      },
    ],
    [
      'two wavy skins',
      () => {
        const a = wavy(0, 0);
        const b = wavy(9, 70);
        return [a, rim(a, [40, 24, 0]), b, rim(b, [70, 24, 9])];
      },
    ],
    [
      'ball and a ball turned',
      () => {
        const a = ball(20, -1.2, 0.3);
        const b = transformBody(ball(14, -0.4, 1.2), betweenFrames(WORLD, placeFrame(WORLD, [4, 0, 40], [0, 25, 0])));
        return [a, rim(a, [19, 0, 6]), b, rim(b, [4, 0, 34])];
      },
    ],
  ];
  it.each(cases)('sides of surfaces are met exactly: %s', (_, make) => {
    const [a, ea, b, eb] = make();
    for (const grade of [1, 2, 3] as const) {
      const { at, result } = run(a, ea, b, eb, grade);
      for (const m of at) {
        expect(m.gap).toBeLessThan(1e-9);
        expect(m.kink).toBeLessThan(1e-6);
        if (grade >= 2) expect(m.step).toBeLessThan(1e-3);
        if (grade >= 3) expect(m.flow).toBeLessThan(3);
      }
      expect(result.exact).toBe(true);
    }
  });
  it.each(cases)('rows laid by length meet within the limits: %s', (_, make) => {
    const [a, ea, b, eb] = make();
    const { at, s } = run(a, ea, b, eb, 2, { match: 'length' });
    for (const m of at) {
      expect(m.gap).toBeLessThan(3e-4);
      expect(m.kink).toBeLessThan(0.01);
      expect(m.step).toBeLessThan(0.5);
    }
    expect(s.countV).toBeLessThan(141);
  });
  it('leaves along a direction as a straight wall would', () => {
    const start: EndCondition = { kind: 'direction', direction: Z, grade: 2, reach: 1 };
    const end: EndCondition = { kind: 'direction', direction: [0, 0, -1], grade: 2, reach: 1 };
    const top = placeFrame(WORLD, [6, 0, 40], [0, 0, 0]);
    const r = loft(
      [
        { kind: 'chain', curves: [circleCurve(WORLD, 20)] },
        { kind: 'chain', curves: [circleCurve(top, 12)] },
      ],
      { ...PLAIN_LOFT, start, end },
      'l',
    );
    if (!r.ok) throw new Error(r.message);
    const s = r.result.surface;
    for (let i = 0; i < 40; i++) {
      // the wall is the cylinder of radius 20: how far beside it a point a little up stands, for the way up
      const q = surfacePoint(s, 1e-3, i / 40);
      const way = Math.abs(Math.hypot(q[0], q[1]) - 20) / q[2];
      expect(way).toBeLessThan(5e-6);
    }
  });
});
