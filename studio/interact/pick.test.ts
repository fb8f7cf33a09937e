import type { Slot } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { beforeEach, describe, expect, it } from 'vitest';
import type { Doc } from './doc.ts';
import { fakeDoc, fakeStage, gestures, hit, place } from './fake-stage.ts';

const slotOf = (tool: string, name: string) => ({ name, slot: TOOLS.get(tool)?.slots[name] as Slot });
let doc: Doc;
let view: ReturnType<typeof fakeStage>;
let g: ReturnType<typeof gestures>;
const start = (d: Doc) => {
  doc = d;
  view = fakeStage();
  g = gestures(view, () => doc);
};
beforeEach(() => start(fakeDoc(undefined)));

describe('selecting', () => {
  it('picks what is in front; Ctrl adds, Alt goes to the part at once', () => {
    view.found = [hit('s', 'face', 's:top'), hit('s', 'piece')];
    g.click(place(0, 0));
    g.click(place(0, 0, { ctrl: true }));
    g.click(place(0, 0, { alt: true }));
    expect(g.commands.map((c) => (c.do === 'pick' ? [c.pick.part?.name, c.more, c.direct] : c.do))).toEqual([
      ['s:top', false, false],
      ['s:top', true, false],
      ['s:top', false, true],
    ]);
  });
  it('lights what a click would take: the piece first, its face once it is selected', () => {
    view.found = [hit('s', 'face', 's:top')];
    g.hover(place(0, 0));
    expect(g.shown().hover).toEqual({ step: 's', output: 'main' });
    doc = fakeDoc(undefined, { selection: [{ step: 's', output: 'main' }] });
    g.hover(place(0, 1));
    expect(g.shown().hover?.part?.name).toBe('s:top');
  });
  it('Ctrl on nothing keeps the selection', () => {
    g.click(place(0, 0, { ctrl: true }));
    expect(g.commands).toEqual([]);
  });
});

describe('filling a slot', () => {
  it('takes only what fits, and says so where nothing does', () => {
    start(fakeDoc('loft', { slot: slotOf('loft', 'sections') }));
    view.found = [hit('s', 'face', 's:top')];
    g.click(place(0, 0));
    expect(g.commands[0]).toMatchObject({ do: 'nothingHere', why: 'Nothing here fits Sections: pick a curve or edge or a point' });
    view.found.push(hit('s', 'edge', 's:v0'));
    g.click(place(0, 0));
    expect(g.commands[1]).toMatchObject({ do: 'pick', pick: { part: { kind: 'edge', name: 's:v0' } } });
  });
  it('Shift takes the smooth chain, again the loop, again the rim, and says so at the cursor', () => {
    start(fakeDoc('loft', { slot: slotOf('loft', 'sections') }));
    const e = hit('s', 'edge', 's:v0');
    view.found = [e];
    g.hover(place(0, 0));
    expect(g.shown().tip?.text).toBe('s:v0 · Shift: smooth chain');
    const ways: (string | undefined)[] = [];
    for (let k = 0; k < 4; k++) {
      g.click(place(0, 0, { shift: true }));
      const c = g.commands[k];
      if (c.do !== 'pick') throw new Error(c.do);
      ways.push(c.pick.grow?.way);
      doc = fakeDoc('loft', { slot: slotOf('loft', 'sections'), inputs: { sections: [c.pick] as never[] } });
    }
    expect(ways).toEqual(['chain', 'loop', 'rim', 'chain']);
  });
  it('a row of faces where the slot takes many', () => {
    start(fakeDoc('remove-faces', { slot: slotOf('remove-faces', 'faces') }));
    view.found = [hit('s', 'face', 's:top')];
    g.click(place(0, 0, { shift: true }));
    expect(g.commands[0]).toMatchObject({ do: 'pick', pick: { grow: { way: 'smooth' } } });
  });
});

describe('pieces that a cut left', () => {
  const marks = [
    { kind: 'region' as const, at: [0, 0, 0] as const, kept: true },
    { kind: 'region' as const, at: [20, 0, 0] as const, kept: false },
  ];
  it('a click on a dot, or on the piece itself, keeps it or lets it go; the last one stays', () => {
    start(fakeDoc('trim', { marks }));
    g.click(place(20, 0));
    expect(g.commands[0]).toEqual({
      do: 'params',
      step: 'open',
      params: {
        keep: 'picked',
        places: [
          [0, 0, 0],
          [20, 0, 0],
        ],
      },
    });
    g.click(place(0, 0));
    expect(g.commands.length).toBe(1);
    view.region = 1;
    g.hover(place(50, 50));
    expect(g.shown().tip?.text).toBe('Goes: click to keep it');
    g.click(place(50, 50));
    expect(g.commands.length).toBe(2);
  });
});

describe('a box', () => {
  it('with Shift: takes what lies inside; in a slot only what fits', () => {
    const inside = [
      { key: 'a/main', step: 'a', output: 'main', kind: 'curve' },
      { key: 's/main', step: 's', output: 'main', kind: 'skin' },
    ];
    view.inside = () => inside;
    g.drag(place(0, 0, { shift: true }), place(5, 5, { shift: true }));
    expect(g.commands).toEqual([
      {
        do: 'select',
        add: false,
        picks: [
          { step: 'a', output: 'main' },
          { step: 's', output: 'main' },
        ],
      },
    ]);
    expect(g.shown().box).toBeNull();
    start(fakeDoc('loft', { slot: slotOf('loft', 'sections') }));
    view.inside = () => inside;
    g.drag(place(0, 0, { shift: true }), place(5, 5, { shift: true }));
    expect(g.commands).toEqual([{ do: 'pick', pick: { step: 'a', output: 'main' }, more: true, direct: true }]);
  });
  it('is put away by Escape', () => {
    g.k.press(1, place(0, 0, { shift: true }));
    g.k.move(1, place(5, 5, { shift: true }));
    g.frame();
    expect(g.shown().box).toBeTruthy();
    expect(g.k.key('Escape', true)).toBe(true);
    expect(g.shown().box).toBeNull();
    g.k.release(1, place(5, 5));
    expect(g.commands).toEqual([]);
  });
});
