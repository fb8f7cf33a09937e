import { emptyModel } from '@ample-skin/core/recipe';
import type { Sketch } from '@ample-skin/core/sketch';
import { beforeEach, describe, expect, it } from 'vitest';
import { getStudio, setStudio } from '../state/store.ts';
import {
  backSketch,
  chooseSketch,
  clickSketch,
  dimensionValues,
  dragSketch,
  endDragSketch,
  followsOf,
  offers,
  openSketch,
  pinned,
  putSketch,
  readable,
  reportOf,
  setSketchTool,
  withoutParts,
} from './sketching.ts';

beforeEach(() => {
  const step = { id: 'k', tool: 'sketch', version: 1, inputs: {}, params: {} };
  setStudio({
    paused: true,
    model: emptyModel('s'),
    draft: { step },
    open: 'k',
    slot: undefined,
    dials: new Map([['w', { value: 30 }]]),
    sketching: { pending: [], chosen: [] },
  });
});
const sketch = (): Sketch => openSketch()?.sketch as Sketch;
const click = (x: number, y: number, hit?: string) => clickSketch([x, y], hit);
const pointAt = (x: number, y: number) => sketch().points.find((p) => Math.hypot(p.x - x, p.y - y) < 1e-6)?.id;

describe('drawing in a sketch', () => {
  it('a run of lines shares its corners, closes on its start, and level and upright lines are meant so', () => {
    setSketchTool('line');
    click(0, 0);
    click(20, 0);
    click(20, 10);
    click(3, 14);
    click(0, 0, pointAt(0, 0));
    const s = sketch();
    expect([s.points.length, s.curves.length]).toEqual([4, 4]);
    expect(s.rules.map((r) => r.type)).toEqual(['horizontal', 'vertical']);
    // the run has ended on its own start
    expect(getStudio().sketching?.pending).toEqual([]);
    expect(reportOf(s).freedom).toBe(6);
  });
  it('a spline goes on with every click and closes on its first point', () => {
    setSketchTool('spline');
    for (const [x, y] of [
      [0, 0],
      [10, 8],
      [20, -3],
      [12, -12],
    ])
      click(x, y);
    expect(sketch().curves).toMatchObject([{ type: 'spline', degree: 3, points: { length: 4 } }]);
    click(0, 0, pointAt(0, 0));
    expect(sketch().curves).toMatchObject([{ type: 'spline', closed: true, points: { length: 4 } }]);
    expect(sketch().points.length).toBe(4);
    // the next click begins a new one
    click(40, 40);
    expect(sketch().curves.length).toBe(1);
  });
  it('circles, arcs, ellipses and points by their places', () => {
    setSketchTool('circle');
    click(0, 0);
    click(3, 4);
    expect(sketch().curves[0]).toMatchObject({ type: 'circle', r: 5 });
    setSketchTool('arc');
    click(50, 0);
    click(60, 0);
    click(50, 10);
    expect(sketch().curves[1]).toMatchObject({ type: 'arc', c: pointAt(50, 0), a: pointAt(60, 0), b: pointAt(50, 10) });
    setSketchTool('ellipse');
    click(100, 0);
    click(110, 0);
    click(104, 6);
    expect(sketch().curves[2]).toMatchObject({ type: 'ellipse', r: 6 });
    setSketchTool('point');
    click(7, 70);
    expect(pointAt(7, 70)).toBeDefined();
  });
  it('Esc ends the run, then lets go of the tool, then of what is chosen', () => {
    setSketchTool('line');
    click(0, 0);
    expect(backSketch()).toBe(true);
    expect(getStudio().sketching).toMatchObject({ tool: 'line', pending: [] });
    expect(backSketch()).toBe(true);
    expect(getStudio().sketching?.tool).toBeUndefined();
    chooseSketch(sketch().points[0].id, false);
    expect(backSketch()).toBe(true);
    expect(backSketch()).toBe(false);
  });
});

describe('rules and dimensions', () => {
  const square = () => {
    setSketchTool('line');
    click(0, 0);
    click(20, 0);
    click(20, 10);
    setSketchTool(undefined);
    return {
      a: pointAt(0, 0) as string,
      b: pointAt(20, 0) as string,
      c: pointAt(20, 10) as string,
      lines: sketch().curves.map((k) => k.id),
    };
  };
  it('offers what the choice can take, with the present measure', () => {
    const { a, b, c, lines } = square();
    const labels = (ids: string[]) => offers(sketch(), ids).map((o) => o.label);
    expect(labels([a])).toEqual(['Fixed']);
    expect(labels([a, b])).toEqual(['Coincident', 'Horizontal', 'Vertical', 'Distance', 'Along x', 'Along y']);
    expect(labels(lines)).toEqual(['Parallel', 'Perpendicular', 'Equal', 'Angle']);
    expect(labels([a, c, lines[0]])).toEqual(['Symmetric']);
    expect(offers(sketch(), [a, b]).find((o) => o.label === 'Distance')?.rule).toMatchObject({ value: 20 });
    expect(offers(sketch(), lines).find((o) => o.label === 'Angle')?.rule).toMatchObject({ value: 90 });
    expect(offers(sketch(), [c, lines[0]]).find((o) => o.label === 'Distance')?.rule).toMatchObject({ value: 10 });
  });
  it('a dimension over a dial moves the shape; a formula that cannot be read moves nothing', () => {
    const { a, b } = square();
    putSketch({
      ...sketch(),
      rules: [...sketch().rules, { id: 'f', type: 'fixed', point: a }, { id: 'd', type: 'distance', a, b, value: 'w' }],
    });
    const x = (id: string) => sketch().points.find((p) => p.id === id)?.x;
    expect(x(b)).toBeCloseTo(30, 9);
    setStudio({ dials: new Map([['w', { value: 42 }]]) });
    expect(reportOf(sketch()).sketch.points.find((p) => p.id === b)?.x).toBeCloseTo(42, 9);
    expect([...dimensionValues({ ...sketch(), rules: [{ id: 'd', type: 'distance', a, b, value: 'nobody*2' }] })]).toEqual([]);
  });
  it('a dragged point takes the rest along its freedoms, and the drag is one change', () => {
    const { a, b, c } = square();
    putSketch({
      ...sketch(),
      rules: [...sketch().rules, { id: 'f', type: 'fixed', point: a }, { id: 'd', type: 'distance', a: b, b: c, value: 10 }],
    });
    for (const to of [
      [22, 3],
      [26, 5],
      [31, 7],
    ])
      dragSketch(c, [to[0], to[1], 0]);
    endDragSketch();
    const p = (id: string) => sketch().points.find((q) => q.id === id) as { x: number; y: number };
    // b stays level with a, c stays 10 above b and follows the pointer along x
    expect(Math.hypot(p(a).x, p(a).y)).toBeLessThan(1e-9);
    expect(p(b).y).toBeCloseTo(0, 9);
    expect(p(c).x).toBeCloseTo(31, 6);
    expect(p(c).y - p(b).y).toBeCloseTo(10, 9);
  });
  it('a point follows what the sketch refers to: held where the engine found it, and let go again', () => {
    const { a, b, c } = square();
    const line: [number, number, number][] = Array.from({ length: 65 }, (_, i) => [25, i / 4, 0]);
    const marks = (at: [number, number, number]) =>
      new Map([
        [
          'k',
          {
            marks: [
              { kind: 'reference', index: 0, points: line },
              { kind: 'hold', id: c, at },
            ],
          },
        ],
      ]) as never;
    setStudio({ steps: marks([25, 16, 0]) });
    // the upper right corner lies nearest to somewhere in the middle, the lower one to the start
    expect(followsOf(sketch(), b)).toEqual([{ pick: 0, share: 0, label: 'Follow 1 at start' }]);
    expect(followsOf(sketch(), c)[0].share).toBeCloseTo(0.625, 2);
    putSketch({ ...sketch(), points: sketch().points.map((p) => (p.id === c ? { ...p, follows: { pick: 0, share: 1 } } : p)) });
    const p = (id: string) => reportOf(sketch()).sketch.points.find((q) => q.id === id) as { x: number; y: number };
    expect([p(c).x, p(c).y]).toEqual([expect.closeTo(25, 9), expect.closeTo(16, 9)]);
    // the line below it stays upright, the one along the bottom level
    expect(p(b).x).toBeCloseTo(25, 9);
    expect(p(a).y).toBeCloseTo(p(b).y, 9);
    // the reference moves: so does the shape, and nothing of the holding is saved
    setStudio({ steps: marks([30, 18, 0]) });
    expect(p(b).x).toBeCloseTo(30, 9);
    expect(reportOf(sketch()).freedom).toBe(2);
    putSketch(pinned(reportOf(sketch()).sketch));
    expect(reportOf(sketch()).freedom).toBe(0);
    expect(sketch().rules.some((r) => r.id.startsWith('held'))).toBe(false);
  });
  it('what is deleted takes its rules along, and points that nothing uses', () => {
    const { a, b, lines } = square();
    const s = withoutParts({ ...sketch(), rules: [...sketch().rules, { id: 'd', type: 'distance', a, b, value: 20 }] }, [lines[0]]);
    expect(s.curves.map((k) => k.id)).toEqual([lines[1]]);
    expect(s.points.map((p) => p.id)).not.toContain(a);
    expect(s.rules.map((r) => r.type)).toEqual(['vertical']);
  });
});

it('a recipe written by hand may hold anything where a sketch belongs', () => {
  for (const bad of [undefined, null, 'x', 7, {}, { points: [], curves: [{ id: 'l', kind: 'line' }], rules: [] }])
    expect(readable(bad)).toBeUndefined();
  const good = { points: [], curves: [], rules: [] };
  expect(readable(good)).toBe(good);
});
