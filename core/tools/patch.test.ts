import { describe, expect, it } from 'vitest';
import { isOriented, massProperties, topologyOf } from '../brep/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, onPlane, run, step } from '../testing/run.ts';

const edge = (of: string, name: string, more: object = {}): Pick =>
  ({ step: of, output: 'main', part: { kind: 'edge', name }, ...more }) as unknown as Pick;
/** A ball with a slice cut off its top: the open zone below. */
const bowl = [
  step('z', 'primitive', { shape: 'ball', radius: 10 }),
  step('o', 'copy-faces', {}, { faces: ['z'] }),
  step('q', 'work-plane', { offset: [0, 0, 6], turns: [8, 5, 0] }),
  step('e', 'trim', { keep: 'behind' }, { target: ['o'], cutters: ['q'] }),
];
const rimOf = async () => {
  const b = bodyOf(await run(...bowl), 'e');
  return topologyOf(b).rims.map((i) => b.edges[i].name);
};

describe('the patch as a step', () => {
  it('gives the ball back, exactly, and joins it', async () => {
    const names = await rimOf();
    const rim = names.map((n) => edge('e', n, { settings: { grade: '2' } }));
    const r = await run(...bowl, step('x', 'patch', { join: true }, { rim }));
    expect(r.get('x')?.status).toBe('fine');
    expect(factOf(r, 'x', 'built over')).toContain('exactly');
    const b = bodyOf(r, 'x');
    expect(topologyOf(b).rims.length).toBe(0);
    expect(isOriented(b)).toBe(true);
    expect(massProperties(b).area).toBeCloseTo(4 * Math.PI * 100, 3);
    expect(Math.abs(massProperties(b).volume)).toBeCloseTo((4 / 3) * Math.PI * 1000, 3);
    // alone it is a skin of its own that knits
    const alone = await run(...bowl, step('x', 'patch', {}, { rim }), step('k', 'knit', {}, { skins: ['e', 'x'] }));
    expect(topologyOf(bodyOf(alone, 'k')).rims.length).toBe(0);
  });
  it('fills all openings of a skin at once, the outer one when asked', async () => {
    // a sheet with three holes
    const at = (id: string, x: number, y: number, r: number) => onPlane('p', step(id, 'circle', { centre: [[x, y]], radius: r }));
    const sheet = [
      step('p', 'work-plane', {}),
      onPlane('p', step('l', 'rectangle', { by: 'centre', points: [[0, 0]], width: 60, height: 40 })),
      at('a', -15, 0, 4),
      at('b', 5, 5, 6),
      at('c', 20, -8, 3),
      step('f', 'flat-skin', {}, { loops: ['l', 'a', 'b', 'c'] }),
    ];
    const r = await run(...sheet, step('x', 'patch', { join: true }, { skin: ['f'] }));
    expect(factOf(r, 'x', 'openings filled')).toBe('3 of 3');
    expect(massProperties(bodyOf(r, 'x')).area).toBeCloseTo(2400, 5);
    expect(topologyOf(bodyOf(r, 'x')).rims.length).toBe(4);
    const alone = await run(...sheet, step('x', 'patch', {}, { skin: ['f'] }));
    expect(bodyOf(alone, 'x').faces.length).toBe(3);
    const outer = await run(
      step('p', 'work-plane', {}),
      sheet[1],
      step('f', 'flat-skin', {}, { loops: ['l'] }),
      step('x', 'patch', {}, { skin: ['f'] }),
    );
    expect(codeOf(outer, 'x')).toBe('outer-only');
  });
  it('takes wires as sides, passes through points, comes as four-sided faces', async () => {
    const wire = (id: string, ...points: number[][]) => step(id, 'spline-through', { flat: false, points });
    const wires = [
      wire('a', [0, 0, 0], [15, -2, 4], [30, 0, 0]),
      wire('b', [30, 0, 0], [33, 14, 3], [30, 28, 0]),
      wire('c', [30, 28, 0], [15, 31, 5], [0, 28, 0]),
      wire('d', [0, 28, 0], [-2, 14, 2], [0, 0, 0]),
    ];
    const r = await run(...wires, step('x', 'patch', {}, { rim: ['c', 'a', 'd', 'b'] }));
    expect(r.get('x')?.status).toBe('fine');
    expect(factOf(r, 'x', 'side 1')).toContain('G0 reached');
    const four = await run(...wires, step('x', 'patch', { faces: 'four' }, { rim: ['c', 'a', 'd', 'b'] }));
    expect(bodyOf(four, 'x').faces.length).toBe(1);
    const high = step('h', 'polyline', {
      points: [
        [14, 14, 9],
        [16, 14, 9],
      ],
    });
    const through = await run(...wires, high, step('x', 'patch', {}, { rim: ['a', 'b', 'c', 'd'], through: ['h'] }));
    expect(Number(factOf(through, 'x', 'way from the points')?.split(' ')[0])).toBeLessThan(0.005);
    const open = await run(...wires, step('x', 'patch', {}, { rim: ['a', 'b', 'c'] }));
    expect(codeOf(open, 'x')).toBe('no-patch');
    expect(open.get('x')?.diagnostics[0].message).toContain('do not close');
  });
  it('says what cannot be', async () => {
    expect(codeOf(await run(...bowl, step('x', 'patch', {})), 'x')).toBe('nothing');
    const names = await rimOf();
    const both = await run(...bowl, step('x', 'patch', {}, { rim: [edge('e', names[0])], skin: ['e'] }));
    expect(codeOf(both, 'x')).toBe('both');
    const shut = await run(...bowl.slice(0, 1), step('x', 'patch', {}, { skin: ['z'] }));
    expect(codeOf(shut, 'x')).toBe('no-openings');
  });
});
