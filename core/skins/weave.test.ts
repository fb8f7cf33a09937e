import { describe, expect, it } from 'vitest';
import { type Body, Neighbour, surfaceBody, topologyOf } from '../brep/index.ts';
import { angleBetween, DEG, distance, type Vec3, WORLD } from '../math/index.ts';
import {
  clampedKnots,
  clipSurface,
  curveThrough,
  insertCurveKnots,
  isoU,
  isoV,
  makeSurface,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  reverseCurve,
  surfaceJet,
  surfacePoint,
} from '../nurbs/index.ts';
import { measureAgainst } from '../proof/index.ts';
import { type WeaveCurve, weave } from './index.ts';

const wavy = (n: number, size: number, high: number) =>
  makeSurface(
    3,
    3,
    Array.from({ length: n }, (_, i) =>
      Array.from({ length: n }, (_, j): Vec3 => [(size * i) / (n - 1), (size * j) / (n - 1), high * Math.sin(0.9 * i) * Math.cos(0.7 * j)]),
    ),
    clampedKnots(n, 3),
    clampedKnots(n, 3),
  );
const good = (curves: WeaveCurve[], gap = 0.02) => {
  const r = weave(curves, { gap, tolerance: 1e-6 });
  if (!r.ok) throw new Error(r.message);
  return r.result;
};
const plain = (list: NurbsCurve[]): WeaveCurve[] => list.map((curve) => ({ curve }));
/** Largest distance of a from b at equal parameters, either way round. */
const apart = (a: NurbsSurface, b: NurbsSurface, map: (u: number, v: number) => [number, number]) => {
  let worst = 0;
  for (let i = 0; i <= 16; i++)
    for (let j = 0; j <= 16; j++)
      worst = Math.max(worst, distance(surfacePoint(a, i / 16, j / 16), surfacePoint(b, ...map(i / 16, j / 16))));
  return worst;
};

describe('weave', () => {
  const cubic = makeSurface(
    3,
    3,
    Array.from({ length: 4 }, (_, i) =>
      Array.from({ length: 4 }, (_, j): Vec3 => [20 * i + j, 18 * j - i, 9 * Math.sin(1.3 * i + 0.5 * j)]),
    ),
    clampedKnots(4, 3),
    clampedKnots(4, 3),
  );
  it('four and four curves of a bicubic give it back, in any order and direction', () => {
    const at = [0, 0.35, 0.6, 1];
    const list = [...at.map((u) => isoU(cubic, u)), ...at.map((v) => isoV(cubic, v))];
    const mixed = [5, 2, 7, 0, 3, 6, 1, 4].map((k) => (k % 3 ? list[k] : reverseCurve(list[k])));
    const r = good(plain(mixed));
    expect(r.counts).toEqual([4, 4]);
    expect(r.miss).toBeLessThan(1e-9);
    let worst = 0;
    for (let i = 0; i <= 10; i++)
      for (let j = 0; j <= 10; j++) {
        const p = surfacePoint(r.surface, i / 10, j / 10);
        // the surface lies in a graph over x and y: nearest of a fine grid, then polished
        let best = { d: Infinity, u: 0, v: 0 };
        for (let a = 0; a <= 20; a++)
          for (let b = 0; b <= 20; b++) {
            const d = distance(surfacePoint(cubic, a / 20, b / 20), p);
            if (d < best.d) best = { d, u: a / 20, v: b / 20 };
          }
        let step = 0.05;
        while (step > 1e-12) {
          let better = false;
          for (const [x, y] of [
            [1, 0],
            [-1, 0],
            [0, 1],
            [0, -1],
          ]) {
            const [u, v] = [Math.min(1, Math.max(0, best.u + x * step)), Math.min(1, Math.max(0, best.v + y * step))];
            const d = distance(surfacePoint(cubic, u, v), p);
            if (d < best.d) [best, better] = [{ d, u, v }, true];
          }
          if (!better) step /= 2;
        }
        worst = Math.max(worst, best.d);
      }
    expect(worst).toBeLessThan(1e-6);
  });
  it('2+2, 3+2 and n+m touch all their curves; more curves come nearer to the surface they were taken from', () => {
    const s = wavy(6, 60, 5);
    const far: number[] = [];
    for (const [n, m] of [
      [2, 2],
      [3, 2],
      [4, 4],
      [6, 6],
    ]) {
      const list = [
        ...Array.from({ length: n }, (_, i) => isoU(s, i / (n - 1))),
        ...Array.from({ length: m }, (_, j) => isoV(s, j / (m - 1))),
      ];
      const r = good(plain(list));
      expect(r.miss).toBeLessThan(1e-5);
      far.push(
        Math.min(
          apart(r.surface, s, (u, v) => [u, v]),
          apart(r.surface, s, (u, v) => [v, u]),
        ),
      );
    }
    expect(far[3]).toBeLessThan(0.1 * far[0]);
    expect(far[3]).toBeLessThan(far[2]);
  });
  it('crossings at different parameters are brought together first', () => {
    const s = wavy(5, 60, 4);
    // curves over different knots and lengths of parameter, cut from slanted lines of the surface
    const a = [0, 0.5, 1].map((u, k) => ({ ...insertCurveKnots(isoU(s, u), [0.2 + 0.2 * k]) }));
    const skew = a.map((c, k) => ({ ...c, knots: Float64Array.from(c.knots, (t) => (k === 1 ? t ** 1.0 * 7 : t)) }));
    const slant = (v0: number, v1: number): NurbsCurve => {
      // a curve whose crossings with the others are unevenly spaced along it
      const pts = Array.from({ length: 9 }, (_, i) => surfacePoint(s, i / 8, v0 + (v1 - v0) * (i / 8) ** 1.5));
      return curveThrough(pts, {});
    };
    const r = good(plain([...skew, slant(0, 0.1), slant(0.9, 0.8)]), 0.5);
    expect(r.counts).toEqual([3, 2]);
    expect(r.miss).toBeLessThan(0.3);
    expect(r.misses.length).toBe(6);
  });
  it('curves that miss each other are told, and closed within the gap', () => {
    const s = wavy(5, 60, 4);
    const lifted = { ...isoV(s, 1), control: Float64Array.from(isoV(s, 1).control, (x, i) => (i % 4 === 2 ? x + 0.3 : x)) };
    const list = [isoU(s, 0), isoU(s, 1), isoV(s, 0), lifted];
    const refused = weave(plain(list), { gap: 0.05, tolerance: 1e-6 });
    expect(refused.ok).toBe(false);
    if (!refused.ok) expect(Number(/([0-9.]+) mm/.exec(refused.message)?.[1])).toBeCloseTo(0.29, 1);
    if (!refused.ok) expect(refused.place?.length).toBe(1);
    const r = good(plain(list), 0.4);
    expect(Math.max(...r.misses.map((m) => m.miss))).toBeGreaterThan(0.28);
    expect(Math.max(...r.misses.map((m) => m.miss))).toBeLessThan(0.3 + 1e-9);
    expect(r.miss).toBeLessThan(0.31);
  });
  const hole = (s: NurbsSurface): { body: Body; curves: NurbsCurve[]; neighbours: Neighbour[] } => {
    // four strips round a hole, each a surface of its own
    const parts: [number, number, number, number][] = [
      [0, 0.3, 0.3, 0.7],
      [0.7, 1, 0.3, 0.7],
      [0.3, 0.7, 0, 0.3],
      [0.3, 0.7, 0.7, 1],
    ];
    const bodies = parts.map(([a, b, c, d], k) => surfaceBody(clipSurface(s, a, b, c, d), { prefix: `s${k}`, face: () => `s${k}` }).body);
    const edges = bodies.map((b, k) => {
      const target = [surfacePoint(s, 0.3, 0.5), surfacePoint(s, 0.7, 0.5), surfacePoint(s, 0.5, 0.3), surfacePoint(s, 0.5, 0.7)][k];
      return topologyOf(b).rims.reduce((best, e) => {
        const d = (x: number) =>
          Math.min(
            ...Array.from({ length: 21 }, (_, i) =>
              distance(pointAt(b.edges[x].curve, b.edges[x].range[0] + ((b.edges[x].range[1] - b.edges[x].range[0]) * i) / 20), target),
            ),
          );
        return d(e) < d(best) ? e : best;
      });
    });
    return {
      body: bodies[0],
      curves: bodies.map((b, k) => b.edges[edges[k]].curve),
      neighbours: bodies.map((b, k) => new Neighbour(b, [{ edge: edges[k], reversed: false }])),
    };
  };
  it.each([
    [1, 1.5],
    [2, 1.5],
    [2, 4],
  ] as const)('a hole is filled with G%i on all four sides (waves of %f mm)', (grade, high) => {
    const s = wavy(8, 100, high);
    const { curves, neighbours } = hole(s);
    const r = good(curves.map((curve, k) => ({ curve, meets: { kind: 'neighbour', neighbour: neighbours[k], grade } })));
    for (const b of r.borders) {
      const m = measureAgainst(r.surface, b.side, neighbours[b.index], 100);
      expect(m.gap).toBeLessThan(1e-3);
      expect(m.kink).toBeLessThan(0.02);
      if (grade === 2) expect(m.step).toBeLessThan(1);
    }
    expect(r.clashes).toEqual([]);
  });
  it('a border in the mirror plane runs square into it', () => {
    // half of a surface that is even in x
    const whole = makeSurface(
      3,
      3,
      Array.from({ length: 9 }, (_, i) =>
        Array.from({ length: 6 }, (_, j): Vec3 => [12 * (i - 4), 12 * j, 6 * Math.cos(0.5 * (i - 4)) * Math.cos(0.6 * j)]),
      ),
      clampedKnots(9, 3),
      clampedKnots(6, 3),
    );
    const s = clipSurface(whole, 0.5, 1, 0, 1);
    const list = [isoU(s, 0.5), isoU(s, 0.75), isoU(s, 1), isoV(s, 0), isoV(s, 1)];
    const plane = { ...WORLD, origin: [0, 0, 0] as Vec3, z: [1, 0, 0] as Vec3, x: [0, 1, 0] as Vec3, y: [0, 0, 1] as Vec3 };
    const r = good(list.map((curve, k) => ({ curve, meets: k === 0 ? { kind: 'mirror', plane } : undefined })));
    const side = r.borders.find((b) => b.index === 0)?.side as 'u0' | 'u1' | 'v0' | 'v1';
    let worst = 0;
    for (let i = 2; i <= 38; i++) {
      const t = i / 40;
      const j = surfaceJet(r.surface, ...((side[0] === 'u' ? [Number(side[1]), t] : [t, Number(side[1])]) as [number, number]));
      worst = Math.max(worst, Math.abs(90 - angleBetween(j.normal, [1, 0, 0]) / DEG));
    }
    expect(worst).toBeLessThan(0.02);
    expect(r.clashes).toEqual([]);
    // the same with a border that meets the plane at a slant: said where and by how much
    const bent = wavy(6, 60, 4);
    const clash = good(
      [isoU(bent, 0), isoU(bent, 0.5), isoU(bent, 1), isoV(bent, 0), isoV(bent, 1)].map((curve, k) => ({
        curve,
        meets: k === 0 ? { kind: 'mirror', plane } : undefined,
      })),
    );
    expect(clash.clashes.length).toBeGreaterThan(0);
    expect(clash.clashes[0].angle).toBeGreaterThan(1);
  });
});
