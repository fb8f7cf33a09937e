/** Continuity of a seam as measured. */
export type Grade = 'open' | 'G0' | 'G1' | 'G2' | 'G3';
export const gradeRank = (g: Grade): number => ({ open: -1, G0: 0, G1: 1, G2: 2, G3: 3 })[g];

/** Limits for a grade to be met: mm, degrees, percent, percent. */
export interface GradeLimits {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly flow: number;
}
export const DEFAULT_LIMITS: GradeLimits = { gap: 0.005, kink: 0.05, step: 2, flow: 10 };
