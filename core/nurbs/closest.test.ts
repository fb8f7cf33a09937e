import { expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { ball, cone, ringBody, vase, wavySheet, wavyTube } from '../testing/random-bodies.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { closestOnSurface, domainU, domainV, evaluateSurface, type NurbsSurface } from './index.ts';

const FEET = Number(process.env.FEET ?? 12);
const out = new Float64Array(48);

/** Another method: the best six minima of a grid of 60 x 60, each by steps in eight directions that shrink to 1e-9 of the domain. */
function nearest(s: NurbsSurface, p: Vec3): number {
  const [[ua, ub], [va, vb]] = [domainU(s), domainV(s)];
  const away = (a: number, b: number): number => {
    evaluateSurface(s, ua + (ub - ua) * a, va + (vb - va) * b, 0, out);
    return Math.hypot(out[0] - p[0], out[1] - p[1], out[2] - p[2]);
  };
  const n = 60;
  const grid = Array.from({ length: n + 1 }, (_, i) => Array.from({ length: n + 1 }, (_, j) => away(i / n, j / n)));
  const at = (i: number, j: number) => grid[i]?.[j] ?? Infinity;
  const ways = [-1, 0, 1].flatMap((x) => [-1, 0, 1].map((y) => [x, y])).filter(([x, y]) => x || y);
  const minima = grid.flatMap((row, i) => row.flatMap((d, j) => (ways.every(([x, y]) => d <= at(i + x, j + y)) ? [{ d, i, j }] : [])));
  minima.sort((a, b) => a.d - b.d);
  return Math.min(
    ...minima.slice(0, 6).map(({ d, i, j }) => {
      let [a, b, best] = [i / n, j / n, d];
      for (let h = 1 / n; h > 1e-9; ) {
        let moved = false;
        for (const [x, y] of ways) {
          const [c, e] = [Math.min(1, Math.max(0, a + x * h)), Math.min(1, Math.max(0, b + y * h))];
          const next = away(c, e);
          if (next < best) [a, b, best, moved] = [c, e, next, true];
        }
        if (!moved) h /= 2;
      }
      return best;
    }),
  );
}
const kinds: [string, NurbsSurface][] = [
  ...[0, 1, 2, 3].map((i): [string, NurbsSurface] => [`sheet ${i}`, wavySheet(randomFrom(i), 40, 4 + 3 * i).faces[0].surface]),
  ...[0, 1, 2].map((i): [string, NurbsSurface] => [`tube ${i}`, wavyTube(randomFrom(i), 20, 60).faces[0].surface]),
  ['vase', vase(randomFrom(2), 20, 60).faces[0].surface],
  ['ball', ball(20).faces[0].surface],
  ['ring', ringBody(20, 6).faces[0].surface],
  ['cone', cone(10, 4, 30).faces[0].surface],
];
it.each(kinds)(`%s: no place is nearer than the foot (${FEET} points each; more: FEET=500)`, (_, s) => {
  const random = randomFrom(7);
  for (let i = 0; i < FEET; i++) {
    const p = [0, 1, 2].map(() => (random() - 0.5) * 90) as unknown as Vec3;
    const foot = closestOnSurface(s, p);
    expect(foot.distance - nearest(s, p)).toBeLessThan(1e-9);
    evaluateSurface(s, foot.u, foot.v, 0, out);
    expect(Math.hypot(out[0] - foot.point[0], out[1] - foot.point[1], out[2] - foot.point[2])).toBe(0);
  }
});
it('a foot on a ball is found from beside its poles, where a grid cannot tell the way', () => {
  const s = ball(20).faces[0].surface;
  for (const tilt of [1e-6, 1e-3, 0.05, 0.17, 0.3])
    for (const turn of [0.1, 1.3, 3, 5.5])
      for (const [radius, side] of [
        [33, 1],
        [7, -1],
      ]) {
        const p: Vec3 = [
          radius * Math.sin(tilt) * Math.cos(turn),
          radius * Math.sin(tilt) * Math.sin(turn),
          side * radius * Math.cos(tilt),
        ];
        expect(Math.abs(closestOnSurface(s, p).distance - Math.abs(radius - 20))).toBeLessThan(1e-12);
      }
});
it('from any start a foot on a ball is the nearest place, over the seam and away from the poles', () => {
  // one span each way: the whole turn is a single polynomial of degree 5, and a step may lead far round
  const s = ball(20).faces[0].surface;
  const random = randomFrom(11);
  for (let i = 0; i < 4000; i++) {
    const tilt = i % 3 ? random() * Math.PI : random() * 0.04;
    const turn = i % 4 ? random() * 2 * Math.PI : (random() - 0.5) * 0.02;
    const radius = 14 + 12 * random();
    const p: Vec3 = [radius * Math.sin(tilt) * Math.cos(turn), radius * Math.sin(tilt) * Math.sin(turn), radius * Math.cos(tilt)];
    // beside the foot in space, anywhere in the turn when that is near a pole
    const u = Math.min(Math.PI, Math.max(0, Math.PI - tilt + (random() - 0.5) * 0.06));
    const v = tilt < 0.05 || tilt > Math.PI - 0.05 ? random() * 2 * Math.PI : (turn + 2 * Math.PI + (random() - 0.5) * 0.2) % (2 * Math.PI);
    expect(Math.abs(closestOnSurface(s, p, [u, v], true).distance - Math.abs(radius - 20))).toBeLessThan(1e-10);
  }
});
it('a foot that begins beside a seam stays on its side of it unless it may go around', () => {
  const s = ringBody(20, 6).faces[0].surface;
  const [[ua, ub], [va, vb]] = [domainU(s), domainV(s)];
  evaluateSurface(s, ua + 0.3 * (ub - ua), vb - 0.01 * (vb - va), 0, out);
  const p: Vec3 = [out[0], out[1], out[2]];
  expect(closestOnSurface(s, p, [ua + 0.3 * (ub - ua), va]).v).toBe(va);
  expect(closestOnSurface(s, p, [ua + 0.3 * (ub - ua), va], true).distance).toBeLessThan(1e-12);
});
