import { expect, it } from 'vitest';
import { arcLength, type NurbsCurve } from '../nurbs/index.ts';
import type { StepResult } from '../recipe/index.ts';
import { codeOf, facePick, factOf, run, step } from '../testing/run.ts';

const total = (r: ReadonlyMap<string, StepResult>, id: string) =>
  Object.values(r.get(id)?.outputs ?? {})
    .flatMap((p): readonly NurbsCurve[] => (p.kind === 'curve' ? p.curves : []))
    .reduce((s, c) => s + arcLength(c), 0);

it('a badge projected on a tube is offset on it, to both sides, and ends at its rim', async () => {
  const r = await run(
    step('c', 'circle', { radius: 10 }),
    step('tube', 'extrude', { distance: 40, cap: false }, { profile: ['c'] }),
    step('p', 'work-plane', { base: 'xz', offset: [0, 20, 30] }),
    step('ring', 'circle', { radius: 4 }, { plane: ['p'] }),
    step('badge', 'project-curve', { side: 'near' }, { curves: ['ring'], onto: ['tube'] }),
    step('both', 'offset-curve', { distance: 1, both: true }, { chain: ['badge'], face: [facePick('tube', 'tube:side')] }),
    step('over', 'offset-curve', { distance: 30, both: true }, { chain: ['badge'], face: [facePick('tube', 'tube:side')] }),
    step('away', 'offset-curve', {}, { chain: ['ring'], face: [facePick('tube', 'tube:side')] }),
  );
  expect(r.get('badge')?.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  expect(r.get('both')?.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  expect(factOf(r, 'both', 'chains')).toBe('2');
  // laid flat, a smooth closed curve gains and loses one turn times the distance
  expect(total(r, 'both')).toBeCloseTo(2 * total(r, 'badge'), 3);
  expect(codeOf(r, 'away')).toBe('off-face');
});
