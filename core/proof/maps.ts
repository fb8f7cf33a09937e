import type { Body, BodyMesh, Face } from '../brep/index.ts';
import { jetCurvature, jetNormal } from '../brep/mesh-points.ts';
import type { TriangleMesh } from '../exchange/mesh.ts';
import { cross, DEG, dot, length, negate, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { evaluateSurface, surfaceNormal } from '../nurbs/index.ts';
import type { MapKind } from './map-kinds.ts';
import { probeOf, type SurfaceProbe, TriangleProbe } from './surface-probe.ts';

export interface MapSpec {
  readonly kind: MapKind;
  /** Draft: the direction in which the mould opens. */
  readonly direction?: Vec3;
  /** Distance: what is measured against. */
  readonly to?: { readonly body: Body } | { readonly mesh: TriangleMesh };
}
/** Values at the nodes of a mesh of the body; where there is none (a wall without other side) it is not a number. */
export interface MapValues {
  readonly values: Float64Array;
  /** Draft: places that the mould cannot leave, since the body stands in the way of the pull. */
  readonly undercut?: Uint8Array;
}

/** A place of a body, with its outward normal, its Gaussian and mean curvature, and how far each principal one is off the mean. */
export interface MapPlace {
  readonly p: Vec3;
  readonly n: Vec3;
  readonly gaussian: number;
  readonly mean: number;
  readonly spread: number;
}
export interface MapField {
  readonly value: (at: MapPlace) => number;
  /** Takes so long that it is not asked where both ends of a short side say the same. */
  readonly slow?: boolean;
  /** Is the mould held here? */
  readonly undercut?: (at: MapPlace) => boolean;
}

/** The place of a face at (u, v). At a pole, which has no second derivatives of its own, curvature is that of a place beside it. */
export function mapPlace(f: Face, u: number, v: number): MapPlace {
  const s = f.surface;
  const sign = f.reversed ? -1 : 1;
  const jet = new Float64Array(27);
  evaluateSurface(s, u, v, 2, jet);
  const p: Vec3 = [jet[0], jet[1], jet[2]];
  let n = jetNormal(jet);
  if (n[0] === 0 && n[1] === 0 && n[2] === 0) {
    n = surfaceNormal(s, u, v);
    const [a, b] = [s.knotsU[s.degreeU], s.knotsU[s.countU]];
    const [c, d] = [s.knotsV[s.degreeV], s.knotsV[s.countV]];
    evaluateSurface(s, u + 1e-3 * ((a + b) / 2 - u), v + 1e-3 * ((c + d) / 2 - v), 2, jet);
    const [gaussian, mean, spread] = jetCurvature(jet, jetNormal(jet));
    return { p, n: scale(n, sign), gaussian, mean: sign * mean, spread };
  }
  const [gaussian, mean, spread] = jetCurvature(jet, n);
  return { p, n: scale(n, sign), gaussian, mean: sign * mean, spread };
}

/**
 * A map as a function of places, from the exact surfaces: curvatures from the second derivatives, draft as the angle between the surface and
 * the pull (90 degrees less that of the normal), walls by rays and by the largest ball that touches the place from inside (shrinking ball:
 * Ma, Bae and Choi 2012), distances to the nearest place, positive outside.
 */
export function mapField(body: Body, spec: MapSpec): MapField {
  switch (spec.kind) {
    case 'gaussian':
      return { value: (x) => x.gaussian };
    case 'mean':
      return { value: (x) => x.mean };
    case 'largest':
      return { value: (x) => x.mean + x.spread };
    case 'smallest':
      return { value: (x) => x.mean - x.spread };
    case 'radius':
      return { value: (x) => 1 / (Math.abs(x.mean) + x.spread) };
    case 'draft': {
      const d = unit(spec.direction ?? [0, 0, 1]);
      const probe = probeOf(body);
      return {
        value: ({ n }) => Math.asin(Math.min(1, Math.max(-1, dot(n, d)))) / DEG,
        undercut: ({ p, n }) => {
          const lean = dot(n, d);
          // along the pull nothing stands in the way of a wall that is parallel to it but itself
          return Math.abs(lean) >= 1e-6 && !!probe.first(p, lean > 0 ? d : negate(d), 1e-5 * probe.size);
        },
      };
    }
    case 'ray': {
      const probe = probeOf(body);
      return { slow: true, value: ({ p, n }) => wallAlong(probe, p, n) ?? Number.NaN };
    }
    case 'ball': {
      const probe = probeOf(body);
      return { slow: true, value: ({ p, n }) => ballWall(probe, p, n) ?? Number.NaN };
    }
    case 'distance': {
      const away = spec.to && ('body' in spec.to ? distanceToBody(spec.to.body) : distanceToMesh(spec.to.mesh));
      return { value: ({ p }) => away?.(p) ?? Number.NaN };
    }
  }
}

/** The values of a map at the nodes of a mesh of the body. */
export function mapValues(body: Body, mesh: BodyMesh, spec: MapSpec): MapValues {
  const field = mapField(body, spec);
  const n = mesh.positions.length / 3;
  const values = new Float64Array(n);
  const undercut = field.undercut && new Uint8Array(n);
  body.faces.forEach((f, i) => {
    const [first, count] = [mesh.faceRanges[2 * i], mesh.faceRanges[2 * i + 1]];
    for (const node of new Set(mesh.indices.subarray(first, first + count))) {
      const at = mapPlace(f, mesh.uv[2 * node], mesh.uv[2 * node + 1]);
      values[node] = field.value(at);
      if (undercut && field.undercut?.(at)) undercut[node] = 1;
    }
  });
  return { values, undercut };
}

/** How far beside a place its own surface still counts as the place itself. */
const ITSELF = 1e-6;
/** Way through the body from a place against its normal to the next surface, mm. */
export function wallAlong(probe: SurfaceProbe, p: Vec3, n: Vec3): number | undefined {
  return probe.first(p, negate(n), ITSELF * probe.size)?.distance;
}
/** Diameter of the largest ball inside the body that touches it at p: it shrinks until nothing of the body is within it. */
export function ballWall(probe: SurfaceProbe, p: Vec3, n: Vec3): number | undefined {
  const opposite = wallAlong(probe, p, n);
  if (opposite === undefined) return undefined;
  // first among triangles, which are quick and off by a chord at most; then on the surfaces, from a little above
  let r = opposite / 2;
  for (let k = 0; k < 60; k++) {
    const q = probe.triangles.nearest(sub(p, scale(n, r)), r - 3 * probe.chord);
    const way = q && sub(q.point, p);
    if (!way || length(way) < 20 * probe.chord) break;
    const next = -dot(way, way) / (2 * dot(way, n)) + 3 * probe.chord;
    if (!(next > 0) || next >= r) break;
    r = next;
  }
  for (let k = 0; k < 60; k++) {
    const centre = sub(p, scale(n, r));
    const q = probe.nearest(centre, r * (1 - 1e-10));
    if (!q) break;
    const way = sub(q.point, p);
    const l = length(way);
    // the place itself, or so near to it that only its own bend can be meant
    if (l < 1e-5 * r || q.distance >= r * (1 - 1e-9)) break;
    const next = -(l * l) / (2 * dot(way, n));
    if (!(next > 0) || next >= r) break;
    r = next;
  }
  return 2 * r;
}

/** Signed distance to a body: positive on its outside, to both sides of an open skin by its normal. */
export function distanceToBody(b: Body): (p: Vec3) => number {
  const probe = probeOf(b);
  const meshSign = signBy(probe.triangles, probe.mesh.shared);
  return (p) => {
    const h = probe.nearest(p);
    if (!h) return Number.NaN;
    const away = sub(p, h.point);
    const l = length(away);
    if (l < 1e-12) return 0;
    const lean = dot(away, probe.normal(h)) / l;
    // off a surface the way stands on it; at an edge or corner what meets there decides
    const sign = Math.abs(lean) > 0.999 ? Math.sign(lean) : meshSign(p);
    return sign * h.distance;
  };
}
/** Signed distance to triangles: positive where their outside is. */
export function distanceToMesh(m: TriangleMesh): (p: Vec3) => number {
  const probe = new TriangleProbe(m.positions, m.indices);
  const sign = signBy(probe);
  return (p) => {
    const foot = probe.nearest(p);
    return foot ? sign(p) * foot.distance : Number.NaN;
  };
}
/** The side of triangles a place is on, by the pseudonormal of the corner, edge or triangle its foot lies on (Bærentzen and Aanæs 2005). */
function signBy(probe: TriangleProbe, shared?: Uint32Array): (p: Vec3) => 1 | -1 {
  const { indices } = probe;
  const node = (t: number, k: number): number => (shared ? shared[indices[3 * t + k]] : indices[3 * t + k]);
  const corners = new Map<number, [number, number, number]>();
  const edges = new Map<string, [number, number, number]>();
  const add = <K>(map: Map<K, [number, number, number]>, key: K, n: Vec3, by: number) => {
    const v = map.get(key) ?? [0, 0, 0];
    for (let k = 0; k < 3; k++) v[k] += by * n[k];
    map.set(key, v);
  };
  const edgeKey = (a: number, b: number) => (a < b ? `${a},${b}` : `${b},${a}`);
  const flat: Vec3[] = [];
  for (let t = 0; t < indices.length / 3; t++) {
    const c = [0, 1, 2].map((k) => probe.corner(t, k));
    const raw = cross(sub(c[1], c[0]), sub(c[2], c[0]));
    const n = length(raw) > 0 ? unit(raw) : raw;
    flat.push(n);
    for (let k = 0; k < 3; k++) {
      const [u, v] = [sub(c[(k + 1) % 3], c[k]), sub(c[(k + 2) % 3], c[k])];
      const l = length(u) * length(v);
      add(corners, node(t, k), n, l > 0 ? Math.acos(Math.min(1, Math.max(-1, dot(u, v) / l))) : 0);
      add(edges, edgeKey(node(t, k), node(t, (k + 1) % 3)), n, 1);
    }
  }
  return (p) => {
    const foot = probe.nearest(p);
    if (!foot) return 1;
    const w = foot.weights;
    const live = [0, 1, 2].filter((k) => w[k] > 1e-9);
    const t = foot.triangle;
    const n =
      live.length === 1
        ? (corners.get(node(t, live[0])) as Vec3)
        : live.length === 2
          ? (edges.get(edgeKey(node(t, live[0]), node(t, live[1]))) as Vec3)
          : flat[t];
    return dot(sub(p, foot.point), n) < 0 ? -1 : 1;
  };
}

/** The range in which all but a share of the values lie, and the extremes with their nodes. */
export function rangeOf(values: ArrayLike<number>, share = 0): { low: number; high: number; least: number; most: number } | undefined {
  const order: number[] = [];
  for (let i = 0; i < values.length; i++) if (Number.isFinite(values[i])) order.push(i);
  if (!order.length) return undefined;
  order.sort((a, b) => values[a] - values[b]);
  const cut = Math.min(order.length - 1, Math.floor((share / 2) * order.length));
  const [low, high] = [values[order[cut]], values[order[order.length - 1 - cut]]];
  return { low: Math.min(low, high), high: Math.max(low, high), least: order[0], most: order[order.length - 1] };
}
/** A third of the area of the triangles round each node, mm²: how much of the surface a node speaks for. */
export function nodeAreas(mesh: Pick<BodyMesh, 'positions' | 'indices'>): Float64Array {
  const out = new Float64Array(mesh.positions.length / 3);
  const corner = (i: number): Vec3 => [mesh.positions[3 * i], mesh.positions[3 * i + 1], mesh.positions[3 * i + 2]];
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const [a, b, c] = [mesh.indices[t], mesh.indices[t + 1], mesh.indices[t + 2]];
    const area = length(cross(sub(corner(b), corner(a)), sub(corner(c), corner(a)))) / 6;
    for (const i of [a, b, c]) out[i] += area;
  }
  return out;
}
