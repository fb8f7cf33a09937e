import { type Frame, formatNumber, toWorld, type Vec3, WORLD } from '../math/index.ts';
import { arcLength, type NurbsCurve, pointCount, spanCount } from '../nurbs/index.ts';
import { inputPlane } from './inputs.ts';
import { type Input, slot, type ToolResult } from './tool.ts';

/** Slot of every tool that draws on a plane. */
export const planeSlot = slot({ label: 'On plane', accepts: ['flat'], min: 0, hint: 'The plane it is drawn on; the world when empty' });
export const drawingFrame = (inputs: readonly Input[]): Frame | undefined => (inputs[0] ? inputPlane(inputs[0]) : WORLD);
export const onPlane = (f: Frame, pts: readonly Vec3[]): Vec3[] => pts.map((p) => toWorld(f, p));

/** Result of a single curve with the facts every curve shows. */
export function curveResult(c: NurbsCurve): ToolResult {
  return {
    outputs: { main: { kind: 'curve', curves: [c] } },
    facts: [
      { label: 'degree', value: String(c.degree) },
      { label: 'points', value: String(pointCount(c)) },
      { label: 'spans', value: String(spanCount(c)) },
      { label: 'length', value: `${formatNumber(arcLength(c), 3)} mm` },
    ],
  };
}
/** First pair of neighbours that fall together, or undefined. */
export function doubled(pts: readonly Vec3[], closed: boolean): number | undefined {
  for (let i = 0; i < pts.length - (closed ? 0 : 1); i++) {
    const a = pts[i];
    const b = pts[(i + 1) % pts.length];
    if (Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) < 1e-9) return i;
  }
  return undefined;
}
