import { describe, expect, it } from 'vitest';
import { usedRange } from '../brep/body.ts';
import { massProperties, topologyOf } from '../brep/index.ts';
import { distance } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, onPlane, run, square, step } from '../testing/run.ts';

const edge = (of: string, name: string, more: object = {}): Pick =>
  ({ step: of, output: 'main', part: { kind: 'edge', name }, ...more }) as unknown as Pick;
const tube = [step('c', 'circle', { radius: 5 }), step('e', 'extrude', { distance: 10, cap: false }, { profile: ['c'] })];
const sheet = [step('l', 'polyline', { points: square(10), closed: true }), step('f', 'flat-skin', {}, { loops: ['l'] })];
const more = (params: Record<string, unknown>, rim: Pick[], upTo: string[] = [], other: Pick[] = []) =>
  step('x', 'extend-skin', params, { rim, upTo, other });
const area = (r: Awaited<ReturnType<typeof run>>, id = 'x') => massProperties(bodyOf(r, id)).area;

/** Largest distance of the added faces' points from what is asked. */
function worst(r: Awaited<ReturnType<typeof run>>, off: (p: readonly [number, number, number]) => number): number {
  const b = bodyOf(r, 'x');
  const jet = new Float64Array(3);
  let most = 0;
  for (const f of b.faces.filter((x) => x.name.includes(':more'))) {
    const [u0, u1, v0, v1] = usedRange(f, b);
    for (let i = 0; i <= 20; i++)
      for (let j = 0; j <= 20; j++) {
        evaluateSurface(f.surface, u0 + ((u1 - u0) * i) / 20, v0 + ((v1 - v0) * j) / 20, 0, jet);
        most = Math.max(most, Math.abs(off([jet[0], jet[1], jet[2]])));
      }
  }
  return most;
}

describe('extend a rim', () => {
  it.each(['natural', 'linear', 'arc'])(
    'a tube goes on as a tube (%s): its area within what the fit is off, one ring more',
    async (way) => {
      const r = await run(...tube, more({ way, by: 4 }, [edge('e', 'e.end.0')]));
      expect(area(r)).toBeCloseTo(2 * Math.PI * 5 * 14, 3);
      expect(worst(r, (p) => Math.hypot(p[0], p[1]) - 5)).toBeLessThan(1e-4);
      const b = bodyOf(r, 'x');
      expect(topologyOf(b).rims.length).toBe(2);
      expect(r.get('x')?.status).toBe('fine');
    },
  );
  it('a ball zone goes on as a ball, naturally and as an arc; straight along its tangents it is a cone', async () => {
    const zone = [
      step('z', 'primitive', { shape: 'ball', radius: 10 }),
      step('q', 'work-plane', { offset: [0, 0, 4] }),
      step('o', 'copy-faces', {}, { faces: ['z'] }),
      step('e', 'trim', { keep: 'behind' }, { target: ['o'], cutters: ['q'] }),
    ];
    const names = bodyOf(await run(...zone), 'e').edges.map((x) => x.name);
    const name = names.find((n) => n.startsWith('e.cut')) ?? '';
    for (const way of ['natural', 'arc'] as const) {
      const r = await run(...zone, more({ way, by: 3 }, [edge('e', name)]));
      const middle = await run(...zone);
      const box = bodyOf(middle, 'z').vertices.map((v) => v.point);
      const centre = [0, 0, box.length ? (Math.min(...box.map((x) => x[2])) + Math.max(...box.map((x) => x[2]))) / 2 : 0] as const;
      expect(
        worst(r, (x) => distance([x[0], x[1], x[2]], [centre[0], centre[1], centre[2]]) - 10),
        way,
      ).toBeLessThan(1e-3);
      // a band between two latitudes 0.3 rad apart
      const from = Math.asin((4 - centre[2]) / 10);
      const band = 2 * Math.PI * 100 * (Math.sin(from + 0.3) - Math.sin(from));
      expect(area(r) - area(middle, 'e'), way).toBeCloseTo(band, 2);
    }
    const straight = await run(...zone, more({ way: 'linear', by: 3 }, [edge('e', name)]));
    expect(Number(factOf(straight, 'x', 'tangent within')?.replace('°', ''))).toBeLessThan(1e-3);
  });
  it('two neighbouring edges of a sheet close their corner by a mitre, all four make a larger sheet', async () => {
    const two = await run(...sheet, more({ way: 'linear', by: 3 }, [edge('f', 'f.outer.0'), edge('f', 'f.outer.1')]));
    expect(area(two)).toBeCloseTo(23 * 23, 4);
    const four = await run(
      ...sheet,
      more(
        { way: 'linear', by: 3 },
        [0, 1, 2, 3].map((i) => edge('f', `f.outer.${i}`)),
      ),
    );
    expect(area(four)).toBeCloseTo(26 * 26, 4);
    expect(four.get('x')?.diagnostics.find((d) => d.code === 'corners')?.place?.length).toBe(4);
    expect(topologyOf(bodyOf(four, 'x')).rims.length).toBe(4);
  });
  it('drafted walls go on in their planes, corners along the edges between them', async () => {
    const walls = [
      step('l', 'polyline', { points: square(10), closed: true }),
      step('e', 'extrude', { distance: 10, cap: false, draft: 10 }, { profile: ['l'] }),
    ];
    const r = await run(
      ...walls,
      more(
        { way: 'linear', by: 2 },
        [0, 1, 2, 3].map((i) => edge('e', `e.end.${i}`)),
      ),
    );
    // trapezia: 2 mm more of slant height; the sides draw in by its share
    const t = Math.tan((10 * Math.PI) / 180);
    const top = 20 - 2 * 10 * t;
    const less = 2 * 2 * Math.sin((10 * Math.PI) / 180);
    expect(area(r) - area(r, 'e')).toBeCloseTo((4 * 2 * (top + top - less)) / 2, 3);
    expect(topologyOf(bodyOf(r, 'x')).rims.length).toBe(8);
  });
  it('up to a slanted plane: the tube ends on it', async () => {
    const r = await run(
      ...tube,
      step('q', 'work-plane', { offset: [0, 0, 16], turns: [0, 20, 0] }),
      more({ way: 'linear', extent: 'to' }, [edge('e', 'e.end.0')], ['q']),
    );
    // half of it higher, half lower: the mean height counts
    expect(area(r)).toBeCloseTo(2 * Math.PI * 5 * 16, 3);
  });
  it('two sheets go on until they meet and are knitted', async () => {
    const both = [
      ...sheet,
      step('w', 'work-plane', { base: 'yz', offset: [0, 0, 14] }),
      onPlane(
        'w',
        step('m', 'polyline', {
          points: [
            [-10, 4],
            [10, 4],
            [10, 12],
            [-10, 12],
          ],
          closed: true,
        }),
      ),
      step('g', 'flat-skin', {}, { loops: ['m'] }),
    ];
    const r = await run(...both);
    const g = bodyOf(r, 'g');
    const low = g.edges.findIndex((e) => g.vertices[e.start].point[2] < 5 && g.vertices[e.end].point[2] < 5);
    const f = bodyOf(r, 'f');
    const right = f.edges.findIndex((e) => f.vertices[e.start].point[0] > 9 && f.vertices[e.end].point[0] > 9);
    const all = await run(
      ...both,
      more({ way: 'linear', extent: 'meet' }, [edge('f', f.edges[right].name)], [], [edge('g', g.edges[low].name)]),
    );
    expect(area(all)).toBeCloseTo(24 * 20 + 12 * 20, 4);
    expect(factOf(all, 'x', 'edges where they meet')).toBe('1');
  });
  it('a shortened pick extends only its part of the edge', async () => {
    const r = await run(...sheet, more({ way: 'natural', by: 5 }, [edge('f', 'f.outer.0', { grow: { way: 'chain', cut: [0.25, 0.75] } })]));
    expect(area(r)).toBeCloseTo(400 + 50, 4);
  });
  it('says why not: an edge with two faces, no edge, a goal out of reach, a rim that folds', async () => {
    const shut = await run(...tube, more({}, [edge('e', 'e.upright.0')]));
    expect(codeOf(shut, 'x')).toBe('not-extended');
    const away = await run(
      ...tube,
      step('q', 'work-plane', { base: 'xz', offset: [0, 0, 40] }),
      more({ way: 'linear', extent: 'to' }, [edge('e', 'e.end.0')], ['q']),
    );
    expect(codeOf(away, 'x')).toBe('not-reached');
    // inwards from the mouth of a cone, beyond its tip
    const folds = await run(
      step('c', 'circle', { radius: 5 }),
      step('e', 'extrude', { distance: 4, cap: false, draft: 45 }, { profile: ['c'] }),
      more({ way: 'linear', by: 6 }, [edge('e', 'e.end.0')]),
    );
    expect(codeOf(folds, 'x')).toBe('not-extended');
    expect(folds.get('x')?.diagnostics[0].place?.length).toBe(1);
  });
});
