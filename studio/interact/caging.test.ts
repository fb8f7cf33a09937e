import {
  boxStart,
  type Cage,
  gridStart,
  halfOf,
  mirrored,
  named,
  type Operation,
  operationSchema,
  pointOf,
  replay,
} from '@ample-skin/core/cage';
import { type Vec3, WORLD } from '@ample-skin/core/math';
import { describe, expect, it } from 'vitest';
import type { Caging } from '../state/state.ts';
import { boxMode } from './box.ts';
import { cageDrawn } from './cage-drawn.ts';
import { cageHit, cageInside } from './cage-hit.ts';
import { cageDragMode, cageMode } from './cage-mode.ts';
import {
  asKind,
  cageOffers,
  chosenVertices,
  freshOperation,
  moverFrame,
  NO_CAGING,
  type OpenCage,
  onHalf,
  softShares,
  wholeOffers,
  widened,
  withMotion,
} from './caging.ts';
import type { Doc } from './doc.ts';
import { fakeDoc, fakeStage, place } from './fake-stage.ts';
import { handlesOf } from './handles-of.ts';

const box = boxStart({ width: 8, depth: 6, height: 4, across: 4, along: 3, up: 2, taper: 1 });
const grid = gridStart({ width: 8, depth: 8, across: 4, along: 4 });
const open = (cage: Cage, operations: readonly Operation[] = []): OpenCage => ({
  step: 'e',
  key: 'operations',
  operations,
  cage,
  piece: 'e/main',
  frame: WORLD,
});
const chosen = (kind: Caging['kind'], names: readonly string[], more: Partial<Caging> = {}): Caging => ({
  ...NO_CAGING,
  kind,
  chosen: names,
  ...more,
});
const at = (c: Cage, name: string): Vec3 => pointOf(c.points, named(c).vertices.get(name) as number);

describe('what is chosen of a cage', () => {
  it('goes on in loops and rings, grows and shrinks, and is told as another kind', () => {
    const loop = widened(grid, chosen('edge', ['v 1/2 1/2~v 1/2 1/4']), 'loop');
    expect(loop.length).toBe(4);
    expect(widened(grid, chosen('edge', ['v 1/2 1/2~v 1/2 1/4']), 'ring').length).toBe(5);
    const one = chosen('vertex', ['v 1/2 1/2']);
    const grown = widened(grid, one, 'grow');
    expect(grown.length).toBeGreaterThan(4);
    expect(widened(grid, { ...one, chosen: grown }, 'shrink')).toEqual(['v 1/2 1/2']);
    expect(widened(grid, one, 'connected').length).toBe(25);
    expect(widened(grid, one, 'invert').length).toBe(24);
    expect(widened(grid, one, 'none')).toEqual([]);
    const face = chosen('face', ['f 0 0 of 4 4', 'f 1/4 0 of 4 4']);
    expect(widened(grid, face, 'loop').length).toBe(4);
    expect(asKind(grid, face, 'vertex').chosen.length).toBe(6);
    expect(asKind(grid, asKind(grid, face, 'vertex'), 'face').chosen).toEqual(face.chosen);
    expect(asKind(grid, face, 'edge').chosen.length).toBe(7);
  });
  it('on the other side of a mirror means its original', () => {
    const plane = { origin: [0, 0, 0] as Vec3, z: [1, 0, 0] as Vec3 };
    const half = halfOf(box, plane, 1e-9);
    if (!half.ok) throw new Error(half.message);
    const whole = mirrored(half.cage, plane, 1e-9);
    if (!whole.ok) throw new Error(whole.message);
    expect(onHalf(whole.cage, 'vertex', 'v 1/2 0 1*')).toBe('v 1/2 0 1');
    expect(onHalf(whole.cage, 'edge', 'v 1/2 0 1~v 3/4 0 1*')).toBe('v 1/2 0 1~v 3/4 0 1');
    // with no mirror any more both sides are elements like all others
    const { image: _, ...free } = whole.cage;
    expect(onHalf(free, 'vertex', 'v 1/2 0 1*')).toBe('v 1/2 0 1*');
    expect(widened(free, chosen('face', []), 'all').length).toBe(2 * half.cage.shape.faces);
    const drawn = cageDrawn(whole.cage, chosen('face', [half.cage.faceNames[0]]), undefined);
    // both images are shown: two quads of two triangles
    expect(drawn.chosenFaces.length / 9).toBe(4);
    expect(widened(whole.cage, chosen('face', []), 'all').length).toBe(half.cage.shape.faces);
  });
});

describe('motions', () => {
  const names = ['v 1/2 0 1', 'v 1/2 1/3 1'];
  it('go into the last operation where that moved the same in the same axes, else into one of their own', () => {
    const k = chosen('vertex', names);
    const frame = moverFrame(open(box), k);
    if (!frame) throw new Error('no frame');
    expect(frame.origin).toEqual([0, -2, 4]);
    const first = withMotion(open(box), k, frame, [0, 0, 2]);
    expect(first).toEqual([{ id: 'k1', op: 'move', vertices: names, by: [0, 0, 2] }]);
    const second = withMotion(open(box, first), k, frame, [1, 0, 0.5]);
    expect(second).toEqual([{ id: 'k1', op: 'move', vertices: names, by: [1, 0, 2.5] }]);
    const turned = withMotion(open(box, second), k, frame, [0, 0, 0], { axis: 2, degrees: 30 });
    expect(turned).toEqual([{ ...second[0], turn: [0, 0, 30] }]);
    // about another axis, with others following, or of other vertices: one more
    expect(withMotion(open(box, turned), k, frame, [0, 0, 0], { axis: 0, degrees: 10 }).length).toBe(2);
    expect(withMotion(open(box, second), { ...k, radius: 3 }, frame, [1, 0, 0]).length).toBe(2);
    expect(withMotion(open(box, second), chosen('vertex', names.slice(1)), frame, [1, 0, 0]).length).toBe(2);
    // formulas are not written over
    const byFormula = [{ ...second[0], by: [0, 0, 'lift'] }] as Operation[];
    expect(withMotion(open(box, byFormula), k, frame, [1, 0, 0]).length).toBe(2);
    for (const o of [...turned, ...first]) expect(operationSchema.safeParse(o).success).toBe(true);
  });
  it('along the normal stand square to the faces; the replayed cage is where the mover was dragged to', () => {
    const k = chosen('face', ['f x1 0 0 of 3 2'], { axes: 'normal' });
    const o = open(box);
    const frame = moverFrame(o, k);
    if (!frame) throw new Error('no frame');
    expect(frame.z.map((x) => Number(x.toFixed(9)))).toEqual([1, 0, 0]);
    const list = withMotion(o, k, frame, [0, 0, 1.5]);
    const { cage } = replay(box, list);
    for (const v of chosenVertices(box, k)) expect(cage.points[3 * v]).toBeCloseTo(box.points[3 * v] + 1.5, 9);
  });
  it('others follow by their share', () => {
    const s = softShares(grid, chosen('vertex', ['v 1/2 1/2'], { radius: 5 }));
    expect(s && Math.max(...s)).toBe(1);
    expect(s && [...s].filter((x) => x > 0 && x < 1).length).toBe(12);
    expect(softShares(grid, NO_CAGING)).toBeUndefined();
  });
});

describe('what is offered', () => {
  it('every offer is an operation that can be read and does something', () => {
    const choices = [
      chosen('vertex', ['v 1/2 1/2', 'v 1/2 3/4']),
      chosen('edge', ['v 1/2 1/2~v 1/2 3/4']),
      chosen('edge', ['v 0 0~v 1/4 0']),
      chosen('face', ['f 1/4 1/4 of 4 4']),
    ];
    for (const k of choices) {
      const list = cageOffers(grid, k);
      expect(list.length).toBeGreaterThan(4);
      for (const f of list) {
        const o = f.make(freshOperation([]));
        expect([f.label, operationSchema.safeParse(o).success]).toEqual([f.label, true]);
        const [r] = replay(grid, [o]).outcomes;
        expect([f.label, r.state === 'fine' || (r.message ?? '').length > 20]).toEqual([f.label, true]);
      }
    }
    expect(cageOffers(grid, NO_CAGING)).toEqual([]);
    expect(wholeOffers(grid).map((f) => f.label)).toEqual(['Thicken', 'Refine']);
    expect(wholeOffers(box).map((f) => f.label)).toEqual(['Refine']);
  });
});

describe('in the view', () => {
  const doc = (caging: Caging, operations: readonly Operation[] = []): Doc =>
    fakeDoc('cage-edit', { cage: { open: open(grid, operations), caging } });
  it('a click takes what lies under it, with Ctrl it adds; a box takes what lies in it', () => {
    const stage = fakeStage();
    // of two that lie about as near, the nearer one
    expect(cageHit(stage, open(grid), place(2.05, 0.02), 'vertex')?.name).toBe('v 3/4 1/2');
    expect(cageHit(stage, open(grid), place(1, 0.05), 'edge')?.name).toBe('v 1/2 1/2~v 3/4 1/2');
    expect(cageHit(stage, open(grid), place(1, 1), 'face')?.name).toBe('f 1/2 1/2 of 4 4');
    expect(cageHit(stage, open(grid), place(9, 9), 'face')).toBeUndefined();
    expect(cageInside(stage, open(grid), place(-0.5, -0.5), place(2.5, 0.5), 'vertex')).toEqual(['v 1/2 1/2', 'v 3/4 1/2']);
    const mode = cageMode(stage, () => doc(NO_CAGING));
    const p = place(2, 0);
    expect(mode.release?.(p, p).commands).toEqual([{ do: 'cageChoose', kind: 'vertex', names: ['v 3/4 1/2'], more: false }]);
    const q = place(2, 0, { ctrl: true });
    expect(mode.release?.(q, q).commands).toEqual([{ do: 'cageChoose', kind: 'vertex', names: ['v 3/4 1/2'], more: true }]);
    const nothing = place(3, 3);
    expect(mode.release?.(nothing, nothing).commands).toEqual([{ do: 'cageChoose', kind: 'vertex', names: [], more: false }]);
  });
  it('the box of pieces is the box of a cage while one is edited', () => {
    const mode = boxMode(
      fakeStage(),
      () => doc(NO_CAGING),
      cageMode(fakeStage(), () => doc(NO_CAGING)),
    );
    expect(mode.release?.(place(2.5, 0.5, { shift: true }), place(-0.5, -0.5, { shift: true })).commands).toEqual([
      { do: 'cageChoose', kind: 'vertex', names: ['v 1/2 1/2', 'v 3/4 1/2'], more: false, box: true },
    ]);
  });
  it('a chosen vertex is dragged in the plane that faces the eye, and by the mover along an axis; Escape takes it back', () => {
    const stage = fakeStage();
    const d = doc(chosen('vertex', ['v 1/2 1/2']));
    const handles = handlesOf(d, false);
    const free = handles.find((h) => h.id.kind === 'cage' && h.id.part === 'free');
    const x = handles.find((h) => h.id.kind === 'cage' && h.id.part === 'x');
    if (!free || !x) throw new Error('no handles');
    const from = place(0, 0);
    const drag = cageDragMode(stage, () => d, free, from);
    const moved = drag?.drag?.(place(1.5, -1), from).commands?.[0];
    expect(moved).toMatchObject({ do: 'cageOperations', preview: true, list: [{ op: 'move', vertices: ['v 1/2 1/2'], by: [1.5, -1, 0] }] });
    expect(drag?.release?.(place(1.5, -1), from).commands?.[0]).toMatchObject({ preview: false, before: [] });
    const along = cageDragMode(stage, () => d, x, from);
    expect(along?.drag?.(place(2, 3), from).commands?.[0]).toMatchObject({ list: [{ by: [2, 0, 0] }] });
    expect(along?.key?.('4', from)?.commands?.[0]).toMatchObject({ list: [{ by: [4, 0, 0] }] });
    expect(along?.leave?.().commands?.[0]).toMatchObject({ preview: false, list: [] });
    expect(at(grid, 'v 1/2 1/2')).toEqual([0, 0, 0]);
  });
});
