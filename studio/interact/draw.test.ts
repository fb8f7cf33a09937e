import { describe, expect, it } from 'vitest';
import { fakeDoc, fakeStage, gestures, place } from './fake-stage.ts';

describe('drawing', () => {
  const doc = fakeDoc('polyline', { drawing: true });
  it('shows where a click goes, and sets the point there', () => {
    const g = gestures(fakeStage(), () => doc);
    g.hover(place(3.2, 4.1));
    expect(g.shown().cursor).toEqual([3, 4, 0]);
    expect(g.shown().tip?.text).toBe('3, 4');
    expect(g.shown().shape).toBe('crosshair');
    g.click(place(3.2, 4.1));
    expect(g.commands).toEqual([{ do: 'addPoint', at: [3, 4, 0] }]);
  });
  it('a drag turns the view and sets no point', () => {
    const g = gestures(fakeStage(), () => doc);
    g.drag(place(0, 0), place(4, 0));
    expect(g.commands.map((c) => c.do)).toEqual(['orbit']);
  });
  it('several snaps are offered by a right click or Tab', () => {
    const two = fakeDoc('polyline', {
      drawing: true,
      snaps: () => [
        { kind: 'end', local: [1, 0, 0], label: 'end', pixels: 2 },
        { kind: 'grid', local: [2, 0, 0], label: 'grid', pixels: 0 },
      ],
    });
    const g = gestures(fakeStage(), () => two);
    g.click(place(1, 0, { button: 2 }));
    expect(g.shown().list?.snaps.map((s) => s.label)).toEqual(['end', 'grid']);
    g.hover(place(1, 0));
    expect(g.k.key('Tab', true)).toBe(true);
    expect(g.k.key('Tab', false)).toBe(false);
  });
  it('leaving the view takes the cursor away', () => {
    const g = gestures(fakeStage(), () => doc);
    g.hover(place(3, 4));
    g.k.out();
    expect([g.shown().cursor, g.shown().tip]).toEqual([null, null]);
  });
});

describe('an open sketch', () => {
  const sketch = (drawing: boolean) =>
    fakeDoc('sketch', { sketch: { points: ['p'], drawing, frame: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } } });
  it('draws with its tool, chooses without one', () => {
    const g = gestures(fakeStage(), () => sketch(true));
    g.click(place(2.1, 1.9));
    expect(g.commands).toEqual([{ do: 'sketchClick', at: [2, 2], hit: undefined }]);
    const h = gestures(fakeStage(), () => sketch(false));
    h.click(place(2, 2, { shift: false, ctrl: true }));
    expect(h.commands).toEqual([{ do: 'sketchChoose', id: undefined, more: true }]);
  });
});
