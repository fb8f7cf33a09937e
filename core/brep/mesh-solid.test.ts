import { describe, expect, it } from 'vitest';
import { translation } from '../math/index.ts';
import { ball, block, ringBody } from '../testing/random-bodies.ts';
import { combineBodies, meshBody, meshSolidity, meshVerdict, subBody, transformBody, withShells } from './index.ts';

const solidOf = (verdict: Awaited<ReturnType<typeof meshSolidity>>) => [verdict.solid, verdict.parts, verdict.genus];
describe('the mesh library', () => {
  it('tells parts, handles and volume of closed bodies', async () => {
    const cube = await meshSolidity(block(10, 12, 14));
    expect(solidOf(cube)).toEqual([true, 1, 0]);
    expect(cube.volume).toBeCloseTo(20 * 24 * 28, 6);
    expect(cube.area).toBeCloseTo(2 * (20 * 24 + 24 * 28 + 20 * 28), 6);
    expect(solidOf(await meshSolidity(ringBody(20, 6)))).toEqual([true, 1, 1]);
    const two = combineBodies([ball(5), transformBody(ball(5), translation([30, 0, 0]))]);
    expect(solidOf(await meshSolidity(two))).toEqual([true, 2, 0]);
    // inscribed triangles: less than the ball, by less than its area times the chord
    const round = await meshSolidity(ball(20));
    const exact = (4 / 3) * Math.PI * 8000;
    expect(round.volume).toBeLessThan(exact);
    expect(exact - round.volume).toBeLessThan(4 * Math.PI * 400 * 0.14);
  });
  it('does not depend on where the part lies', async () => {
    const far = await meshSolidity(transformBody(block(10, 12, 14), translation([1e5, -1e5, 1e5])));
    expect(solidOf(far)).toEqual([true, 1, 0]);
    expect(far.volume).toBeCloseTo(13440, 4);
  });
  it('objects to a lost triangle, a lost face, and one that is inside out', async () => {
    const m = meshBody(ball(20), { chord: 0.1 });
    expect(await meshVerdict({ ...m, indices: m.indices.slice(3) })).toMatchObject({
      solid: false,
      reason: expect.stringContaining('does not close'),
    });
    expect(await meshVerdict({ ...m, indices: m.indices.slice().reverse() })).toMatchObject({ solid: false, reason: 'is inside out' });
    expect(await meshVerdict({ ...m, indices: new Uint32Array() })).toMatchObject({ solid: false, reason: 'has no triangles' });
    const open = withShells(subBody(block(10, 12, 14), [0, 1, 2, 3, 4]));
    expect(await meshSolidity(open)).toMatchObject({ solid: false, reason: expect.stringContaining('does not close') });
    // corners without numbers of their own count by their places
    expect(await meshVerdict({ positions: m.positions, indices: m.indices })).toMatchObject({ solid: true, parts: 1 });
  });
});
