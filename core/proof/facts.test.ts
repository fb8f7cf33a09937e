import { describe, expect, it } from 'vitest';
import type { Body } from '../brep/index.ts';
import { type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, lineCurve, polylineCurve } from '../nurbs/index.ts';
import { bodyOf, run, square, step } from '../testing/run.ts';
import { factsOf, type MeasuredFact, type Thing } from './facts.ts';

const of = (list: readonly MeasuredFact[], label: string) => list.find((f) => f.label === label)?.number ?? Number.NaN;
const curve = (...curves: ReturnType<typeof circleCurve>[]): Thing => ({ kind: 'curves', curves });
const all = (body: Body, closed = false): Thing => ({ kind: 'faces', body, faces: body.faces.map((_, i) => i), whole: true, closed });
const box = async () =>
  bodyOf(
    await run(step('c', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 8 }, { profile: ['c'] })),
    'e',
  );

describe('facts of one thing', () => {
  it('a circle: length, radius, diameter; a spline has no radius', () => {
    const f = factsOf([curve(circleCurve(WORLD, 7))]);
    expect(of(f, 'length')).toBeCloseTo(14 * Math.PI, 9);
    expect(of(f, 'radius')).toBeCloseTo(7, 9);
    expect(of(f, 'diameter')).toBeCloseTo(14, 9);
    expect(
      factsOf([
        curve(
          polylineCurve([
            [0, 0, 0],
            [3, 4, 0],
            [9, 4, 0],
          ]),
        ),
      ]).map((x) => x.label),
    ).toEqual(['length', 'end to end']);
  });
  it('a box: area, volume, centre, size', async () => {
    const f = factsOf([all(await box(), true)]);
    expect(of(f, 'area')).toBeCloseTo(2 * 400 + 4 * 160, 8);
    expect(of(f, 'volume')).toBeCloseTo(3200, 8);
    expect(of(f, 'size x')).toBeCloseTo(20, 9);
    expect(of(f, 'mass')).toBeCloseTo(3.2, 9);
    // 20 x 20 x 8 mm of 3.2 g, and of steel
    expect(of(f, 'inertia, least')).toBeCloseTo(((3.2 / 12) * (400 + 64)) / 100, 8);
    expect(of(factsOf([all(await box(), true)], 7.85), 'inertia, largest')).toBeCloseTo((7.85 * (3.2 / 12) * 800) / 100, 8);
    expect(f.filter((x) => x.label === 'centre x')[0].number).toBeCloseTo(0, 9);
  });
  it('faces of a cylinder, a cone and a ring tell what is round about them', async () => {
    const turned = async (points: number[][]) =>
      bodyOf(await run(step('c', 'polyline', { points }), step('r', 'revolve', {}, { profile: ['c'] })), 'r');
    const face = (body: Body): Thing => ({ kind: 'faces', body, faces: [0], whole: false, closed: false });
    expect(
      of(
        factsOf([
          face(
            await turned([
              [4, 0],
              [4, 0, 9],
            ]),
          ),
        ]),
        'radius (cylinder)',
      ),
    ).toBeCloseTo(4, 6);
    expect(
      factsOf([
        face(
          await turned([
            [4, 0],
            [6, 0, 9],
          ]),
        ),
      ]).some((f) => f.label.startsWith('radius')),
    ).toBe(false);
    const ring = bodyOf(
      await run(
        step('p', 'work-plane', { turns: [90, 0, 0] }),
        { ...step('c', 'circle', { centre: [[20, 0]], radius: 3 }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
        step('r', 'revolve', {}, { profile: ['c'] }),
      ),
      'r',
    );
    expect(of(factsOf([face(ring)]), 'radius of section')).toBeCloseTo(3, 6);
  });
});

describe('facts of two things', () => {
  it('two skew lines: least distance and angle', () => {
    const f = factsOf([curve(lineCurve([-10, 0, 0], [10, 0, 0])), curve(lineCurve([0, -10, 3], [0, 10, 3]))]);
    expect(of(f, 'distance')).toBeCloseTo(3, 9);
    expect(of(f, 'along z')).toBeCloseTo(3, 9);
    expect(of(f, 'angle')).toBeCloseTo(90, 9);
  });
  it('two circles in one plane, a point and a circle, a line and a plane', () => {
    expect(of(factsOf([curve(circleCurve(WORLD, 3)), curve(circleCurve({ ...WORLD, origin: [11, 0, 0] }, 2))]), 'distance')).toBeCloseTo(
      6,
      8,
    );
    expect(of(factsOf([{ kind: 'point', point: [0, 0, 4] }, curve(circleCurve(WORLD, 3))]), 'distance')).toBeCloseTo(5, 9);
    const tilted = factsOf([curve(lineCurve([0, 0, 0], [1, 0, 1])), { kind: 'plane', frame: WORLD }]);
    expect(of(tilted, 'angle')).toBeCloseTo(45, 9);
  });
  it('a box and a point beside, above and off its corner: trims count, not whole surfaces', async () => {
    const b = all(await box(), true);
    const from = (p: Vec3) => of(factsOf([b, { kind: 'point', point: p }]), 'distance');
    expect(from([13, 0, 4])).toBeCloseTo(3, 9);
    expect(from([2, -3, 15])).toBeCloseTo(7, 9);
    expect(from([13, 14, 8])).toBeCloseTo(5, 9);
  });
  it('opposite faces of a box: parallel, eight apart', async () => {
    const b = await box();
    const flat = b.faces.map((_, i): Thing => ({ kind: 'faces', body: b, faces: [i], whole: false, closed: false }));
    const caps = flat.filter((t) => Math.abs(of(factsOf([t]), 'area') - 400) < 1e-6);
    expect(caps.length).toBe(2);
    const f = factsOf(caps);
    expect(of(f, 'angle')).toBeCloseTo(0, 9);
    expect(of(f, 'between the planes')).toBeCloseTo(8, 9);
    expect(of(f, 'distance')).toBeCloseTo(8, 9);
  });
});
