import { cross, dot, type Frame, toLocal, toWorld, type Vec3 } from '../math/index.ts';
import type { SpaceMap } from './deform.ts';

/** A box in a frame with control points in it, as many along each axis as `counts` says; `moved` holds where they have got to, x first, then y, then z. */
export interface Lattice {
  readonly frame: Frame;
  readonly low: Vec3;
  readonly high: Vec3;
  readonly counts: readonly [number, number, number];
  readonly moved: readonly Vec3[];
}
export const latticeIndex = (l: Pick<Lattice, 'counts'>, i: number, j: number, k: number): number =>
  i + l.counts[0] * (j + l.counts[1] * k);
/** Where a control point rests. */
export const latticeRest = (l: Pick<Lattice, 'frame' | 'low' | 'high' | 'counts'>, i: number, j: number, k: number): Vec3 =>
  toWorld(l.frame, [i, j, k].map((n, d) => l.low[d] + ((l.high[d] - l.low[d]) * n) / (l.counts[d] - 1)) as unknown as Vec3);

/** Bernstein values of degree n - 1 and their slopes. */
function bernstein(n: number, t: number): { b: number[]; d: number[] } {
  let b = [1];
  let below = [1];
  for (let p = 1; p < n; p++) {
    below = b;
    b = Array.from({ length: p + 1 }, (_, i) => (i < p ? (1 - t) * b[i] : 0) + (i > 0 ? t * b[i - 1] : 0));
  }
  const p = n - 1;
  return { b, d: b.map((_, i) => p * ((i > 0 ? below[i - 1] : 0) - (i < p ? below[i] : 0))) };
}

/**
 * Free-form deformation by a trivariate Bézier volume (Sederberg and Parry 1986), told by how far its control points have moved: what lies at rest
 * stays exactly. Outside the box the polynomials go on.
 */
export function latticeMap(l: Lattice): SpaceMap {
  return (p) => latticeJet(l, p).at;
}
/** The place a place goes to, and the volume ratio there: not above zero where space is turned inside out. */
export function latticeJet(l: Lattice, p: Vec3): { at: Vec3; ratio: number } {
  const q = toLocal(l.frame, p);
  const size = [0, 1, 2].map((d) => l.high[d] - l.low[d] || 1);
  const t = [0, 1, 2].map((d) => (q[d] - l.low[d]) / size[d]);
  const [x, y, z] = [0, 1, 2].map((d) => bernstein(l.counts[d], t[d]));
  const by = [0, 0, 0];
  const slopes = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ];
  for (let k = 0; k < l.counts[2]; k++)
    for (let j = 0; j < l.counts[1]; j++)
      for (let i = 0; i < l.counts[0]; i++) {
        const to = l.moved[latticeIndex(l, i, j, k)];
        const rest = latticeRest(l, i, j, k);
        const off = [to[0] - rest[0], to[1] - rest[1], to[2] - rest[2]];
        if (!off[0] && !off[1] && !off[2]) continue;
        const w = x.b[i] * y.b[j] * z.b[k];
        const wx = (x.d[i] * y.b[j] * z.b[k]) / size[0];
        const wy = (x.b[i] * y.d[j] * z.b[k]) / size[1];
        const wz = (x.b[i] * y.b[j] * z.d[k]) / size[2];
        for (let d = 0; d < 3; d++) {
          by[d] += w * off[d];
          slopes[0][d] += wx * off[d];
          slopes[1][d] += wy * off[d];
          slopes[2][d] += wz * off[d];
        }
      }
  const axes = [l.frame.x, l.frame.y, l.frame.z].map((a, i) => [0, 1, 2].map((d) => a[d] + slopes[i][d]) as unknown as Vec3);
  return { at: [p[0] + by[0], p[1] + by[1], p[2] + by[2]], ratio: dot(axes[0], cross(axes[1], axes[2])) };
}
