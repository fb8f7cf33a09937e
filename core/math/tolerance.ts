/** Model tolerances. Lengths in mm, angles in degrees. */
export interface Tolerance {
  /** Points nearer than this count as one. */
  readonly length: number;
  readonly angle: number;
}
export const DEFAULT_TOLERANCE: Tolerance = { length: 0.001, angle: 0.01 };
export const DEG = Math.PI / 180;
