import { describe, expect, it } from 'vitest';
import { isWatertight } from '../brep/index.ts';
import { inBody } from '../joins/index.ts';
import { bodyOf, codeOf, factOf, onPlane, run, square, step, volume } from '../testing/run.ts';

/** A box of 20 x 20 x 20 with a hollow in it, wall 2. */
const hollowBox = [
  step('a', 'polyline', { points: square(10), closed: true }),
  step('e', 'extrude', { distance: 20 }, { profile: ['a'] }),
  step('h', 'shell', { wall: 2 }, { solid: ['e'] }),
];
const ring = (z: number) => [
  step('p', 'work-plane', { offset: [0, 0, z] }),
  onPlane('p', step('l', 'polyline', { points: square(10), closed: true })),
];
const cut = (params: Record<string, unknown> = {}, loop = ['l']) => step('s', 'split-loop', params, { solid: ['h'], loop });
const whole = 8000 - 16 ** 3;
/** Volume of the box's wall below a level inside the hollow. */
const below = (z: number) => 400 * z - 256 * (z - 2);

describe('split along a loop', () => {
  it('a level loop leaves the volumes of both parts to rounding, each closed', async () => {
    const r = await run(...hollowBox, ...ring(8), cut());
    const [lower, upper] = [bodyOf(r, 's'), bodyOf(r, 's', 'upper')];
    expect(volume(lower)).toBeCloseTo(below(8), 6);
    expect(volume(upper)).toBeCloseTo(whole - below(8), 6);
    expect(isWatertight(lower) && isWatertight(upper)).toBe(true);
    expect(factOf(r, 's', 'wall under the loop')).toMatch(/^2/);
    expect(factOf(r, 's', 'cut by')).toBeUndefined();
  });
  it('a lip inside: half of the wall goes from the upper part to the lower; play and gap go to neither', async () => {
    const r = await run(...hollowBox, ...ring(8), cut({ lip: 'lower', height: 1.5 }));
    // half of the wall, 1 mm, stands inside: a ring from 8 to 9 mm off the middle
    const ringOf = (a: number, b: number, h: number) => (4 * b * b - 4 * a * a) * h;
    expect(volume(bodyOf(r, 's'))).toBeCloseTo(below(8) + ringOf(8, 9, 1.5), 5);
    expect(volume(bodyOf(r, 's')) + volume(bodyOf(r, 's', 'upper'))).toBeCloseTo(whole, 5);
    const t = await run(...hollowBox, ...ring(8), cut({ lip: 'lower', height: 1.5, play: 0.1, gap: 0.2 }));
    expect(volume(bodyOf(t, 's'))).toBeCloseTo(below(8) + ringOf(8, 9, 1.5), 5);
    // the upper part begins 0.2 higher, and 0.1 further out beside the lip
    expect(volume(bodyOf(t, 's', 'upper'))).toBeCloseTo(whole - below(8.2) - ringOf(8, 9.1, 1.5), 5);
    const o = await run(...hollowBox, ...ring(8), cut({ lip: 'upper', side: 'outside', height: 1.5, share: 0.25 }));
    expect(volume(bodyOf(o, 's'))).toBeCloseTo(below(8) - ringOf(9.5, 10, 1.5), 5);
  });
  it('each side its own path: a wave on every side, corners closed, nothing lost', async () => {
    const side = (i: number, base: string, offset: number, wave: number) => [
      step(`q${i}`, 'work-plane', { base, offset: [0, 0, offset] }),
      onPlane(
        `q${i}`,
        step(`w${i}`, 'spline', {
          points: [
            [-10, 8],
            [-4, 8 + wave],
            [4, 8 - wave],
            [10, 8],
          ],
          degree: 3,
        }),
      ),
    ];
    const r = await run(
      ...hollowBox,
      ...side(0, 'xz', 10, 3),
      ...side(1, 'xz', -10, -3),
      ...side(2, 'yz', 10, 4),
      ...side(3, 'yz', -10, 1),
      cut({ lip: 'lower', height: 0.8 }, ['w0', 'w1', 'w2', 'w3']),
    );
    const [lower, upper] = [bodyOf(r, 's'), bodyOf(r, 's', 'upper')];
    expect(volume(lower) + volume(upper)).toBeCloseTo(whole, 3);
    expect(isWatertight(lower) && isWatertight(upper)).toBe(true);
    expect(r.get('s')?.diagnostics.find((d) => d.code === 'corners')?.place?.length).toBe(4);
    // front and back have opposite waves: a crest of the one, 0.86 high, faces a valley of the other
    const crest = inBody(lower, [-5, -9.9, 8.5]) ? -1 : 1;
    expect(inBody(lower, [-5, 9.9 * crest, 8.5])).toBe(true);
    expect(inBody(lower, [-5, -9.9 * crest, 7.5])).toBe(false);
    expect(inBody(upper, [-5, -9.9 * crest, 7.5])).toBe(true);
    expect(inBody(upper, [-5, 9.9 * crest, 8.5])).toBe(false);
  });
  it('says why not: open chain, off the skin, not hollow, lip too thick, too shallow, too deep', async () => {
    const open = await run(
      ...hollowBox,
      step('l', 'polyline', {
        points: [
          [-10, -10],
          [10, -10],
        ],
      }),
      cut(),
    );
    expect(codeOf(open, 's')).toMatch(/open-loop|off-skin/);
    const off = await run(...hollowBox, step('l', 'circle', { radius: 4 }), cut());
    expect(['off-skin', 'no-split', 'not-hollow', 'no-wall', 'too-deep', 'pieces']).toContain(codeOf(off, 's'));
    const full = await run(...hollowBox.slice(0, 2), ...ring(8), step('s', 'split-loop', {}, { solid: ['e'], loop: ['l'] }));
    expect(codeOf(full, 's')).toBe('not-hollow');
    const thick = await run(...hollowBox, ...ring(8), cut({ lip: 'lower', share: 0.9, play: 0.2 }));
    expect(codeOf(thick, 's')).toBe('lip-too-thick');
    expect(codeOf(await run(...hollowBox, ...ring(8), cut({ depth: 1 })), 's')).toBe('too-shallow');
    expect(codeOf(await run(...hollowBox, ...ring(8), cut({ depth: 19 })), 's')).toBe('too-deep');
  });
  it('a thin lip warns with its place, one that runs into the top of the hollow is refused', async () => {
    const r = await run(...hollowBox, ...ring(8), cut({ lip: 'lower', share: 0.1, height: 1 }));
    const told = r.get('s')?.diagnostics.find((d) => d.code === 'thin-lip');
    expect(told?.severity).toBe('warning');
    expect(told?.place?.length).toBe(1);
    expect(codeOf(await run(...hollowBox, ...ring(17.2), cut({ lip: 'lower', height: 1.5 })), 's')).toBe('no-split');
  });
});
