import { describe, expect, it } from 'vitest';
import { BodyBuilder, Border, type EdgeUse, isOriented, subBody, surfaceBody } from '../brep/index.ts';
import { cross, distance, dot, insidePolygon, unit, type Vec3 } from '../math/index.ts';
import {
  domainU,
  domainV,
  ellipseArc,
  extrudedSurface,
  fitFunction,
  line2,
  lineCurve,
  makeCurve,
  makeSurface,
  type NurbsSurface,
  pointAt,
  revolvedSurface,
  ruledSurface,
  smoothArc,
  surfacePoint,
} from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { type Opening, randomOpening, steepOpening } from '../testing/openings.ts';
import { trueSeam } from '../testing/true-seam.ts';
import { type PatchResult, patchOpening, patchRim } from './patch.ts';
import { patchQuads } from './patch-quads.ts';
import type { PatchGrade, PatchSide } from './patch-rim.ts';

/** A face with an opening whose sides are straight in (u, v); the sides are fitted curves on the surface. */
function opening(s: NurbsSurface, corners: readonly (readonly [number, number])[]): { k: BodyBuilder; chain: number[] } {
  const k = new BodyBuilder(1e-5);
  const loop = corners.map((a, i): EdgeUse => {
    const b = corners[(i + 1) % corners.length];
    const fit = fitFunction((t, out) => out.set(surfacePoint(s, a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t)), 0, 1, 3, 5, 1e-9);
    const rows = Array.from({ length: fit.data.length / 3 }, (_, r) => Array.from(fit.data.subarray(3 * r, 3 * r + 3)));
    return { edge: k.edge(makeCurve(5, rows, fit.knots), `side${i}`), reversed: false, pcurve: { curve: line2(a, b) } };
  });
  k.face(s, [loop.reverse().map((u) => ({ ...u, reversed: true }))], 'neighbour');
  return { k, chain: loop.map((u) => u.edge) };
}
const polygon = (n: number, cx: number, cy: number, rx: number, ry: number) =>
  Array.from(
    { length: n },
    (_, i) => [cx + rx * Math.cos((2 * Math.PI * i) / n + 0.3), cy + ry * Math.sin((2 * Math.PI * i) / n + 0.3)] as const,
  );

const R = 50;
const front = { origin: [0, 0, 0] as Vec3, x: [0, 0, 1] as Vec3, y: [1, 0, 0] as Vec3, z: [0, 1, 0] as Vec3 };
// a cap of the ball of radius 50 without its pole inside the opening: the axis lies in the plane of the rim
const ball = revolvedSurface(
  smoothArc({ ...front, x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, R, R, 0.6, 2.5),
  [0, 0, 0],
  [1, 0, 0],
  -1,
  1,
);

/** A bicubic skin with waves of 60 and 75 mm. */
function wavy(): NurbsSurface {
  const n = 14;
  const pts = Array.from({ length: n }, (_, i) =>
    Array.from(
      { length: n },
      (_, j): Vec3 => [i * 10 - 65, j * 10 - 65, 4 * Math.sin((2 * Math.PI * i * 10) / 60) * Math.cos((2 * Math.PI * j * 10) / 75)],
    ),
  );
  const knots = [0, 0, 0, ...Array.from({ length: n - 2 }, (_, i) => i / (n - 3)), 1, 1, 1];
  return makeSurface(3, 3, pts, knots, knots);
}

function fill(s: NurbsSurface, corners: readonly (readonly [number, number])[], grade: PatchGrade) {
  const { k, chain } = opening(s, corners);
  const r = patchRim(k, chain, 'patch', grade);
  if (!r.ok) throw new Error(r.message);
  const body = subBody(k.body(), [0, 1]);
  const seams = measureSeams(body);
  const worst = {
    gap: Math.max(...seams.map((x) => x.gap)),
    kink: Math.max(...seams.map((x) => x.kink)),
    step: Math.max(...seams.map((x) => x.step)),
  };
  return { result: r.result, body, worst };
}

describe('patch over an opening', () => {
  it.each([3, 5, 6, 8])('gives the ball back through a %i-sided hole, seams G2 by the proof', (n) => {
    const { body, worst, result } = fill(ball, polygon(n, 1.55, 0, 0.35, 0.4), 2);
    expect(worst.gap).toBeLessThan(1e-4);
    expect(worst.kink).toBeLessThan(0.01);
    expect(worst.step).toBeLessThan(0.02);
    expect(result.surface.countU).toBeLessThanOrEqual(22);
    // interior points of the patch lie on the ball
    const f = body.faces[1];
    let off = 0;
    for (let i = -4; i <= 4; i++)
      for (let j = -4; j <= 4; j++) off = Math.max(off, Math.abs(distance(surfacePoint(f.surface, i * 2, j * 2), [0, 0, 0]) - R));
    expect(off).toBeLessThan(0.002);
  });
  it.each([3, 4, 5, 7])('meets a wavy skin over %i sides within the limits', (n) => {
    const { worst } = fill(wavy(), polygon(n, 0.5, 0.52, 0.17, 0.17), 2);
    expect(worst.gap).toBeLessThan(0.001);
    expect(worst.kink).toBeLessThan(0.05);
    // per cent
    expect(worst.step).toBeLessThan(2);
  });
  it.each([
    ['a tube', 20, 20, 10],
    ['a cone', 20, 31, 10],
    ['a plane', 0, 0, 4],
  ] as const)('lies on %s like its neighbours, exactly, with few points', (_, r0, r1, points) => {
    const arc = (r: number, z: number) => ellipseArc({ origin: [3, -7, z], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, r, r, 0.3, 3.3);
    const skin = ruledSurface(
      r0 ? arc(r0, 0) : lineCurve([0, 0, 0], [60, 10, 5]),
      r0 ? arc(r1, 40) : lineCurve([-10, 40, 30], [50, 50, 35]),
    );
    const [u, v] = [domainU(skin), domainV(skin)];
    const at = (x: number, y: number): [number, number] => [u[0] + x * (u[1] - u[0]), v[0] + y * (v[1] - v[0])];
    const { worst, result } = fill(
      skin,
      polygon(5, 0.5, 0.5, 0.33, 0.3).map(([x, y]) => at(x, y)),
      2,
    );
    expect([result.base, result.surface.countU * result.surface.countV]).toEqual(['quadric', points]);
    expect([worst.gap < 2e-6, worst.kink < 1e-5, worst.step < 1e-4]).toEqual([true, true, true]);
    const across = unit(cross([60, 10, 5], [-10, 40, 30]));
    const [a, b] = [domainU(result.surface), domainV(result.surface)];
    let off = 0;
    for (let i = 0; i <= 10; i++)
      for (let j = 0; j <= 10; j++) {
        const p = surfacePoint(result.surface, a[0] + ((a[1] - a[0]) * i) / 10, b[0] + ((b[1] - b[0]) * j) / 10);
        const d = r0 ? Math.hypot(p[0] - 3, p[1] + 7) - (r0 + ((r1 - r0) * p[2]) / 40) : dot(across, p);
        off = Math.max(off, Math.abs(d));
      }
    expect(off).toBeLessThan(1e-8);
  });
  it('position only over a flat rim stays flat; a rim seen crossing itself is refused with the place', () => {
    const flat = makeSurface(
      1,
      1,
      [
        [
          [0, 0, 0],
          [0, 60, 0],
        ],
        [
          [60, 0, 0],
          [60, 60, 0],
        ],
      ],
      [0, 0, 1, 1],
      [0, 0, 1, 1],
    );
    const { body } = fill(flat, polygon(5, 0.5, 0.5, 0.3, 0.3), 0);
    const f = body.faces[1];
    for (const e of f.loops[0]) expect(Math.abs(pointAt(body.edges[e.edge].curve, 0.5)[2])).toBeLessThan(1e-12);
    expect(
      Math.max(
        ...Array.from(f.surface.control)
          .filter((_, i) => i % 4 === 2)
          .map(Math.abs),
      ),
    ).toBeLessThan(1e-9);
    const { k, chain } = opening(flat, [
      [0.2, 0.2],
      [0.8, 0.8],
      [0.8, 0.2],
      [0.25, 0.7],
    ]);
    const r = patchRim(k, chain, 'patch', 0);
    expect(r.ok ? '' : r.message).toContain('crosses itself');
  });
});

/** Inside places of a patch, as its face is bounded. */
function inside(k: BodyBuilder): readonly (readonly [number, number])[] {
  const f = k.faces[k.faces.length - 1];
  const poly = f.loops[0].flatMap((u) => {
    const [a, b] = k.edges[u.edge].range;
    return Array.from({ length: 16 }, (_, i) => pointAt(u.pcurve.curve, a + ((b - a) * (u.reversed ? 16 - i : i)) / 16));
  });
  const xs = poly.map((q) => q[0]);
  const ys = poly.map((q) => q[1]);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const test = insidePolygon(poly.map((q) => [q[0], q[1]] as const));
  return Array.from(
    { length: 361 },
    (_, i) => [x0 + ((x1 - x0) * ((i % 19) + 1)) / 20, y0 + ((y1 - y0) * (Math.floor(i / 19) + 1)) / 20] as const,
  ).filter(([x, y]) => test(x, y));
}
/** Worst numbers of the seams of a patch that was joined, by the other way of measuring. */
function measured(o: Opening, r: PatchResult) {
  let worst = { gap: 0, kink: 0, step: 0 };
  r.ring.forEach(({ side }) => {
    const e = o.k.edges[o.chain[side]];
    const use = o.k.faces[o.k.faces.length - 1].loops[0].find((u) => u.edge === o.chain[side]);
    if (!use) throw new Error('a side is not in the loop');
    const m = trueSeam(
      r.surface,
      (s) => {
        const q = pointAt(use.pcurve.curve, e.range[0] + (e.range[1] - e.range[0]) * s);
        return [q[0], q[1]];
      },
      o.surface,
      23,
    );
    worst = {
      gap: Math.max(worst.gap, m.gap),
      kink: Math.max(worst.kink, o.grades[side] > 0 ? m.kink : 0),
      step: Math.max(worst.step, o.grades[side] > 1 ? m.step : 0),
    };
  });
  return worst;
}
const filled = (o: Opening): PatchResult => {
  const grades = new Map(o.chain.map((e, i) => [e, o.grades[i]]));
  const r = patchRim(o.k, o.chain, 'patch', (e) => grades.get(e) ?? 0);
  if (!r.ok) throw new Error(`${o.name}: ${r.message}`);
  return r.result;
};
const SEEDS = Number(process.env.SEEDS ?? 16);
const STEEP = Number(process.env.STEEP ?? 15);

describe('random openings', () => {
  it(`${SEEDS} of 3 to 12 sides with mixed grades are filled within the limits, with few points`, () => {
    const bad: string[] = [];
    for (let seed = 0; seed < SEEDS; seed++) {
      const o = randomOpening(seed);
      const r = filled(o);
      const m = measured(o, r);
      if (m.gap > 1e-3 || m.kink > 0.05 || m.step > 2 || r.surface.countU > 22 || !isOriented(o.k.body()))
        bad.push(`${seed} ${o.name}: ${JSON.stringify(m)}, ${r.surface.countU}`);
    }
    expect(bad).toEqual([]);
  });
  it(`${STEEP} steep ones, normals turning by 50 to 145 degrees and beyond`, () => {
    const bad: string[] = [];
    for (let i = 0; i < STEEP; i++) {
      const o = steepOpening(i);
      const r = filled(o);
      // ends of tubes are checked by the patch's own measure: the rim lies on the border of nothing that could be carried on exactly
      const m = measured(o, r);
      const { truth } = o;
      const off = truth ? Math.max(...inside(o.k).map(([x, y]) => truth(surfacePoint(r.surface, x, y)))) : 0;
      if (m.gap > 1e-3 || m.kink > 0.05 || m.step > 2 || off > (o.within ?? 0)) bad.push(`${i} ${o.name}: ${JSON.stringify(m)}, ${off}`);
    }
    expect(bad).toEqual([]);
  });
  it('passes through places inside and keeps its seams; stiffness lowers a crown', () => {
    const o = steepOpening(4);
    const grades = () => 2 as const;
    const top = (taut: number) => {
      const fresh = steepOpening(4);
      const r = patchRim(fresh.k, fresh.chain, 'patch', grades, undefined, { taut });
      if (!r.ok) throw new Error(r.message);
      return Math.max(...inside(fresh.k).map(([x, y]) => surfacePoint(r.result.surface, x, y)[2]));
    };
    const [plain, stiff] = [top(1), top(6)];
    expect(stiff).toBeLessThan(plain - 2);
    const through: Vec3 = [3, 2, plain + 2];
    const r = patchRim(o.k, o.chain, 'patch', grades, undefined, { inner: [through] });
    if (!r.ok) throw new Error(r.message);
    expect(r.result.innerMiss).toBeLessThan(2e-3);
    expect(r.result.gap).toBeLessThan(1e-3);
    expect(r.result.kink).toBeLessThan(0.05);
  });
  it('names corners where curvatures cannot agree, and meets them with G1: a suitcase corner of three tubes', () => {
    // three quarter tubes of radius 10 about the axes through (20, 20, 20), cut where the corner begins
    const k = new BodyBuilder(1e-5);
    const chain: number[] = [];
    for (const a of [0, 1, 2]) {
      const at = (i: number, v: number): Vec3 => [0, 1, 2].map((d) => (d === (a + i) % 3 ? v : 0)) as unknown as Vec3;
      const centre: Vec3 = [20, 20, 20];
      const arc = smoothArc({ origin: centre, x: at(1, 1), y: at(2, 1), z: at(0, 1) }, 10, 10, 0, Math.PI / 2);
      const s = extrudedSurface(arc, at(0, -30));
      const made = surfaceBody(s, { prefix: `t${a}`, face: () => `t${a}` }, k);
      // the end at the corner: the one whose points have the centre's coordinate
      const end = Object.values(made.sides)
        .flat()
        .find((e) =>
          [0.1, 0.5, 0.9].every(
            (x) =>
              Math.abs(pointAt(k.edges[e].curve, k.edges[e].range[0] + x * (k.edges[e].range[1] - k.edges[e].range[0]))[a] - 20) < 1e-9,
          ),
        );
      chain.push(end ?? -1);
    }
    const r = patchRim(k, chain, 'corner', 2);
    if (!r.ok) throw new Error(r.message);
    expect(r.result.corners.length).toBe(3);
    expect(r.result.corners[0].why).toContain('curvatures differ');
    expect(r.result.grades).toEqual([1, 1, 1]);
    expect(r.result.kink).toBeLessThan(0.01);
    // the exact answer is an eighth of a ball
    for (const [x, y] of inside(k)) expect(Math.abs(distance(surfacePoint(r.result.surface, x, y), [20, 20, 20]) - 10)).toBeLessThan(2e-3);
  });
  it('four-sided faces are the patch: outer borders and inner seams', () => {
    for (const seed of [3, 10, 13]) {
      const o = randomOpening(seed);
      const body = o.k.body();
      const sides = o.chain.map((edge): PatchSide => ({ border: new Border([{ body, edge, part: [0, 1], side: 0 }]), grade: 2 }));
      const r = patchOpening(sides, { target: { gap: 1e-3, kink: 0.05, step: 0.02 } });
      if (!r.ok) throw new Error(r.message);
      const q = patchQuads(r.result, sides, 'q', 12);
      if (!q) throw new Error('no quads');
      expect(q.surfaces.length).toBe(o.n === 4 ? 1 : o.n);
      const seams = measureSeams(q.body);
      expect(seams.length).toBe(o.n === 4 ? 0 : o.n);
      for (const s of seams) {
        expect(s.gap).toBeLessThan(1e-6);
        expect(s.kink).toBeLessThan(0.1);
      }
      // the outer border lies on the rim
      for (const s of q.surfaces)
        for (let i = 0; i <= 8; i++) {
          const p = surfacePoint(s, i / 8, 0);
          expect(Math.min(...sides.map((x) => distance(x.border.place(x.border.nearest(p)).point, p)))).toBeLessThan(2e-3);
        }
    }
  });
  it('edges that do not close are refused with the place', () => {
    const o = randomOpening(3);
    const body = o.k.body();
    const sides = o.chain.slice(1).map((edge): PatchSide => ({ border: new Border([{ body, edge, part: [0, 1], side: 0 }]), grade: 1 }));
    const r = patchOpening(sides, { target: { gap: 1e-3, kink: 0.05, step: 0.02 } });
    expect(r.ok ? '' : r.message).toContain('do not close');
    expect(r.ok ? undefined : r.place).toBeDefined();
  });
});
