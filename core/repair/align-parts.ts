import { type Body, bodyBox, type Edge, edgeCurve, edgePoint, massProperties, topologyOf, transformBody } from '../brep/index.ts';
import { add, type Box, boxOf, distance, length, solveDense, sub, translation, type Vec3 } from '../math/index.ts';
import { closestOnCurve, derivativesAt, displayParameters, type NurbsCurve, pointAt } from '../nurbs/index.ts';

export interface MovedPart {
  readonly part: number;
  readonly by: Vec3;
  readonly at: Vec3;
  /** Mean distance of its rims from the others', before and after, mm. */
  readonly before: number;
  readonly after: number;
}
interface Line {
  readonly curve: NurbsCurve;
  readonly box: Box;
}
const lineOf = (e: Edge): Line => {
  const curve = edgeCurve(e);
  const points = displayParameters(curve, 0.1).flatMap((t) => [...pointAt(curve, t)]);
  return { curve, box: boxOf(points) };
};
const rimLines = (b: Body): Line[] => topologyOf(b).rims.map((e) => lineOf(b.edges[e]));

/**
 * Parts brought back by what their rims lie beside those of the rest, none further than `reach` (mm): the largest part stays, then that with
 * most rims along what stays, and so on. Each is moved as a whole by the least squares of its gaps, sliding along the rims free
 * (Besl and McKay 1992, with distances to tangents as in Chen and Medioni 1992).
 */
export function alignParts(parts: readonly Body[], reach: number): { parts: Body[]; moved: MovedPart[] } {
  const out = [...parts];
  const moved: MovedPart[] = [];
  const area = parts.map((b) => massProperties(b, undefined, true).area);
  const still = new Set([area.indexOf(Math.max(...area))]);
  const lines = parts.map(rimLines);
  while (still.size < parts.length) {
    const fixed = [...still].flatMap((i) => lines[i]);
    let best: { i: number; pairs: Pair[] } | undefined;
    for (let i = 0; i < parts.length; i++) {
      if (still.has(i)) continue;
      const pairs = pairsOf(out[i], fixed, reach);
      if (!best || pairs.length > best.pairs.length) best = { i, pairs };
    }
    if (!best) break;
    const { i } = best;
    still.add(i);
    const before = meanGap(best.pairs);
    if (best.pairs.length < 3 || before < 1e-6) continue;
    let by: Vec3 = [0, 0, 0];
    let pairs = best.pairs;
    for (let round = 0; round < 6 && pairs.length > 2; round++) {
      const step = stepOf(pairs);
      if (!step) break;
      by = add(by, step);
      pairs = pairsOf(transformBody(parts[i], translation(by)), fixed, reach);
      if (length(step) < 1e-9) break;
    }
    const after = meanGap(pairs);
    // a part that fits no better for it stays where it is
    if (!(length(by) <= reach && pairs.length >= best.pairs.length && after < 0.4 * before)) continue;
    out[i] = transformBody(parts[i], translation(by));
    lines[i] = rimLines(out[i]);
    const box = bodyBox(out[i]);
    moved.push({ part: i, by, at: [0, 1, 2].map((d) => (box.min[d] + box.max[d]) / 2) as unknown as Vec3, before, after });
  }
  return { parts: out, moved };
}
interface Pair {
  readonly gap: Vec3;
  readonly tangent: Vec3;
}
/** Across-gaps from rims of a part to the nearest lines within reach, at places along the rims. */
function pairsOf(b: Body, lines: readonly Line[], reach: number): Pair[] {
  const out: Pair[] = [];
  for (const e of topologyOf(b).rims)
    for (let k = 0; k < 12; k++) {
      const edge = b.edges[e];
      const p = edgePoint(edge, edge.range[0] + ((edge.range[1] - edge.range[0]) * (k + 0.5)) / 12);
      let best: { d: number; gap: Vec3; tangent: Vec3 } | undefined;
      for (const l of lines) {
        if (p.some((x, d) => x < l.box.min[d] - reach - 0.1 || x > l.box.max[d] + reach + 0.1)) continue;
        const foot = closestOnCurve(l.curve, p);
        if (foot.distance > reach || (best && foot.distance >= best.d)) continue;
        best = { d: foot.distance, gap: sub(foot.point, p), tangent: derivativesAt(l.curve, foot.t, 1)[1] };
      }
      if (best) out.push(best);
    }
  return out;
}
const across = (x: Vec3, t: Vec3): Vec3 => {
  const l = t[0] * t[0] + t[1] * t[1] + t[2] * t[2] || 1;
  const s = (x[0] * t[0] + x[1] * t[1] + x[2] * t[2]) / l;
  return [x[0] - s * t[0], x[1] - s * t[1], x[2] - s * t[2]];
};
const meanGap = (pairs: readonly Pair[]) =>
  pairs.length ? pairs.reduce((s, p) => s + distance(across(p.gap, p.tangent), [0, 0, 0]), 0) / pairs.length : 0;
function stepOf(pairs: readonly Pair[]): Vec3 | undefined {
  const A = new Float64Array(9);
  const B = new Float64Array(3);
  for (const { gap, tangent } of pairs) {
    const l = length(tangent) || 1;
    const t = tangent.map((x) => x / l);
    const g = across(gap, tangent);
    for (let i = 0; i < 3; i++) {
      B[i] += g[i];
      for (let j = 0; j < 3; j++) A[3 * i + j] += (i === j ? 1 : 0) - t[i] * t[j];
    }
  }
  for (let i = 0; i < 3; i++) A[4 * i] += 1e-9 * pairs.length;
  return solveDense(A, B, 3, 1) ? [B[0], B[1], B[2]] : undefined;
}
