import type { Vec3 } from '@ample-skin/core/math';
import { getStudio as get, setStudio as set } from './state.ts';

/** Begins or ends measuring between places; what is open stays open. */
export function toggleMeasuring(): void {
  set({ measuring: get().measuring ? undefined : [] });
}
/** A place that was clicked: the first, the second, or the first of the next pair. */
export function measureAt(p: Vec3): void {
  const now = get().measuring ?? [];
  set({ measuring: now.length === 1 ? [now[0], p] : [p] });
}
const round = (x: number) => Number(x.toFixed(5));
/** Distance of the two places and its parts along the axes, in words with units. */
export function measuredText(a: Vec3, b: Vec3): string {
  const d = [0, 1, 2].map((k) => b[k] - a[k]);
  return `${round(Math.hypot(...d))} mm (x ${round(d[0])} mm, y ${round(d[1])} mm, z ${round(d[2])} mm)`;
}
