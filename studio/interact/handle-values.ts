import { DEG, dot, type Frame, frameFromNormal, sub, toLocal, type Vec3 } from '@ample-skin/core/math';
import { fillTemplate } from '@ample-skin/core/recipe';
import type { MarkView } from '@ample-skin/engine';
import type { MoverPart } from '../view/handles.ts';
import type { Place, Stage } from './mode.ts';

export type Mark<K extends MarkView['kind']> = Extract<MarkView, { kind: K }>;
const clamp = (x: number, min = -Infinity, max = Infinity) => Math.min(max, Math.max(min, x));
export const tidy = (x: number, digits = 4): number => Number(x.toFixed(digits));

/** Where a share of a polyline's steps lies. */
export function pointAlong(points: readonly Vec3[], share: number): Vec3 {
  const x = share * (points.length - 1);
  const i = Math.min(points.length - 2, Math.max(0, Math.floor(x)));
  const [a, b] = [points[i], points[i + 1]];
  return [a[0] + (b[0] - a[0]) * (x - i), a[1] + (b[1] - a[1]) * (x - i), a[2] + (b[2] - a[2]) * (x - i)];
}
/** Share of a polyline's steps that is nearest to the pointer on screen. */
export function shareNear(stage: Stage, points: readonly Vec3[], at: Place, pane: number): number {
  let best = { share: 0, distance: Infinity };
  const seen = points.map((p) => stage.project(p, pane));
  for (let i = 0; i + 1 < seen.length; i++) {
    const [dx, dy] = [seen[i + 1].x - seen[i].x, seen[i + 1].y - seen[i].y];
    const l = dx * dx + dy * dy;
    const t = l > 0 ? clamp(((at.x - seen[i].x) * dx + (at.y - seen[i].y) * dy) / l, 0, 1) : 0;
    const distance = Math.hypot(seen[i].x + t * dx - at.x, seen[i].y + t * dy - at.y);
    if (distance < best.distance) best = { share: (i + t) / (seen.length - 1), distance };
  }
  return best.share;
}
/** Shares of length at the nodes of a polyline. */
function lengthsOf(points: readonly Vec3[]): number[] {
  const out = [0];
  for (let i = 1; i < points.length; i++) out.push(out[i - 1] + Math.hypot(...(sub(points[i], points[i - 1]) as [number, number, number])));
  return out.map((l) => l / (out[out.length - 1] || 1));
}
/** From a share of steps to a share of length, and back. */
export function lengthShare(points: readonly Vec3[], share: number): number {
  const l = lengthsOf(points);
  const x = share * (points.length - 1);
  const i = Math.min(points.length - 2, Math.max(0, Math.floor(x)));
  return l[i] + (l[i + 1] - l[i]) * (x - i);
}
export function stepShare(points: readonly Vec3[], share: number): number {
  const l = lengthsOf(points);
  const i = Math.max(0, Math.min(points.length - 2, l.findIndex((x) => x >= share) - 1));
  const t = l[i + 1] > l[i] ? (share - l[i]) / (l[i + 1] - l[i]) : 0;
  return (i + clamp(t, 0, 1)) / (points.length - 1);
}

export const slideValue = (m: Mark<'slide'>, share: number): unknown => fillTemplate(m.template, tidy(m.closed ? share % 1 : share));
/** Plane in which a grip is dragged: its own, or the one that faces the eye. */
export const gripFrame = (stage: Stage, m: Mark<'grip'>, pane: number): Frame =>
  frameFromNormal(m.at, m.normal ?? stage.eyeDirection(pane));
export function gripValue(m: Mark<'grip'>, to: Vec3): unknown {
  if (!m.within) return fillTemplate(m.template, to.map((x) => tidy(x)) as unknown as Vec3);
  const q = toLocal(m.within.frame, to);
  const inside = (x: number) => tidy(clamp(x, 0, 1), 6);
  return fillTemplate(m.template, [inside(q[0] / m.within.width), inside(q[1] / m.within.height)]);
}
/** A length or an angle as it is set by a handle, within its bounds. */
export const boundValue = (m: Mark<'push'> | Mark<'turn'>, value: number): number => clamp(tidy(value), m.min, m.max);
export const numberValue = (m: Mark<'push'> | Mark<'turn'>, value: number): unknown => fillTemplate(m.template, boundValue(m, value));
/** Degrees from the ring's zero at which the pointer stands in its plane. */
export function angleAt(stage: Stage, centre: Vec3, axis: Vec3, zero: Vec3, at: Place): number | undefined {
  const p = stage.onPlane(at.x, at.y, { origin: centre, z: axis });
  if (!p) return undefined;
  const f = frameFromNormal(centre, axis, zero);
  const q = toLocal(f, p);
  return Math.hypot(q[0], q[1]) > 1e-12 ? Math.atan2(q[1], q[0]) / DEG : undefined;
}

export const AXES = { x: 0, y: 1, z: 2 } as const;
export const axisOf = (f: Frame, k: 0 | 1 | 2): Vec3 => [f.x, f.y, f.z][k];
/** Axes that a grip of a mover moves along. */
export const moverAxes = (part: MoverPart): (0 | 1 | 2)[] =>
  part === 'xy' ? [0, 1] : part === 'yz' ? [1, 2] : part === 'zx' ? [2, 0] : part.startsWith('turn') ? [] : [AXES[part as 'x']];
export const turnAxis = (part: MoverPart): 0 | 1 | 2 | undefined => (part.startsWith('turn') ? AXES[part.slice(5) as 'x'] : undefined);
/** Displacement along the axes of the frame between two places of the pointer, or undefined where the pointer's ray misses. */
export function moved(stage: Stage, f: Frame, part: MoverPart, from: Place, at: Place): Vec3 | undefined {
  const axes = moverAxes(part);
  const out: [number, number, number] = [0, 0, 0];
  if (axes.length === 1) {
    const [a, b] = [from, at].map((p) => stage.onLine(p.x, p.y, f.origin, axisOf(f, axes[0])));
    if (a === undefined || b === undefined) return undefined;
    out[axes[0]] = b - a;
    return out;
  }
  const normal = axisOf(f, ([0, 1, 2] as const).find((k) => !axes.includes(k)) ?? 2);
  const [a, b] = [from, at].map((p) => stage.onPlane(p.x, p.y, { origin: f.origin, z: normal }));
  if (!a || !b) return undefined;
  for (const k of axes) out[k] = dot(sub(b, a), axisOf(f, k));
  return out;
}
