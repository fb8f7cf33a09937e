import type { Body, NeighbourJet } from '../brep/index.ts';
import { angleBetween, cross, DEG, distance, dot, type Frame, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  curvatureFlow,
  domainU,
  domainV,
  knotRuns,
  type NurbsSurface,
  normalCurvature,
  type SurfaceJet,
  surfaceJet,
} from '../nurbs/index.ts';

/** How a border of a surface meets its neighbour: worst values in mm, degrees, percent, percent, and where. */
export interface Meeting {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly flow: number;
  readonly at: { readonly gap: Vec3; readonly kink: Vec3; readonly step: Vec3; readonly flow: Vec3 };
}
export type SurfaceSide = 'u0' | 'u1' | 'v0' | 'v1';
/** Parameters of a point on a side at a share of its range. */
export function sideUV(s: NurbsSurface, side: SurfaceSide, t: number): readonly [number, number] {
  if (side[0] === 'u') return [domainU(s)[side === 'u0' ? 0 : 1], t];
  return [t, domainV(s)[side === 'v0' ? 0 : 1]];
}
/** What stands behind a border: a neighbour of one body, or a chain of edges that tells its faces with each jet. */
export interface Behind {
  at(p: Vec3): NeighbourJet;
  readonly body?: Body;
}
/** Both surfaces are evaluated on their own; curvature across the border is compared, its limit size is `size` (mm). */
export function measureAgainst(
  s: NurbsSurface,
  side: SurfaceSide,
  neighbour: Behind,
  size: number,
  part?: readonly [number, number],
): Meeting {
  const [knots, degree] = side[0] === 'u' ? [s.knotsV, s.degreeV] : [s.knotsU, s.degreeU];
  const range = part ?? (side[0] === 'u' ? domainV(s) : domainU(s));
  const values = knotRuns(knots, degree).values.filter((t) => t > range[0] && t < range[1]);
  const breaks = [range[0], ...values, range[1]];
  const per = Math.max(4, Math.ceil(40 / (breaks.length - 1)));
  const worst = { gap: 0, kink: 0, step: 0, flow: 0 };
  const zero: Vec3 = neighbour.at(surfaceJet(s, ...sideUV(s, side, range[0])).point).point;
  const at = { gap: zero, kink: zero, step: zero, flow: zero };
  const put = (key: keyof typeof worst, value: number, p: Vec3) => {
    if (value > worst[key]) {
      worst[key] = value;
      at[key] = p;
    }
  };
  for (let i = 0; i + 1 < breaks.length; i++)
    for (let k = 0; k <= per; k++) {
      const t = breaks[i] + ((breaks[i + 1] - breaks[i]) * (k + 0.003 * (k === 0 ? 1 : k === per ? -1 : 0))) / per;
      const [u, v] = sideUV(s, side, t);
      const mine = surfaceJet(s, u, v);
      const other = neighbour.at(mine.point);
      put('gap', distance(mine.point, other.point), mine.point);
      const flip = angleBetween(mine.normal, other.normal) > Math.PI / 2 ? -1 : 1;
      put('kink', angleBetween(scale(mine.normal, flip), other.normal) / DEG, mine.point);
      const tangent = side[0] === 'u' ? mine.v : mine.u;
      if (length(tangent) < 1e-12) continue;
      const across = unit(cross(mine.normal, tangent));
      const b = other.on ?? (neighbour.body as Body).faces[other.face];
      const theirs: SurfaceJet = {
        point: other.point,
        u: other.partials[4],
        v: other.partials[1],
        uu: other.partials[8],
        uv: other.partials[5],
        vv: other.partials[2],
        normal: b.reversed ? scale(other.normal, -1) : other.normal,
      };
      const sign = flip * (b.reversed ? -1 : 1);
      const flatAcross = unit(cross(cross(theirs.normal, across), theirs.normal));
      const [ka, kb] = [normalCurvature(mine, across), sign * normalCurvature(theirs, flatAcross)];
      put('step', (200 * Math.abs(ka - kb)) / Math.max(Math.abs(ka) + Math.abs(kb), 1 / size), mine.point);
      const fa = curvatureFlow(s, u, v, across);
      const fb = sign * curvatureFlow(b.surface, other.uv[0], other.uv[1], flatAcross);
      put('flow', (200 * Math.abs(fa - fb)) / Math.max(Math.abs(fa) + Math.abs(fb), 1 / size ** 2), mine.point);
    }
  return { ...worst, at };
}
/** How a border meets its own mirror image: twice the angle by which the normal leaves the plane. */
export function mirrorMeeting(s: NurbsSurface, side: SurfaceSide, f: Frame): Meeting {
  const range = side[0] === 'u' ? s.knotsV : s.knotsU;
  const [a, b] = [range[0], range[range.length - 1]];
  let [gap, kink] = [0, 0];
  const zero = surfaceJet(s, ...sideUV(s, side, a)).point;
  let [gapAt, kinkAt] = [zero, zero];
  for (let i = 0; i <= 120; i++) {
    const j = surfaceJet(s, ...sideUV(s, side, a + ((b - a) * (i + (i === 0 ? 1e-3 : i === 120 ? -1e-3 : 0))) / 120));
    const d = 2 * Math.abs(dot(sub(j.point, f.origin), f.z));
    const k = (2 * Math.abs(Math.asin(Math.min(1, Math.abs(dot(j.normal, f.z))))) * 180) / Math.PI;
    if (d > gap) [gap, gapAt] = [d, j.point];
    if (k > kink) [kink, kinkAt] = [k, j.point];
  }
  return { gap, kink, step: 0, flow: 0, at: { gap: gapAt, kink: kinkAt, step: zero, flow: zero } };
}

/** A place where a surface folds over: normals of neighbouring places point against each other, or both directions run along each other. */
export function foldsOf(s: NurbsSurface): Vec3 | undefined {
  const [u, v] = [domainU(s), domainV(s)];
  const [n, m] = [16, 64];
  const at = (i: number, j: number) => surfaceJet(s, u[0] + ((u[1] - u[0]) * (i + 0.5)) / n, v[0] + ((v[1] - v[0]) * (j + 0.5)) / m);
  let before: SurfaceJet[] = [];
  for (let j = 0; j < m; j++) {
    const now = Array.from({ length: n }, (_, i) => at(i, j));
    for (let i = 0; i < n; i++) {
      if (i && dot(now[i].normal, now[i - 1].normal) < -0.2) return now[i].point;
      if (before.length && dot(now[i].normal, before[i].normal) < -0.2) return now[i].point;
    }
    before = now;
  }
  return undefined;
}
