import { distance, type Vec3 } from '../math/index.ts';
import { domainU, domainV, type NurbsSurface, remapSurface, reverseU, reverseV, surfacePoint, transpose } from '../nurbs/index.ts';
import { compatibleSurfaces } from './gordon.ts';

/** The second surface turned and transposed so that it lies over the first with the least distances. */
export function laidOver(a: NurbsSurface, b: NurbsSurface): NurbsSurface {
  const unit = (s: NurbsSurface) => remapSurface(s, 0, 1, 0, 1);
  const base = unit(a);
  const ways: NurbsSurface[] = [];
  for (const t of [unit(b), transpose(unit(b))]) for (const u of [t, reverseU(t)]) ways.push(u, reverseV(u));
  const at = [0.05, 0.35, 0.65, 0.95];
  const cost = (s: NurbsSurface) => {
    let sum = 0;
    for (const x of at) for (const y of at) sum += distance(surfacePoint(base, x, y), surfacePoint(s, x, y)) ** 2;
    return sum;
  };
  return ways.reduce((best, s) => (cost(s) < cost(best) * (1 - 1e-9) ? s : best));
}
/**
 * Surfaces at shares (0 to 1) of the way between two, of equal parameters: exact, on one degree and knot vector. Weights are blended with
 * their points, so that two of equal weights give a plain blend of positions.
 */
export function betweenSurfaces(a: NurbsSurface, b: NurbsSurface, shares: readonly number[]): NurbsSurface[] {
  const [x, y] = compatibleSurfaces([remapSurface(a, 0, 1, 0, 1), laidOver(a, b)]);
  return shares.map((t) => ({
    ...x,
    control: Float64Array.from(x.control, (c, i) => c + (y.control[i] - c) * t),
    rational: x.rational || y.rational,
  }));
}
/** Middles between points of equal number. */
export const betweenPoints = (a: Float64Array, b: Float64Array, t: number): Float64Array =>
  Float64Array.from(a, (x, i) => x + (b[i] - x) * t);
export const middle = (s: NurbsSurface): Vec3 => {
  const [u, v] = [domainU(s), domainV(s)];
  return surfacePoint(s, (u[0] + u[1]) / 2, (v[0] + v[1]) / 2);
};
