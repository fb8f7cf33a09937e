import { describe, expect, it } from 'vitest';
import { type Body, combineBodies, subBody, transformBody } from '../brep/index.ts';
import { rotation, scaling, translation, type Vec3 } from '../math/index.ts';
import { solidPair } from '../testing/random-bodies.ts';
import { bodyOf, run, step } from '../testing/run.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { DEFAULT_LIMITS, findDefects, gradeOf, measureRims, measureSeams } from './index.ts';
import { pair } from './test-shapes.ts';

/** Two strips over x<0 and x>0 that meet at x=0 with given height functions. */
describe('seams of two strips', () => {
  const flat = () => 0;
  it('a plane continued is G3', () => {
    const [s] = measureSeams(pair(flat, flat));
    expect(s.grade).toBe('G3');
    expect(s.gap).toBeLessThan(1e-12);
    expect(s.kink).toBeLessThan(1e-6);
  });
  it.each([1, 5, 30])('a kink of %f degrees is measured', (deg) => {
    const k = Math.tan((deg * Math.PI) / 180);
    const [s] = measureSeams(pair(flat, (x) => k * x));
    expect(s.kink).toBeCloseTo(deg, 6);
    expect(s.grade).toBe('G0');
  });
  it('a parabola against a plane: tangent, curvature step 200 percent', () => {
    const [s] = measureSeams(pair(flat, (x) => 0.1 * x * x));
    expect(s.kink).toBeLessThan(1e-6);
    expect(s.grade).toBe('G1');
    // k1 = 0, k2 = 0.2
    expect(s.step).toBeCloseTo(200, 6);
  });
  it('a ball closes on itself with G3: its poles tell nothing', async () => {
    const r = await run(step('z', 'primitive', { shape: 'ball', radius: 10 }), step('o', 'copy-faces', {}, { faces: ['z'] }));
    for (const id of ['z', 'o']) for (const s of measureSeams(bodyOf(r, id))) expect([s.grade, s.step < 1e-3]).toEqual(['G3', true]);
  });
  it('known curvatures 0.04 and 0.05 give 2*0.01/0.09', () => {
    const [s] = measureSeams(
      pair(
        (x) => 0.02 * x * x,
        (x) => 0.025 * x * x,
      ),
    );
    expect(s.step).toBeCloseTo((200 * 0.01) / 0.09, 4);
  });
  it('curvature that meets but changes at another rate: G2 and not G3, with the known step of the flow', () => {
    // third derivatives 0.006 and 0.012: 2 * 0.006 / 0.018
    const [s] = measureSeams(
      pair(
        (x) => 0.02 * x * x + 0.001 * x ** 3,
        (x) => 0.02 * x * x + 0.002 * x ** 3,
      ),
    );
    expect(s.grade).toBe('G2');
    expect(s.flow).toBeCloseTo((200 * 0.006) / 0.018, 3);
    const [same] = measureSeams(
      pair(
        (x) => 0.02 * x * x + 0.001 * x ** 3,
        (x) => 0.02 * x * x + 0.001 * x ** 3,
      ),
    );
    expect(same.grade).toBe('G3');
    expect(same.flow).toBeLessThan(1e-4);
  });
  it('the grade does not change under motion; under scaling the kink and step stay', () => {
    const body = pair(
      (x) => 0.02 * x * x,
      (x) => 0.025 * x * x + 0.01 * x,
    );
    const [a] = measureSeams(body);
    for (const map of [rotation([1, 2, 3], [1, 1, 2], 1.1), translation([10, 20, 30])]) {
      const [b] = measureSeams(transformBody(body, map));
      expect(b.kink).toBeCloseTo(a.kink, 7);
      expect(b.step).toBeCloseTo(a.step, 5);
      expect(b.grade).toBe(a.grade);
    }
    const [c] = measureSeams(transformBody(body, scaling([0, 0, 0], 3)));
    expect(c.kink).toBeCloseTo(a.kink, 7);
    expect(c.step).toBeCloseTo(a.step, 5);
  });
  it('a worst place between the samples is found', () => {
    const [s] = measureSeams(pair(flat, (x, y) => x * 0.2 * Math.exp(-((y - 4.321) ** 2) * 2)));
    expect(s.worst.kink[1]).toBeCloseTo(4.3, 0);
  });
  it('grades follow the limits', () => {
    expect(gradeOf(0.01, 0, 0, 0, DEFAULT_LIMITS)).toBe('open');
    expect(gradeOf(0.001, 0.1, 0, 0, DEFAULT_LIMITS)).toBe('G0');
    expect(gradeOf(0.001, 0.01, 3, 0, DEFAULT_LIMITS)).toBe('G1');
    expect(gradeOf(0.001, 0.01, 1, 20, DEFAULT_LIMITS)).toBe('G2');
    expect(gradeOf(0.001, 0.01, 1, 5, DEFAULT_LIMITS)).toBe('G3');
  });
  it('rims and defects have their places', () => {
    const body = pair(flat, flat);
    const rims = measureRims(body);
    expect(rims.length).toBe(1);
    expect(rims[0].closed).toBe(true);
    expect(rims[0].length).toBeCloseTo(60, 6);
    const twice: Body = combineBodies([subBody(body, [0]), subBody(body, [0])]);
    expect(findDefects(twice, 0.001).map((d) => d.code)).toContain('duplicate-face');
    const flipped: Body = { ...body, faces: body.faces.map((f, i) => (i ? { ...f, reversed: !f.reversed } : f)) };
    const d = findDefects(flipped, 0.001).find((x) => x.code === 'flipped-face');
    expect(d).toBeDefined();
    const near: Vec3 = d?.place ?? [0, 0, 0];
    expect(Math.abs(near[0])).toBeGreaterThan(1);
  });
});

it('lengths of rims and seams are lengths of the curves and not of polygons along them', async () => {
  const r = await run(step('c', 'circle', { radius: 20 }), step('e', 'extrude', { distance: 60, cap: false }, { profile: ['c'] }));
  const tube = bodyOf(r, 'e');
  for (const rim of measureRims(tube)) expect(rim.length).toBeCloseTo(40 * Math.PI, 8);
  expect(measureSeams(tube)[0].length).toBeCloseTo(60, 9);
});

it('what is not refined decides nothing: grades as with every number followed to its worst place', () => {
  const tiny = { gap: 1e-30, kink: 1e-30, step: 1e-30, flow: 1e-30 };
  let seams = 0;
  for (let i = 0; i < 12; i++) {
    const body = solidPair(i, randomFrom(4000 + i))[i % 2];
    const quick = measureSeams(body);
    const whole = measureSeams(body, tiny);
    quick.forEach((q, k) => {
      const w = whole[k];
      expect(q.grade).toBe(gradeOf(w.gap, w.kink, w.step, w.flow, DEFAULT_LIMITS));
      for (const key of ['gap', 'kink', 'step', 'flow'] as const) {
        expect(q[key]).toBeLessThanOrEqual(w[key] * (1 + 1e-9));
        expect(w[key] - q[key]).toBeLessThanOrEqual(Math.max(0.02 * DEFAULT_LIMITS[key], 1e-5 * w[key]));
      }
      seams++;
    });
  }
  expect(seams).toBeGreaterThan(60);
});
