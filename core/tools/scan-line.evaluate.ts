import { distance, type Vec3 } from '../math/index.ts';
import { curveThrough, domain, pointAt } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, doubled, failure, withinFact } from '../recipe/index.ts';
import { nearestOn } from '../recipe/nearest-on.ts';
import tool from './scan-line.ts';

/** Most points that are put between the clicked ones to keep the curve to the scan, and places looked at between two of them. */
const MOST = 400;
const LOOKS = 8;

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
  for (;;) {
    const curve = curveThrough(points, { degree: 3, closed: p.closed });
    const [a, b] = domain(curve);
    const n = LOOKS * points.length;
    let off = 0;
    let at: Vec3 = points[0];
    let onto: Vec3 = points[0];
    for (let i = 0; i <= n; i++) {
      const q = pointAt(curve, a + ((b - a) * i) / n);
      const foot = nearest(q);
      if (foot && foot.distance > off) [off, at, onto] = [foot.distance, q, foot.point];
    }
    if (off <= p.tolerance || points.length >= MOST) {
      const r = curveResult(curve);
      return { ...r, facts: [...(r.facts ?? []), withinFact('off the scan', off, p.tolerance)] };
    }
    // one point more where it is farthest off, between the two it lies between
    let [best, where] = [Infinity, 1];
    const count = p.closed ? points.length : points.length - 1;
    for (let i = 0; i < count; i++) {
      const [u, v] = [points[i], points[(i + 1) % points.length]];
      const d = distance(u, at) + distance(v, at) - distance(u, v);
      if (d < best) [best, where] = [d, i + 1];
    }
    if (points.some((q) => distance(q, onto) < 1e-6)) {
      const r = curveResult(curve);
      return { ...r, facts: [...(r.facts ?? []), withinFact('off the scan', off, p.tolerance)] };
    }
    points = [...points.slice(0, where), onto, ...points.slice(where)];
  }
});
