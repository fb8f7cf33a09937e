import { type Body, bodyBox, edgeCurve, edgePoint, faceNormal, smoothPieces, topologyOf, useUV } from '../brep/index.ts';
import { boxSize, distance, dot, type Frame, scale, signChange, unit, type Vec3 } from '../math/index.ts';
import { arcLength, clipCurve, closestOnCurve, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { type Chain, chainsOf } from './chains.ts';
import { contour, type SkinCurve } from './contour.ts';
import { type Curtain, curtain, curtainField, insideOrOnBorder, outlineField, planeField, skinField } from './fields.ts';

/** Chains on a body's faces, with what was measured of them. */
export interface OnSkin {
  readonly chains: readonly Chain[];
  readonly points: number;
  /** Largest distance of the curves from the exact ones at places that were not fitted, mm. */
  readonly deviation: number;
  /** Stretches of the given curve that have no image: share of its parameter range, and their middle. */
  readonly left?: readonly { readonly share: number; readonly place: Vec3 }[];
}
const DEFAULT = 2e-6;

/** Ends meet within the tolerances of the edges they lie on, never less than a hundred-thousandth of the size. */
export const joinWithin = (b: Body) => Math.max(1e-5 * boxSize(bodyBox(b)), ...b.edges.map((e) => Math.min(2 * e.tolerance, 0.05)));

function report(b: Body, list: readonly SkinCurve[], extra: readonly NurbsCurve[] = []): OnSkin {
  let deviation = 0;
  for (const c of list)
    for (let k = 0; k < 60; k++) {
      const s = (c.length * (k + 0.413)) / 60;
      deviation = Math.max(deviation, distance(c.place(s).point, pointAt(c.curve, s)));
    }
  const curves = [...list.map((c) => c.curve), ...extra];
  return { chains: chainsOf(curves, joinWithin(b)), points: curves.reduce((s, c) => s + c.control.length / 4, 0), deviation };
}

/**
 * Where a plane cuts a body. A plane that runs along a seam, as the middle plane of a mirrored body does, meets both its faces there and
 * neither, as their rounding will have it: such a section, and one with ends that lie on no rim, is compared with those a hair to both sides
 * (0.2 millionths of the body's size, or what its edges are true to), and the whole one is given.
 */
export function planeSection(b: Body, frame: Frame, tolerance = DEFAULT): OnSkin {
  const beside = (by: number): OnSkin => {
    const origin: Vec3 = [0, 1, 2].map((k) => frame.origin[k] + by * frame.z[k]) as unknown as Vec3;
    return report(b, contour(b, planeField(b, by ? { ...frame, origin } : frame), { tolerance }));
  };
  const exact = beside(0);
  const hair = Math.max(2e-7 * boxSize(bodyBox(b)), ...b.edges.map((e) => Math.min(2 * e.tolerance, 1e-4)));
  const loose = looseEnds(b, exact.chains);
  if (!loose && !edgeInPlane(b, frame, hair)) return exact;
  const long = (c: OnSkin) => c.chains.reduce((s, x) => s + x.curves.reduce((y, k) => y + arcLength(k), 0), 0);
  let best = { section: exact, loose, long: long(exact) };
  for (const by of [hair, -hair]) {
    const section = beside(by);
    const other = { section, loose: looseEnds(b, section.chains), long: long(section) };
    if (other.loose < best.loose || (other.loose === best.loose && other.long > best.long * 1.001)) best = other;
  }
  return best.section;
}
/** Ends of open chains that lie on no rim. */
function looseEnds(b: Body, chains: readonly Chain[]): number {
  const open = chains.filter((c) => !c.closed);
  if (!open.length) return 0;
  const near = 2 * joinWithin(b);
  const rims = topologyOf(b).rims.map((e) => edgeCurve(b.edges[e]));
  const ends = open.flatMap(({ curves }) => {
    const [first, last] = [curves[0], curves[curves.length - 1]];
    return [pointAt(first, first.knots[0]), pointAt(last, last.knots[last.knots.length - 1])];
  });
  return ends.filter((p) => !rims.some((r) => closestOnCurve(r, p).distance < near)).length;
}
const edgeInPlane = (b: Body, { origin, z }: Frame, hair: number): boolean =>
  b.edges.some(
    (e) =>
      !e.degenerate &&
      [0, 0.23, 0.5, 0.81, 1].every((x) => {
        const p = edgePoint(e, e.range[0] + (e.range[1] - e.range[0]) * x);
        return Math.abs((p[0] - origin[0]) * z[0] + (p[1] - origin[1]) * z[1] + (p[2] - origin[2]) * z[2]) < hair;
      }),
  );

/**
 * Outline for a direction (the parting line): where smooth faces turn away from it, sharp edges whose two faces look to different sides,
 * and, with `rims`, rims.
 */
export function outline(b: Body, direction: Vec3, options: { rims?: boolean; tolerance?: number } = {}): OnSkin {
  const d = unit(direction);
  const smooth = contour(b, outlineField(b, d), { tolerance: options.tolerance ?? DEFAULT });
  const { uses, seams, rims } = topologyOf(b);
  const edges: NurbsCurve[] = [];
  for (const e of seams) {
    const edge = b.edges[e];
    const [p, q] = uses[e];
    if (p.face === q.face) continue;
    const value = (t: number) => {
      const [na, nb] = [p, q].map((r) => faceNormal(b.faces[r.face], ...useUV(b.faces[r.face], r.use, t)));
      // a smooth seam is never a sharp edge: the faces' own outline crosses it
      return dot(na, nb) > Math.cos(2e-3) ? 1 : dot(na, d) * dot(nb, d);
    };
    const [a, z] = edge.range;
    const n = 64;
    const cuts = [a];
    for (let i = 1; i <= n; i++) {
      const [low, high] = [a + ((z - a) * (i - 1)) / n, a + ((z - a) * i) / n];
      if (value(low) < 0 !== value(high) < 0) cuts.push(signChange(value, low, high));
    }
    cuts.push(z);
    const curve = edgeCurve(edge);
    const [ca, cz] = [curve.knots[0], curve.knots[curve.knots.length - 1]];
    for (let i = 0; i + 1 < cuts.length; i++) {
      if (cuts[i + 1] - cuts[i] < 1e-9 * (z - a) || value((cuts[i] + cuts[i + 1]) / 2) >= 0) continue;
      const whole = cuts[i] === a && cuts[i + 1] === z;
      edges.push(
        whole ? curve : clipCurve(curve, ca + ((cuts[i] - a) / (z - a)) * (cz - ca), ca + ((cuts[i + 1] - a) / (z - a)) * (cz - ca)),
      );
    }
  }
  if (options.rims) for (const e of rims) edges.push(edgeCurve(b.edges[e]));
  return report(b, smooth, edges);
}

export type Side = 'near' | 'far' | 'both';

/**
 * A curve projected onto a body along a direction. Open curves give open chains that end exactly where the curve ends; across several faces
 * the pieces are one chain. `near` and `far` choose by distance from the curve among all hits at the same place of it.
 */
export function projectAlong(
  b: Body,
  curve: NurbsCurve,
  direction: Vec3,
  side: Side,
  options: { faces?: ReadonlySet<number>; tolerance?: number } = {},
): OnSkin {
  const d = unit(direction);
  // corners stay corners: each smooth piece is projected by itself
  const parts = smoothPieces(curve).map((piece) => {
    const c = curtain(piece, d);
    const [a, z] = c.domain;
    const found = contour(b, curtainField(b, c), {
      tolerance: options.tolerance ?? DEFAULT,
      faces: options.faces,
      keep: c.closed
        ? undefined
        : (_, p) => {
            const { t } = c.foot(p);
            return Math.min(t - a, z - t) + 1e-12 * (z - a);
          },
      split: side === 'both' ? undefined : (face, _p, u, v) => dot(faceNormal(b.faces[face], u, v), d),
    });
    return side === 'both' ? found : ranked(found, c, d, side);
  });
  return report(b, parts.flat());
}

/** Of all hits at the same place of the curve those nearest to it, or farthest from it. */
function ranked(pieces: readonly SkinCurve[], c: Curtain, d: Vec3, side: 'near' | 'far'): SkinCurve[] {
  const [a, z] = c.domain;
  const profile = pieces.map((p) =>
    Array.from({ length: 41 }, (_, k) => {
      const { point } = p.place((p.length * (k + 0.5)) / 41);
      const { t } = c.foot(point);
      return { t, height: Math.abs(dot(point, d) - dot(c.point(t), d)) };
    }),
  );
  const beats = (x: { height: number }, own: { height: number }) =>
    side === 'near' ? x.height < own.height - 1e-9 : x.height > own.height + 1e-9;
  return pieces.filter((_, i) => {
    const own = profile[i][20];
    return !profile.some(
      (other, j) =>
        j !== i &&
        other.some(
          (x, k) =>
            k > 0 && (x.t - own.t) * (other[k - 1].t - own.t) <= 0 && Math.abs(x.t - other[k - 1].t) < 0.5 * (z - a) && beats(x, own),
        ),
    );
  });
}

/** Where two bodies cut each other, as curves on the first. */
export function intersection(b: Body, other: Body, tolerance = DEFAULT): OnSkin {
  const list: SkinCurve[] = [];
  other.faces.forEach((f, k) => {
    const field = skinField(b, f.surface);
    const inside = insideOrOnBorder(other, k);
    const trimmed = (p: Vec3) => {
      const foot = field.foot(p);
      return foot.distance < 1e-6 && (inside(foot.u, foot.v) || onBorder(other, k, p)) ? 1 : -1;
    };
    list.push(...contour(b, field, { tolerance, reach: boxSize(bodyBox(other)) / 12, keep: (_, p) => trimmed(p) }));
  });
  return report(b, list);
}
function onBorder(b: Body, face: number, p: Vec3): boolean {
  return b.faces[face].loops.some((l) =>
    l.some((u) => {
      const e = b.edges[u.edge];
      return distance(b.vertices[e.start].point, p) < 1e-7 || distance(b.vertices[e.end].point, p) < 1e-7;
    }),
  );
}

/** Planes at a spacing, and where each cuts the body. */
export function sectionArray(
  b: Body,
  frame: Frame,
  count: number,
  spacing: number,
  tolerance = 1e-5,
): { offset: number; section: OnSkin }[] {
  return Array.from({ length: count }, (_, i) => {
    const offset = i * spacing;
    const o = scale(frame.z, offset);
    return {
      offset,
      section: planeSection(b, { ...frame, origin: [frame.origin[0] + o[0], frame.origin[1] + o[1], frame.origin[2] + o[2]] }, tolerance),
    };
  });
}
