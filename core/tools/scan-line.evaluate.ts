import { distance, type Vec3 } from '../math/index.ts';
import { curveThrough, domain, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, doubled, failure, withinFact } from '../recipe/index.ts';
import { nearestOn } from '../recipe/nearest-on.ts';
import tool from './scan-line.ts';

/** Rounds in which points are put in, most points, and places looked at between two of them. */
const ROUNDS = 8;
const MOST = 160;
const LOOKS = 6;

export default defineEvaluation(tool, (inputs, p) => {
  const nearest = nearestOn(inputs.onto[0].piece);
  if (!nearest) return failure('no-scan', 'Pick a scan, a skin or a solid to draw on');
  if (p.points.length < (p.closed ? 3 : 2)) return failure('too-few', `Click at least ${p.closed ? 'three' : 'two'} points`);
  const twice = doubled(p.points, p.closed);
  if (twice !== undefined)
    return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % p.points.length) + 1} fall together: move or remove one`, [
      p.points[twice],
    ]);
  let points: Vec3[] = p.points.map((q) => nearest(q)?.point ?? q);
  const folded = doubled(points, p.closed);
  if (folded !== undefined)
    return failure('doubled', `Points ${folded + 1} and ${((folded + 1) % points.length) + 1} come to lie on one place: move one`, [
      points[folded],
    ]);
  let best: { curve: NurbsCurve; off: number } | undefined;
  for (let round = 0; round < ROUNDS; round++) {
    const curve = curveThrough(points, { degree: 3, closed: p.closed });
    const spans = farOff(curve, points, p.closed, nearest);
    const off = Math.max(...spans.map((s) => s.off));
    const before = best?.off ?? Infinity;
    if (off < before) best = { curve, off };
    // a line over an edge or a hole gets no nearer by more points
    if (off <= p.tolerance || off > 0.95 * before) break;
    const next: Vec3[] = [];
    points.forEach((q, i) => {
      next.push(q);
      const s = spans[i];
      if (s && s.off > p.tolerance && distance(s.foot, q) > 1e-6 && distance(s.foot, points[(i + 1) % points.length]) > 1e-6)
        next.push(s.foot);
    });
    if (next.length === points.length || next.length > MOST) break;
    points = next;
  }
  const { curve, off } = best as { curve: NurbsCurve; off: number };
  const r = curveResult(curve);
  return { ...r, facts: [...(r.facts ?? []), withinFact('off the scan', off, p.tolerance)] };
});

/** For each span between two points, how far the curve stands off at most, and the place it should go through there. */
function farOff(
  curve: NurbsCurve,
  points: readonly Vec3[],
  closed: boolean,
  nearest: (p: Vec3) => { readonly point: Vec3; readonly distance: number } | undefined,
): { off: number; foot: Vec3 }[] {
  const [a, b] = domain(curve);
  const count = closed ? points.length : points.length - 1;
  const spans = Array.from({ length: count }, (_, i) => ({ off: 0, foot: points[i] }));
  // places by parameter, each counted to the span whose ends it lies between
  const n = LOOKS * points.length;
  for (let i = 0; i <= n; i++) {
    const q = pointAt(curve, a + ((b - a) * i) / n);
    const foot = nearest(q);
    if (!foot) continue;
    let [least, span] = [Infinity, 0];
    for (let k = 0; k < count; k++) {
      const [u, v] = [points[k], points[(k + 1) % points.length]];
      const d = distance(u, q) + distance(v, q) - distance(u, v);
      if (d < least) [least, span] = [d, k];
    }
    if (foot.distance > spans[span].off) spans[span] = { off: foot.distance, foot: foot.point };
  }
  return spans;
}
