import { describe, expect, it } from 'vitest';
import { done } from '../testing/cages.ts';
import { boxStart, crease, extrudeFaces, gridStart, type Refinable, refine, torusStart } from './index.ts';
import { mergeRegular } from './merge.ts';
import { isRegularFace } from './sectors.ts';

/** Every regular face stands in one rectangle, once; neighbours in a rectangle are neighbours in the cage, over edges that are not sharp. */
function check(c: Refinable): { sizes: number[]; blocks: number } {
  const { shape: s } = c;
  const { rectangles, blocks } = mergeRegular(c);
  const seen = new Set<number>();
  for (const { rows } of rectangles)
    rows.forEach((row, y) => {
      expect(row.length).toBe(rows[0].length);
      row.forEach((h, x) => {
        expect(seen.has(s.face[h])).toBe(false);
        seen.add(s.face[h]);
        if (x + 1 < row.length) {
          const side = s.next[h];
          expect(c.sharpness[s.edgeOf[side]]).toBe(0);
          expect(s.prev[row[x + 1]]).toBe(s.twin[side]);
        }
        if (y + 1 < rows.length) expect(s.twin[s.next[s.next[h]]]).toBe(rows[y + 1][x]);
      });
    });
  const regular = Array.from({ length: s.faces }, (_, f) => f).filter((f) => isRegularFace(c, f));
  expect([...seen].sort((a, b) => a - b)).toEqual(regular);
  return { sizes: rectangles.map(({ rows }) => rows.length * rows[0].length).sort((a, b) => b - a), blocks };
}

describe('regular faces into large ones', () => {
  it('a grid is one; a crease across it makes two; a torus is one, cut once each way', () => {
    const grid = gridStart({ width: 9, depth: 6, across: 9, along: 6 });
    expect(check(grid).sizes).toEqual([54]);
    const line = Array.from({ length: grid.shape.edges }, (_, e) => e).filter((e) => {
      const h = grid.shape.edgeHalf[e];
      return [grid.shape.corners[h], grid.shape.corners[grid.shape.next[h]]].every((v) => Math.abs(grid.points[3 * v] + 1.5) < 1e-9);
    });
    expect(line.length).toBe(6);
    expect(check(done(crease(grid, line, Infinity))).sizes).toEqual([36, 18]);
    expect(check(torusStart({ radius: 9, tube: 3, segments: 8, across: 6, opening: 360 })).sizes).toEqual([48]);
  });
  it('as many however often a cage is refined, once its lines have parted', () => {
    const box = boxStart({ width: 8, depth: 6, height: 7, across: 8, along: 6, up: 7, taper: 1 });
    const counts = (c: Refinable) => {
      const m = mergeRegular(c);
      return [m.blocks, m.rectangles.length];
    };
    // six sides and twelve edges between the eight corners; five belts and lids of them
    expect([check(box).blocks, check(box).sizes.length]).toEqual([18, 7]);
    expect(counts(refine(box))).toEqual([18, 7]);
    const bumpy = refine(refine(done(extrudeFaces(box, 'k1', [100, 101, 117], 1))));
    const first = check(bumpy);
    expect(first.sizes.length).toBeLessThan(first.blocks / 5);
    expect(counts(refine(bumpy))).toEqual([first.blocks, first.sizes.length]);
  });
});
