import { describe, expect, it } from 'vitest';
import { isWatertight } from '../brep/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, onPlane, run, step, volume } from '../testing/run.ts';

const edge = (of: string, name: string, settings?: object): Pick =>
  ({ step: of, output: 'main', part: { kind: 'edge', name }, settings }) as unknown as Pick;
const tube = [step('c', 'circle', { radius: 5 }), step('e', 'extrude', { distance: 10, cap: false }, { profile: ['c'] })];

describe('close, each rim its own way', () => {
  it('one rim flat as it is proposed, the other closed by a touching patch: the same volume, both told', async () => {
    const r = await run(...tube, step('s', 'close', {}, { skin: ['e'], own: [edge('e', 'e.end.0', { way: 'position' })] }));
    const b = bodyOf(r, 's');
    expect(isWatertight(b)).toBe(true);
    expect(volume(b)).toBeCloseTo(250 * Math.PI, 3);
    expect(factOf(r, 's', 'rims')?.split(', ').sort()).toEqual(['flat', 'touching']);
    const plain = await run(...tube, step('s', 'close', {}, { skin: ['e'] }));
    expect(factOf(plain, 's', 'rims')).toBe('flat, flat');
  });
  it('with caps switched off a rim can still be asked to be flat; what is not flat is refused, and so is an edge of no rim', async () => {
    const r = await run(
      ...tube,
      step(
        's',
        'close',
        { caps: false, patches: 'position' },
        { skin: ['e'], own: [edge('e', 'e.start.0', { way: 'flat' }), edge('e', 'e.end.0', { way: 'position' })] },
      ),
    );
    expect(factOf(r, 's', 'caps added')).toBe('1');
    const shut = await run(...tube, step('s', 'close', {}, { skin: ['e'], own: [edge('e', 'e.upright.0')] }));
    expect(codeOf(shut, 's')).toBe('no-rim');
    const cut = [
      ...tube,
      step('p', 'work-plane', { base: 'xz' }),
      onPlane(
        'p',
        step('w', 'spline', {
          points: [
            [-9, 6],
            [-3, 9],
            [3, 3],
            [9, 6],
          ],
          degree: 3,
        }),
      ),
      step('t', 'trim', { direction: 'y', places: [[5, 0, 1]] }, { target: ['e'], cutters: ['w'] }),
    ];
    const rims = bodyOf(await run(...cut), 't').edges.map((e) => e.name);
    const wavy = rims.find((n) => n.startsWith('t.cut')) ?? '';
    const bent = await run(...cut, step('s', 'close', {}, { skin: ['t'], own: [edge('t', wavy, { way: 'flat' })] }));
    expect(codeOf(bent, 's')).toBe('not-flat');
  });
});

describe('walls that are too thick', () => {
  it('name every place and offer a wall that works, which then does', async () => {
    const r = await run(
      step('c', 'circle', { radius: 5 }),
      step('e', 'extrude', { distance: 10 }, { profile: ['c'] }),
      step('s', 'shell', { wall: 6 }, { solid: ['e'] }),
    );
    const told = r.get('s')?.diagnostics[0];
    expect(told?.code).toBe('too-thick');
    expect(told?.place?.length).toBeGreaterThan(0);
    const change = told?.suggestions?.[0].changes[0];
    const wall = change?.type === 'setStep' ? Number((change.params as { wall: number }).wall) : Number.NaN;
    expect(wall).toBeGreaterThan(4.7);
    expect(wall).toBeLessThan(4.8);
    const next = await run(
      step('c', 'circle', { radius: 5 }),
      step('e', 'extrude', { distance: 12 }, { profile: ['c'] }),
      step('s', 'shell', { wall }, { solid: ['e'] }),
    );
    expect(volume(bodyOf(next, 's'))).toBeCloseTo(Math.PI * (25 * 12 - (5 - wall) ** 2 * (12 - 2 * wall)), 5);
  });
});
