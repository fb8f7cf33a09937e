import { describe, expect, it } from 'vitest';
import { topologyOf } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { gradeRank, measureSeam } from '../proof/index.ts';
import { applyEdit, emptyModel, evaluateModel, type Model, type Step } from '../recipe/index.ts';
import { bodyOf, square, step } from '../testing/run.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { type Offers, tryOffers } from './index.ts';

const options = { tools: RUNNABLE, kernel: localKernel };
async function offersFor(steps: Step[], id: string, pick: (names: readonly string[]) => boolean, grade: 1 | 2 | 3) {
  const model: Model = { ...emptyModel('offers'), steps };
  const { steps: results } = await evaluateModel(model, options);
  for (const [k, r] of results) if (r.status === 'error') throw new Error(`${k}: ${r.diagnostics[0]?.message}`);
  const body = bodyOf(results, id);
  const edge = body.edges.findIndex(
    (_, i) => topologyOf(body).uses[i].length === 2 && pick(topologyOf(body).uses[i].map((u) => body.faces[u.face].name)),
  );
  const told: number[] = [];
  const so = await tryOffers(model, results, { step: id, output: 'main', body, edge, grade }, options, (x) => told.push(x.tried));
  return { model, so, told, before: measureSeam(body, edge) };
}
/** The best offer, carried out on the model: what the seam is then, measured anew. */
async function kept(model: Model, so: Offers, id: string, pick: (names: readonly string[]) => boolean) {
  const applied = applyEdit(model, so.offers[0].edit);
  if (!applied.ok) throw new Error(applied.message);
  const { steps } = await evaluateModel(applied.model, options);
  const body = bodyOf(steps, id);
  const edge = body.edges.findIndex(
    (_, i) => topologyOf(body).uses[i].length === 2 && pick(topologyOf(body).uses[i].map((u) => body.faces[u.face].name)),
  );
  return measureSeam(body, edge);
}
const wave = (id: string, z: number, lift: number) =>
  step(id, 'spline', {
    flat: false,
    points: [
      [0, z, 0],
      [20, z, lift],
      [40, z, -lift],
      [60, z, 0],
    ],
  });
const sheets = [
  wave('a0', 0, 4),
  wave('a1', 30, 2),
  step('left', 'loft', {}, { sections: ['a0', 'a1'] }),
  wave('b0', 50, 3),
  wave('b1', 80, 5),
  step('right', 'loft', {}, { sections: ['b0', 'b1'] }),
];
const edgeOf = (s: string, name: string) => ({ step: s, output: 'main', part: { kind: 'edge' as const, name } });

describe('a seam below its target', () => {
  it('a blend at G1 is offered as G2, tried, and meets it when it is kept', async () => {
    const blended: Step[] = [
      ...sheets,
      {
        ...step('strip', 'blend', { gradeFirst: '1', gradeSecond: '1' }),
        inputs: { first: [edgeOf('left', 'left.u1')], second: [edgeOf('right', 'right.u0')] },
      },
      step('whole', 'knit', {}, { skins: ['left', 'strip', 'right'] }),
    ];
    const between = (n: readonly string[]) => n.some((x) => x.startsWith('left')) && n.some((x) => x.startsWith('strip'));
    const { model, so, told, before } = await offersFor(blended, 'whole', between, 2);
    expect(gradeRank(before.grade)).toBe(1);
    expect(so.offers[0]?.meets).toBe(true);
    expect(so.offers.filter((o) => o.meets && o.label.startsWith('G2')).length).toBeGreaterThan(0);
    expect(told).toEqual(told.map((_, i) => i + 1));
    const after = await kept(model, so, 'whole', between);
    expect(gradeRank(after.grade)).toBeGreaterThanOrEqual(2);
    expect(after.step).toBeCloseTo(so.offers[0].now.step, 6);
  }, 120_000);

  it('skins that only touch are matched before they are knitted', async () => {
    const touching: Step[] = [
      ...sheets.slice(0, 3),
      wave('c1', 60, 9),
      step('next', 'loft', {}, { sections: ['a1', 'c1'] }),
      step('whole', 'knit', {}, { skins: ['left', 'next'] }),
    ];
    const between = (n: readonly string[]) => n.some((x) => x.startsWith('left')) && n.some((x) => x.startsWith('next'));
    const { model, so, before } = await offersFor(touching, 'whole', between, 2);
    expect(gradeRank(before.grade)).toBe(0);
    const match = so.offers.find((o) => o.label.includes('matched'));
    expect(match?.meets).toBe(true);
    expect(match?.now.across?.[0].length).toBeGreaterThan(10);
    const after = await kept(
      model,
      { ...so, offers: [match as NonNullable<typeof match>] },
      'whole',
      (n) => n.length === 2 && n[0] !== n[1],
    );
    expect(gradeRank(after.grade)).toBeGreaterThanOrEqual(2);
  }, 120_000);

  it('a corner is offered a fillet that meets it on both sides', async () => {
    const box: Step[] = [
      step('c', 'polyline', { points: square(20), closed: true }),
      step('e', 'extrude', { distance: 30 }, { profile: ['c'] }),
    ];
    const { so } = await offersFor(box, 'e', () => true, 2);
    const fillet = so.offers.find((o) => o.label.includes('fillet'));
    expect(fillet?.meets).toBe(true);
    expect(fillet?.now.kink).toBeLessThan(0.01);
  }, 120_000);
});
