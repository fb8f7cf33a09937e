import { expect, it } from 'vitest';
import { type Body, meshBody } from '../brep/index.ts';
import { dot, type Vec3 } from '../math/index.ts';
import { seeded } from '../testing/mutate.ts';
import { ball, block, cone, loftSolid, placed, ringBody, vase } from '../testing/random-bodies.ts';
import { boxAlong, turnedBox } from './turned-box.ts';

const near = (a: readonly number[], b: readonly number[], within = 1e-6) =>
  a.forEach((x, i) => {
    expect(Math.abs(x - b[i])).toBeLessThan(within);
  });

it('the smallest box of a block, a can and a ring, turned and moved at will, is their own', () => {
  const r = seeded(6);
  const cases: [Body, [number, number, number]][] = [
    [block(10, 6, 4), [20, 12, 8]],
    [cone(5, 5, 30), [30, 10, 10]],
    [ringBody(18, 5), [46, 46, 10]],
    [ball(4), [8, 8, 8]],
  ];
  for (const [b, sides] of cases) {
    const box = turnedBox(placed(b, r, 50));
    // round ends make the volume flat about the best turn: sides are as near as the square root of what is seen of it
    near(box.sides, sides, 2e-2);
    expect(Math.abs(box.volume / (sides[0] * sides[1] * sides[2]) - 1)).toBeLessThan(2e-3);
    expect(Math.abs(dot(box.frame.x, box.frame.y))).toBeLessThan(1e-9);
  }
});
it('it is never larger than the upright box, and holds every place of the body', () => {
  for (const [k, b] of [vase(seeded(1), 14, 30), loftSolid(seeded(3), 12, 40)].entries()) {
    const turned = placed(b, seeded(20 + k), 30);
    const box = turnedBox(turned);
    const upright = boxAlong(turned, [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ]);
    expect(box.volume).toBeLessThan(upright.volume * (1 + 1e-12));
    const p = meshBody(turned, { chord: 0.02 }).positions;
    for (let i = 0; i < p.length; i += 3) {
      const o: Vec3 = [p[i] - box.frame.origin[0], p[i + 1] - box.frame.origin[1], p[i + 2] - box.frame.origin[2]];
      [box.frame.x, box.frame.y, box.frame.z].forEach((a, d) => {
        expect(Math.abs(dot(o, a))).toBeLessThan(box.sides[d] / 2 + 1e-6);
      });
    }
  }
});
