import { arcLength, curveNet, domain, type NurbsCurve } from './curve.ts';
import { domainOf, type Net, removeKnotOnce, reverseNet, rowCount } from './spline.ts';
import { mapU, mapV, type NurbsSurface } from './surface.ts';

/** How a shape goes on beyond its end: the last span's own polynomial, or straight along the end tangent. */
export type Extension = 'natural' | 'linear';

/**
 * The last span's polynomial carried on to parameter `b` beyond the end of a clamped net: no new knot, every derivative goes on. The last
 * degree+1 rows become the blossom values at the new knots (Ramshaw 1989). Knots elsewhere stay where they are.
 */
export function growEnd(n: Net, b: number): Net {
  const p = n.degree;
  const rows = rowCount(n);
  const knots = n.knots.slice();
  for (let i = rows; i < knots.length; i++) knots[i] = b;
  const data = n.data.slice();
  const span = rows - 1;
  const work = new Float64Array((p + 1) * n.stride);
  for (let i = rows - 1 - p; i < rows; i++) {
    for (let j = 0; j <= p; j++) work.set(n.data.subarray((span - p + j) * n.stride, (span - p + j + 1) * n.stride), j * n.stride);
    for (let r = 1; r <= p; r++) {
      const x = knots[i + r];
      for (let j = p; j >= r; j--) {
        const low = n.knots[span - p + j];
        const high = n.knots[span + 1 + j - r];
        const a = (x - low) / (high - low);
        for (let d = 0; d < n.stride; d++) work[j * n.stride + d] = a * work[j * n.stride + d] + (1 - a) * work[(j - 1) * n.stride + d];
      }
    }
    data.set(work.subarray(p * n.stride, (p + 1) * n.stride), i * n.stride);
  }
  return { ...n, knots, data };
}

/** A straight piece of parameter length b - end, in the direction of the end derivative: continuous first derivative (a knot of multiplicity degree-1). */
export function straightenEnd(n: Net, b: number): Net {
  const p = n.degree;
  const rows = rowCount(n);
  const end = domainOf(n.knots, p)[1];
  if (p === 1) {
    const knots = Float64Array.from([...n.knots.subarray(0, rows + 1), b, b]);
    const data = new Float64Array(n.data.length + n.stride);
    data.set(n.data);
    for (let d = 0; d < n.stride; d++) {
      const [x, y] = [n.data[(rows - 2) * n.stride + d], n.data[(rows - 1) * n.stride + d]];
      data[rows * n.stride + d] = y + ((y - x) / (end - n.knots[rows - 1])) * (b - end);
    }
    return { ...n, knots, data };
  }
  const slope = p / (end - n.knots[rows - 1]);
  const data = new Float64Array(n.data.length + p * n.stride);
  data.set(n.data);
  for (let j = 1; j <= p; j++)
    for (let d = 0; d < n.stride; d++) {
      const [x, y] = [n.data[(rows - 2) * n.stride + d], n.data[(rows - 1) * n.stride + d]];
      data[(rows - 1 + j) * n.stride + d] = y + (((y - x) * slope * (b - end)) / p) * j;
    }
  const knots = Float64Array.from([...n.knots.subarray(0, rows + p), ...Array(p + 1).fill(b)]);
  const full: Net = { ...n, knots, data };
  return removeKnotOnce(full, end, 1e-9 * (1 + Math.max(...data.map(Math.abs)))) ?? full;
}

const grow = (n: Net, by: number, how: Extension): Net => {
  if (!(by > 0)) return n;
  const b = domainOf(n.knots, n.degree)[1] + by;
  return how === 'natural' ? growEnd(n, b) : straightenEnd(n, b);
};
/** The reversed net keeps the domain [a, b], so a start grown by `by` there lies at a - by. */
const growStart = (n: Net, by: number, how: Extension): Net => {
  if (!(by > 0)) return n;
  const [a] = domainOf(n.knots, n.degree);
  const back = reverseNet(grow(reverseNet(n), by, how));
  const shift = a - by - back.knots[0];
  return { ...back, knots: back.knots.map((k) => k + shift) };
};

const weightsFine = (control: Float64Array, stride: number): boolean => {
  let [least, most] = [Infinity, 0];
  for (let i = stride - 1; i < control.length; i += stride) {
    least = Math.min(least, control[i]);
    most = Math.max(most, Math.abs(control[i]));
  }
  return least > 1e-3 * most;
};

/** Curve with its domain widened by parameter amounts at both ends. Undefined when the weights would not stay positive. */
export function growCurve(c: NurbsCurve, before: number, after: number, how: Extension): NurbsCurve | undefined {
  const n = growStart(grow(curveNet(c), after, how), before, how);
  if (c.rational && !weightsFine(n.data, c.dim + 1)) return undefined;
  return { ...c, knots: n.knots, control: n.data };
}

/** Curve longer by the given lengths (mm) at its ends. Natural: the length is met within 1e-6 of it by growing the parameter. */
export function extendCurve(c: NurbsCurve, before: number, after: number, how: Extension): NurbsCurve | undefined {
  const [a, b] = domain(c);
  const parameterFor = (want: number, atEnd: boolean): number => {
    if (!(want > 0)) return 0;
    let step = ((b - a) * want) / arcLength(c);
    for (let k = 0; k < 24; k++) {
      const g = growCurve(c, atEnd ? 0 : step, atEnd ? step : 0, how);
      if (!g) {
        step /= 2;
        continue;
      }
      const got = atEnd ? arcLength(g, b, b + step) : arcLength(g, a - step, a);
      if (Math.abs(got - want) < 1e-6 * want) break;
      step *= Math.min(4, Math.max(0.25, want / got));
    }
    return step;
  };
  return growCurve(c, parameterFor(before, false), parameterFor(after, true), how);
}

/** Surface with its domain widened by parameter amounts: [before u, after u, before v, after v]. */
export function growSurface(s: NurbsSurface, by: readonly [number, number, number, number], how: Extension): NurbsSurface | undefined {
  let out = mapU(s, (n) => growStart(grow(n, by[1], how), by[0], how));
  out = mapV(out, (n) => growStart(grow(n, by[3], how), by[2], how));
  return s.rational && !weightsFine(out.control, 4) ? undefined : out;
}
