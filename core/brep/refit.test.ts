import { describe, expect, it } from 'vitest';
import { distance, frameFromNormal, type Vec3, WORLD } from '../math/index.ts';
import {
  circleCurve,
  closestOnSurface,
  extrudedSurface,
  line2,
  lineCurve,
  makeCurve,
  pointAt,
  ruledSurface,
  surfacePoint,
} from '../nurbs/index.ts';
import { type Body, BodyBuilder, edgePoint, massProperties, splitBody, surfaceBody, topologyOf, useUV } from './index.ts';
import { localKernel as kernel } from './local.ts';
import { breaksAlong, exactSeams, refitEdges } from './refit.ts';

const side = (prefix: string) => ({ prefix, face: () => `${prefix}:side` });
const R = 10;
function tube(r: number, h: number): Body {
  const k = new BodyBuilder();
  surfaceBody(ruledSurface(circleCurve(WORLD, r), circleCurve(frameFromNormal([0, 0, h], [0, 0, 1], [1, 0, 0]), r)), side('tube'), k);
  return k.body();
}
/** A smaller tube across the first: their meeting is a space curve of degree four, given by |y| = sqrt(r² - x²) style formulas. */
function across(r: number): Body {
  const f = frameFromNormal([-30, 0, 20], [1, 0, 0], [0, 1, 0]);
  return surfaceBody(extrudedSurface(circleCurve(f, r), [60, 0, 0]), side('bore')).body;
}
/** Distance of a place from the true curve: from both cylinders at once. */
const offBoth = (p: Vec3, r: number) => Math.max(Math.abs(Math.hypot(p[0], p[1]) - R), Math.abs(Math.hypot(p[1], p[2] - 20) - r));

describe('edges after a cut', () => {
  it('lie on both cylinders far within the tolerance, with few control points, and still meet their faces', async () => {
    const r = 4;
    const cut = await splitBody(kernel, tube(R, 40), [across(r)], 1e-3, 'cut', {});
    expect(cut.cut.length).toBeGreaterThan(0);
    const { uses } = topologyOf(cut.body);
    for (const i of cut.cut) {
      const e = cut.body.edges[i];
      for (let k = 0; k <= 40; k++) {
        const t = e.range[0] + ((e.range[1] - e.range[0]) * k) / 40;
        const p = edgePoint(e, t);
        expect(offBoth(p, r)).toBeLessThan(1e-4);
        // the images on the faces stand at the same parameter
        for (const u of uses[i]) {
          const f = cut.body.faces[u.face];
          const [a, b] = useUV(f, u.use, t);
          expect(distance(surfacePoint(f.surface, a, b), p)).toBeLessThan(1e-4);
        }
      }
      expect(e.curve.control.length / 4).toBeLessThan(80);
    }
    // what is cut off and what stays is the whole
    expect(massProperties(cut.body).area).toBeCloseTo(2 * Math.PI * R * 40, 2);
  });

  it('a seam beside its own surface becomes the border of that surface, ending where the border leaves it', () => {
    const b = tube(R, 40);
    const { uses } = topologyOf(b);
    const seam = uses.findIndex((u) => u.length === 2 && u[0].face === u[1].face);
    const e = b.edges[seam];
    const [p, q] = [edgePoint(e, e.range[0]), edgePoint(e, e.range[1])];
    const n = 9;
    // a wavy edge in the middle 3 hundredths off, on straight images
    const off = makeCurve(
      3,
      Array.from(
        { length: n },
        (_, i): Vec3 => [
          p[0] + ((q[0] - p[0]) * i) / (n - 1),
          p[1] + (i > 0 && i < n - 1 ? 0.03 : 0),
          p[2] + ((q[2] - p[2]) * i) / (n - 1),
        ],
      ),
      [0, 0, 0, 0, 1 / 6, 2 / 6, 3 / 6, 4 / 6, 5 / 6, 1, 1, 1, 1],
    );
    const straight = (r: (typeof uses)[number][number]) => {
      const [a, z] = [0, 1].map((k) => useUV(b.faces[r.face], r.use, e.range[k]));
      return { ...r.use, pcurve: { curve: line2(a, z) } };
    };
    const swapped = new Map(uses[seam].map((r) => [r.use, straight(r)]));
    const plain = { record: undefined, turnU: undefined, turnV: undefined };
    const spoiled: Body = {
      ...b,
      edges: b.edges.map((x, i) =>
        i === seam ? { ...x, curve: off, range: [0, 1], tolerance: 0.03, record: undefined, turn: undefined } : x,
      ),
      faces: b.faces.map((f) => ({ ...f, ...plain, loops: f.loops.map((l) => l.map((u) => swapped.get(u) ?? u)) })),
    };
    const gap = (body: Body) =>
      Math.max(
        ...topologyOf(body).uses[seam].flatMap((r) =>
          Array.from({ length: 21 }, (_, k) => {
            const x = body.edges[seam];
            const t = x.range[0] + ((x.range[1] - x.range[0]) * k) / 20;
            const f = body.faces[r.face];
            return distance(surfacePoint(f.surface, ...useUV(f, r.use, t)), edgePoint(x, t));
          }),
        ),
      );
    expect(gap(spoiled)).toBeGreaterThan(0.02);
    const mended = exactSeams(spoiled);
    expect(gap(mended)).toBeLessThan(1e-12);
    expect(
      Math.hypot(
        edgePoint(mended.edges[seam], mended.edges[seam].range[0])[0],
        edgePoint(mended.edges[seam], mended.edges[seam].range[0])[1],
      ),
    ).toBeCloseTo(R, 12);
    // nothing to mend: the same body
    const flat = surfaceBody(extrudedSurface(lineCurve([0, 0, 0], [1, 0, 0]), [0, 0, 1]), side('flat')).body;
    expect(exactSeams(flat)).toBe(flat);
  });

  it('are left alone when a fit would save nothing or miss', () => {
    const b = tube(R, 40);
    // circles of few points have nothing to save
    expect(
      refitEdges(
        b,
        b.edges.map((_, i) => i),
        1e-6,
      ),
    ).toBe(b);
    expect(refitEdges(b, [], 1)).toBe(b);
  });

  it('a crowded edge is made lighter within the tolerance, its range counted by length', () => {
    const n = 160;
    // a wave sampled densely as a polyline stands for what comes out of a cut
    const wave = (t: number): [number, number, number] => [t * 40, 3 * Math.sin(2 * t), 0];
    const points = Array.from({ length: n + 1 }, (_, i) => wave(i / n));
    const knots = [0, ...Array.from({ length: n + 1 }, (_, i) => i / n), 1];
    const sheet = surfaceBody(extrudedSurface(makeCurve(1, points, knots), [0, 0, 10]), side('sheet')).body;
    const long = sheet.edges.findIndex((e) => e.curve.control.length / 4 > 100);
    // every short facet is an edge of its own, or one edge holds them all: both are right, only the latter can be refitted
    if (long < 0) {
      expect(sheet.faces.length).toBeGreaterThan(1);
      return;
    }
    const b = refitEdges(sheet, [long], 0.01);
    const e = b.edges[long];
    expect(e.curve.control.length).toBeLessThan(sheet.edges[long].curve.control.length / 3);
    for (let k = 0; k <= 100; k++) {
      const p = edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * k) / 100);
      expect(closestOnSurface(sheet.faces[0].surface, p).distance).toBeLessThan(0.012);
    }
  });

  it('breaks are told where a curve crosses the knot lines of its surface', () => {
    const knots = [0, 0, 0, 0.25, 0.5, 0.5, 1, 1, 1];
    const rows: number[][] = [0, 1, 2, 3, 4, 5].map((i) => [10 * i, i % 2 ? 4 : 0, 0]);
    const s = extrudedSurface(makeCurve(2, rows, knots), [0, 0, 10]);
    const found = breaksAlong({ total: 1, near: (x) => x }, (t) => [{ s, uv: [t, 0.5] as const }]).sort((a, b) => a.t - b.t);
    expect(found.map((b) => Number(b.t.toFixed(6)))).toEqual([0.25, 0.5]);
    // a simple knot of degree 2 leaves one derivative, a double one none
    expect(found.map((b) => b.multiplicity)).toEqual([4, 5]);
    expect(pointAt(makeCurve(2, rows, knots), 0)).toEqual([0, 0, 0]);
  });
});
