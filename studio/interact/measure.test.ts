import { beforeEach, describe, expect, it } from 'vitest';
import { measureAt, measuredText, toggleMeasuring } from '../state/measuring.ts';
import { getStudio, setStudio } from '../state/state.ts';
import { fakeDoc, fakeStage, gestures, hit, place } from './fake-stage.ts';

const vertex = (x: number, y: number, z: number) => ({ ...hit('a', 'vertex', 'v'), point: [x, y, z] as const });
beforeEach(() => setStudio({ measuring: undefined }));

describe('measuring', () => {
  it('a click on what is there is a place in space; one in the open says what to click', () => {
    const view = fakeStage();
    const g = gestures(view, () => fakeDoc(undefined, { measuring: true }));
    expect(g.k.mode()).toBe('measure');
    view.found = [vertex(1, 2, 3)];
    g.hover(place(1, 2));
    expect(g.shown().tip?.text).toBe('1, 2, 3 · corner');
    expect(g.shown().cursor).toEqual([1, 2, 3]);
    g.click(place(1, 2));
    view.found = [];
    g.click(place(5, 5));
    expect(g.commands[0]).toEqual({ do: 'measurePoint', at: [1, 2, 3] });
    expect(g.commands[1]).toMatchObject({ do: 'nothingHere' });
    g.hover(place(5, 5));
    expect(g.shown().cursor).toBeNull();
  });
  it('a drag turns the view and measures nothing', () => {
    const view = fakeStage();
    view.found = [vertex(0, 0, 0)];
    const g = gestures(view, () => fakeDoc(undefined, { measuring: true }));
    g.drag(place(0, 0), place(3, 0), place(6, 0));
    expect(g.commands.some((c) => c.do === 'measurePoint')).toBe(false);
    expect(g.commands.some((c) => c.do === 'orbit')).toBe(true);
  });
  it('comes before whatever is open, and lets go of it again', () => {
    const view = fakeStage();
    let measuring = true;
    const g = gestures(view, () => fakeDoc('polyline', { measuring, drawing: true }));
    expect(g.k.mode()).toBe('measure');
    measuring = false;
    expect(g.k.mode()).toBe('draw');
  });
  it('two places make a pair, a third begins anew', () => {
    toggleMeasuring();
    expect(getStudio().measuring).toEqual([]);
    measureAt([0, 0, 0]);
    measureAt([3, 4, 12]);
    expect(getStudio().measuring?.length).toBe(2);
    measureAt([9, 9, 9]);
    expect(getStudio().measuring).toEqual([[9, 9, 9]]);
    toggleMeasuring();
    expect(getStudio().measuring).toBeUndefined();
  });
  it('the text gives the distance and its parts with their signs', () => {
    expect(measuredText([0, 0, 0], [3, -4, 12])).toBe('13 mm (x 3 mm, y -4 mm, z 12 mm)');
  });
});
