import { describe, expect, it } from 'vitest';
import {
  type Body,
  edgePoint,
  isWatertight,
  massProperties,
  orientConsistently,
  subBody,
  topologyOf,
  transformBody,
  usePoint,
} from '../brep/index.ts';
import { distance, translation, type Vec3 } from '../math/index.ts';
import {
  anyDirection,
  ball,
  between,
  block,
  cone,
  flatSheet,
  loftSolid,
  meshCracks,
  placed,
  type Random,
  ringBody,
} from '../testing/random-bodies.ts';
import { bodyOf, factOf, onPlane, run, step } from '../testing/run.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { knitBodies } from './knit.ts';
import { splitByTools } from './split.ts';

const single = (b: Body): Body[] => b.faces.map((_, i) => subBody(b, [i]));
const solids = (r: Random): Body[] => [
  block(between(r, 5, 15), between(r, 5, 15), between(r, 5, 15)),
  cone(between(r, 8, 15), between(r, 4, 12), between(r, 10, 30)),
  loftSolid(r, 15, 40),
  ringBody(20, 6),
  ball(12),
];
/** Largest distance of an edge from the faces that use it, within its own tolerance or not. */
function offEdges(b: Body): { off: number; told: boolean } {
  let off = 0;
  let told = true;
  const { uses } = topologyOf(b);
  b.edges.forEach((e, i) => {
    if (e.degenerate) return;
    for (const { face, use } of uses[i])
      for (let k = 0; k <= 23; k++) {
        const t = e.range[0] + ((e.range[1] - e.range[0]) * k) / 23;
        const d = distance(edgePoint(e, t), usePoint(b.faces[face], use, t));
        off = Math.max(off, d);
        if (d > 1.5 * e.tolerance + 1e-7) told = false;
      }
  });
  return { off, told };
}
const rectangle = (x0: number, x1: number, y0: number, y1: number, z = 0): Body => {
  const b = flatSheet([(x0 + x1) / 2, (y0 + y1) / 2, z], [0, 0, 1], 0.5);
  const [w, h] = [x1 - x0, y1 - y0];
  const c: Vec3 = [(x0 + x1) / 2, (y0 + y1) / 2, z];
  return transformBody(b, {
    m: [
      [w, 0, 0],
      [0, h, 0],
      [0, 0, 1],
    ],
    t: [c[0] - w * c[0], c[1] - h * c[1], 0],
  });
};

describe('knitting', () => {
  it('solids cut by planes, taken into single faces and shuffled: the same skin again, closed where it was', () => {
    for (let seed = 0; seed < 25; seed++) {
      const r = randomFrom(300 + seed);
      const whole = solids(r)[seed % 5];
      const cut = splitByTools({ ...whole, solids: [] }, [flatSheet([between(r, -3, 3), between(r, -3, 3), 4], anyDirection(r))], {
        fit: 5e-6,
        name: 'c',
      });
      if (!cut.ok) throw new Error(`${seed}: ${cut.why}`);
      const parts = single(cut.body).sort(() => r() - 0.5);
      const k = knitBodies(parts, 1e-4);
      expect(isWatertight(k.body), `seed ${seed}`).toBe(true);
      expect(k.gaps.every((g) => g.gap < 2e-5)).toBe(true);
      expect(offEdges(k.body).told, `seed ${seed}`).toBe(true);
      expect(meshCracks(k.body), `seed ${seed}`).toBe(0);
      const volume = Math.abs(massProperties(orientConsistently(k.body).body).volume);
      expect(Math.abs(volume / massProperties(whole).volume - 1)).toBeLessThan(1e-6);
    }
  });
  it('faces moved by up to a tolerance still meet, and the gaps told are the true ones', () => {
    for (let seed = 0; seed < 10; seed++) {
      const r = randomFrom(500 + seed);
      const whole = placed(solids(r)[seed % 3], r, 5);
      const parts = single(whole).map((b) =>
        transformBody(b, translation([between(r, -1, 1) * 1e-4, between(r, -1, 1) * 1e-4, between(r, -1, 1) * 1e-4])),
      );
      const k = knitBodies(parts, 1e-3);
      expect(topologyOf(k.body).rims.length, `seed ${seed}`).toBe(0);
      const worst = Math.max(...k.gaps.map((g) => g.gap));
      expect(worst).toBeGreaterThan(1e-6);
      expect(worst).toBeLessThan(4e-4);
      expect(offEdges(k.body)).toMatchObject({ told: true });
      expect(knitBodies(parts, 1e-6).body.edges.length).toBeGreaterThan(k.body.edges.length);
    }
  });
  it('rims that meet only in part are joined over that part', () => {
    // two above, three below a common line from 0 to 12; the upper ones reach beyond on both sides
    const upper = [rectangle(-2, 5, 0, 3), rectangle(5, 14, 0, 3)];
    const lower = [rectangle(0, 4, -3, 0), rectangle(4, 7, -3, 0), rectangle(7, 12, -3, 0)];
    const k = knitBodies([...upper, ...lower], 1e-6);
    const { seams, rims } = topologyOf(k.body);
    const length = (e: number) => {
      const { range } = k.body.edges[e];
      return distance(edgePoint(k.body.edges[e], range[0]), edgePoint(k.body.edges[e], range[1]));
    };
    const along = seams.filter(
      (e) =>
        k.body.edges[e].range &&
        Math.abs(edgePoint(k.body.edges[e], k.body.edges[e].range[0])[1]) < 1e-9 &&
        Math.abs(edgePoint(k.body.edges[e], k.body.edges[e].range[1])[1]) < 1e-9,
    );
    expect(along.reduce((s, e) => s + length(e), 0)).toBeCloseTo(12, 9);
    expect(along.length).toBe(4);
    // what is left open: all round, and the overhangs
    expect(rims.reduce((s, e) => s + length(e), 0)).toBeCloseTo(16 + 12 + 6 + 6 + 2 + 2, 9);
    expect(massProperties(k.body).area).toBeCloseTo(16 * 3 + 12 * 3, 9);
  });
  it('a lid from the curve itself on a loft that runs through it by another parameter: the checker accepts the solid', async () => {
    const on = (plane: string, id: string, tool: string, params: Record<string, unknown>) => onPlane(plane, step(id, tool, params));
    const r = await run(
      step('a', 'circle', { radius: 20 }),
      step('p', 'work-plane', { offset: [0, 0, 30] }),
      on('p', 's', 'spline-through', {
        points: [
          [24, 0],
          [0, 22],
          [-25, 0],
          [0, -20],
        ],
        closed: true,
      }),
      step('q', 'work-plane', { offset: [0, 0, 70] }),
      on('q', 'b', 'circle', { radius: 14 }),
      step('l', 'loft', {}, { sections: ['a', 's', 'b'] }),
      step('f', 'flat-skin', {}, { loops: ['b'] }),
      step('g', 'flat-skin', {}, { loops: ['a'] }),
      step('k', 'knit', {}, { skins: ['l', 'f', 'g'] }),
      step('c', 'close', {}, { skin: ['k'] }),
    );
    expect(offEdges(bodyOf(r, 'k')).told).toBe(true);
    expect(r.get('c')?.status).toBe('fine');
    expect(factOf(r, 'c', 'checker')).toBe('valid');
  });
  it('a face narrower than the reach is not folded onto itself, nor are short parts that meet at an angle', () => {
    for (const [w, h] of [
      [1.4, 0.05],
      [0.05, 0.05],
      [0.08, 0.06],
    ]) {
      const r = knitBodies([rectangle(0, w, 0, h)], 0.1);
      expect(topologyOf(r.body).rims, `${w} x ${h}`).toHaveLength(4);
      expect(r.gaps).toEqual([]);
    }
    // a slit between two sheets is joined by the same reach
    const two = [rectangle(0, 20, 0, 5), rectangle(0, 20, 5.05, 10)];
    expect(topologyOf(knitBodies(two, 0.1).body).rims).toHaveLength(6);
  });
  it('a third face at a seam stays open and is told', () => {
    const k = knitBodies(
      [
        rectangle(0, 5, 0, 3),
        rectangle(0, 5, -3, 0),
        transformBody(rectangle(0, 5, 0, 3), {
          m: [
            [1, 0, 0],
            [0, 0, -1],
            [0, 1, 0],
          ],
          t: [0, 0, 0],
        }),
      ],
      1e-6,
    );
    expect(k.crowded).toBe(1);
    expect(topologyOf(k.body).crowded.length).toBe(0);
  });
  it('grows about evenly with the number of faces', () => {
    const sheet = (n: number) =>
      Array.from({ length: n * n }, (_, i) => rectangle(i % n, (i % n) + 1, Math.floor(i / n), Math.floor(i / n) + 1));
    const time = (n: number) => {
      const parts = sheet(n);
      const t = performance.now();
      const k = knitBodies(parts, 1e-6);
      const ms = performance.now() - t;
      expect(topologyOf(k.body).seams.length).toBe(2 * n * (n - 1));
      return ms;
    };
    time(10);
    const [small, large] = [time(10), time(40)];
    // sixteen times the faces: n log n would be about twenty times the time
    expect(large / small).toBeLessThan(45);
  });
});
