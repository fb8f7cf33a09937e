import { frameFromNormal, toWorld, type Vec3 } from '@ample-skin/core/math';
import type { Handle } from './handles.ts';

type Projected = { readonly x: number; readonly y: number; readonly depth: number };
/** Pixels within which a handle is taken. */
const REACH = 10;
const WIDE = 7;

/**
 * How far the pointer is from a handle, in pixels; infinity out of reach. Dots win over arrows, arrows over squares and rings, by a small
 * handicap. `pixel` is mm a pixel at the handle.
 */
export function screenHandle(
  h: Handle,
  at: { readonly x: number; readonly y: number },
  project: (p: Vec3) => Projected,
  pixel: number,
): number {
  const q = project(h.at);
  if (q.depth >= 1) return Infinity;
  if (h.shape === 'dot') {
    const d = Math.hypot(q.x - at.x, q.y - at.y);
    return d < REACH ? d - 4 : Infinity;
  }
  const reach = (h.pixels ?? 50) * pixel;
  if (h.shape === 'arrow' && h.along) {
    const tip = project(h.at.map((x, k) => x + (h.along as Vec3)[k] * reach) as unknown as Vec3);
    const from = h.id.kind === 'mover' || h.id.kind === 'cage' ? 0.25 : 0.15;
    const start = { x: q.x + (tip.x - q.x) * from, y: q.y + (tip.y - q.y) * from };
    const d = toSegment(at, start, tip);
    return d < WIDE ? d - 2 : Infinity;
  }
  if (!h.along) return Infinity;
  const f = frameFromNormal(h.at, h.along, h.side);
  if (h.shape === 'square') {
    const half = 0.32 * reach;
    const corners = [
      [reach - half, reach - half],
      [reach + half, reach - half],
      [reach + half, reach + half],
      [reach - half, reach + half],
    ].map((c) => project(toWorld(f, c as [number, number])));
    return within(at, corners) ? 0 : Infinity;
  }
  let least = Infinity;
  let last = project(toWorld(f, [reach, 0]));
  for (let i = 1; i <= 40; i++) {
    const a = (i * Math.PI) / 20;
    const next = project(toWorld(f, [reach * Math.cos(a), reach * Math.sin(a)]));
    least = Math.min(least, toSegment(at, last, next));
    last = next;
  }
  return least < WIDE - 2 ? least + 2 : Infinity;
}

interface Flat {
  readonly x: number;
  readonly y: number;
}
export function toSegment(p: Flat, a: Flat, b: Flat): number {
  const [dx, dy] = [b.x - a.x, b.y - a.y];
  const l = dx * dx + dy * dy;
  const t = l > 0 ? Math.min(1, Math.max(0, ((p.x - a.x) * dx + (p.y - a.y) * dy) / l)) : 0;
  return Math.hypot(a.x + t * dx - p.x, a.y + t * dy - p.y);
}
function within(p: Flat, polygon: readonly Flat[]): boolean {
  let inside = false;
  for (let i = 0, j = polygon.length - 1; i < polygon.length; j = i++) {
    const [a, b] = [polygon[i], polygon[j]];
    if (a.y > p.y !== b.y > p.y && p.x < ((b.x - a.x) * (p.y - a.y)) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}
