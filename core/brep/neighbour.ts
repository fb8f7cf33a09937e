import { cross, dot, length, negate, sub, unit, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  clipNet,
  closestOnSurface,
  evaluateSurface,
  findSpan,
  type Net,
  type NurbsSurface,
  reverseNet,
  transpose,
} from '../nurbs/index.ts';
import { type Body, type Face, faceNormal, topologyOf, traceTangent, useUV } from './body.ts';

/** What a skin finds beside a border: derivatives of the neighbouring surface up to the third, and where it leaves the face. */
export interface NeighbourJet {
  readonly point: Vec3;
  /** Unit normal of the face, outside as the face is oriented. */
  readonly normal: Vec3;
  /** Partial derivatives S^(k,l) at index 4k+l, k+l <= 3. */
  readonly partials: readonly Vec3[];
  /** Unit direction in the tangent plane, square to the border, that leads out of the face. */
  readonly away: Vec3;
  readonly uv: readonly [number, number];
  readonly face: number;
  /** The face itself, where it is not of one body that is known. */
  readonly on?: Face;
}
interface Stretch {
  readonly face: number;
  readonly edge: number;
  readonly points: Float64Array;
  readonly uv: Float64Array;
  readonly tangent: Float64Array;
}
const STEPS = 64;
const jet = new Float64Array(48);

/** A border of a skin, seen from outside: one or several edges and the faces behind them. */
export class Neighbour {
  private readonly stretches: Stretch[];
  constructor(
    readonly body: Body,
    readonly edges: readonly { readonly edge: number; readonly reversed: boolean }[],
    /** Which face counts where an edge has two. */
    side: 0 | 1 = 0,
  ) {
    const { uses } = topologyOf(body);
    this.stretches = edges.flatMap(({ edge }) => {
      const ref = uses[edge][Math.min(side, uses[edge].length - 1)];
      if (!ref) return [];
      const f = body.faces[ref.face];
      const e = body.edges[edge];
      const points = new Float64Array(3 * (STEPS + 1));
      const tangent = new Float64Array(3 * (STEPS + 1));
      const uv = new Float64Array(2 * (STEPS + 1));
      for (let i = 0; i <= STEPS; i++) {
        const t = e.range[0] + ((e.range[1] - e.range[0]) * i) / STEPS;
        const [p, d] = traceTangent(e, t);
        points.set(p, 3 * i);
        // along the loop, so that the face lies on the left
        tangent.set(ref.use.reversed ? negate(d) : d, 3 * i);
        uv.set(useUV(f, ref.use, t), 2 * i);
      }
      return [{ face: ref.face, edge, points, uv, tangent }];
    });
  }
  get faces(): number[] {
    return [...new Set(this.stretches.map((s) => s.face))];
  }
  /** The neighbour at the place of its border nearest to p. */
  at(p: Vec3): NeighbourJet {
    let best = { d: Infinity, s: this.stretches[0], i: 0 };
    const look = (s: Stretch) => {
      for (let i = 0; i <= STEPS; i++) {
        const d = (s.points[3 * i] - p[0]) ** 2 + (s.points[3 * i + 1] - p[1]) ** 2 + (s.points[3 * i + 2] - p[2]) ** 2;
        if (d < best.d) best = { d, s, i };
      }
    };
    for (const s of this.stretches) look(s);
    const { s } = best;
    let { i } = best;
    const f = this.body.faces[s.face];
    const footFrom = (k: number) => closestOnSurface(f.surface, p, [s.uv[2 * k], s.uv[2 * k + 1]]);
    let foot = footFrom(i);
    // where a border closes, its first and last sample are one place in space, and only one of them lies on the right side of the seam
    if (i === 0 || i === STEPS) {
      const gap = Math.hypot(...[0, 1, 2].map((d) => s.points[d] - s.points[3 * STEPS + d]));
      const other = gap < 1e-6 ? footFrom(STEPS - i) : foot;
      if (other.distance < foot.distance) [foot, i] = [other, STEPS - i];
    }
    evaluateSurface(f.surface, foot.u, foot.v, 3, jet);
    const partials = Array.from({ length: 16 }, (_, k): Vec3 => [jet[3 * k], jet[3 * k + 1], jet[3 * k + 2]]);
    let n = cross(partials[4], partials[1]);
    if (length(n) < 1e-14) n = cross([s.tangent[3 * i], s.tangent[3 * i + 1], s.tangent[3 * i + 2]], [0, 0, 1]);
    n = unit(n);
    // tangent between the samples
    const t: Vec3 = this.tangentNear(s, i, p);
    const away = unit(cross(t, n));
    return { point: foot.point, normal: f.reversed ? negate(n) : n, partials, away, uv: [foot.u, foot.v], face: s.face };
  }
  private tangentNear(s: Stretch, i: number, p: Vec3): Vec3 {
    const at = (k: number): Vec3 => [s.tangent[3 * k], s.tangent[3 * k + 1], s.tangent[3 * k + 2]];
    const e = this.body.edges[s.edge];
    // Newton on the edge from the sample
    const [a, b] = e.range;
    let t = a + ((b - a) * i) / STEPS;
    let d = traceTangent(e, t);
    for (let k = 0; k < 5; k++) {
      const r = sub(p, d[0]);
      const dd = dot(d[1], d[1]);
      if (!(dd > 0)) break;
      const next = Math.min(b, Math.max(a, t + dot(r, d[1]) / dd));
      if (Math.abs(next - t) < 1e-13 * (b - a)) break;
      t = next;
      d = traceTangent(e, t);
    }
    return dot(d[1], at(i)) < 0 ? negate(d[1]) : d[1];
  }

  /**
   * The border as a net along itself when it is one edge on a parameter line of its surface, running as the edge curve does: rows of
   * 16 numbers, the homogeneous point and its first three derivatives straight out of the face.
   */
  natural(): Net | undefined {
    if (this.edges.length !== 1 || this.stretches.length !== 1) return undefined;
    const s = this.stretches[0];
    const f = this.body.faces[s.face];
    if (f.turnU || f.turnV) return undefined;
    const e = this.body.edges[s.edge];
    const constant = (k: 0 | 1) => {
      for (let i = 1; i <= STEPS; i++) if (Math.abs(s.uv[2 * i + k] - s.uv[k]) > 1e-10) return false;
      return true;
    };
    const k = constant(0) ? 0 : constant(1) ? 1 : undefined;
    if (k === undefined) return undefined;
    const surface = k === 0 ? f.surface : transpose(f.surface);
    const across = s.uv[k];
    const [a, b] = [s.uv[1 - k], s.uv[2 * STEPS + 1 - k]];
    const net = derivativeNet(surface, across);
    const part = clipNet(net, Math.min(a, b), Math.max(a, b));
    // the border's own parameter must run like the edge curve's: linear in it
    const mid = s.uv[STEPS + 1 - k];
    if (e.turn || Math.abs(mid - (a + b) / 2) > 1e-9 * Math.abs(b - a)) return undefined;
    let run = a < b ? part : reverseNet(part);
    if (this.edges[0].reversed) run = reverseNet(run);
    // derivatives across have to lead out of the face
    const at = this.at([s.points[3 * 32], s.points[3 * 32 + 1], s.points[3 * 32 + 2]]);
    const d = k === 0 ? at.partials[4] : at.partials[1];
    if (dot(d, at.away) < 0) {
      const data = new Float64Array(run.data);
      for (let i = 0; i < data.length; i += 16)
        for (let q = 0; q < 4; q++) {
          data[i + 4 + q] *= -1;
          data[i + 12 + q] *= -1;
        }
      run = { ...run, data };
    }
    return run;
  }
}
/** Homogeneous point and derivatives by u at constant u, as one net along v. */
export function derivativeNet(s: NurbsSurface, u: number): Net {
  const p = s.degreeU;
  const span = findSpan(s.knotsU, p, u);
  const b = new Float64Array(4 * (p + 1));
  basisDerivatives(s.knotsU, p, span, u, 3, b);
  const data = new Float64Array(s.countV * 16);
  for (let a = 0; a <= p; a++)
    for (let j = 0; j < s.countV; j++)
      for (let k = 0; k < 4; k++)
        for (let d = 0; d < 4; d++) data[j * 16 + 4 * k + d] += b[k * (p + 1) + a] * s.control[((span - p + a) * s.countV + j) * 4 + d];
  return { degree: s.degreeV, knots: s.knotsV, data, stride: 16 };
}

/** Coordinates of a tangent vector in Su, Sv (least squares). */
export function tangentCoordinates(j: NeighbourJet, d: Vec3): readonly [number, number] {
  const [u, v] = [j.partials[4], j.partials[1]];
  const [E, F, G] = [dot(u, u), dot(u, v), dot(v, v)];
  const det = E * G - F * F;
  if (!(Math.abs(det) > 1e-300)) return [0, 0];
  const [x, y] = [dot(d, u), dot(d, v)];
  return [(x * G - y * F) / det, (y * E - x * F) / det];
}
const bilinear = (j: NeighbourJet, p: readonly [number, number], q: readonly [number, number]): Vec3 => {
  const [uu, uv, vv] = [j.partials[8], j.partials[5], j.partials[2]];
  return [0, 1, 2].map((k) => uu[k] * p[0] * q[0] + uv[k] * (p[0] * q[1] + p[1] * q[0]) + vv[k] * p[1] * q[1]) as unknown as Vec3;
};
/** Height over the tangent plane of a second derivative that keeps the curvature, for a first derivative d1 in the tangent plane. */
export function curvatureHeight(j: NeighbourJet, d1: Vec3): number {
  const a = tangentCoordinates(j, d1);
  return dot(bilinear(j, a, a), j.normal);
}
/** The same for the third derivative, given the first two. */
export function flowHeight(j: NeighbourJet, d1: Vec3, d2: Vec3): number {
  const a = tangentCoordinates(j, d1);
  const b = tangentCoordinates(j, sub(d2, bilinear(j, a, a)));
  const [uuu, uuv, uvv, vvv] = [j.partials[12], j.partials[9], j.partials[6], j.partials[3]];
  const third = [0, 1, 2].map(
    (k) => uuu[k] * a[0] ** 3 + 3 * uuv[k] * a[0] * a[0] * a[1] + 3 * uvv[k] * a[0] * a[1] * a[1] + vvv[k] * a[1] ** 3,
  ) as unknown as Vec3;
  return dot(third, j.normal) + 3 * dot(bilinear(j, a, b), j.normal);
}

/** The place of a body's surfaces nearest to a point (their trims are not looked at). */
export function nearestOn(b: Body, p: Vec3): { face: number; u: number; v: number; distance: number } | undefined {
  let best: { face: number; u: number; v: number; distance: number } | undefined;
  b.faces.forEach((f, face) => {
    const { u, v, distance } = closestOnSurface(f.surface, p);
    if (!best || distance < best.distance) best = { face, u, v, distance };
  });
  return best;
}
/** Outward unit normal of a body at the place of its surfaces nearest to a point. */
export function normalNear(b: Body, p: Vec3): Vec3 {
  const best = nearestOn(b, p);
  return best ? faceNormal(b.faces[best.face], best.u, best.v) : [0, 0, 1];
}
