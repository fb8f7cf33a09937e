import { type Body, edgeCurve, edgePoint, massProperties, rimChains, topologyOf } from '../brep/index.ts';
import { type Box, boxOf, type Vec3 } from '../math/index.ts';
import { arcLength, closestOnCurve, displayParameters, type NurbsCurve, pointAt } from '../nurbs/index.ts';

export interface BesideRims {
  /** Rims that lie on others all along, within the tolerance, and are not joined to them. */
  readonly touching: readonly number[];
  /** Rims that run beside another one: how far at most (mm), and where. */
  readonly gaps: readonly { readonly edge: number; readonly gap: number; readonly at: Vec3 }[];
  /** Openings that are small beside the skin: something is missing there. */
  readonly openings: readonly { readonly edges: readonly number[]; readonly length: number; readonly at: Vec3 }[];
}
/** More rims than this are not compared with each other. */
const MOST = 1500;

/** What rims of a skin tell of faults: those that lie on others, those that run beside others within `reach` (mm), and small openings. */
export function lookAtRims(b: Body, tolerance: number, reach: number): BesideRims {
  const { rims } = topologyOf(b);
  if (rims.length < 2 || rims.length > MOST) return { touching: [], gaps: [], openings: [] };
  const lines = new Map<number, { curve: NurbsCurve; box: Box }>();
  for (const e of rims) {
    const curve = edgeCurve(b.edges[e]);
    lines.set(e, { curve, box: boxOf(displayParameters(curve, 0.1).flatMap((t) => [...pointAt(curve, t)])) });
  }
  const touching: number[] = [];
  const gaps: { edge: number; gap: number; at: Vec3 }[] = [];
  const told = new Set<number>();
  for (const e of rims) {
    let most = { gap: 0, at: [0, 0, 0] as Vec3 };
    const mates = new Set<number>();
    for (let k = 0; k < 7 && most.gap <= reach; k++) {
      const x = b.edges[e];
      const p = edgePoint(x, x.range[0] + ((x.range[1] - x.range[0]) * (k + 0.5)) / 7);
      let near = { d: Number.POSITIVE_INFINITY, mate: -1 };
      for (const [g, l] of lines) {
        if (g === e || p.some((v, d) => v < l.box.min[d] - reach - 0.1 || v > l.box.max[d] + reach + 0.1)) continue;
        const d = closestOnCurve(l.curve, p).distance;
        if (d < near.d) near = { d, mate: g };
      }
      mates.add(near.mate);
      if (near.d > most.gap) most = { gap: near.d, at: p };
    }
    if (most.gap <= tolerance) touching.push(e);
    else if (most.gap <= reach && ![...mates].some((m) => told.has(m))) {
      gaps.push({ edge: e, ...most });
      told.add(e);
    }
  }
  const openings: { edges: number[]; length: number; at: Vec3 }[] = [];
  if (!touching.length && !gaps.length && b.faces.length > 3) {
    const { area } = massProperties(b, undefined, true);
    for (const chain of rimChains(b)) {
      const length = chain.reduce((s, e) => s + arcLength(edgeCurve(b.edges[e])), 0);
      const e = b.edges[chain[0]];
      // the largest area that a loop of this length can bound
      if (length ** 2 / (4 * Math.PI) < 0.25 * area)
        openings.push({ edges: chain, length, at: edgePoint(e, (e.range[0] + e.range[1]) / 2) });
    }
  }
  return { touching, gaps, openings };
}
