import { domain, evaluateSpan, type NurbsCurve, pointAt } from './curve.ts';

export interface Extent {
  readonly min: readonly number[];
  readonly max: readonly number[];
}
/** The last answer for a curve: the same ranges are asked for again and again. */
const kept = new WeakMap<NurbsCurve, { readonly a: number; readonly b: number; readonly extent: Extent }>();
const jet = new Float64Array(16);

/**
 * Least and greatest value of every coordinate of a curve over [a, b], to rounding error. Spans whose control points stay inside what was
 * found already are passed over (convex hull); in the others extremes lie where the derivative changes its sign, found by bisection between
 * 2·degree + 2 places.
 */
export function curveExtent(c: NurbsCurve, a = domain(c)[0], b = domain(c)[1]): Extent {
  const known = kept.get(c);
  if (known && known.a === a && known.b === b) return known.extent;
  const [low, high] = a <= b ? [a, b] : [b, a];
  const { dim, degree, knots, control } = c;
  const min = pointAt(c, low).slice(0, dim) as number[];
  const max = [...min];
  const take = (k: number, x: number) => {
    if (x < min[k]) min[k] = x;
    if (x > max[k]) max[k] = x;
  };
  const takeAt = (t: number) => {
    const p = pointAt(c, t);
    for (let k = 0; k < dim; k++) take(k, p[k]);
  };
  takeAt(high);
  const size = dim + 1;
  const count = control.length / size;
  const spans: { readonly span: number; readonly from: number; readonly to: number }[] = [];
  for (let span = degree; span < count; span++) {
    const [from, to] = [
      Math.max(low, span === degree ? -Infinity : knots[span]),
      Math.min(high, span + 1 === count ? Infinity : knots[span + 1]),
    ];
    if (!(to > from) || knots[span + 1] === knots[span]) continue;
    spans.push({ span, from, to });
    if (to < high) takeAt(to);
  }
  if (degree > 1)
    for (const { span, from, to } of spans) {
      const inside = from >= knots[span] && to <= knots[span + 1];
      for (let k = 0; k < dim; k++) {
        let beyond = !inside;
        for (let i = span - degree; i <= span && !beyond; i++) {
          const w = control[i * size + dim];
          const x = control[i * size + k] / w;
          beyond = !(w > 0) || x < min[k] || x > max[k];
        }
        if (!beyond) continue;
        const slope = (t: number) => {
          evaluateSpan(c, span, t, 1, jet);
          take(k, jet[k]);
          return jet[dim + k];
        };
        const n = 2 * degree + 2;
        let [t0, s0] = [from, slope(from)];
        for (let i = 1; i <= n; i++) {
          const t1 = i === n ? to : from + ((to - from) * i) / n;
          const s1 = slope(t1);
          if (s0 * s1 < 0) {
            let [x, y] = [t0, t1];
            for (let m = (x + y) / 2; m > x && m < y && y - x > 1e-14 * (to - from); m = (x + y) / 2) {
              if (slope(m) * s0 > 0) x = m;
              else y = m;
            }
          }
          [t0, s0] = [t1, s1];
        }
      }
    }
  const extent = { min, max };
  kept.set(c, { a, b, extent });
  return extent;
}
