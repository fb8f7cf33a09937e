import { describe, expect, it } from 'vitest';
import { type Body, combineBodies, faceNormal, flipBody, isWatertight, subBody, transformBody } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { rotation, translation } from '../math/index.ts';
import { transformSurface } from '../nurbs/index.ts';
import { bodyOf, run, square, step } from '../testing/run.ts';
import { checkReport } from './check.ts';
import { findDefects } from './defects.ts';
import { selfPairs, triangleTree, windingNumber } from './triangle-tree.ts';

const TOL = 0.001;
const prism = async (half: number, height: number): Promise<Body> =>
  bodyOf(
    await run(
      step('c', 'polyline', { points: square(half), closed: true }),
      step('e', 'extrude', { distance: height }, { profile: ['c'] }),
    ),
    'e',
  );
const drum = async (radius: number, height: number): Promise<Body> =>
  bodyOf(await run(step('c', 'circle', { radius }), step('e', 'extrude', { distance: height }, { profile: ['c'] })), 'e');
const codes = (b: Body): string[] => [...new Set(findDefects(b, TOL).map((d) => d.code))].sort();
const fatal = (b: Body): string[] => [
  ...new Set(
    findDefects(b, TOL)
      .filter((d) => d.severity === 'error')
      .map((d) => d.code),
  ),
];
/** The surface of one face moved along its normal; its edges stay. */
const pushed = (b: Body, face: number, by: number): Body => {
  const n = faceNormal(b.faces[face], 0.5, 0.5);
  const map = translation([by * n[0], by * n[1], by * n[2]]);
  return { ...b, faces: b.faces.map((f, i) => (i === face ? { ...f, surface: transformSurface(f.surface, map) } : f)) };
};
const at = (x: number, y = 0, z = 0) => translation([x, y, z]);

describe('verdicts on solids', () => {
  it('a clean box, a drum, both turned and far from the origin: nothing to say, watertight, valid', async () => {
    for (const b of [await prism(10, 8), await drum(7, 5)]) {
      const turned = transformBody(transformBody(b, rotation([1, 2, 3], [0.3, 0.5, 0.81], 0.7)), at(400, -300, 90));
      for (const one of [b, turned]) {
        expect(codes(one)).toEqual([]);
        const r = await checkReport(one, localKernel, TOL);
        expect([r.valid, r.watertight, r.solids]).toEqual([true, true, 1]);
      }
    }
  });
  it('the plane of any one face moved by 5 mm: joined on paper, open in space, and told with its size', async () => {
    const b = await prism(10, 8);
    for (let i = 0; i < b.faces.length; i++) {
      const bad = pushed(b, i, 5);
      expect(isWatertight(bad)).toBe(true);
      const r = await checkReport(bad, localKernel, TOL);
      expect([r.valid, r.watertight]).toEqual([false, false]);
      const loose = r.defects.filter((d) => d.code === 'loose-edge');
      expect(loose.length).toBeGreaterThanOrEqual(4);
      expect(Number(/lies ([\d.]+) mm/.exec(loose[0].message)?.[1])).toBeCloseTo(5, 1);
      expect(loose[0].mend).toMatchObject({ tool: 'repair', params: { gaps: true, flipped: false } });
    }
  });
  it('just within and just beyond the tolerance', async () => {
    const b = await drum(7, 5);
    for (let i = 0; i < b.faces.length; i++) {
      if (b.faces[i].surface.degreeV > 1 || b.faces[i].surface.degreeU > 1) continue;
      expect(codes(pushed(b, i, 0.9 * TOL))).not.toContain('loose-edge');
      expect(codes(pushed(b, i, 1.1 * TOL))).toContain('loose-edge');
    }
  });
  it('two boxes in one solid that overlap: the faces cross, and no shell nests', async () => {
    const [a, b] = [await prism(10, 8), transformBody(await prism(10, 8), at(7, 5, 3))];
    const both = combineBodies([a, b]);
    const one = { ...both, solids: [both.solids.flat()] };
    expect(fatal(both)).toEqual(expect.arrayContaining(['crossing-faces', 'shared-space']));
    expect(fatal(one)).toEqual(expect.arrayContaining(['crossing-faces', 'bad-nesting']));
    const crossing = findDefects(both, TOL).find((d) => d.code === 'crossing-faces');
    // the place told lies on both boxes
    const [x, y, z] = crossing?.place ?? [0, 0, 0];
    const on = (c: [number, number, number]) =>
      Math.min(Math.abs(Math.abs(x - c[0]) - 10), Math.abs(Math.abs(y - c[1]) - 10), Math.abs(z - c[2]), Math.abs(z - c[2] - 8));
    expect(on([0, 0, 0])).toBeLessThan(1e-6);
    expect(on([7, 5, 3])).toBeLessThan(1e-6);
  });
  it('two solids apart are fine; one inside the other shares its space; turned over and in one solid it is a hollow', async () => {
    const [outer, inner] = [await prism(10, 8), transformBody(await prism(4, 3), at(0, 0, 2))];
    const apart = combineBodies([outer, transformBody(inner, at(40))]);
    expect(codes(apart)).toEqual([]);
    expect(fatal(combineBodies([outer, inner]))).toEqual(['shared-space']);
    const hollow = combineBodies([outer, flipBody(inner)]);
    expect(codes({ ...hollow, solids: [hollow.solids.flat()] })).toEqual([]);
    const notHollow = combineBodies([outer, inner]);
    expect(fatal({ ...notHollow, solids: [notHollow.solids.flat()] })).toEqual(['bad-nesting']);
    const outside = combineBodies([outer, flipBody(transformBody(inner, at(40)))]);
    expect(fatal({ ...outside, solids: [outside.solids.flat()] })).toEqual(['bad-nesting']);
  });
  it('a solid inside out; one face turned in; one face twice; one face missing', async () => {
    const b = await prism(10, 8);
    expect(fatal(flipBody(b))).toEqual(['inside-out']);
    const turned = { ...b, faces: b.faces.map((f, i) => (i === 1 ? { ...f, reversed: !f.reversed } : f)) };
    expect(fatal(turned)).toContain('flipped-face');
    expect(codes(combineBodies([b, subBody(b, [0])]))).toContain('duplicate-face');
    const open = subBody(b, [0, 1, 2, 3, 4]);
    const claimed = { ...open, solids: [[0]] };
    expect(fatal(claimed)).toContain('open-rim');
    // as a sheet it is open by its nature, and no defect
    expect(codes(open)).toEqual([]);
  });
  it('a face that lies partly on another is told even where the two are not alike', async () => {
    const b = await prism(10, 8);
    const small = subBody(transformBody(await prism(4, 8), at(1, 1)), [0, 1, 2, 3, 4, 5]);
    const top = small.faces.findIndex((_, i) => {
      const box = subBody(small, [i]).vertices.map((v) => v.point[2]);
      return Math.min(...box) > 7.9;
    });
    expect(top).toBeGreaterThanOrEqual(0);
    expect(codes(combineBodies([b, subBody(small, [top])]))).toContain('doubled-faces');
  });
  it('a star drafted until its walls run through each other is never called valid', async () => {
    for (const draft of [-35, 20, 45]) {
      const r = await run(
        step('s', 'polygon', { shape: 'star', sides: 7, radius: 20, inner: 8 }),
        step('e', 'extrude', { distance: 30, draft }, { profile: ['s'] }),
      );
      const s = r.get('e');
      const p = s?.outputs.main;
      // refused is honest as well
      if (p?.kind !== 'solid' && p?.kind !== 'skin') {
        expect(s?.diagnostics.length).toBeGreaterThan(0);
        continue;
      }
      const report = await checkReport(p.body, localKernel, TOL);
      if (p.kind === 'solid' && report.valid) expect(report.volumeMm3).toBeGreaterThan(0);
      expect(p.kind === 'solid' ? report.valid : !report.watertight).toBe(true);
    }
  });
});

describe('random boxes', () => {
  it('two boxes in 40 positions: told exactly when their insides meet', async () => {
    const a = await prism(10, 8);
    let seed = 11;
    const next = () => {
      seed = (seed * 1103515245 + 12345) % 2147483648;
      return seed / 2147483648;
    };
    for (let i = 0; i < 40; i++) {
      const [x, y, z] = [50 * next() - 25, 50 * next() - 25, 24 * next() - 12];
      const meet = Math.abs(x) < 20 && Math.abs(y) < 20 && Math.abs(z) < 8;
      const said = fatal(combineBodies([a, transformBody(a, at(x, y, z))]));
      expect([i, x, y, z, said.length > 0]).toEqual([i, x, y, z, meet]);
    }
  });
});

describe('the triangle tree', () => {
  it('the winding number of a box of triangles: one within, none without, a half on a wall', () => {
    const p = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1];
    const t = [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7];
    expect(windingNumber(p, t, [0.3, 0.4, 0.7])).toBeCloseTo(1, 12);
    expect(windingNumber(p, t, [1.3, 0.4, 0.7])).toBeCloseTo(0, 12);
    expect(windingNumber(p, t, [0.3, 0.4, 1 - 1e-9])).toBeCloseTo(1, 6);
  });
  it('finds all pairs of triangles whose boxes meet, as counted one by one', () => {
    let seed = 5;
    const next = () => {
      seed = (seed * 16807) % 2147483647;
      return seed / 2147483647;
    };
    const positions = Array.from({ length: 300 * 9 }, (_, i) => (i % 9 < 3 ? 0 : 0.15 * next()) + [0, 0, 0][i % 3]);
    for (let k = 0; k < 300; k++) {
      const c = [next(), next(), next()];
      for (let i = 0; i < 9; i++) positions[9 * k + i] += c[i % 3];
    }
    const indices = Array.from({ length: 900 }, (_, i) => i);
    const boxes = Array.from({ length: 300 }, (_, k) =>
      [0, 1, 2].map((d) => {
        const v = [0, 1, 2].map((c) => positions[9 * k + 3 * c + d]);
        return [Math.min(...v), Math.max(...v)];
      }),
    );
    const meets = (a: number, b: number) => [0, 1, 2].every((d) => boxes[a][d][0] <= boxes[b][d][1] && boxes[b][d][0] <= boxes[a][d][1]);
    const want = new Set<string>();
    for (let a = 0; a < 300; a++) for (let b = a + 1; b < 300; b++) if (meets(a, b)) want.add(`${a},${b}`);
    const got = new Set<string>();
    selfPairs(triangleTree(positions, indices), (a, b) => {
      if (a !== b && meets(a, b)) got.add(a < b ? `${a},${b}` : `${b},${a}`);
      return false;
    });
    expect(want.size).toBeGreaterThan(50);
    expect([...want].filter((k) => !got.has(k))).toEqual([]);
  });
});
