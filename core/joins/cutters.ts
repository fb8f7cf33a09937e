import {
  type Body,
  BodyBuilder,
  bodyBox,
  combineBodies,
  type Edge,
  type EdgeUse,
  type Face,
  massProperties,
  planeRecordOf,
  subBody,
  surfaceBody,
  topologyOf,
  useUV,
} from '../brep/index.ts';
import { add, boxCentre, boxSize, distance, type Frame, scale, translation, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  domain,
  domainU,
  domainV,
  type Extension,
  evaluateSurface,
  extendCurve,
  extrudedSurface,
  fitFunction,
  growSurface,
  isClosed,
  isClosedU,
  isClosedV,
  joinCurves,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  planeOf,
  planeSurface,
  pointAt,
  ruledSurface,
  surfaceNormal,
  transformCurve,
} from '../nurbs/index.ts';

/** A flat cutter that reaches past everything in `target`. */
export function planeCutter(frame: Frame, target: Body): Body {
  const box = bodyBox(target);
  const c = boxCentre(box);
  const r = boxSize(box) + 1;
  const d = [c[0] - frame.origin[0], c[1] - frame.origin[1], c[2] - frame.origin[2]] as Vec3;
  const x = d[0] * frame.x[0] + d[1] * frame.x[1] + d[2] * frame.x[2];
  const y = d[0] * frame.y[0] + d[1] * frame.y[1] + d[2] * frame.y[2];
  const b = surfaceBody(planeSurface(frame, x - r, x + r, y - r, y + r), { prefix: 'plane', face: () => 'plane' }, new BodyBuilder()).body;
  return { ...b, faces: b.faces.map((f) => ({ ...f, record: planeRecordOf(frame) })) };
}

/** Curves swept along a direction, both ways, past everything in `target`. */
export function curtainCutter(curves: readonly NurbsCurve[], direction: Vec3, target: Body): Body {
  const box = bodyBox(target);
  const joined = joinCurves(curves);
  const reach = boxSize(box) + distance(boxCentre(box), pointAt(joined, domain(joined)[0])) + 1;
  const start = transformCurve(joined, translation(scale(direction, -reach)));
  return surfaceBody(extrudedSurface(start, scale(direction, 2 * reach)), { prefix: 'curtain', face: (i, j) => `curtain.${i}.${j}` }).body;
}

/** A strip through the curve along the normals of the nearest face of `target`, `reach` mm to both sides. */
export function normalCutter(curves: readonly NurbsCurve[], target: Body, reach: number, tolerance: number): Body {
  const c = joinCurves(curves);
  const [a, b] = domain(c);
  const fit = fitFunction(
    (t, out) => {
      const p = pointAt(c, t);
      let best = { distance: Infinity, normal: [0, 0, 1] as Vec3 };
      for (const f of target.faces) {
        const foot = closestOnSurface(f.surface, p);
        if (foot.distance < best.distance) best = { distance: foot.distance, normal: surfaceNormal(f.surface, foot.u, foot.v) };
      }
      out.set(add(p, scale(best.normal, -reach)));
      out.set(add(p, scale(best.normal, reach)), 3);
    },
    a,
    b,
    6,
    3,
    tolerance,
    [],
    200,
  );
  const rows = fit.data.length / 6;
  const low = makeCurve(
    3,
    Array.from({ length: rows }, (_, i) => Array.from(fit.data.subarray(i * 6, i * 6 + 3))),
    fit.knots,
  );
  const high = makeCurve(
    3,
    Array.from({ length: rows }, (_, i) => Array.from(fit.data.subarray(i * 6 + 3, i * 6 + 6))),
    fit.knots,
  );
  return surfaceBody(ruledSurface(low, high), { prefix: 'strip', face: (i, j) => `strip.${i}.${j}` }).body;
}

/** What a cutter is asked for: along which direction curves cut, and how far shapes that end too early are carried on (mm). */
export interface CutterOptions {
  readonly direction: 'plane' | 'upright' | 'normal' | 'x' | 'y' | 'z';
  /** Normal of the work plane the curve was drawn on. */
  readonly upright?: Vec3;
  readonly tolerance: number;
  readonly extend?: { readonly by: number; readonly how: Extension };
}
/** Cutter body out of curves, or the reason why there is none. */
export function curveCutter(given: readonly NurbsCurve[], target: Body, o: CutterOptions): Body | string {
  let curves = given;
  if (o.extend) {
    const joined = joinCurves(given);
    const longer = isClosed(joined, o.tolerance) ? joined : extendCurve(joined, o.extend.by, o.extend.by, o.extend.how);
    if (longer) curves = [longer];
  }
  if (o.direction === 'normal')
    return normalCutter(curves, target, 0.05 * Math.sqrt(massProperties(target, undefined, true).area), o.tolerance * 0.02);
  if (o.direction === 'upright')
    return o.upright ? curtainCutter(curves, o.upright, target) : 'it was not drawn on a work plane: choose another direction';
  if (o.direction !== 'plane')
    return curtainCutter(curves, o.direction === 'x' ? [1, 0, 0] : o.direction === 'y' ? [0, 1, 0] : [0, 0, 1], target);
  const plane = planeOf(given);
  if (!plane) return 'a straight line lies in many planes, so it has no cutting direction of its own: choose one';
  if (plane.deviation > 1e-4) return 'the curve is not flat, so it has no cutting direction of its own: choose a direction';
  return curtainCutter(curves, plane.frame.z, target);
}

/**
 * A skin carried on beyond its rims by about `by` mm. Faces are grown on the natural sides of their surfaces that are open; a single
 * trimmed face is first taken whole. The faces are not joined: enough for cutting.
 */
export function extendSkin(b: Body, by: number, how: Extension): Body | undefined {
  const { uses } = topologyOf(b);
  const grown: Body[] = [];
  let changed = false;
  // as long as only trimmed rims were carried on, the faces stay joined to each other
  let sewn = b;
  let sewable = true;
  b.faces.forEach((f, i) => {
    const [u0, u1] = domainU(f.surface);
    const [v0, v1] = domainV(f.surface);
    const open = [false, false, false, false];
    let trimmed = false;
    for (const use of f.loops.flat()) {
      if (uses[use.edge].length !== 1 || b.edges[use.edge].degenerate) continue;
      const [a, z] = b.edges[use.edge].range;
      const at = [0.2, 0.5, 0.8].map((k) => useUV(f, use, a + (z - a) * k));
      const side = [0, 1, 2, 3].find((k) =>
        at.every((p) => Math.abs(p[k >> 1] - [u0, u1, v0, v1][k]) < 1e-7 * (k < 2 ? u1 - u0 : v1 - v0)),
      );
      if (side === undefined) trimmed = true;
      else open[side] = true;
    }
    // a face that is trimmed all round goes on beyond its trims; holes that other faces fill stay
    const isRim = (e: number) => uses[e].length === 1 && !b.edges[e].degenerate;
    const filled = f.loops.map((l) => !l.some((use) => isRim(use.edge)));
    const allRim = (l: Face['loops'][number]) =>
      l.every(({ edge }) => isRim(edge) || b.edges[edge].degenerate || uses[edge].every((x) => x.face === i));
    const holes = b.faces.length > 1 && trimmed && filled.some(Boolean) && f.loops.every((l, k) => filled[k] || allRim(l));
    const ring = b.faces.length > 1 && trimmed && !holes ? openRing(b, i, isRim) : undefined;
    const whole = (b.faces.length === 1 && trimmed) || holes || !!ring;
    if (f.turnU || f.turnV || (!whole && !open.some(Boolean))) return void grown.push(subBody(b, [i]));
    const around = [isClosedU(f.surface, 1e-6), isClosedV(f.surface, 1e-6)];
    const amounts = [0, 1, 2, 3].map((k) =>
      (ring ? k === ring.side : whole || open[k]) && !around[k >> 1] ? by / speedAt(f.surface, k as 0 | 1 | 2 | 3) : 0,
    ) as [number, number, number, number];
    const s = growSurface(f.surface, amounts, how);
    if (!s) return void grown.push(subBody(b, [i]));
    changed = true;
    const r = surfaceBody(s, { prefix: f.name, face: (m, n, across, along) => (across * along > 1 ? `${f.name}.${m}.${n}` : f.name) }).body;
    const record = f.record?.type === 1 ? f.record : undefined;
    const joined = ring && r.faces.length === 1 ? withRing(sewn, i, r, ring, record) : undefined;
    if (joined) {
      sewn = joined;
      return void grown.push(subBody(sewn, [i]));
    }
    if (holes && r.faces.length === 1) {
      sewn = withHoles(sewn, i, r, filled, record);
      return void grown.push(subBody(sewn, [i]));
    }
    sewable = false;
    grown.push({ ...r, faces: r.faces.map((x) => ({ ...x, reversed: f.reversed, record })) });
  });
  if (changed && sewable) return sewn;
  return changed ? combineBodies(grown) : undefined;
}

interface Ring {
  readonly loop: number;
  /** The side of the surface on which the rim lies: start and end of u, start and end of v. */
  readonly side: 0 | 1 | 2 | 3;
  /** The parameter that runs along the seam: 0 for u, 1 for v. */
  readonly way: 0 | 1;
  /** Uses of the loop between the two of the seam that other faces share, in running order. */
  readonly shared: readonly EdgeUse[];
  /** Parameter along the seam at which those begin. */
  readonly at: number;
}
/** A face that closes on itself one way, open along one closed trimmed edge and joined to others along the opposite end of its seam. */
function openRing(b: Body, i: number, isRim: (e: number) => boolean): Ring | undefined {
  const f = b.faces[i];
  const round = [isClosedU(f.surface, 1e-6), isClosedV(f.surface, 1e-6)];
  if (round[0] === round[1] || f.turnU || f.turnV) return undefined;
  const way = round[0] ? 1 : 0;
  const loop = f.loops.findIndex((l) => l.some((u) => isRim(u.edge)));
  const list = f.loops[loop];
  const rims = list.filter((u) => isRim(u.edge));
  const isSeam = (u: EdgeUse) => list.filter((x) => x.edge === u.edge).length === 2;
  if (rims.length !== 1 || list.filter(isSeam).length !== 2) return undefined;
  const at = list.indexOf(rims[0]);
  const turned = [...list.slice(at), ...list.slice(0, at)];
  if (turned.length < 4 || !isSeam(turned[1]) || !isSeam(turned[turned.length - 1])) return undefined;
  const v = (u: EdgeUse, k: number) => {
    const [a, z] = b.edges[u.edge].range;
    return useUV(f, u, a + (z - a) * k)[way];
  };
  const shared = turned.slice(2, -1);
  const far = v(shared[0], shared[0].reversed ? 1 : 0);
  return { loop, side: (2 * way + (v(rims[0], 0.5) < far ? 0 : 1)) as Ring['side'], way, shared, at: far };
}
/** The face on a grown surface: its natural border where the rim was, its seam as long, and what other faces share as before. */
function withRing(b: Body, i: number, grown: Body, ring: Ring, record: Face['record']): Body | undefined {
  const both = combineBodies([b, grown]);
  const own = both.faces[b.faces.length];
  const before = both.faces[i];
  const [list] = own.loops;
  const [v0, v1] = ring.way ? domainV(own.surface) : domainU(own.surface);
  const middle = (u: EdgeUse) => {
    const [a, z] = both.edges[u.edge].range;
    return useUV(own, u, (a + z) / 2)[ring.way];
  };
  const atStart = ring.side % 2 === 0;
  const end = atStart ? v0 : v1;
  const first = list.findIndex((u) => Math.abs(middle(u) - end) < 1e-9 * (v1 - v0));
  if (list.length !== 4 || first < 0) return undefined;
  const [border, one, , two] = [0, 1, 2, 3].map((k) => list[(first + k) % 4]);
  if (one.edge !== two.edge) return undefined;
  // the seam ends where the shared edges begin; its parameter is the surface's
  const seam = both.edges[one.edge];
  const tip = ring.shared[0].reversed ? both.edges[ring.shared[0].edge].end : both.edges[ring.shared[0].edge].start;
  const up = useUV(own, one, seam.range[1])[ring.way] > useUV(own, one, seam.range[0])[ring.way];
  if (!up || Math.abs(seam.range[0] - v0) > 1e-9 * (v1 - v0)) return undefined;
  const cut: Edge = atStart
    ? { ...seam, range: [seam.range[0], ring.at], end: tip }
    : { ...seam, range: [ring.at, seam.range[1]], start: tip };
  const loops = before.loops.map((l, k) => (k === ring.loop ? [border, one, ...ring.shared, two] : l));
  const face = { ...own, name: before.name, loops, reversed: before.reversed, record };
  return subBody(
    {
      ...both,
      edges: both.edges.map((e, k) => (k === one.edge ? cut : e)),
      faces: both.faces.map((x, k) => (k === i ? face : x)),
    },
    b.faces.map((_, k) => k),
  );
}
/** A body whose face `i` lies on a grown surface up to its natural border, with those of its old loops that stay as holes. */
function withHoles(b: Body, i: number, grown: Body, stays: readonly boolean[], record: Face['record']): Body {
  const both = combineBodies([b, grown]);
  const own = both.faces[b.faces.length];
  const before = both.faces[i];
  const loops = [...own.loops, ...before.loops.filter((_, k) => stays[k])];
  const faces = both.faces.map((x, k) => (k === i ? { ...own, name: before.name, loops, reversed: before.reversed, record } : x));
  return subBody(
    { ...both, faces },
    b.faces.map((_, k) => k),
  );
}
/** Mean speed across a side of a surface: mm per parameter. Sides: u start, u end, v start, v end. */
function speedAt(s: NurbsSurface, side: 0 | 1 | 2 | 3): number {
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  const jet = new Float64Array(12);
  let sum = 0;
  for (let i = 0; i <= 4; i++) {
    const u = side === 0 ? u0 : side === 1 ? u1 : u0 + ((u1 - u0) * i) / 4;
    const v = side === 2 ? v0 : side === 3 ? v1 : v0 + ((v1 - v0) * i) / 4;
    evaluateSurface(s, u, v, 1, jet);
    const o = side < 2 ? 6 : 3;
    sum += Math.hypot(jet[o], jet[o + 1], jet[o + 2]) / 5;
  }
  return sum || 1;
}
