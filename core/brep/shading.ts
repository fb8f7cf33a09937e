import type { Vec3 } from '../math/index.ts';
import { evaluateSurface, type NurbsSurface, surfaceNormal } from '../nurbs/index.ts';
import { jetNormal } from './mesh-points.ts';

/**
 * Normals between the corners of triangles. Each corner brings its normal n and the change S of the normal in space (a symmetric tensor that
 * takes no note of the normal's own direction). At the place p = Σ w_i p_i of a flat triangle
 *
 *   N(p) = Σ w_i (n_i + ½ S_i (p - p_i)) = Σ w_i (n_i - ½ S_i p_i) + ½ (Σ w_i S_i) p,
 *
 * which has every field of second degree exactly: for n(p) = a + B p + (terms of second degree Q) the halves of the first derivatives make up
 * for what the linear mean of the corners leaves out. So the error falls with the third power of the triangle's size, and the sums can be
 * interpolated by any shader, since they are linear in the weights.
 */
export const SHADE = 12;
const jet = new Float64Array(27);

/** Unit normal of a surface (its own, not the face's) and its change, [x, y, z, xx, xy, xz, yy, yz, zz] with 1/mm, and the place, at (u, v), into `out`. */
export function shadeAt(s: NurbsSurface, u: number, v: number, out: Float64Array): void {
  evaluateSurface(s, u, v, 2, jet);
  out[9] = jet[0];
  out[10] = jet[1];
  out[11] = jet[2];
  let n = jetNormal(jet);
  if (n[0] === 0 && n[1] === 0 && n[2] === 0) {
    // at a pole the normal is a limit, and its change that of a place beside it
    n = surfaceNormal(s, u, v);
    const [a, b] = [s.knotsU[s.degreeU], s.knotsU[s.countU]];
    const [c, d] = [s.knotsV[s.degreeV], s.knotsV[s.countV]];
    evaluateSurface(s, u + 1e-3 * ((a + b) / 2 - u), v + 1e-3 * ((c + d) / 2 - v), 2, jet);
    changeOf(jetNormal(jet), out);
  } else changeOf(n, out);
  out[0] = n[0];
  out[1] = n[1];
  out[2] = n[2];
}
/** Weingarten's equations in space: -(L a¹a¹ + M (a¹a² + a²a¹) + N a²a²) with the dual basis a of the tangents. */
function changeOf(n: Vec3, out: Float64Array): void {
  const d = (a: number, c: number) => jet[a] * jet[c] + jet[a + 1] * jet[c + 1] + jet[a + 2] * jet[c + 2];
  const nn = (a: number) => jet[a] * n[0] + jet[a + 1] * n[1] + jet[a + 2] * n[2];
  const [E, F, G] = [d(9, 9), d(9, 3), d(3, 3)];
  const D = E * G - F * F;
  out.fill(0, 3, 9);
  if (!(D > 1e-14 * E * G)) return;
  const [L, M, N] = [nn(18), nn(12), nn(6)];
  const a = [0, 1, 2].map((k) => (G * jet[9 + k] - F * jet[3 + k]) / D);
  const b = [0, 1, 2].map((k) => (E * jet[3 + k] - F * jet[9 + k]) / D);
  let o = 3;
  for (let i = 0; i < 3; i++) for (let j = i; j < 3; j++) out[o++] = -(L * a[i] * a[j] + M * (a[i] * b[j] + b[i] * a[j]) + N * b[i] * b[j]);
}
/** S·x of a tensor that stands at `o` + 3. */
export const bendAlong = (s: ArrayLike<number>, o: number, x: Vec3): Vec3 => [
  s[o + 3] * x[0] + s[o + 4] * x[1] + s[o + 5] * x[2],
  s[o + 4] * x[0] + s[o + 6] * x[1] + s[o + 7] * x[2],
  s[o + 5] * x[0] + s[o + 7] * x[1] + s[o + 8] * x[2],
];
