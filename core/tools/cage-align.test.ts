import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { bordersOf, type Cage, pointOf } from '../cage/index.ts';
import { cross, distance, unit, type Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import { emptyModel, evaluateModel, type Pick, type Step, type StepResult } from '../recipe/index.ts';
import { step } from '../testing/run.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

const run = async (...steps: Step[]) =>
  (await evaluateModel({ ...emptyModel('align'), steps }, { tools: TOOLS, kernel, limit: 60_000 })).steps;
const fact = (r: StepResult | undefined, label: string) => r?.facts.find((f) => f.label === label)?.number ?? Number.NaN;
const cageOf = (r: StepResult | undefined): Cage => {
  const p = r?.outputs.main;
  if (p?.kind !== 'cage') throw new Error(r?.diagnostics[0]?.message ?? 'no cage');
  return p.cage;
};
/** Places of the smooth border by the cubic spline over its vertices, many on each edge. */
function borderSpline(c: Cage, ring: readonly number[]): Vec3[] {
  const p = ring.map((h) => pointOf(c.points, c.shape.corners[h]));
  const n = p.length;
  return p.flatMap((_, i) =>
    Array.from({ length: 24 }, (_, k): Vec3 => {
      const t = k / 24;
      const w = [(1 - t) ** 3, 3 * t ** 3 - 6 * t ** 2 + 4, -3 * t ** 3 + 3 * t ** 2 + 3 * t + 1, t ** 3];
      return [0, 1, 2].map((d) => w.reduce((sum, x, j) => sum + (x / 6) * p[(i + j) % n][d], 0)) as unknown as Vec3;
    }),
  );
}
/** The cage's NURBS faces along one height: places and normals on them. */
function onFaces(r: StepResult | undefined, keep: (p: Vec3) => boolean): { p: Vec3; n: Vec3 }[] {
  const piece = r?.outputs.main;
  if (piece?.kind !== 'skin' && piece?.kind !== 'solid') throw new Error(r?.diagnostics[0]?.message ?? 'no skin');
  const out: { p: Vec3; n: Vec3 }[] = [];
  const jet = new Float64Array(12);
  for (const f of piece.body.faces) {
    const s = f.surface;
    const [U, V] = [s.knotsU, s.knotsV].map((k) => [k[0], k[k.length - 1]]);
    for (const side of [0, 1, 2, 3])
      for (let i = 0; i <= 120; i++) {
        const t = i / 120;
        const u = side < 2 ? U[side] : U[0] + t * (U[1] - U[0]);
        const v = side < 2 ? V[0] + t * (V[1] - V[0]) : V[side - 2];
        evaluateSurface(s, u, v, 1, jet);
        const p: Vec3 = [jet[0], jet[1], jet[2]];
        if (keep(p)) out.push({ p, n: unit(cross([jet[6], jet[7], jet[8]], [jet[3], jet[4], jet[5]])) });
      }
  }
  return out;
}
/** A cone from a circle of 20 mm on the ground to one of `top` mm at 15 mm. */
const cone = (top: number): Step[] => [
  step('low', 'circle', { radius: 20 }),
  step('p', 'work-plane', { offset: [0, 0, 15] }),
  { ...step('high', 'circle', { radius: top }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
  step('cone', 'loft', { degree: 1 }, { sections: ['low', 'high'] }),
];
const upperRim = async (steps: Step[]): Promise<Pick> => {
  const piece = (await run(...steps)).get('cone')?.outputs.main;
  if (piece?.kind !== 'skin' && piece?.kind !== 'solid') throw new Error('no cone');
  const e = piece.body.edges.findIndex((_, i) => piece.body.vertices[piece.body.edges[i].start].point[2] > 14);
  return { step: 'cone', output: 'main', part: { kind: 'edge', name: piece.body.edges[e].name } } as Pick;
};
const tube = (segments: number, up = 3): Step =>
  step('c', 'cage-start', { shape: 'cylinder', radius: 17, height: 30, segments, up, caps: false, size: 'cage' });

describe('a border of a cage brought to a curve', () => {
  it('lies on a circle in every vertex, and between as near as a cubic spline does', async () => {
    const gaps: number[] = [];
    for (const segments of [8, 16]) {
      const r = await run(
        step('low', 'circle', { radius: 20 }),
        tube(segments),
        step('a', 'cage-align', { grade: '0' }, { cage: ['c'], to: ['low'] }),
      );
      const cage = cageOf(r.get('a'));
      const ring = bordersOf(cage.shape).find((x) => Math.abs(pointOf(cage.points, cage.shape.corners[x[0]])[2]) < 1);
      const spline = borderSpline(cage, ring ?? []);
      const off = spline.map((q) => Math.hypot(Math.hypot(q[0], q[1]) - 20, q[2]));
      for (let i = 0; i < off.length; i += 24) expect(off[i]).toBeLessThan(1e-9);
      const gap = Math.max(...off);
      // even on the circle: the vertices' radius by the mask, the farthest place in the middle of an edge
      const angle = (2 * Math.PI) / segments;
      const vertex = (20 * 6) / (4 + 2 * Math.cos(angle));
      const exact = 20 - (vertex * (46 * Math.cos(angle / 2) + 2 * Math.cos(1.5 * angle))) / 48;
      expect(gap).toBeCloseTo(Math.abs(exact), 6);
      expect(fact(r.get('a'), 'gap')).toBeCloseTo(Math.abs(exact), 6);
      gaps.push(gap);
    }
    expect(gaps[0] / gaps[1]).toBeGreaterThan(14);
    expect(gaps[0] / gaps[1]).toBeLessThan(19);
  });

  it('says what cannot be: no open border, no skin for a kink to be told of, corners of single faces that stay', async () => {
    const low = step('low', 'circle', { radius: 20 });
    const tried = async (start: Step, params: object) =>
      (await run(low, start, step('a', 'cage-align', { ...params }, { cage: ['c'], to: ['low'] }))).get('a');
    const closed = await tried(step('c', 'cage-start', {}), {});
    expect([closed?.status, closed?.diagnostics[0]?.code]).toEqual(['error', 'closed']);
    const free = await tried(step('c', 'cage-start', { shape: 'disc', quarter: 4 }), {});
    expect([free?.status, free?.diagnostics.map((d) => d.code), fact(free, 'kink')]).toEqual(['fine', ['free-curve'], Number.NaN]);
    const grid = await tried(step('c', 'cage-start', { shape: 'grid', across: 4, along: 4 }), { grade: '0' });
    expect(grid?.status).toBe('warning');
    expect(grid?.diagnostics.find((d) => d.code === 'corner')?.place?.length).toBe(4);
    const fifth = await tried(step('c', 'cage-start', { shape: 'disc' }), { border: 5 });
    expect(fifth?.diagnostics.at(-1)?.message).toContain('1 open border');
  });
  it('takes the part of the border that an open curve lies along, from end to end', async () => {
    const r = await run(
      step('l', 'spline-through', {
        points: [
          [-20, -24, 0],
          [0, -30, 6],
          [20, -24, 0],
        ],
        flat: false,
        degree: 3,
      }),
      step('c', 'cage-start', { shape: 'grid', width: 40, depth: 40, across: 6, along: 6 }),
      step('a', 'cage-align', { grade: '0', tolerance: 0.2 }, { cage: ['c'], to: ['l'] }),
    );
    expect(r.get('a')?.status).toBe('fine');
    expect(fact(r.get('a'), 'edges brought there')).toBe(6);
    expect(fact(r.get('a'), 'gap')).toBeLessThan(0.2);
    const cage = cageOf(r.get('a'));
    for (const end of [
      [-20, -24, 0],
      [20, -24, 0],
    ] as Vec3[])
      expect(Math.min(...cage.vertexNames.map((_, v) => distance(pointOf(cage.points, v), end)))).toBeLessThan(1e-9);
  });
});

describe('a border of a cage brought to the edge of a skin', () => {
  it('goes on from a cone without a kink, by its NURBS faces', async () => {
    const kinks: number[] = [];
    const rim = await upperRim(cone(26));
    for (const segments of [8, 16, 32]) {
      const r = await run(
        ...cone(26),
        tube(segments),
        step('m', 'move', { by: [0, 0, 17] }, { pieces: ['c'] }),
        step('a', 'cage-align', { grade: '1', rows: 2 }, { cage: ['m'], to: [rim] }),
        step('n', 'cage-skin', { closer: 0 }, { cage: ['a'] }),
      );
      const there = onFaces(r.get('n'), (q) => Math.abs(q[2] - 15) < 0.05);
      expect(there.length).toBeGreaterThan(100);
      // outward normal of the cone, 6 mm wider over 15 mm
      const kink = Math.max(
        ...there.map(({ p, n }) => {
          const l = Math.hypot(p[0], p[1]);
          const m = unit([(15 * p[0]) / l, (15 * p[1]) / l, -6]);
          return (180 / Math.PI) * Math.asin(Math.min(1, Math.hypot(...cross(n, m))));
        }),
      );
      expect(kink).toBeCloseTo(fact(r.get('a'), 'kink'), 2);
      kinks.push(kink);
      // away from the cone, not back over it
      const cage = cageOf(r.get('a'));
      for (let v = 0; v < cage.shape.vertices; v++) expect(pointOf(cage.points, v)[2]).toBeGreaterThan(14.9);
    }
    expect(kinks[2]).toBeLessThan(0.01);
    expect(kinks[0] / kinks[1]).toBeGreaterThan(8);
  });
});
