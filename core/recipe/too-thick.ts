import type { TightPlace } from '../brep/index.ts';
import { distance, formatNumber, type Vec3 } from '../math/index.ts';
import { failure, type ToolResult } from './tool.ts';

/** Twentieth below the smallest radius, on three digits: a wall that does not fold and leaves something hollow in a round part. */
const largestBelow = (radius: number): number => {
  const step = 10 ** (Math.floor(Math.log10(radius)) - 2);
  return Number((Math.floor((0.95 * radius) / step) * step).toPrecision(3));
};
/**
 * Refusal of a wall that is thicker than a radius it grows into, with all places where that is so, and a wall that works offered
 * (`times` the wall that counts there, as 2 where half of it goes to each side); undefined when it is thin enough.
 */
export function tooThick(all: readonly TightPlace[], wall: number, stepId: string, times = 1): ToolResult | undefined {
  if (!all.length || wall < all[0].radius) return undefined;
  const places: Vec3[] = [];
  for (const p of all) if (p.radius <= wall && places.every((q) => distance(p.at, q) > 0.5 * wall)) places.push(p.at);
  const most = largestBelow(times * all[0].radius);
  return failure(
    'too-thick',
    `The wall of ${formatNumber(times * wall)} mm is thicker than the radius it grows into at ${places.length === 1 ? 'one place' : `${places.length} places`}, the smallest ${formatNumber(all[0].radius)} mm: it would fold there. Make the wall thinner or the ${places.length === 1 ? 'place' : 'places'} rounder`,
    places.slice(0, 40),
    [{ label: `Make the wall ${formatNumber(most)} mm`, changes: [{ type: 'setStep', id: stepId, params: { wall: most } }] }],
  );
}
