import fc from 'fast-check';
import { expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { distance, type Vec3, WORLD } from '../math/index.ts';
import {
  arcLength,
  circleCurve,
  closestOnCurve,
  controlPointCurve,
  endPoint,
  lineCurve,
  type NurbsCurve,
  startPoint,
} from '../nurbs/index.ts';
import type { Input, Piece, ToolResult } from '../recipe/index.ts';
import trimCurve from './trim-curve.evaluate.ts';

const input = (piece: Piece): Input => ({ pick: { step: 's', output: 'main' }, piece });
const curve = (c: NurbsCurve): Input => input({ kind: 'curve', curves: [c] });
async function cut(
  c: NurbsCurve,
  cutters: readonly Input[],
  params: Record<string, unknown>,
): Promise<ToolResult & { chains: NurbsCurve[][] }> {
  const p = trimCurve.params.parse(params) as never;
  const r = await trimCurve.evaluate({ curve: [curve(c)], cutters } as never, p, {
    stepId: 't',
    tolerance: 0.001,
    kernel,
    files: false,
    asset: async () => undefined,
    modelName: '',
  });
  return { ...r, chains: Object.values(r.outputs).flatMap((x) => (x.kind === 'curve' ? [[...x.curves]] : [])) };
}
const total = (list: readonly (readonly NurbsCurve[])[]) => list.flat().reduce((s, c) => s + arcLength(c), 0);

it('random splines cut by random lines: nothing is lost, pieces meet end to end, every new end lies on a cutter', () =>
  fc.assert(
    fc.asyncProperty(
      fc.infiniteStream(fc.double({ min: -1, max: 1, noNaN: true })),
      fc.integer({ min: 1, max: 4 }),
      fc.boolean(),
      async (random, count, closed) => {
        const next = () => random.next().value as number;
        // a wave along x, or a ring; the lines stand upright in it
        const points = closed
          ? Array.from(
              { length: 7 },
              (_, i): Vec3 => [(30 + 5 * next()) * Math.cos((2 * Math.PI * i) / 7), (30 + 5 * next()) * Math.sin((2 * Math.PI * i) / 7), 0],
            )
          : Array.from({ length: 7 }, (_, i): Vec3 => [12 * i - 36, 9 * next(), 0]);
        const c = controlPointCurve(points, 3, closed);
        const lines = Array.from({ length: count }, (_, i) => {
          const x = -20 + (40 * (i + 0.5 + 0.3 * next())) / count;
          return lineCurve([x, -60, 0], [x + 3 * next(), 60, 0]);
        });
        const r = await cut(c, lines.map(curve), { mode: 'split' });
        expect(r.diagnostics ?? []).toEqual([]);
        expect(r.chains.length).toBe(closed ? 2 * count : count + 1);
        expect(total(r.chains)).toBeCloseTo(arcLength(c), 6);
        const ends = r.chains.map((x) => [startPoint(x[0]), endPoint(x[x.length - 1])]);
        ends.forEach(([, end], i) => {
          if (i < ends.length - 1 || closed) expect(distance(end, ends[(i + 1) % ends.length][0])).toBeLessThan(1e-9);
        });
        ends.forEach(([start], i) => {
          if (i > 0 || closed) expect(Math.min(...lines.map((l) => closestOnCurve(l, start).distance))).toBeLessThan(1e-6);
        });
      },
    ),
    { numRuns: 60 },
  ));
it('a ring cut in its own start has a cut there', async () => {
  const ring = circleCurve(WORLD, 10);
  const across = lineCurve([-20, 0, 0], [20, 0, 0]);
  const r = await cut(ring, [curve(across)], { mode: 'split' });
  expect(r.chains.map((x) => Number(total([x]).toFixed(6)))).toEqual([
    Number((10 * Math.PI).toFixed(6)),
    Number((10 * Math.PI).toFixed(6)),
  ]);
});
it('keeps what is clicked, runs of neighbours as one chain', async () => {
  const c = lineCurve([0, 0, 0], [40, 0, 0]);
  const r = await cut(c, [], {
    at: [0.25, 0.5, 0.75],
    places: [
      [5, 1, 0],
      [15, -1, 0],
      [38, 0, 0],
    ],
  });
  expect(r.chains.map((x) => x.length)).toEqual([2, 1]);
  expect(total(r.chains)).toBeCloseTo(30, 9);
  expect(r.marks?.map((m) => m.kind === 'choice' && m.kept)).toEqual([true, true, false, true]);
});
it('says what does not meet, and where', async () => {
  const c = lineCurve([0, 0, 0], [40, 0, 0]);
  const miss = await cut(c, [curve(lineCurve([5, 1, 0], [5, 9, 0]))], {});
  expect(miss.diagnostics?.[0]).toMatchObject({ code: 'no-meeting', place: [[5, 1, 0]] });
  expect((await cut(c, [curve(lineCurve([5, 1, 0], [5, 9, 0]))], { reach: 1.001, mode: 'split' })).chains.length).toBe(2);
  expect((await cut(c, [], {})).diagnostics?.[0].code).toBe('no-cut');
  expect((await cut(c, [], { at: [1.2] })).diagnostics?.[0].code).toBe('share');
});
