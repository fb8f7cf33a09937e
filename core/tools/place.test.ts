import { describe, expect, it } from 'vitest';
import { bodyBox, isWatertight, massProperties } from '../brep/index.ts';
import { distance } from '../math/index.ts';
import { arcLength, pointAt } from '../nurbs/index.ts';
import { bodyOf, codeOf, facePick, factOf, onPlane, run, square, step, volume } from '../testing/run.ts';

const box = (id: string, s = 5, h = 10) => [
  step(`${id}l`, 'polyline', { points: square(s), closed: true }),
  step(id, 'extrude', { distance: h }, { profile: [`${id}l`] }),
];
const centre = (r: Awaited<ReturnType<typeof run>>, id: string, o = 'main') => massProperties(bodyOf(r, id, o)).centre;
const near = (p: readonly number[], q: readonly number[], digits = 6) => p.forEach((x, k) => expect(x).toBeCloseTo(q[k], digits));

describe('repeat', () => {
  it('rows: every copy where the steps lead, in the axes of a plane', async () => {
    const r = await run(
      ...box('b'),
      step('p', 'work-plane', { turns: [0, 0, 90] }),
      step('a', 'array', { count: 3, by: [12, 0, 1], rows: 2, rowBy: [0, 20, 0] }, { pieces: ['b'], plane: ['p'] }),
    );
    expect(Object.keys(r.get('a')?.outputs ?? {}).length).toBe(6);
    near(centre(r, 'a', 'copy3'), [0, 24, 5 + 2]);
    near(centre(r, 'a', 'copy4'), [-20, 0, 5]);
  });
  it('round: a full turn is shared out, a part has a copy at both ends; unturned copies keep their direction', async () => {
    const post = [step('m', 'move', { by: [20, 0, 0] }, { pieces: ['b'] })];
    const r = await run(
      ...box('b'),
      ...post,
      step('f', 'array', { layout: 'round', count: 6 }, { pieces: ['m'] }),
      step('h', 'array', { layout: 'round', count: 3, angle: 90, rise: 2 }, { pieces: ['m'] }),
      step('u', 'array', { layout: 'round', count: 3, angle: 90, turn: false }, { pieces: ['m'] }),
    );
    near(centre(r, 'f', 'copy2'), [10, 10 * Math.sqrt(3), 5]);
    near(centre(r, 'h', 'copy3'), [0, 20, 9]);
    const turned = bodyBox(bodyOf(r, 'h', 'copy2'));
    const straight = bodyBox(bodyOf(r, 'u', 'copy2'));
    expect(turned.max[0] - turned.min[0]).toBeCloseTo(10 * Math.SQRT2, 6);
    expect(straight.max[0] - straight.min[0]).toBeCloseTo(10, 6);
  });
  it('along a circle: evenly by its length, turned with it', async () => {
    const r = await run(
      ...box('b', 1, 2),
      step('m', 'move', { by: [20, 0, 0] }, { pieces: ['b'] }),
      step('c', 'circle', { radius: 20 }),
      step('a', 'array', { layout: 'path', count: 8 }, { pieces: ['m'], path: ['c'] }),
      step('s', 'array', { layout: 'path', count: 3, spacing: 60 }, { pieces: ['m'], path: ['c'] }),
    );
    near(centre(r, 'a', 'copy3'), [0, 20, 1], 4);
    expect(codeOf(r, 's')).toBeUndefined();
    const far = await run(
      ...box('b', 1, 2),
      step('c', 'circle', { radius: 20 }),
      step('s', 'array', { layout: 'path', count: 4, spacing: 60 }, { pieces: ['b'], path: ['c'] }),
      step('z', 'array', { by: [0, 0, 0] }, { pieces: ['b'] }),
      step('n', 'array', { count: 1000, rows: 1000 }, { pieces: ['b'] }),
    );
    expect(codeOf(far, 's')).toBe('too-short');
    expect(codeOf(far, 'z')).toBe('no-step');
    expect(codeOf(far, 'n')).toBe('too-many');
  });
});

describe('align', () => {
  it('a face onto a face: they look at each other, apart by a distance, turned about the normal', async () => {
    const r0 = await run(...box('b'));
    const top = bodyOf(r0, 'b').faces.find((f) => f.name.endsWith('cap-end'))?.name ?? '';
    const side = bodyOf(r0, 'b').faces.find((f) => f.name.includes('side'))?.name ?? '';
    const goal = [step('k', 'move', { by: [50, 0, 0], turns: [0, 0, 30] }, { pieces: ['c'] })];
    const r = await run(
      ...box('b'),
      ...box('c'),
      ...goal,
      step('a', 'align', { away: 3 }, { pieces: ['b'], from: [facePick('b', top)], to: [facePick('k', side.replace('b:', 'c:'))] }),
      step('o', 'align', { turned: true }, { pieces: ['b'], from: [facePick('b', top)], to: [facePick('k', side.replace('b:', 'c:'))] }),
    );
    // the middle of the box lies 5 from its top: 5 + 5 + 3 from the goal's middle
    expect(distance(centre(r, 'a'), centre(r, 'k'))).toBeCloseTo(13, 6);
    expect(distance(centre(r, 'o'), centre(r, 'k'))).toBeCloseTo(0, 6);
    expect(volume(bodyOf(r, 'a'))).toBeCloseTo(1000, 6);
  });
  it('axes, and three points; what cannot be is refused', async () => {
    const line = [
      step('x', 'polyline', {
        points: [
          [0, 0],
          [10, 0],
        ],
      }),
      step('q', 'work-plane', { base: 'xz', offset: [3, 4, 5] }),
      onPlane('q', step('y', 'circle', { radius: 2 })),
    ];
    const r = await run(
      ...box('b'),
      ...line,
      step('a', 'align', { match: 'axis' }, { pieces: ['b'], from: ['x'], to: ['y'] }),
      step('w', 'align', {}, { pieces: ['b'], from: ['x'], to: ['y'] }),
      step('z', 'align', { match: 'points' }, { pieces: ['b'], from: ['x'], to: ['y'] }),
    );
    expect(volume(bodyOf(r, 'a'))).toBeCloseTo(1000, 6);
    // x of the box now runs along the circle's axis through its centre
    const b = bodyBox(bodyOf(r, 'a'));
    expect(Math.max(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2])).toBeLessThan(15);
    expect(codeOf(r, 'w')).toBe('no-direction');
    expect(codeOf(r, 'z')).toBe('no-points');
  });
});

describe('scale along one axis', () => {
  it('a ball becomes an ellipsoid of the right volume, a round bar an oval one', async () => {
    const r = await run(
      step('s', 'primitive', { shape: 'ball', radius: 5 }),
      step('m', 'move', { stretch: [1, 2, 0.5] }, { pieces: ['s'] }),
      step('z', 'move', { stretch: [1, 0, 1] }, { pieces: ['s'] }),
    );
    expect(volume(bodyOf(r, 'm')) / ((4 / 3) * Math.PI * 125)).toBeCloseTo(1, 8);
    expect(isWatertight(bodyOf(r, 'm'))).toBe(true);
    expect(codeOf(r, 'z')).toBe('flattened');
  });
});

describe('bend, twist, taper', () => {
  const bar = box('b', 2, 40);
  it('a bar bent to a quarter ring: the volume stays (Pappus), the ends stand square', async () => {
    const r = await run(...bar, step('d', 'deform', { angle: 90, tolerance: 1e-6 }, { pieces: ['b'] }));
    const b = bodyOf(r, 'd');
    expect(r.get('d')?.status).toBe('fine');
    expect(volume(b)).toBeCloseTo(16 * 40, 3);
    expect(isWatertight(b)).toBe(true);
    const radius = 40 / (Math.PI / 2);
    const box0 = bodyBox(b);
    // it bends towards x: the outermost corner lies a radius and half a width up
    expect(box0.max[2]).toBeCloseTo(radius + 2, 2);
    expect(box0.max[0]).toBeCloseTo(radius, 2);
    expect(factOf(r, 'd', 'radius of the bend')).toContain('25.46');
  });
  it('a twist keeps the volume, a taper has that of a frustum; both exactly enough', async () => {
    const r = await run(
      ...bar,
      step('t', 'deform', { what: 'twist', angle: 120, tolerance: 1e-6 }, { pieces: ['b'] }),
      step('k', 'deform', { what: 'taper', end: 0.5, tolerance: 1e-6 }, { pieces: ['b'] }),
    );
    expect(volume(bodyOf(r, 't'))).toBeCloseTo(16 * 40, 3);
    expect(volume(bodyOf(r, 'k'))).toBeCloseTo((40 / 3) * (16 + 4 + 8), 3);
    expect(isWatertight(bodyOf(r, 't')) && isWatertight(bodyOf(r, 'k'))).toBe(true);
  });
  it('a part of a bar bends gently: the volume stays, the far end stands at the whole angle', async () => {
    const r = await run(...bar, step('d', 'deform', { angle: 60, over: 'part', from: 10, to: 30, tolerance: 1e-5 }, { pieces: ['b'] }));
    const b = bodyOf(r, 'd');
    // every slice turns about its own middle, which lies on the line that keeps its length
    expect(volume(b)).toBeCloseTo(16 * 40, 2);
    const cap = b.faces.findIndex((f) => f.name.endsWith('cap-end'));
    const n = massProperties(b, [cap]).vectorArea;
    near([n[0] / 16, n[2] / 16], [Math.sin(Math.PI / 3), Math.cos(Math.PI / 3)], 4);
  });
  it('a part of a curve twists gently: what lies beyond moves as one', async () => {
    const r = await run(
      step('q', 'work-plane', { base: 'xz' }),
      onPlane(
        'q',
        step('l', 'polyline', {
          points: [
            [3, 0],
            [3, 40],
          ],
        }),
      ),
      step('t', 'deform', { what: 'twist', angle: 90, over: 'part', from: 10, to: 20 }, { pieces: ['l'] }),
    );
    const p = r.get('t')?.outputs.main;
    if (p?.kind !== 'curve') throw new Error('no curve');
    const c = p.curves[0];
    near(pointAt(c, c.knots[c.knots.length - 1]), [0, 3, 40], 4);
    near(pointAt(c, c.knots[0]), [3, 0, 0], 6);
    expect(arcLength(c)).toBeGreaterThan(40);
  });
  it('folds and flat pieces are refused with the reason', async () => {
    const r = await run(
      ...box('b', 30, 20),
      step('f', 'deform', { angle: 180 }, { pieces: ['b'] }),
      step('c', 'circle', { radius: 5 }),
      step('n', 'deform', {}, { pieces: ['c'] }),
    );
    expect(codeOf(r, 'f')).toBe('folds');
    expect(codeOf(r, 'n')).toBe('no-length');
  });
});
