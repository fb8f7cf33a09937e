import { describe, expect, it } from 'vitest';
import { seamsCsv, worstOf } from './seams-csv.ts';
import type { JudgedSeam } from './status.ts';

const seam = (more: object): JudgedSeam =>
  ({
    faceNames: ['a:side', 'b:top, outer'],
    length: 12.5,
    grade: 'G1',
    verdict: 'misses',
    target: 'G2',
    gap: 1.25e-7,
    kink: 0.012345678901,
    step: 31.5,
    flow: 200,
    worst: { gap: [1, 2, 3], kink: [4, 5, 6], step: [7, 8, 9.25], flow: [10, 11, 12] },
    ...more,
  }) as unknown as JudgedSeam;

describe('seams as a table', () => {
  it('has a line for each seam, numbers in full, the place that decides its grade', () => {
    const [head, first, second, last] = seamsCsv([seam({}), seam({ grade: 'G3', target: undefined, verdict: 'free' })], (f) => f).split(
      '\n',
    );
    expect(head.split(',').length).toBe(14);
    expect(first).toBe('1,a:side,"b:top, outer",12.5,G2,G1,misses,1.25e-7,0.0123456789,31.5,200,7,8,9.25');
    expect(second.split(',').slice(5, 8)).toEqual(['', 'G3', 'free']);
    expect(second.endsWith('10,11,12')).toBe(true);
    expect(last).toBe('');
  });
  it('tells the worst place by what is not reached', () => {
    expect(worstOf(seam({ grade: 'G0' }))).toEqual([4, 5, 6]);
    expect(worstOf(seam({ grade: 'open' }))).toEqual([1, 2, 3]);
    expect(worstOf(seam({ grade: 'G1' }))).toEqual([7, 8, 9.25]);
    expect(worstOf(seam({ grade: 'G2' }))).toEqual([10, 11, 12]);
    expect(worstOf(seam({ grade: 'G3' }))).toEqual([10, 11, 12]);
  });
});
