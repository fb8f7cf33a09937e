/**
 * Turn maps. Analytic faces and circular edges are parameterised by angle, their exact NURBS by a rational parameter whose knots stand
 * at the same angles (`breaks`, at most 90 degrees apart). The map between the two is monotone and exact:
 * tau = m + D/2 · tan((t-m)/2) / tan(D/4) on each segment [m-D/2, m+D/2].
 */
export type Turn = Float64Array;

export function turnBreaks(start: number, end: number): Turn {
  const n = Math.max(1, Math.ceil((end - start) / (Math.PI / 2) - 1e-9));
  return Float64Array.from({ length: n + 1 }, (_, i) => (i === n ? end : start + ((end - start) * i) / n));
}

function segment(breaks: Turn, t: number): number {
  let i = 0;
  while (i < breaks.length - 2 && t >= breaks[i + 1]) i++;
  return i;
}

/** Angle to rational parameter; identity without a turn. */
export function toRational(breaks: Turn | undefined, t: number): number {
  if (!breaks) return t;
  const i = segment(breaks, t);
  const d = breaks[i + 1] - breaks[i];
  const m = (breaks[i + 1] + breaks[i]) / 2;
  return m + ((d / 2) * Math.tan((t - m) / 2)) / Math.tan(d / 4);
}

/** Rational parameter to angle. */
export function toAngle(breaks: Turn | undefined, tau: number): number {
  if (!breaks) return tau;
  const i = segment(breaks, tau);
  const d = breaks[i + 1] - breaks[i];
  const m = (breaks[i + 1] + breaks[i]) / 2;
  return m + 2 * Math.atan(((tau - m) / (d / 2)) * Math.tan(d / 4));
}

/** Derivative of `toRational`. */
export function turnSlope(breaks: Turn | undefined, t: number): number {
  if (!breaks) return 1;
  const i = segment(breaks, t);
  const d = breaks[i + 1] - breaks[i];
  const m = (breaks[i + 1] + breaks[i]) / 2;
  const c = Math.cos((t - m) / 2);
  return d / 4 / Math.tan(d / 4) / (c * c);
}
