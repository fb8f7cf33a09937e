import { WORLD } from '@ample-skin/core/math';
import { describe, expect, it } from 'vitest';
import type { Doc } from './doc.ts';
import { fakeDoc, fakeStage, gestures, place } from './fake-stage.ts';
import { lengthShare, stepShare } from './handle-values.ts';
import type { Command } from './mode.ts';

const start = (doc: Doc) => gestures(fakeStage(), () => doc);
const last = (list: readonly Command[]) => list[list.length - 1] as Extract<Command, { do: 'param' }>;

describe('an arrow', () => {
  const push = {
    kind: 'push' as const,
    from: [0, 0, 0] as const,
    direction: [1, 0, 0] as const,
    value: 5,
    param: 'distance',
    template: '$value',
    min: 1,
    max: 12,
  };
  const doc = fakeDoc('extrude', { params: { distance: 5 }, marks: [push] });
  it('follows the pointer along its line, keeps where it was taken, and is one edit', () => {
    const g = start(doc);
    // the arrow begins at its value and is 46 pixels long
    g.drag(place(7, 0), place(8, 3), place(9, -4));
    expect(g.commands.map((c) => (c.do === 'param' ? [c.value, c.preview] : c.do))).toEqual([
      [6, true],
      [7, true],
      [7, false],
    ]);
    expect(last(g.commands).before).toBe(5);
  });
  it('keeps within its bounds', () => {
    const g = start(doc);
    g.drag(place(7, 0), place(40, 0));
    expect(last(g.commands).value).toBe(12);
    const h = start(doc);
    h.drag(place(7, 0), place(-40, 0));
    expect(last(h.commands).value).toBe(1);
  });
  it('goes to what the pointer snaps to', () => {
    const g = start({ ...doc, snaps: () => [{ kind: 'end', local: [8.25, 3, 0], label: 'end', pixels: 3 }] });
    g.drag(place(7, 0), place(8, 0));
    expect(last(g.commands).value).toBe(8.25);
  });
  it('takes a typed number while it is dragged: digits win over the pointer, Backspace takes one back, Enter keeps', () => {
    const g = start(doc);
    g.k.press(1, place(7, 0));
    g.k.move(1, place(8, 0));
    g.frame();
    for (const key of ['1', '1', '.', '5', '3', 'Backspace']) expect(g.k.key(key, true)).toBe(true);
    g.k.move(1, place(9, 0));
    g.frame();
    expect(g.k.key('Enter', true)).toBe(true);
    expect([last(g.commands).value, last(g.commands).preview]).toEqual([11.5, false]);
  });
  it('Escape puts the old value back', () => {
    const g = start(doc);
    g.k.press(1, place(7, 0));
    g.k.move(1, place(9, 0));
    g.frame();
    g.k.key('Escape', true);
    expect([last(g.commands).value, last(g.commands).preview]).toEqual([5, false]);
    g.k.release(1, place(9, 0));
    expect(g.commands.length).toBe(2);
  });
  it('a click turns it over where the tool says so, else asks for a number', () => {
    const g = start({ ...doc, marks: [{ ...push, click: { params: { side: 'other' }, hint: 'Turn over' } }] });
    g.click(place(7, 0));
    expect(g.commands).toEqual([{ do: 'params', step: 'open', params: { side: 'other' } }]);
    const h = start(doc);
    h.click(place(7, 0));
    expect(h.commands[0]).toMatchObject({ do: 'typed', handle: { id: { kind: 'push', index: 0 } } });
  });
});

describe('a ring', () => {
  const turn = {
    kind: 'turn' as const,
    centre: [0, 0, 0] as const,
    axis: [0, 0, 1] as const,
    zero: [1, 0, 0] as const,
    value: 30,
    param: 'angle',
    template: '$value',
  };
  const doc = fakeDoc('revolve', { params: { angle: 30 }, marks: [turn] });
  it('turns by the angle that the pointer goes round, in whole degrees; with Ctrl freely', () => {
    const g = start(doc);
    g.drag(place(6, 0), place(0, 6));
    expect(last(g.commands).value).toBe(120);
    const h = start(doc);
    h.drag(place(6, 0), place(6 * Math.cos(0.35), 6 * Math.sin(0.35), { ctrl: true }));
    expect(last(h.commands).value).toBeCloseTo(30 + (0.35 * 180) / Math.PI, 1);
  });
  it('over the back it takes the short way', () => {
    const g = start(doc);
    g.drag(place(-6, 0.1), place(-6, -0.6));
    expect(last(g.commands).value).toBe(37);
  });
});

describe('a mover', () => {
  const mover = {
    kind: 'mover' as const,
    frame: WORLD,
    by: { param: 'by', value: [1, 2, 3] as const },
    turns: { param: 'turns', value: [0, 0, 170] as const },
  };
  const doc = fakeDoc('move', { params: { by: [1, 2, 3] }, marks: [mover] });
  it('an arrow moves along one axis, a square in two', () => {
    const g = start(doc);
    g.drag(place(5, 0), place(8, 4));
    expect(last(g.commands)).toMatchObject({ key: 'by', value: [4, 2, 3], preview: false });
    const h = start(doc);
    h.drag(place(2.6, 2.6), place(3.6, 1.1));
    expect(last(h.commands)).toMatchObject({ key: 'by', value: [2, 0.5, 3] });
  });
  it('a ring turns, kept between -180 and 180', () => {
    const g = start(doc);
    g.drag(place(5.2 * Math.cos(2.2), 5.2 * Math.sin(2.2)), place(5.2 * Math.cos(2.2 + Math.PI / 6), 5.2 * Math.sin(2.2 + Math.PI / 6)));
    expect(last(g.commands)).toMatchObject({ key: 'turns', value: [0, 0, -160] });
  });
  it('takes a typed displacement', () => {
    const g = start(doc);
    g.k.press(1, place(5, 0));
    for (const key of ['-', '7']) g.k.key(key, true);
    g.k.key('Enter', true);
    expect(last(g.commands)).toMatchObject({ value: [-7, 2, 3], preview: false });
  });
});

describe('other handles', () => {
  it('a drawn point goes to the snap; the others stay', () => {
    const points = [
      [0, 0],
      [10, 0],
    ];
    const doc = fakeDoc('polyline', {
      params: { points },
      drawn: { step: { id: 'open' } as never, tool: {} as never, draws: { points: 'points', minimum: 2 }, points },
    });
    const g = start(doc);
    g.drag(place(10, 0), place(12.2, 3.1));
    expect(last(g.commands)).toMatchObject({
      key: 'points',
      value: [
        [0, 0],
        [12, 3],
      ],
      preview: false,
    });
  });
  it('ends of a chain are pulled in along it and never past each other; one edit', () => {
    const chain = {
      kind: 'chain' as const,
      slot: 'profile',
      index: 0,
      points: [
        [0, 0, 0],
        [4, 0, 0],
        [20, 0, 0],
      ] as never,
      closed: false,
      cut: [0, 1] as const,
    };
    const pick = { step: 's', output: 'main', part: { kind: 'edge', name: 'x' }, grow: { way: 'chain' } };
    const doc = fakeDoc('extrude', { inputs: { profile: [pick] as never[] }, marks: [chain] });
    const g = start(doc);
    g.drag(place(0, 0), place(5, 1));
    const c = g.commands[g.commands.length - 1] as Extract<Command, { do: 'inputs' }>;
    expect([c.slot, c.preview, c.picks[0].grow?.cut]).toEqual(['profile', false, [0.25, 1]]);
    const h = start(doc);
    h.drag(place(20, 0), place(-5, 0));
    expect((h.commands[h.commands.length - 1] as Extract<Command, { do: 'inputs' }>).picks[0].grow?.cut).toEqual([0, 0.01]);
  });
  it('a click on an arrow of a loft turns the direction, a drag of its dot moves the start', () => {
    const slide = {
      kind: 'slide' as const,
      points: [
        [0, 0, 0],
        [10, 0, 0],
      ] as never,
      closed: false,
      at: 0.5,
      param: 'share',
      template: '$share',
      click: { params: { flip: true }, hint: 'Turn' },
    };
    const doc = fakeDoc('loft', { marks: [slide] });
    const g = start(doc);
    g.click(place(5, 0));
    expect(g.commands).toEqual([{ do: 'params', step: 'open', params: { flip: true } }]);
    g.drag(place(5, 0), place(7.5, 2));
    expect(last(g.commands)).toMatchObject({ key: 'share', value: 0.75, preview: false });
  });
});

describe('shares', () => {
  it('of steps and of length go over into each other', () => {
    const points = [
      [0, 0, 0],
      [1, 0, 0],
      [10, 0, 0],
      [12, 0, 0],
    ] as never;
    expect(lengthShare(points, 1 / 3)).toBeCloseTo(1 / 12, 12);
    for (const s of [0, 0.03, 0.5, 0.9, 1]) expect(lengthShare(points, stepShare(points, s))).toBeCloseTo(s, 9);
  });
});
