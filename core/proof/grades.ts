/** Continuity of a seam as measured. */
export type Grade = 'open' | 'G0' | 'G1' | 'G2' | 'G3';
export const gradeRank = (g: Grade): number => ({ open: -1, G0: 0, G1: 1, G2: 2, G3: 3 })[g];
