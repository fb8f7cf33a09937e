import type { Vec3 } from '@ample-skin/core/math';

/** Sizes of the clay grip, mm. */
export const GRIP = { height: 112, round: 16 } as const;

/**
 * A place of the clay grip: share of the height, and angle round it from the front. An oval tube that leans forward, drawn in for three fingers in
 * front, fuller behind, closed by a round foot, slender towards the collar.
 */
export function gripPlace(t: number, angle: number): Vec3 {
  const z = GRIP.height * t;
  const foot = z < GRIP.round ? Math.sqrt(Math.max(0, 1 - (1 - z / GRIP.round) ** 2)) : 1;
  const slender = 1 - 0.36 * t * t * (3 - 2 * t);
  const front = Math.max(0, Math.cos(angle)) ** 2;
  const fingers =
    1.5 *
    front *
    Math.sin((2 * Math.PI * (z - 24)) / 26) *
    Math.min(1, Math.max(0, (z - 20) / 10)) *
    Math.min(1, Math.max(0, (96 - z) / 12));
  const back = 2.2 * Math.max(0, -Math.cos(angle)) ** 2 * Math.sin(Math.PI * Math.min(1, t * 1.1));
  const rx = (17.5 * slender + fingers + back) * foot;
  const ry = 13.5 * (0.75 + 0.25 * slender) * foot;
  const lean = 14 * t * t;
  return [lean + rx * Math.cos(angle), ry * Math.sin(angle), z];
}
