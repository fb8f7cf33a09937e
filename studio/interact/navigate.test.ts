import { beforeEach, describe, expect, it, vi } from 'vitest';
import { HOLD_MS } from './controller.ts';
import { fakeDoc, fakeStage, gestures, hit, place } from './fake-stage.ts';

let g: ReturnType<typeof gestures>;
let view: ReturnType<typeof fakeStage>;
beforeEach(() => {
  view = fakeStage();
  g = gestures(view, () => fakeDoc(undefined));
});

describe('navigating lies beneath everything', () => {
  it('a drag on nothing orbits by what it moved; a press that stays is a click', () => {
    g.drag(place(0, 0), place(1, 0), place(2, 0.5));
    expect(g.commands).toEqual([
      { do: 'orbit', pane: 0, dx: 10, dy: 0 },
      { do: 'orbit', pane: 0, dx: 10, dy: -5 },
    ]);
    g.commands.length = 0;
    g.click(place(0, 0));
    expect(g.commands).toEqual([{ do: 'clear' }]);
  });
  it('a trembling hand still clicks', () => {
    view.found = [hit('s', 'piece')];
    g.drag(place(0, 0), place(0.2, 0.2));
    expect(g.commands).toEqual([{ do: 'pick', pick: { step: 's', output: 'main' }, more: false, direct: false }]);
  });
  it('the right and middle buttons pan; a right click lists what lies there', () => {
    for (const button of [1, 2]) g.drag(place(0, 0, { button }), place(3, 0, { button }));
    expect(g.commands.map((c) => c.do)).toEqual(['pan', 'pan']);
    view.found = [hit('s', 'face', 'top'), hit('s', 'piece')];
    g.click(place(1, 1, { button: 2 }));
    expect(g.shown().list?.hits.map((h) => h.kind)).toEqual(['face', 'piece']);
  });
  it('a long press lists too, and is no click', () => {
    vi.useFakeTimers();
    view.found = [hit('s', 'piece')];
    g.k.press(1, place(0, 0));
    vi.advanceTimersByTime(HOLD_MS + 10);
    g.k.release(1, place(0, 0));
    vi.useRealTimers();
    expect(g.shown().list?.hits.length).toBe(1);
    expect(g.commands).toEqual([]);
  });
  it('a drag that is heard of late is a drag, and the list goes away', () => {
    vi.useFakeTimers();
    view.found = [hit('s', 'piece')];
    g.k.press(1, place(0, 0));
    vi.advanceTimersByTime(HOLD_MS + 10);
    g.k.move(1, place(0.5, 0));
    g.frame();
    expect(g.shown().list?.hits.length).toBe(1);
    g.k.move(1, place(6, 0));
    g.frame();
    g.k.release(1, place(6, 0));
    vi.useRealTimers();
    expect(g.shown().list).toBeNull();
    expect(g.commands).toEqual([{ do: 'orbit', pane: 0, dx: 60, dy: 0 }]);
  });
  it('the wheel zooms to the pointer, two fingers on a touchpad pan, pinching zooms and pans', () => {
    g.k.wheel(place(1, 2), { deltaX: 0, deltaY: 100, deltaMode: 0 });
    g.k.wheel(place(1, 2), { deltaX: 30, deltaY: 10, deltaMode: 0 });
    expect(g.commands.map((c) => c.do)).toEqual(['zoom', 'pan']);
    expect((g.commands[0] as { factor: number }).factor).toBeCloseTo(Math.exp(0.12), 9);
    g.commands.length = 0;
    g.k.press(1, place(0, 0));
    g.k.press(2, place(10, 0));
    g.k.move(2, place(20, 0));
    expect(g.commands).toEqual([
      { do: 'zoom', pane: 0, factor: 0.5, at: { x: 100, y: -0 } },
      { do: 'pan', pane: 0, dx: 50, dy: 0 },
    ]);
    g.k.release(2, place(20, 0));
    g.k.release(1, place(0, 0));
    expect(g.commands.length).toBe(2);
  });
  it('the mouse reports faster than pictures are drawn: only its last place counts', () => {
    g.k.press(1, place(0, 0));
    for (let i = 1; i <= 20; i++) g.k.move(1, place(i, 0));
    g.frame();
    g.k.release(1, place(20, 0));
    expect(g.commands).toEqual([{ do: 'orbit', pane: 0, dx: 200, dy: 0 }]);
  });
});
