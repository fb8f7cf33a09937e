import type { JudgedSeam } from './status.ts';

const cell = (x: string | number): string => {
  const s = typeof x === 'number' ? String(Number(x.toPrecision(9))) : x;
  return /[",\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s;
};
/** The seams as a table for other programs: one line each, numbers in full; `name` turns faces into words. */
export function seamsCsv(seams: readonly JudgedSeam[], name: (face: string) => string): string {
  const head = 'seam,first face,second face,length mm,target,grade,verdict,gap mm,kink deg,step %,flow %,worst x,worst y,worst z';
  const lines = seams.map((s, i) =>
    [
      i + 1,
      name(s.faceNames[0]),
      name(s.faceNames[1]),
      s.length,
      s.target ?? '',
      s.grade,
      s.verdict,
      s.gap,
      s.kink,
      s.step,
      s.flow,
      ...worstOf(s),
    ]
      .map(cell)
      .join(','),
  );
  return [head, ...lines, ''].join('\n');
}
/** The number that decides which grade a seam does not reach. */
export const tellingOf = (s: JudgedSeam): 'gap' | 'kink' | 'step' | 'flow' =>
  s.grade === 'open' ? 'gap' : s.grade === 'G0' ? 'kink' : s.grade === 'G1' ? 'step' : 'flow';
/** Where a seam is worst, by the grade it does not reach. */
export function worstOf(s: JudgedSeam): readonly [number, number, number] {
  return s.worst[tellingOf(s)];
}
