import { describe, expect, it } from 'vitest';
import { compose, DEG, dot, rotation, translation } from '../math/index.ts';
import { ball, block, cone, ringBody } from '../testing/random-bodies.ts';
import { transformBody } from './body.ts';
import { inertiaOf, massProperties } from './mass.ts';
import { measuredBox } from './size.ts';
import { makeSolid } from './solid.ts';

describe('moments of inertia', () => {
  it('a block: m/12 (b² + c²) about each axis, to twelve digits, also turned and a kilometre away', () => {
    const b = block(3, 5, 8);
    const m = 6 * 10 * 16;
    const wanted = [(m / 12) * (36 + 100), (m / 12) * (36 + 256), (m / 12) * (100 + 256)];
    const here = inertiaOf(b);
    here.moments.forEach((x, k) => expect(x / wanted[k]).toBeCloseTo(1, 11));
    expect(Math.abs(dot(here.axes[0], [0, 0, 1]))).toBeCloseTo(1, 10);
    const away = inertiaOf(transformBody(b, compose(translation([1e6, -2e5, 3e5]), rotation([0, 0, 0], [1, 2, 3], 40 * DEG))));
    away.moments.forEach((x, k) => expect(x / wanted[k]).toBeCloseTo(1, 7));
  });
  it('a ball 2/5 m r², a ring and a cone by their formulas', () => {
    const round = makeSolid(ball(7));
    if (!round.ok) throw new Error(round.message);
    const m = massProperties(round.body).volume;
    inertiaOf(round.body).moments.forEach((x) => expect(x / (0.4 * m * 49)).toBeCloseTo(1, 9));
    const ring = makeSolid(ringBody(20, 4));
    if (!ring.ok) throw new Error(ring.message);
    const v = massProperties(ring.body).volume;
    // about its axis R² + 3/4 r², across it half of R² and 5/8 r²
    const list = inertiaOf(ring.body).moments;
    expect(list[2] / (v * (400 + 12))).toBeCloseTo(1, 9);
    expect(list[0] / (v * (200 + 10))).toBeCloseTo(1, 9);
    const c = cone(6, 6, 10);
    const tube = Math.PI * 360;
    const r = inertiaOf(c).moments;
    expect(r[1] / (tube * (9 + 100 / 12))).toBeCloseTo(1, 9);
    expect(r[2] / (tube * 18)).toBeCloseTo(1, 9);
  });
});

describe('size', () => {
  it('a ball and a ring, turned at random, measure what they are', () => {
    for (let k = 0; k < 6; k++) {
      const turn = compose(rotation([0, 0, 0], [1, k, 2], 37 * k * DEG), rotation([0, 0, 0], [k, 1, -1], 11 * k * DEG));
      const round = measuredBox(transformBody(ball(10), turn));
      for (let d = 0; d < 3; d++) expect(round.max[d] - round.min[d]).toBeCloseTo(20, 5);
      const ring = measuredBox(transformBody(ringBody(20, 4), turn));
      // along a direction at an angle a to its axis a ring reaches 2 (R sin a + r)
      const axis = [0, 1, 2].map((d) => turn.m[d][2]);
      for (let d = 0; d < 3; d++) expect(ring.max[d] - ring.min[d]).toBeCloseTo(2 * (20 * Math.sqrt(1 - axis[d] ** 2) + 4), 4);
    }
  });
});
