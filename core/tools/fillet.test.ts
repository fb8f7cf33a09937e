import { describe, expect, it } from 'vitest';
import { edgePoint, massProperties, topologyOf } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { type Pick, partName, partPlace } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';

const box = step('b', 'primitive', { width: 60, depth: 40, height: 30 });
/** The edge of the box whose middle is nearest to a place. */
async function edgeAt(p: Vec3): Promise<Pick> {
  const b = bodyOf(await run(box), 'b');
  const middle = (i: number) => edgePoint(b.edges[i], (b.edges[i].range[0] + b.edges[i].range[1]) / 2);
  const i = b.edges.map((_, k) => k).reduce((m, k) => (distance(middle(k), p) < distance(middle(m), p) ? k : m));
  return {
    step: 'b',
    output: 'main',
    part: { kind: 'edge', name: partName(b, 'edge', i), near: partPlace(b, 'edge', i) as [number, number, number] },
  };
}
const fillet = async (params: object, ...edges: Pick[]) => run(box, { ...step('f', 'fillet', { ...params }), inputs: { edges } });

describe('the fillet as a step', () => {
  it('tells what is reached, and keeps a solid', async () => {
    const r = await fillet({ radius: 6 }, await edgeAt([30, -20, 15]));
    expect(r.get('f')?.status).toBe('fine');
    for (const side of ['left', 'right']) expect(factOf(r, 'f', side)).toContain('G1 reached');
    expect(factOf(r, 'f', 'radius')).toBe('6 mm');
    expect(massProperties(bodyOf(r, 'f')).volume).toBeCloseTo(72_000 - (1 - Math.PI / 4) * 36 * 30, 3);
  });
  it('edges that meet in a corner go to the kernel, and the card says so', async () => {
    const edges = [await edgeAt([-30, 0, 30]), await edgeAt([0, 20, 30])];
    const r = await fillet({ rule: 'tube', distance: 3, section: 'flat' }, ...edges);
    expect(factOf(r, 'f', 'made by')).toContain('corner');
    // two wedges less what they share in the corner
    expect(massProperties(bodyOf(r, 'f')).volume).toBeCloseTo(72_000 - 4.5 * 100 + 9, 3);
    expect(topologyOf(bodyOf(r, 'f')).rims).toHaveLength(0);
    expect(codeOf(await fillet({ rule: 'width', width: 3, section: '2' }, ...edges), 'f')).toBe('corner');
  });
});
