import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { emptyModel, type Model, newMemory, type Step } from '../recipe/index.ts';
import { RUNNABLE as tools } from '../tools/evaluations.ts';
import { MOST_POINTS, modelAt, parseRange, type SweepRow, sweep, sweepCsv, sweepPoints, sweepRow } from './index.ts';

const step = (id: string, tool: string, params: Record<string, unknown>, inputs: Record<string, string[]> = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, v.map((s) => ({ step: s, output: 'main' }))])),
});
const dials = (o: Record<string, string>): Model['dials'] =>
  Object.entries(o).map(([name, formula]) => ({ name, formula, unit: 'length' }));
const ball: Model = {
  ...emptyModel('Ball'),
  dials: dials({ r: '10 mm', half: 'r/2' }),
  steps: [step('b', 'primitive', { shape: 'ball', radius: 'r' })],
};
const can: Model = {
  ...emptyModel('Can'),
  dials: dials({ r: '5', h: '20' }),
  steps: [step('c', 'primitive', { shape: 'cylinder', radius: 'r', height: 'h' })],
};
const points = (m: Model, ...r: string[]) => {
  const p = sweepPoints(
    m,
    r.map((x) => {
      const y = parseRange(x);
      if (typeof y === 'string') throw new Error(y);
      return y;
    }),
  );
  if (typeof p === 'string') throw new Error(p);
  return p;
};

describe('ranges', () => {
  it('run evenly from the first value to the last, exactly', () => {
    expect(points(ball, 'r=8..12:5').map((p) => p.r)).toEqual([8, 9, 10, 11, 12]);
    expect(points(ball, 'r=1 cm..-2:4').map((p) => p.r)).toEqual([10, 6, 2, -2]);
    expect(points(ball, 'r=0.1..0.7:4').at(-1)?.r).toBe(0.7);
    expect(points(ball, 'r=7..9:1')).toEqual([{ r: 7 }]);
    expect(points(can, 'r=1..2:2', 'h=10..30:3').map((p) => [p.r, p.h])).toEqual([
      [1, 10],
      [1, 20],
      [1, 30],
      [2, 10],
      [2, 20],
      [2, 30],
    ]);
  });
  it('that cannot be run say why', () => {
    expect(parseRange('r')).toContain('write dial=FROM..TO:COUNT');
    expect(parseRange('r=1..x:3')).toContain('"r=1..x:3"');
    const r = (dial: string, from: number, to: number, count: number) => ({ dial, from, to, count });
    expect(sweepPoints(ball, [])).toContain('one dial, or over two');
    expect(sweepPoints(ball, [r('nobody', 1, 2, 3)])).toBe('There is no dial "nobody"; there are: r, half');
    expect(sweepPoints(ball, [r('r', 1, 2, 3), r('r', 1, 2, 3)])).toContain('twice');
    expect(sweepPoints(ball, [r('r', 1, 1, 3)])).toContain('nothing to sweep');
    expect(sweepPoints(ball, [r('r', 1, Number.NaN, 3)])).toContain('a number');
    expect(sweepPoints(ball, [r('r', 1, 2, 2.5)])).toContain('at least one');
    expect(sweepPoints(can, [r('r', 1, 2, 21), r('h', 1, 2, 20)])).toContain(`at most ${MOST_POINTS}`);
    expect(sweepPoints({ dials: [] }, [r('r', 1, 2, 3)])).toContain('there are none');
  });
  it('of any text and numbers give points or words, never an error', () => {
    fc.assert(
      fc.property(fc.string(), (s) => {
        const p = parseRange(s);
        expect(typeof p === 'string' || Number.isFinite(p.count)).toBe(true);
      }),
    );
    fc.assert(
      fc.property(fc.double(), fc.double(), fc.integer({ min: -3, max: 500 }), (from, to, count) => {
        const p = sweepPoints(ball, [{ dial: 'r', from, to, count }]);
        if (typeof p === 'string') expect(p.length).toBeGreaterThan(10);
        else {
          expect(p.length).toBe(count);
          expect(p.every((x) => Number.isFinite(x.r))).toBe(true);
          // minus nothing is nothing
          expect(p[0].r === from).toBe(true);
          if (count > 1) expect(p.at(-1)?.r === to).toBe(true);
        }
      }),
    );
  });
  it('set dials to the last bit, also tiny ones', () => {
    for (const x of [0.1 + 0.2, 1 / 3, 123456.789, -2.5, 1e-9]) {
      const m = modelAt(ball, { r: x });
      expect(Math.abs(Number(m.dials[0].formula) - x)).toBeLessThan(1e-20);
      expect(m.dials[1]).toEqual(ball.dials[1]);
    }
    expect(modelAt(ball, { r: 1.25 }).name).toBe('Ball, r 1.25');
  });
});
describe('a sweep', () => {
  it('over the radius of a ball gives the volume, area, wall and radius of balls', async () => {
    const rows = await sweep(ball, points(ball, 'r=5..20:4'), { tools, kernel, memory: newMemory() });
    for (const r of rows) {
      const x = r.point.r;
      expect(r.why).toEqual([]);
      expect(r.ok && r.watertight).toBe(true);
      expect(Math.abs((r.volume ?? 0) / ((4 / 3) * Math.PI * x ** 3) - 1)).toBeLessThan(1e-9);
      expect(Math.abs((r.area ?? 0) / (4 * Math.PI * x ** 2) - 1)).toBeLessThan(1e-9);
      expect(Math.abs((r.radius ?? 0) - x)).toBeLessThan(1e-6);
      expect(Math.abs((r.wall ?? 0) - 2 * x)).toBeLessThan(1e-6);
      expect(r.gap).toBeLessThan(1e-9);
      expect(r.ms).toBeGreaterThan(0);
    }
  });
  it('over two dials of a can is told row by row as they are there', async () => {
    const seen: number[] = [];
    const rows = await sweep(can, points(can, 'r=2..4:2', 'h=10..20:2'), { tools, kernel }, (_, i) => void seen.push(i));
    expect(seen).toEqual([0, 1, 2, 3]);
    expect(rows.map((r) => Math.round(r.volume ?? 0))).toEqual([4 * 10, 4 * 20, 16 * 10, 16 * 20].map((v) => Math.round(Math.PI * v)));
  });
  it('tells a run that gives nothing, and goes on', async () => {
    const rows = await sweep(ball, points(ball, 'r=-5..5:2'), { tools, kernel, memory: newMemory() });
    expect(rows[0].ok).toBe(false);
    expect(rows[0].why.join()).toContain('no skin or solid');
    expect([rows[0].volume, rows[0].watertight]).toEqual([undefined, undefined]);
    expect(rows[1].ok).toBe(true);
    // in the other order the last good ball must not stand in for the one that failed
    const back = await sweep(ball, points(ball, 'r=5..-5:2'), { tools, kernel, memory: newMemory() });
    expect(back.map((r) => r.ok)).toEqual([true, false]);
    expect(back[1].volume).toBeUndefined();
  });
  it('is not fine where a seam misses its target, or a solid is wanted of what is open', async () => {
    const wanted = { ...can, targets: { 'kind:sharp': 'G1' as const } };
    const row = await sweepRow(wanted, { r: 3 }, { tools, kernel });
    expect(row.targets).toBeGreaterThan(0);
    expect(row.ok).toBe(row.onTarget === row.targets);
    expect(row.ok).toBe(false);
    expect(row.why.join()).toContain('below target');
  });
  it('ends when it is told to', async () => {
    const stop = new AbortController();
    let count = 0;
    const run = sweep(ball, points(ball, 'r=5..20:9'), { tools, kernel, signal: stop.signal }, () => {
      if (++count === 2) stop.abort();
    });
    await expect(run).rejects.toThrow();
    expect(count).toBe(2);
  });
  it('as a table for other programs: every number in full, words in quotes', () => {
    const rows: SweepRow[] = [
      { point: { r: 1 / 3 }, ok: true, why: [], watertight: true, volume: Math.PI, ms: 12 },
      { point: { r: 2 }, ok: false, why: ['a "bad", long one'], ms: 3 },
    ];
    const lines = sweepCsv(rows).trim().split('\r\n');
    expect(lines[0].split(',').slice(0, 4)).toEqual(['r', 'fine', 'watertight', 'volume mm³']);
    expect(lines[1].split(',').slice(0, 4)).toEqual(['0.333333333333', 'yes', 'yes', '3.14159265359']);
    expect(lines[2]).toContain('"a ""bad"", long one"');
  });
});
