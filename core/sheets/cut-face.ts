import earcut from 'earcut';
import type { Body } from '../brep/index.ts';
import { planeSection } from '../curves/index.ts';
import { type Frame, insidePolygon, toLocal, toWorld } from '../math/index.ts';
import { arcLength, displayParameters, integralAlong, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { type Flat, loopArea, loopsOf, regionArea, regionsOf } from './region.ts';

/** What a plane cuts of a body: its exact curves, and the material between them. */
export interface CutFace {
  readonly chains: readonly (readonly NurbsCurve[])[];
  /** Polylines of the chains within the chord that was asked, xyz after xyz. */
  readonly lines: readonly Float64Array[];
  /** Triangles of the material, in space. */
  readonly positions: Float64Array;
  readonly indices: Uint32Array;
  /** mm² and mm, both of the curves, not of what is drawn of them. */
  readonly area: number;
  readonly length: number;
  /** Chains that do not close: the body is open there, and nothing is filled. */
  readonly open: number;
}

/** The section of a body by a plane, its curves within 0.0001 mm, drawn within a chord. Material is what an odd number of loops encloses. */
export function cutFace(b: Body, frame: Frame, chord: number): CutFace {
  const { chains } = planeSection(b, frame, 1e-4);
  const lines = chains.map((c) =>
    Float64Array.from(
      c.curves.flatMap((k, i) =>
        displayParameters(k, chord, 0.15)
          .slice(i ? 1 : 0)
          .flatMap((t) => [...pointAt(k, t)]),
      ),
    ),
  );
  const loopOf = lines.map((l, i): Flat[] | undefined => {
    if (!chains[i].closed) return undefined;
    const loop: Flat[] = [];
    for (let k = 0; k + 3 < l.length; k += 3) {
      const q = toLocal(frame, [l[k], l[k + 1], l[k + 2]]);
      loop.push([q[0], q[1]]);
    }
    return loop.length > 2 ? loop : undefined;
  });
  const loops = loopOf.filter((l) => l !== undefined);
  const regions = regionsOf(loops);
  const positions: number[] = [];
  const indices: number[] = [];
  for (const r of regions) {
    const rings = loopsOf(r);
    const base = positions.length / 3;
    const holes: number[] = [];
    let n = 0;
    for (const [i, ring] of rings.entries()) {
      if (i) holes.push(n);
      n += ring.length;
      for (const p of ring) positions.push(...toWorld(frame, p as [number, number]));
    }
    for (const i of earcut(rings.flat(2), holes, 2)) indices.push(base + i);
  }
  return {
    chains: chains.map((c) => c.curves),
    lines,
    positions: Float64Array.from(positions),
    indices: Uint32Array.from(indices),
    area: exactArea(
      loops,
      chains.filter((_, i) => loopOf[i]).map((c) => Math.abs(areaOf(c.curves, frame))),
      regions.reduce((s, r) => s + regionArea(r), 0),
    ),
    length: chains.reduce((s, c) => s + c.curves.reduce((x, k) => x + arcLength(k), 0), 0),
    open: chains.filter((c) => !c.closed).length,
  };
}

/** Area enclosed by curves end to end in a plane, by Green's theorem, to a part in 1e10, mm². */
function areaOf(curves: readonly NurbsCurve[], frame: Frame): number {
  const [x, y] = [frame.x, frame.y].map((a) => (j: Float64Array, at: number) => a[0] * j[at] + a[1] * j[at + 1] + a[2] * j[at + 2]);
  const [x0, y0] = [x(Float64Array.from(frame.origin), 0), y(Float64Array.from(frame.origin), 0)];
  const within = 1e-11 * curves.reduce((s, c) => s + arcLength(c), 0) ** 2;
  return curves.reduce((s, c) => s + integralAlong(c, (j) => ((x(j, 0) - x0) * y(j, 3) - (y(j, 0) - y0) * x(j, 3)) / 2, within), 0);
}
/** Area of the material between loops that do not cross; where they do, that of what is drawn. */
function exactArea(loops: readonly (readonly Flat[])[], exact: readonly number[], drawn: number): number {
  const signs = loops.map((l, i) => {
    const [x, y] = [(l[0][0] + l[1][0]) / 2, (l[0][1] + l[1][1]) / 2];
    return loops.filter((o, k) => k !== i && insidePolygon(o)(x, y)).length % 2 ? -1 : 1;
  });
  const polygons = loops.reduce((s, l, i) => s + signs[i] * Math.abs(loopArea(l)), 0);
  return Math.abs(polygons - drawn) > 1e-4 * Math.max(Math.abs(drawn), 1e-9) ? drawn : exact.reduce((s, a, i) => s + signs[i] * a, 0);
}
