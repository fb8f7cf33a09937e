import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { distance, frameFromNormal, sub, type Vec3, WORLD } from '../math/index.ts';
import {
  circleCurve,
  clampedKnots,
  closestOnSurface,
  extrudedSurface,
  makeSurface,
  planeSurface,
  polylineCurve,
  revolvedSurface,
  ruledSurface,
  surfacePoint,
} from '../nurbs/index.ts';
import {
  type Body,
  BodyBuilder,
  capRim,
  chainCurves,
  crackCount,
  edgeParameters,
  edgePoint,
  flatBody,
  flipBody,
  makeSolid,
  massProperties,
  meshBody,
  meshVolume,
  regionsOf,
  rimChains,
  surfaceBody,
} from './index.ts';
import { triangulate } from './mesh-triangles.ts';

const names = { prefix: 't', face: (i: number, j: number) => `t:side${i}${j}` };
const bodyOf = (s: ReturnType<typeof planeSurface>): Body => surfaceBody(s, names).body;
/** A frustum of radii a and b and height h, closed by two flat caps. */
function frustum(a: number, b: number, h: number): Body {
  const k = new BodyBuilder();
  surfaceBody(ruledSurface(circleCurve(WORLD, a), circleCurve(frameFromNormal([0, 0, h], [0, 0, 1], [1, 0, 0]), b)), names, k);
  for (const [i, chain] of rimChains(k.body()).entries()) capRim(k, chain, `t:cap${i}`, 1e-6);
  const solid = makeSolid(k.body());
  if (!solid.ok) throw new Error(solid.message);
  return solid.body;
}
function sphere(r: number): Body {
  const half = circleCurve({ origin: [0, 0, 0], x: [0, 0, -1], y: [1, 0, 0], z: [0, 1, 0] }, r, 0, Math.PI);
  const b = bodyOf(revolvedSurface(half, [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI));
  return massProperties(b).volume < 0 ? flipBody(b) : b;
}
/** A flat plate with round holes, from loops as a person draws them. */
function plate(w: number, h: number, holes: readonly (readonly [number, number, number])[]): Body {
  const corners: Vec3[] = [
    [0, 0, 0],
    [w, 0, 0],
    [w, h, 0],
    [0, h, 0],
    [0, 0, 0],
  ];
  const curves = [polylineCurve(corners), ...holes.map(([x, y, r]) => circleCurve({ ...WORLD, origin: [x, y, 0] }, r))];
  const { closed } = chainCurves(curves, 1e-6);
  return flatBody(regionsOf(closed, WORLD), WORLD, 't');
}
const corner = (m: ReturnType<typeof meshBody>, i: number): Vec3 => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]];
function meshArea(m: ReturnType<typeof meshBody>): number {
  let area = 0;
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => corner(m, m.indices[t + k]));
    const [u, v] = [sub(b, a), sub(c, a)];
    area += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
  }
  return area;
}

describe('triangles inside loops', () => {
  const ring = (n: number, r: number, x = 0, y = 0) =>
    Array.from({ length: n }, (_, i) => [x + r * Math.cos((2 * Math.PI * i) / n), y + r * Math.sin((2 * Math.PI * i) / n)]).flat();
  const areaOf = (uv: readonly number[], list: readonly number[]) => {
    let sum = 0;
    for (let t = 0; t < list.length; t += 3) {
      const [a, b, c] = [list[t], list[t + 1], list[t + 2]].map((i) => [uv[2 * i], uv[2 * i + 1]]);
      sum += Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2;
    }
    return sum;
  };
  it('fill exactly the outer loop less the holes, whatever their number', () =>
    fc.assert(
      fc.property(fc.integer({ min: 3, max: 40 }), fc.integer({ min: 0, max: 4 }), fc.integer({ min: 3, max: 20 }), (n, holes, k) => {
        const outer = ring(n, 10);
        const rings = [outer, ...Array.from({ length: holes }, (_, i) => ring(k, 0.9, 3 * Math.cos(i * 1.6), 3 * Math.sin(i * 1.6)))];
        const uv = rings.flat();
        let next = 0;
        const loops = rings.map((r) => Array.from({ length: r.length / 2 }, () => next++));
        const polygon = (m: number, r: number) => (m * r * r * Math.sin((2 * Math.PI) / m)) / 2;
        // a triangle of radius 10 is narrow: holes stay inside from five corners on
        fc.pre(n >= 5 || holes === 0);
        const t = triangulate(uv, loops, uv.length / 2, [1, 1]);
        expect(areaOf(uv, t)).toBeCloseTo(polygon(n, 10) - holes * polygon(k, 0.9), 8);
      }),
      { numRuns: 120 },
    ));
  it('throw rather than answer when there is nothing inside', () => {
    expect(() => triangulate([0, 0, 1, 0, 2, 0], [[0, 1, 2]], 3, [1, 1])).toThrow();
  });
});

describe('points along edges', () => {
  it('keep the chord error asked for and do not waste', () => {
    const b = frustum(10, 10, 20);
    const e = b.edges.find((x) => x.start === x.end);
    if (!e) throw new Error('no round edge');
    let last = 0;
    for (const chord of [0.5, 0.05, 0.005]) {
      const ts = edgeParameters(e, chord, 3);
      let worst = 0;
      for (let i = 0; i + 1 < ts.length; i++) {
        const [p, q, m] = [edgePoint(e, ts[i]), edgePoint(e, ts[i + 1]), edgePoint(e, (ts[i] + ts[i + 1]) / 2)];
        worst = Math.max(worst, distance(m, [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, (p[2] + q[2]) / 2]));
      }
      expect(worst).toBeLessThanOrEqual(chord);
      // a circle needs about pi / acos(1 - chord / r) steps; halving steps may double that
      expect(ts.length).toBeLessThan(2.6 * (Math.PI / Math.acos(1 - chord / 10)) + 4);
      expect(ts.length).toBeGreaterThan(last);
      last = ts.length;
    }
  });
  it('straight edges need no point between, unless a longest side is asked for', () => {
    const e = bodyOf(planeSurface(WORLD, 0, 30, 0, 10)).edges.find(
      (x) => distance(edgePoint(x, x.range[0]), edgePoint(x, x.range[1])) > 20,
    );
    if (!e) throw new Error('no long edge');
    expect(edgeParameters(e, 0.01, 0.1).length).toBe(2);
    const ts = edgeParameters(e, 0.01, 0.1, 1, 4);
    for (let i = 0; i + 1 < ts.length; i++) expect(distance(edgePoint(e, ts[i]), edgePoint(e, ts[i + 1]))).toBeLessThanOrEqual(4);
  });
});

describe('meshes of bodies', () => {
  it('close without cracks at every fineness, and their volume goes to the exact one with the chord', () => {
    const exact = (Math.PI * 30 * (100 + 40 + 16)) / 3;
    const b = frustum(10, 4, 30);
    let before = Infinity;
    for (const chord of [0.5, 0.1, 0.02, 0.004]) {
      const m = meshBody(b, { chord });
      expect(m.failed).toEqual([]);
      expect(crackCount(m)).toBe(0);
      const off = Math.abs(meshVolume(m) / exact - 1);
      expect(off).toBeLessThan(before);
      // inscribed: the error of the volume is of the order of area times chord
      expect(off).toBeLessThan((2 * chord * massProperties(b).area) / exact);
      before = off;
    }
  });
  it('every node lies on its surface, and normals are those of the surface, outward', () => {
    const b = sphere(7);
    const m = meshBody(b, { chord: 0.02 });
    for (let i = 0; i < m.positions.length / 3; i++) {
      const p = corner(m, i);
      expect(Math.abs(Math.hypot(...p) - 7)).toBeLessThan(1e-9);
      const n: Vec3 = [m.normals[3 * i], m.normals[3 * i + 1], m.normals[3 * i + 2]];
      const pole = Math.abs(p[2]) > 6.999;
      // at the poles the surface has no normal and no curvature of its own: the normal is taken beside them
      expect(distance(n, [p[0] / 7, p[1] / 7, p[2] / 7])).toBeLessThan(pole ? 1e-3 : 1e-6);
      if (pole) continue;
      // Gaussian 1/r², mean 1/r bending away from the outside
      expect(m.curvature[2 * i]).toBeCloseTo(1 / 49, 6);
      expect(Math.abs(m.curvature[2 * i + 1])).toBeCloseTo(1 / 7, 6);
    }
  });
  it('a plate with holes has the area of the plate less the holes', () =>
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 11 }), { minLength: 0, maxLength: 6 }),
        fc.double({ min: 0.5, max: 3.5, noNaN: true }),
        (places, r) => {
          const b = plate(
            80,
            60,
            places.map((k) => [10 + 20 * (k % 4), 10 + 20 * Math.floor(k / 4), r] as const),
          );
          const m = meshBody(b, { chord: 1e-3 });
          const want = 80 * 60 - places.length * Math.PI * r * r;
          expect(Math.abs(meshArea(m) - want)).toBeLessThan(places.length * 2 * Math.PI * r * 2e-3 + 1e-9);
          expect(massProperties(b).area).toBeCloseTo(want, 6);
        },
      ),
      { numRuns: 25 },
    ));
  it('chords of a free form keep to the error, measured against the surface itself', () => {
    const n = 6;
    const rows = Array.from({ length: n }, (_, i) =>
      Array.from({ length: n }, (_, j): Vec3 => [10 * i, 10 * j, 6 * Math.sin(i * 1.3) * Math.cos(j * 0.9)]),
    );
    const s = makeSurface(3, 3, rows, clampedKnots(n, 3), clampedKnots(n, 3));
    for (const chord of [0.2, 0.02]) {
      const m = meshBody(bodyOf(s), { chord });
      let worst = 0;
      for (let t = 0; t < m.indices.length; t += 3) {
        const c: [number, number, number] = [0, 0, 0];
        for (let k = 0; k < 3; k++) corner(m, m.indices[t + k]).forEach((x, d) => (c[d] += x / 3));
        worst = Math.max(worst, closestOnSurface(s, c).distance);
      }
      expect(worst).toBeLessThan(chord);
      expect(worst).toBeGreaterThan(chord / 50);
    }
  });
  it('a longest side is kept where nothing bends', () => {
    const m = meshBody(bodyOf(planeSurface(WORLD, 0, 50, 0, 50)), { chord: 1, longest: 6 });
    let longest = 0;
    for (let t = 0; t < m.indices.length; t += 3)
      for (let k = 0; k < 3; k++)
        longest = Math.max(longest, distance(corner(m, m.indices[t + k]), corner(m, m.indices[t + ((k + 1) % 3)])));
    expect(longest).toBeLessThan(12);
    expect(meshArea(m)).toBeCloseTo(2500, 8);
  });
  it('neighbours share the points of their edge: equal ids are equal places', () => {
    const b = frustum(8, 5, 12);
    const m = meshBody(b, { chord: 0.05 });
    const place = new Map<number, Vec3>();
    for (let i = 0; i < m.shared.length; i++) {
      const had = place.get(m.shared[i]);
      const p = corner(m, i);
      if (had) expect(distance(had, p)).toBeLessThan(1e-9);
      else place.set(m.shared[i], p);
    }
    // the picture of each edge runs through points the faces use too
    const used = new Set(m.shared);
    for (const id of m.edgeShared) expect(used.has(id)).toBe(true);
  });
  it('a strip of extruded arcs has the exact area in the limit', () => {
    const s = extrudedSurface(circleCurve(WORLD, 5, 0, Math.PI / 2), [0, 0, 9]);
    expect(distance(surfacePoint(s, 0, 0), [5, 0, 0])).toBeLessThan(1e-12);
    const m = meshBody(bodyOf(s), { chord: 1e-4 });
    expect(meshArea(m)).toBeCloseTo(((5 * Math.PI) / 2) * 9, 2);
  });
});

describe('edges nearer to each other than the chord error', () => {
  it.each([1e-1, 1e-2, 1e-3])('a ring that is %f mm thin at one side', (thin) => {
    const at = frameFromNormal([5 - thin, 0, 0], [0, 0, 1], [1, 0, 0]);
    // the thin side lies between two corners of the outer polygon
    const turned = frameFromNormal([0, 0, 0], [0, 0, 1], [Math.cos(0.2), Math.sin(0.2), 0]);
    const ring = flatBody([{ outer: [circleCurve(turned, 10)], holes: [[circleCurve(at, 5)]] }], WORLD, 'ring');
    const chord = 0.2;
    const m = meshBody(ring, { chord, angle: 0.6 });
    expect(m.failed).toEqual([]);
    let area = 0;
    const p = m.positions;
    for (let t = 0; t < m.indices.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => 3 * m.indices[t + k]);
      const twice = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[c] - p[a]) * (p[b + 1] - p[a + 1]);
      // none is turned over
      expect(twice).toBeGreaterThan(0);
      area += twice / 2;
    }
    expect(Math.abs(area - 75 * Math.PI)).toBeLessThan(chord * 2 * Math.PI * 15);
    // only the two borders are open
    expect(crackCount(m)).toBe(m.edgeAt.length - m.edgeRanges.length / 2);
  });
});
