import { expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { evaluateSurface, surfaceNormal } from '../nurbs/index.ts';
import { seeded } from '../testing/mutate.ts';
import { between, loftSolid, ringBody, vase, wavySheet } from '../testing/random-bodies.ts';
import { type Body, type BodyMesh, meshBody, SHADE, shadeAt } from './index.ts';

const DEGREE = Math.PI / 180;
/** The place of a surface nearest to a point, from a start near it, by Gauss and Newton; plain, and no code of the mesher's. */
function footOf(b: Body, face: number, start: readonly number[], p: Vec3): { uv: [number, number]; inside: boolean } {
  const s = b.faces[face].surface;
  const range = [s.knotsU[s.degreeU], s.knotsU[s.countU], s.knotsV[s.degreeV], s.knotsV[s.countV]];
  const jet = new Float64Array(12);
  let [u, v] = start;
  let inside = true;
  for (let k = 0; k < 8; k++) {
    evaluateSurface(s, u, v, 1, jet);
    const r = [p[0] - jet[0], p[1] - jet[1], p[2] - jet[2]];
    const d = (a: number, c: number) => jet[a] * jet[c] + jet[a + 1] * jet[c + 1] + jet[a + 2] * jet[c + 2];
    const [E, F, G] = [d(6, 6), d(6, 3), d(3, 3)];
    const det = E * G - F * F;
    if (!(det > 1e-10 * E * G)) return { uv: [u, v], inside: false };
    const [ru, rv] = [6, 3].map((o) => r[0] * jet[o] + r[1] * jet[o + 1] + r[2] * jet[o + 2]);
    u += (G * ru - F * rv) / det;
    v += (E * rv - F * ru) / det;
    inside = u >= range[0] && u <= range[1] && v >= range[2] && v <= range[3];
    u = Math.min(range[1], Math.max(range[0], u));
    v = Math.min(range[3], Math.max(range[2], v));
  }
  return { uv: [u, v], inside };
}
/** Largest angle between what is shaded at random places of the triangles and the normal at the foot on the surface, degrees. */
function worst(b: Body, m: BodyMesh, seed: number, blended = true): number {
  const r = seeded(seed);
  let most = 0;
  b.faces.forEach((f, k) => {
    const [first, count] = [m.faceRanges[2 * k], m.faceRanges[2 * k + 1]];
    for (let t = first; t < first + count; t += 3)
      for (let q = 0; q < 4; q++) {
        const [x, y] = [r(), r()];
        const w = x + y > 1 ? [1 - x, 1 - y, x + y - 1] : [x, y, 1 - x - y];
        const ids = [m.indices[t], m.indices[t + 1], m.indices[t + 2]];
        const mean = (list: Float64Array, size: number) =>
          Array.from({ length: size }, (_, d) => ids.reduce((s, i, c) => s + w[c] * list[size * i + d], 0));
        const p = mean(m.positions, 3) as unknown as Vec3;
        const n = mean(m.normals, 3);
        if (blended)
          ids.forEach((i, c) => {
            const o = [0, 1, 2].map((d) => p[d] - m.positions[3 * i + d]);
            const [xx, xy, xz, yy, yz, zz] = m.bend.subarray(6 * i, 6 * i + 6);
            n[0] += (w[c] / 2) * (xx * o[0] + xy * o[1] + xz * o[2]);
            n[1] += (w[c] / 2) * (xy * o[0] + yy * o[1] + yz * o[2]);
            n[2] += (w[c] / 2) * (xz * o[0] + yz * o[1] + zz * o[2]);
          });
        const foot = footOf(b, k, mean(m.uv, 2), p);
        // beside a bent border a chord lies over no surface
        if (!foot.inside) continue;
        const e = surfaceNormal(f.surface, ...foot.uv);
        const cosine = ((f.reversed ? -1 : 1) * (n[0] * e[0] + n[1] * e[1] + n[2] * e[2])) / Math.hypot(...n);
        most = Math.max(most, Math.acos(Math.min(1, cosine)) / DEGREE);
      }
  });
  return most;
}

it('the change of the normal is what differences along the surface say', () => {
  const b = wavySheet(seeded(4), 20, 4);
  const s = b.faces[0].surface;
  const r = seeded(9);
  for (let k = 0; k < 40; k++) {
    const [u, v] = [between(r, s.knotsU[s.degreeU], s.knotsU[s.countU]), between(r, s.knotsV[s.degreeV], s.knotsV[s.countV])];
    const here = new Float64Array(SHADE);
    shadeAt(s, u, v, here);
    const h = 1e-5 * (s.knotsU[s.countU] - s.knotsU[s.degreeU]);
    const [a, c] = [new Float64Array(SHADE), new Float64Array(SHADE)];
    shadeAt(s, Math.max(s.knotsU[s.degreeU], u - h), v, a);
    shadeAt(s, Math.min(s.knotsU[s.countU], u + h), v, c);
    const way = [9, 10, 11].map((d) => c[d] - a[d]);
    const by = [
      here[3] * way[0] + here[4] * way[1] + here[5] * way[2],
      here[4] * way[0] + here[6] * way[1] + here[7] * way[2],
      here[5] * way[0] + here[7] * way[1] + here[8] * way[2],
    ];
    for (let d = 0; d < 3; d++) expect(Math.abs(c[d] - a[d] - by[d])).toBeLessThan(1e-4 * Math.hypot(...way));
  }
});
it('the trace of the change is twice the mean curvature, at every node of a vase', () => {
  const b = vase(seeded(1), 14, 30);
  const m = meshBody(b, { chord: 0.05, normal: 0.05 * DEGREE });
  expect(m.bend.length).toBe((6 * m.positions.length) / 3);
  // trace of the change is twice the mean curvature, with the other sign
  for (let i = 0; i < m.positions.length / 3; i += 7)
    expect(m.bend[6 * i] + m.bend[6 * i + 3] + m.bend[6 * i + 5]).toBeCloseTo(-2 * m.curvature[2 * i + 1], 6);
});
it.each([
  ['a ring', (): Body => ringBody(18, 6)],
  ['a vase', (): Body => vase(seeded(3), 14, 30)],
  ['a wavy sheet', (): Body => wavySheet(seeded(5), 20, 5)],
  ['a loft', (): Body => loftSolid(seeded(2), 12, 40)],
] as const)('%s is shaded within 0.05 degrees of its own normals at every place, however coarse', (_, make) => {
  const b = make();
  for (const chord of [0.4, 0.05]) {
    const m = meshBody(b, { chord, angle: 0.6, normal: 0.05 * DEGREE });
    expect(worst(b, m, 7)).toBeLessThan(0.05);
    // the mean of the corners alone would not do
    expect(worst(b, m, 7, false)).toBeGreaterThan(0.05);
  }
});
