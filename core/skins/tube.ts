import { type Body, BodyBuilder, flipBody, joinEqualEdges, orderChain, rimChains, surfaceBody } from '../brep/index.ts';
import { add, cross, distance, dot, type Frame, frameFromNormal, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  circleCurve,
  derivativesAt,
  domain,
  endPoint,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  revolvedSurface,
  startPoint,
} from '../nurbs/index.ts';
import { type SweepOptions, type SweepOutcome, type SweepResult, sweep } from './sweep.ts';

export interface TubeOptions {
  readonly radius: number;
  readonly size?: (share: number) => number;
  /** Wall inwards (mm); none for a rod or a plain skin. */
  readonly wall?: number;
  readonly make: 'skin' | 'rod' | 'pipe';
  readonly ends: 'flat' | 'round';
  readonly corner: SweepOptions['corner'];
  readonly tolerance: number;
}
export type TubeOutcome =
  | {
      readonly ok: true;
      readonly body: Body;
      readonly outer: SweepResult;
      readonly inner?: SweepResult;
      readonly surfaces: readonly NurbsSurface[];
    }
  | Extract<SweepOutcome, { ok: false }>;

/** A round tube about a chain of curves (mm). */
export function tube(path: readonly NurbsCurve[], o: TubeOptions, prefix: string): TubeOutcome {
  const first = path[0];
  const [p, d] = derivativesAt(first, domain(first)[0], 1);
  const frame = frameFromNormal(p, unit(d));
  const run = (radius: (share: number) => number, name: string) => {
    const constant = !o.size;
    return sweep(
      [[circleCurve(frame, constant ? radius(0) : 1)]],
      path,
      {
        tolerance: o.tolerance,
        carry: { kind: 'least' },
        place: 'drawn',
        corner: o.corner,
        normalEnds: false,
        cap: false,
        size: constant ? undefined : radius,
      },
      name,
    );
  };
  const radiusAt = (share: number) => o.radius * (o.size?.(share) ?? 1);
  const outer = run(radiusAt, prefix);
  if (!outer.ok) return outer;
  const surfaces = [...outer.result.surfaces];
  if (o.make === 'skin') return { ok: true, body: outer.result.body, outer: outer.result, surfaces };
  let inner: SweepResult | undefined;
  if (o.make === 'pipe') {
    const wall = o.wall ?? 0;
    for (let i = 0; i <= 50; i++)
      if (radiusAt(i / 50) - wall < 1e-6)
        return {
          ok: false,
          code: 'wall',
          message: `A wall of ${wall} mm leaves no room inside: the tube is ${Number((2 * radiusAt(i / 50)).toPrecision(4))} mm wide at ${2 * i} % of its length`,
        };
    const r = run((s) => radiusAt(s) - wall, `${prefix}.inner`);
    if (!r.ok) return r;
    inner = r.result;
    surfaces.push(...r.result.surfaces);
  }
  const bodies = [outer.result.body, ...(inner ? [flipBody(inner.body)] : [])];
  if (outer.result.closed) return { ok: true, body: merged(bodies), outer: outer.result, inner, surfaces };
  const builder = new BodyBuilder(2e-6);
  const bases = bodies.map((b) => addBody(builder, b));
  const legs = outer.result.path;
  const tips = [
    { at: startPoint(legs[0]), out: scale(derivativesAt(legs[0], domain(legs[0])[0], 1)[1], -1), name: 'start', r: radiusAt(0) },
    {
      at: endPoint(legs[legs.length - 1]),
      out: derivativesAt(legs[legs.length - 1], domain(legs[legs.length - 1])[1], 1)[1],
      name: 'end',
      r: radiusAt(1),
    },
  ];
  const rims = bodies.map((b, k) => rimChains(b).map((list) => list.map((e) => e + bases[k].edge)));
  for (const tip of tips) {
    const z = unit(tip.out);
    const near = rims.map((chains) =>
      chains.reduce((best, c) => (rimDistance(builder, c, tip.at) < rimDistance(builder, best, tip.at) ? c : best)),
    );
    if (o.ends === 'flat') {
      const loops = near.map((c) => orderChain(c, builder.edges) ?? c.map((edge) => ({ edge, reversed: false })));
      const x = unit(sub(builder.vertices[builder.edges[loops[0][0].edge].start].point, tip.at));
      builder.flatFace({ origin: tip.at, x, y: cross(z, x), z }, loops, `${prefix}:cap-${tip.name}`);
      continue;
    }
    near.forEach((chain, k) => {
      const radius = k === 0 ? tip.r : tip.r - (o.wall ?? 0);
      const own = k === 0 ? prefix : `${prefix}.inner`;
      // a quarter circle from the rim to the tip, turned about the path, starting where the rim starts
      const seam = builder.vertices[builder.edges[chain[0]].start].point;
      const x = unit(sub(seam, add(tip.at, scale(z, dot(sub(seam, tip.at), z)))));
      const quarter: Frame = { origin: tip.at, x, y: z, z: cross(x, z) };
      // turned as the sections are, so that the rim runs the same way
      const axis = tip.name === 'start' ? scale(z, -1) : z;
      const s = revolvedSurface(circleCurve(quarter, radius, 0, Math.PI / 2), tip.at, axis, 0, 2 * Math.PI);
      surfaces.push(s);
      const cap = surfaceBody(s, { prefix: `${own}.${tip.name}`, face: () => `${own}:cap-${tip.name}` }).body;
      addBody(builder, cap);
    });
  }
  return { ok: true, body: joinEqualEdges(builder).body, outer: outer.result, inner, surfaces };
}
const rimDistance = (k: BodyBuilder, chain: readonly number[], p: Vec3): number =>
  distance(pointAt(k.edges[chain[0]].curve, k.edges[chain[0]].range[0]), p);
/** Copies a body into a builder; vertices that meet become one. */
function addBody(k: BodyBuilder, b: Body): { edge: number } {
  const vertex = b.vertices.map((v) => k.vertex(v.point));
  const edge = k.edges.length;
  k.edges.push(...b.edges.map((e) => ({ ...e, start: vertex[e.start], end: vertex[e.end] })));
  k.faces.push(...b.faces.map((f) => ({ ...f, loops: f.loops.map((l) => l.map((u) => ({ ...u, edge: u.edge + edge }))) })));
  return { edge };
}
function merged(list: readonly Body[]): Body {
  const k = new BodyBuilder(2e-6);
  for (const b of list) addBody(k, b);
  return k.body();
}
