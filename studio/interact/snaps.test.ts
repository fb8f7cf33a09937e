import { WORLD } from '@ample-skin/core/math';
import { circleCurve, lineCurve } from '@ample-skin/core/nurbs';
import { emptyModel } from '@ample-skin/core/recipe';
import { displayPiece, type PieceView } from '@ample-skin/engine';
import { beforeEach, describe, expect, it } from 'vitest';
import { DEFAULT_SETTINGS, type SnapKind, setSettings, setStudio } from '../state/store.ts';
import type { Stage } from './mode.ts';
import { snapsAt } from './snaps.ts';

/** Ten pixels a millimetre, seen from above. */
const view = {
  paneAt: () => 0,
  project: (p: readonly number[]) => ({ x: 10 * p[0], y: -10 * p[1], depth: 0 }),
  onPlane: (x: number, y: number) => [x / 10, -y / 10, 0],
  hits: () => [],
} as unknown as Stage;
const piece = (id: string, curves: Parameters<typeof displayPiece>[0] & { kind: 'curve' }): PieceView => ({
  key: `${id}/main`,
  step: id,
  output: 'main',
  kind: 'curve',
  live: true,
  stale: false,
  stamp: '1',
  facts: [],
  display: displayPiece(curves),
});
const snaps = (on: Partial<Record<SnapKind, boolean>>) =>
  Object.fromEntries(Object.keys(DEFAULT_SETTINGS.snaps).map((k) => [k, on[k as SnapKind] ?? false])) as typeof DEFAULT_SETTINGS.snaps;
const all = snaps({ grid: true, end: true, middle: true, centre: true, point: true, crossing: true, curve: true, division: true });
beforeEach(() => {
  const pieces = [
    piece('a', { kind: 'curve', curves: [lineCurve([0, 0, 0], [40, 0, 0])] }),
    piece('b', { kind: 'curve', curves: [lineCurve([13, -17, 0], [13, 21, 0])] }),
    piece('c', { kind: 'curve', curves: [circleCurve({ ...WORLD, origin: [-31, 3, 0] }, 11)] }),
    piece('up', { kind: 'curve', curves: [lineCurve([70, 0, 5], [90, 0, 5])] }),
  ];
  setStudio({
    paused: true,
    model: emptyModel('s'),
    draft: undefined,
    open: undefined,
    pieces: new Map(pieces.map((p) => [p.key, p])),
  });
  setSettings({ snaps: all, divisions: 4, gridStep: 5 });
});
const first = (x: number, y: number, by = 0.3) => {
  const s = snapsAt(view, 10 * (x + by), -10 * (y + by), WORLD)[0];
  return [s.label, s.local[0], s.local[1]];
};

describe('snaps', () => {
  it.each([
    ['end', 40, 0],
    ['middle', 20, 0],
    ['crossing', 13, 0],
    ['centre', -31, 3],
    ['equal part', 30, 0],
  ])('%s, with its word, from a few pixels away', (label, x, y) => {
    const s = first(x, y);
    expect(s[0]).toBe(label);
    expect(s[1]).toBeCloseTo(x, 3);
    expect(s[2]).toBeCloseTo(y, 3);
  });
  it('lies on the curve elsewhere, then on the grid, then free', () => {
    expect(first(26, 0)).toEqual(['on curve', 26.3, 0]);
    expect(first(-12, 30, 0)).toEqual(['grid', -10, 30]);
    setSettings({ snaps: snaps({}), gridStep: 5 });
    expect(first(-12.3456, 30, 0)).toEqual(['', -12.346, 30]);
  });
  it('lists everything under the pointer for the chooser, each place once, strong ones first', () => {
    const list = snapsAt(view, 131, -1, WORLD).map((s) => s.kind);
    expect(list[0]).toBe('crossing');
    expect(list).toContain('curve');
    expect(list.at(-1)).toBe('grid');
    const places = snapsAt(view, 200, -1, WORLD).map((s) => s.local.join());
    expect(new Set(places).size).toBe(places.length);
  });
  it('passes by what is switched off or hidden; a place off the plane counts with its foot', () => {
    expect(first(90, 0)).toEqual(['end, its foot', 90, 0]);
    setSettings({ snaps: snaps({ middle: true, grid: true }), gridStep: 1 });
    expect(first(40, 0)[0]).toBe('grid');
    setSettings({ snaps: all });
    setStudio({
      model: { ...emptyModel('s'), pieces: { 'a/main': { hidden: true }, 'b/main': { hidden: true } } },
    });
    expect(first(40, 0)[0]).toBe('grid');
  });
});
