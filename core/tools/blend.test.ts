import { describe, expect, it } from 'vitest';
import { faceNormal, massProperties, topologyOf } from '../brep/index.ts';
import { dot } from '../math/index.ts';
import { surfacePoint } from '../nurbs/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';

const edge = (of: string, name: string, more: object = {}): Pick =>
  ({ step: of, output: 'main', part: { kind: 'edge', name }, ...more }) as unknown as Pick;
/** Two tubes, one above the other and beside it. */
const tubes = [
  step('c', 'circle', { radius: 20 }),
  step('a', 'extrude', { distance: 30, cap: false }, { profile: ['c'] }),
  step('q', 'work-plane', { offset: [6, 0, 70], turns: [0, 12, 35] }),
  { ...step('d', 'circle', { radius: 12 }), inputs: { plane: [{ step: 'q', output: 'main' }] } },
  step('b', 'extrude', { distance: 25, cap: false }, { profile: ['d'] }),
];
const join = (params: Record<string, unknown> = {}, more: Record<string, Pick[] | string[]> = {}) =>
  step('x', 'blend', params, { first: [edge('a', 'a.end.0')], second: [edge('b', 'b.start.0')], ...more });

describe('the blend as a step', () => {
  it('tells what was asked and what is reached, and knits to a watertight neck', async () => {
    const r = await run(...tubes, join(), step('k', 'knit', {}, { skins: ['a', 'x', 'b'] }));
    expect(r.get('x')?.status).toBe('fine');
    for (const side of ['first', 'second']) expect(factOf(r, 'x', side)).toContain('G2 reached');
    const b = bodyOf(r, 'k');
    expect(topologyOf(b).rims.length).toBe(2);
    expect(b.faces.length).toBe(3);
    // the outside goes on: nothing had to be turned over
    const x = bodyOf(r, 'x');
    const [f] = x.faces;
    const p = surfacePoint(f.surface, 0.5, 0.3);
    expect(dot(faceNormal(f, 0.5, 0.3), [p[0] - 3, p[1], 0])).toBeGreaterThan(0);
  });
  it('lower grades cost fewer rows; G3 is told with its flow', async () => {
    for (const [g, rows] of [
      ['0', 2],
      ['1', 4],
      ['2', 6],
      ['3', 8],
    ] as const) {
      const r = await run(...tubes, join({ gradeFirst: g, gradeSecond: g }));
      expect(factOf(r, 'x', 'control points')?.startsWith(`${rows} ×`)).toBe(true);
      expect(factOf(r, 'x', 'first')).toContain(`G${g} reached`);
    }
  });
  it('a longer reach makes a fuller neck', async () => {
    const area = async (reach: number) =>
      massProperties(bodyOf(await run(...tubes, join({ reachFirst: reach, reachSecond: reach })), 'x')).area;
    expect(await area(1.6)).toBeGreaterThan((await area(0.6)) * 1.01);
  });
  it('matched points turn the rulings', async () => {
    const plain = bodyOf(await run(...tubes, join()), 'x');
    const pinned = bodyOf(await run(...tubes, join({ pins: [[0.5, 0.56]] })), 'x');
    expect(Math.abs(massProperties(pinned).area - massProperties(plain).area)).toBeGreaterThan(0.01);
    expect((await run(...tubes, join({ pins: [[0.5, 0.56]] }))).get('x')?.status).toBe('fine');
  });
  it('says what cannot be: free curve, one closed, nothing between, ends of a closed blend', async () => {
    const line = step('l', 'polyline', {
      points: [
        [0, 0, 90],
        [9, 9, 90],
      ],
    });
    const ring = await run(...tubes, line, step('x', 'blend', { gradeSecond: '0' }, { first: [edge('a', 'a.end.0')], second: ['l'] }));
    expect(codeOf(ring, 'x')).toBe('open-with-closed');
    const free = await run(...tubes, step('x', 'blend', {}, { first: [edge('a', 'a.end.0')], second: ['d'] }));
    expect(codeOf(free, 'x')).toBe('free-curve');
    const met = await run(...tubes, step('x', 'blend', { gradeSecond: '0' }, { first: [edge('a', 'a.end.0')], second: ['d'] }));
    expect(met.get('x')?.status).toBe('fine');
    const same = await run(...tubes, step('x', 'blend', {}, { first: [edge('a', 'a.end.0')], second: [edge('a', 'a.end.0')] }));
    expect(codeOf(same, 'x')).toBe('same-edge');
    const ends = await run(...tubes, join({}, { mirror: ['q'] }));
    expect(codeOf(ends, 'x')).toBe('no-ends');
    const apart = await run(
      ...tubes,
      step('x', 'blend', {}, { first: [edge('a', 'a.end.0')], firstMore: [edge('b', 'b.end.0')], second: [edge('b', 'b.start.0')] }),
    );
    expect(codeOf(apart, 'x')).toBe('not-one-chain');
  });
});
