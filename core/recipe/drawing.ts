import { distance, type Frame, formatNumber, toWorld, type Vec3, WORLD } from '../math/index.ts';
import { arcLength, curvatureAt, endPoint, knotRuns, type NurbsCurve, planeOf, pointCount, spanCount, startPoint } from '../nurbs/index.ts';
import { inputPlane } from './inputs.ts';
import type { Input, ToolResult } from './tool.ts';

export const drawingFrame = (inputs: readonly Input[]): Frame | undefined => (inputs[0] ? inputPlane(inputs[0]) : WORLD);
export const onPlane = (f: Frame, pts: readonly Vec3[]): Vec3[] => pts.map((p) => toWorld(f, p));

/** What is measured of curves, end to end or not: degree, points, spans, length, flat or not, closed or not, smallest radius. */
export function curveFacts(curves: readonly NurbsCurve[]): { label: string; value: string }[] {
  if (!curves.length) return [];
  const degrees = [...new Set(curves.map((c) => c.degree))];
  const bend = Math.max(...curves.map(sharpestBend));
  const flat = planeOf(curves);
  const closed = distance(startPoint(curves[0]), endPoint(curves[curves.length - 1])) < 1e-6;
  return [
    { label: 'degree', value: degrees.join(', ') },
    { label: 'points', value: String(curves.reduce((n, c) => n + pointCount(c), 0)) },
    { label: 'spans', value: String(curves.reduce((n, c) => n + spanCount(c), 0)) },
    {
      label: 'length',
      value: `${formatNumber(
        curves.reduce((n, c) => n + arcLength(c), 0),
        3,
      )} mm`,
    },
    { label: 'smallest radius', value: bend > 1e-9 ? `${formatNumber(1 / bend, 3)} mm` : 'straight' },
    {
      label: 'shape',
      value: `${closed ? 'closed' : 'open'}, ${!flat ? 'straight' : flat.deviation < 1e-6 ? 'flat' : `${formatNumber(flat.deviation, 3)} mm out of flat`}`,
    },
  ];
}
/** Largest curvature, 1/mm, at 16 places a span. */
function sharpestBend(c: NurbsCurve): number {
  const { values } = knotRuns(c.knots, c.degree);
  let most = 0;
  for (let i = 0; i + 1 < values.length; i++)
    for (let k = 0; k <= 16; k++) most = Math.max(most, curvatureAt(c, values[i] + ((values[i + 1] - values[i]) * k) / 16));
  return most;
}

/** Result of a single curve with the facts every curve shows. */
export const curveResult = (c: NurbsCurve): ToolResult => chainResult([c]);
/** Result of one chain. */
export const chainResult = (curves: readonly NurbsCurve[], more: Omit<ToolResult, 'outputs'> = {}): ToolResult => ({
  ...more,
  outputs: { main: { kind: 'curve', curves } },
  facts: [...curveFacts(curves), ...(more.facts ?? [])],
});
/** Result of several chains, the first as `main`. */
export const chainsResult = (chains: readonly (readonly NurbsCurve[])[], more: Omit<ToolResult, 'outputs'> = {}): ToolResult => ({
  ...more,
  outputs: Object.fromEntries(chains.map((curves, i) => [i === 0 ? 'main' : `part${i + 1}`, { kind: 'curve' as const, curves }])),
  facts: [{ label: 'chains', value: String(chains.length) }, ...curveFacts(chains.flat()).slice(0, 4), ...(more.facts ?? [])],
});
/** First pair of neighbours that fall together, or undefined. */
export function doubled(pts: readonly Vec3[], closed: boolean): number | undefined {
  for (let i = 0; i < pts.length - (closed ? 0 : 1); i++) {
    const a = pts[i];
    const b = pts[(i + 1) % pts.length];
    if (Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) < 1e-9) return i;
  }
  return undefined;
}
