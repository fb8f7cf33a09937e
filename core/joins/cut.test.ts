import { describe, expect, it } from 'vitest';
import { massProperties, rimChains, topologyOf } from '../brep/index.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';

const R = 20;
const H = 60;
const tube = [step('c', 'circle', { radius: R }), { ...step('e', 'extrude', { distance: H, cap: false }, { profile: ['c'] }), version: 2 }];
const line = (id: string, points: readonly (readonly number[])[]) => step(id, 'polyline', { points });
const wall = (id: string, of: string, distance = 30) => ({
  ...step(id, 'extrude', { distance, side: 'plane' }, { profile: [of] }),
  version: 2,
});
const crossing = [
  line('a', [
    [-40, 0],
    [40, 0],
  ]),
  line('b', [
    [10, -20],
    [10, 20],
  ]),
  wall('A', 'a'),
  wall('B', 'b'),
];
const area = (r: Awaited<ReturnType<typeof run>>, id: string, output = 'main') => massProperties(bodyOf(r, id, output)).area;

describe('cuts', () => {
  it.each(['x', 'y'])('the outline along %s splits a tube in halves, also where it lies on the seam of the tube', async (direction) => {
    const r = await run(
      ...tube,
      step('o', 'outline-curve', { direction, rims: false }, { skin: ['e'] }),
      step('t', 'trim', { mode: 'split', direction: 'normal' }, { target: ['e'], cutters: ['o', 'o/part2'] }),
    );
    expect(r.get('t')?.status).toBe('fine');
    expect(factOf(r, 't', 'pieces')).toBe('2');
    for (const output of ['main', 'part2']) expect(area(r, 't', output)).toBeCloseTo(Math.PI * R * H, 3);
    // each half has one rim around it
    for (const output of ['main', 'part2']) expect(rimChains(bodyOf(r, 't', output)).length).toBe(1);
  });
  it('a single line on the seam parts nothing, and says so', async () => {
    const r = await run(
      ...tube,
      line('l', [
        [R, 0, 0],
        [R, 0, H],
      ]),
      step('t', 'trim', { mode: 'split', direction: 'normal' }, { target: ['e'], cutters: ['l'] }),
    );
    expect(r.get('t')?.status).toBe('error');
    expect(codeOf(r, 't')).toBe('no-cut');
  });
  it('one side is kept: the larger by itself, the other when it is clicked; both together are the whole', async () => {
    const r = await run(
      ...crossing,
      step('big', 'trim', {}, { target: ['A'], cutters: ['B'] }),
      step('small', 'trim', { places: [[30, 0, 15]] }, { target: ['A'], cutters: ['B'] }),
    );
    expect(area(r, 'big')).toBeCloseTo(50 * 30, 6);
    expect(area(r, 'small')).toBeCloseTo(30 * 30, 6);
  });
  it('both cut each other into one sheet: the larger sides, knitted along the cut', async () => {
    const r = await run(...crossing, step('t', 'trim', { mode: 'both' }, { target: ['A'], cutters: ['B'] }));
    const b = bodyOf(r, 't');
    expect(massProperties(b).area).toBeCloseTo(50 * 30 + 20 * 30, 5);
    // one seam 30 long between the two, one rim round all
    expect(topologyOf(b).uses.filter((u) => u.length === 2).length).toBe(1);
    expect(rimChains(b).length).toBe(1);
  });
  it.each([
    [5, 'extended', 'warning'],
    [-3, 'extended', 'note'],
    [400, 'no-cut', 'error'],
  ] as const)('a cutter that ends %f mm before the skin: %s, told as a %s', async (gap, code, severity) => {
    const r = await run(
      line('a', [
        [-40, 0],
        [40, 0],
      ]),
      line('s', [
        [-20, -30 - gap],
        [-20, -gap],
      ]),
      wall('A', 'a'),
      wall('S', 's'),
      step('t', 'trim', { extend: 'linear' }, { target: ['A'], cutters: ['S'] }),
    );
    if (gap === -3) {
      // it goes through: nothing to carry on
      expect(r.get('t')?.diagnostics).toEqual([]);
      expect(area(r, 't')).toBeCloseTo(60 * 30, 6);
      return;
    }
    expect(codeOf(r, 't')).toBe(code);
    expect(r.get('t')?.diagnostics[0].severity).toBe(severity);
    if (code === 'extended') expect(area(r, 't')).toBeCloseTo(60 * 30, 5);
  });
  it('is not carried on where that is switched off', async () => {
    const r = await run(
      ...crossing.slice(0, 1),
      line('s', [
        [-20, -20],
        [-20, -5],
      ]),
      wall('A', 'a'),
      wall('S', 's'),
      step('t', 'trim', { extend: 'none' }, { target: ['A'], cutters: ['S'] }),
    );
    expect(codeOf(r, 't')).toBe('no-cut');
    expect(r.get('t')?.diagnostics[0].message).toContain('does not reach the skin');
  });
  it('a solid is cut in two solids whose volumes add up', async () => {
    const r = await run(
      step('c', 'circle', { radius: 10 }),
      { ...step('e', 'extrude', { distance: 30 }, { profile: ['c'] }), version: 2 },
      step('p', 'work-plane', { offset: [0, 0, 12], turns: [20, 0, 0] }),
      step('up', 'trim', { keep: 'front' }, { target: ['e'], cutters: ['p'] }),
      step('down', 'trim', { keep: 'behind' }, { target: ['e'], cutters: ['p'] }),
    );
    const [a, b] = ['up', 'down'].map((id) => massProperties(bodyOf(r, id)).volume);
    expect(a + b).toBeCloseTo(Math.PI * 100 * 30, 3);
    // a tilted cut through the axis at 12 leaves 12 below it on the mean
    expect(b).toBeCloseTo(Math.PI * 100 * 12, 3);
  });
});
