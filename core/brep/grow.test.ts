import { describe, expect, it } from 'vitest';
import { arcLength } from '../nurbs/index.ts';
import { bodyOf, run, square, step } from '../testing/run.ts';
import { edgeCurve, growEdge, smoothFaces, topologyOf } from './index.ts';

const rounded = async () =>
  bodyOf(
    await run(
      step('c', 'rectangle', { by: 'centre', points: [[0, 0]], width: 30, height: 20, radius: 4 }),
      step('e', 'extrude', { distance: 10, cap: false }, { profile: ['c'] }),
    ),
    'e',
  );
const length = (b: Awaited<ReturnType<typeof rounded>>, edges: readonly { edge: number }[]) =>
  edges.reduce((s, e) => s + arcLength(edgeCurve(b.edges[e.edge])), 0);

describe('grown picks', () => {
  it('a tangent chain runs round a rounded rectangle and closes, from any of its edges', async () => {
    const b = await rounded();
    const around = 2 * (22 + 12) + 8 * Math.PI;
    for (const e of topologyOf(b).rims) {
      for (const way of ['chain', 'rim'] as const) {
        const r = growEdge(b, e, way);
        expect(r?.closed).toBe(true);
        expect(length(b, r?.edges ?? [])).toBeCloseTo(around, 8);
      }
    }
  });
  it('running order: each edge begins where the one before ends', async () => {
    const b = await rounded();
    const r = growEdge(b, topologyOf(b).rims[0], 'chain');
    const run = r?.edges ?? [];
    const ends = run.map(({ edge, reversed }) =>
      reversed ? [b.edges[edge].end, b.edges[edge].start] : [b.edges[edge].start, b.edges[edge].end],
    );
    ends.forEach((x, i) => expect(x[0]).toBe(ends[(i + ends.length - 1) % ends.length][1]));
  });
  it('a sharp corner ends a chain, not a loop; a seam is no rim', async () => {
    const b = bodyOf(
      await run(step('c', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 8 }, { profile: ['c'] })),
      'e',
    );
    const e = topologyOf(b).seams[0];
    expect(growEdge(b, e, 'chain')?.edges.length).toBe(1);
    expect(growEdge(b, e, 'loop')?.edges.length).toBe(4);
    expect(growEdge(b, e, 'loop')?.closed).toBe(true);
    expect(growEdge(b, e, 'rim')).toBeUndefined();
  });
  it('faces grow over smooth seams and stop at sharp ones', async () => {
    const b = await rounded();
    expect(smoothFaces(b, 0).length).toBe(b.faces.length);
    const sharp = bodyOf(
      await run(step('c', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 8 }, { profile: ['c'] })),
      'e',
    );
    expect(smoothFaces(sharp, 0)).toEqual([0]);
  });
  it('a grown pick goes through the recipe: its chain is offset, raised, and its ends pulled in; it follows a change upstream', async () => {
    for (const radius of [4, 6]) {
      const steps = [
        step('c', 'rectangle', { by: 'centre', points: [[0, 0]], width: 30, height: 20, radius }),
        step('e', 'extrude', { distance: 10, cap: false }, { profile: ['c'] }),
      ];
      const b = bodyOf(await run(...steps), 'e');
      const rim = topologyOf(b).rims[0];
      const pick = (cut?: [number, number]) => ({
        step: 'e',
        output: 'main',
        part: { kind: 'edge' as const, name: b.edges[rim].name },
        grow: { way: 'chain' as const, cut },
      });
      const around = 2 * (30 - 2 * radius + 20 - 2 * radius) + 2 * Math.PI * radius;
      const r = await run(
        ...steps,
        step('x', 'extrude', { distance: 5, cap: false }, { profile: [pick()] }),
        step('y', 'extrude', { distance: 5, cap: false }, { profile: [pick([0.25, 0.75])] }),
      );
      const area = (id: string) => topologyOf(bodyOf(r, id)).rims.reduce((s, e) => s + arcLength(edgeCurve(bodyOf(r, id).edges[e])), 0);
      expect(area('x')).toBeCloseTo(2 * around, 6);
      // half the chain: twice its length, and two ends of 5 mm
      expect(area('y')).toBeCloseTo(around + 10, 6);
      expect(r.get('y')?.marks.find((m) => m.kind === 'chain')).toBeTruthy();
    }
  });
});
