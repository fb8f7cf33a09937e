import { emptyModel, type Model, type Pick, type Step } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import {
  change,
  copyChosen,
  discardDraft,
  duplicateChosen,
  endPreview,
  getStudio,
  hideSelection,
  invertSelection,
  jumpTo,
  keepDraft,
  openModel,
  openStep,
  paste,
  pickAt,
  redo,
  removeChosen,
  removeSteps,
  select,
  selectAll,
  setInputs,
  setParams,
  setPickSettings,
  setStudio,
  standingOf,
  startTool,
  stepOf,
  togglePlane,
  undo,
} from './store.ts';

vi.mock('./engine-client.ts', () => ({ engine: { facts: async () => [], cancel: () => undefined } }));
// edits are sent by a queue of their own, tested beside this; here nobody answers
vi.stubGlobal('fetch', () => new Promise(() => undefined));

const step = (id: string, tool: string, params: Step['params'] = {}, inputs: Step['inputs'] = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs,
});
const pick = (id: string, output = 'main'): Pick => ({ step: id, output });
const view = (id: string, kind: PieceView['kind'], output = 'main'): PieceView => ({
  key: `${id}/${output}`,
  step: id,
  output,
  kind,
  live: true,
  stale: false,
  stamp: '1',
  facts: [],
});
const model = (): Model => ({
  ...emptyModel('shop'),
  steps: [
    step('a', 'circle', { radius: 5 }),
    step('b', 'circle', { radius: 7 }),
    step('p', 'work-plane'),
    step('e', 'extrude', {}, { profile: [pick('a')] }),
  ],
  groups: [{ id: 'g', name: 'Lines' }],
});
beforeEach(() => {
  // the engine is not wanted here: computing is paused
  setStudio({ paused: true });
  openModel({ id: 'm', revision: 0, recipe: model(), history: [] }, () => ({
    put: async () => undefined,
    drop: async () => undefined,
    takeLeft: async () => [],
  }));
  setStudio({
    pieces: new Map([view('a', 'curve'), view('b', 'curve'), view('p', 'plane'), view('e', 'skin')].map((v) => [v.key, v])),
    open: undefined,
    slot: undefined,
    selection: [],
    plane: undefined,
    lastPlane: undefined,
  });
});
const draft = () => getStudio().draft?.step;
const names = () => getStudio().model.steps.map((s) => s.id);

describe('starting a tool', () => {
  it('fills its slots from what is selected and asks for what is missing', () => {
    setStudio({ selection: [pick('b'), pick('e')] });
    startTool('project-curve');
    expect(draft()?.inputs.curves).toEqual([pick('b')]);
    expect(draft()?.inputs.onto).toEqual([pick('e')]);
    // all needed slots are filled; the one that takes more stays open
    expect(getStudio().slot).toBe('curves');
    expect(getStudio().stage).toBe('curves');
    discardDraft();
    startTool('project-curve');
    expect(draft()?.inputs.curves).toEqual([]);
    expect(getStudio().slot).toBe('curves');
  });
  it('drawing, moving and mirroring take the active plane; others do not', () => {
    setStudio({ plane: pick('p') });
    for (const [tool, takes] of [
      ['circle', true],
      ['sketch', true],
      ['picture', true],
      ['move', true],
      ['mirror', true],
      ['edit-curve', false],
      ['export', false],
    ] as const) {
      startTool(tool);
      expect(draft()?.inputs.plane ?? []).toEqual(takes ? [pick('p')] : []);
      discardDraft();
    }
  });
  it('a second tool keeps the first one; Esc throws a draft away and leaves no edit', () => {
    startTool('circle');
    const first = draft()?.id;
    startTool('ellipse');
    expect(names()).toContain(first);
    expect(getStudio().undo.length).toBe(1);
    discardDraft();
    expect(getStudio().undo.length).toBe(1);
    expect(getStudio().open).toBeUndefined();
  });
});

describe('picking', () => {
  it('fills the open slot, goes on to the next, takes out what is picked again, and never more than fit', () => {
    startTool('project-curve');
    pickAt(pick('a'), false);
    pickAt(pick('b'), false);
    expect(draft()?.inputs.curves).toEqual([pick('a'), pick('b')]);
    pickAt(pick('a'), false);
    expect(draft()?.inputs.curves).toEqual([pick('b')]);
    // a skin is not a curve
    pickAt(pick('e'), false);
    expect(draft()?.inputs.curves).toEqual([pick('b')]);
    discardDraft();
    startTool('trim');
    pickAt(pick('e'), false);
    expect(draft()?.inputs.target).toEqual([pick('e')]);
    expect(getStudio().slot).toBe('cutters');
  });
  it('selects without a slot: one, more with Ctrl, none by clicking again', () => {
    pickAt(pick('a'), false);
    pickAt(pick('b'), true);
    expect(getStudio().selection).toEqual([pick('a'), pick('b')]);
    pickAt(pick('a'), true);
    expect(getStudio().selection).toEqual([pick('b')]);
    pickAt(pick('b'), false);
    expect(getStudio().selection).toEqual([]);
  });
});

describe('pieces first, then parts', () => {
  const face = (name: string): Pick => ({ ...pick('e'), part: { kind: 'face', name } });
  it('a first click takes the piece, a second one its face, Alt the face at once', () => {
    pickAt(face('e:side'), false);
    expect(getStudio().selection).toEqual([pick('e')]);
    pickAt(face('e:side'), false);
    expect(getStudio().selection).toEqual([face('e:side')]);
    pickAt(face('e:top'), false);
    expect(getStudio().selection).toEqual([face('e:top')]);
    pickAt(face('e:top'), true);
    select([]);
    pickAt(face('e:side'), false, true);
    expect(getStudio().selection).toEqual([face('e:side')]);
  });
  it('all, inverted, hidden ones left out', () => {
    selectAll();
    expect(getStudio().selection.length).toBe(4);
    select([pick('a')]);
    invertSelection();
    expect(getStudio().selection.map((p) => p.step)).toEqual(['b', 'p', 'e']);
    change('Hide', { type: 'setPiece', key: 'b/main', look: { hidden: true } });
    selectAll();
    expect(getStudio().selection.map((p) => p.step)).toEqual(['a', 'p', 'e']);
  });
  it('removing what others use asks first and says what would wait', () => {
    select([pick('a')]);
    removeChosen();
    expect(getStudio().removing).toEqual({ steps: ['a'], waiting: ['e'] });
    expect(names()).toContain('a');
    setStudio({ removing: undefined });
    select([pick('b')]);
    removeChosen();
    expect(getStudio().removing).toBeUndefined();
    expect(names()).not.toContain('b');
    expect(getStudio().selection).toEqual([]);
  });
  it('copies keep their references among each other and get names of their own', () => {
    select([pick('a'), pick('e')]);
    copyChosen();
    paste();
    const [a, e] = getStudio().model.steps.slice(-2);
    expect(e.inputs.profile).toEqual([{ ...pick('a'), step: a.id }]);
    expect([a.name, e.name]).toEqual(['Circle copy', 'Extrude copy']);
    expect(getStudio().selection.map((p) => p.step)).toEqual([a.id, e.id]);
    duplicateChosen();
    expect(getStudio().model.steps.length).toBe(8);
    expect(new Set(getStudio().model.steps.map((s) => s.id)).size).toBe(8);
  });
});

describe('slots', () => {
  it('new steps are numbered by kind', () => {
    startTool('circle');
    expect(draft()?.name).toBe('Circle 3');
    keepDraft();
    startTool('circle');
    expect(draft()?.name).toBe('Circle 4');
  });
  it('a pick that is taken again with another way of growing keeps its place', () => {
    startTool('extrude');
    const edge: Pick = { ...pick('e'), part: { kind: 'edge', name: 'x' } };
    pickAt(edge, false);
    pickAt({ ...edge, grow: { way: 'chain' } }, false);
    expect(draft()?.inputs.profile).toEqual([{ ...edge, grow: { way: 'chain' } }]);
  });
  it('settings of one pick are saved with it', () => {
    setPickSettings(stepOf('e') as Step, 'profile', 0, { reach: 2 });
    expect(stepOf('e')?.inputs.profile[0]).toEqual({ ...pick('a'), settings: { reach: 2 } });
    undo();
    expect(stepOf('e')?.inputs.profile[0]).toEqual(pick('a'));
  });
});

describe('changing', () => {
  it('a drag is one edit, however many steps it took; a drag back to the start is none', () => {
    openStep('a');
    const before = stepOf('a')?.params.radius;
    for (const r of [5.5, 6, 6.5]) setParams('a', { radius: r }, true);
    expect(stepOf('a')?.params.radius).toBe(6.5);
    expect(getStudio().undo.length).toBe(0);
    endPreview('a', 'radius', before, 6.5);
    expect(getStudio().undo.length).toBe(1);
    undo();
    expect(stepOf('a')?.params.radius).toBe(5);
    redo();
    expect(stepOf('a')?.params.radius).toBe(6.5);
    setParams('a', { radius: 9 }, true);
    endPreview('a', 'radius', 6.5, 6.5);
    expect(getStudio().undo.length).toBe(1);
    expect(stepOf('a')?.params.radius).toBe(6.5);
  });
  it('undo first lets go of a draft, then of edits, down to the first', () => {
    setParams('a', { radius: 6 });
    setInputs('e', 'profile', [pick('b')]);
    startTool('circle');
    undo();
    expect(draft()).toBeUndefined();
    expect(stepOf('e')?.inputs.profile).toEqual([pick('b')]);
    undo();
    undo();
    undo();
    expect(stepOf('a')?.params.radius).toBe(5);
    expect(stepOf('e')?.inputs.profile).toEqual([pick('a')]);
    expect(getStudio().redo.length).toBe(2);
    change('Other', { type: 'setModel', name: 'other' });
    expect(getStudio().redo.length).toBe(0);
  });
  it('the list of changes is jumped in, both ways', () => {
    for (const r of [6, 7, 8]) setParams('a', { radius: r });
    expect(getStudio().undo.map((e) => e.label)).toEqual(['Change Circle', 'Change Circle', 'Change Circle']);
    jumpTo(1);
    expect(stepOf('a')?.params.radius).toBe(6);
    jumpTo(3);
    expect(stepOf('a')?.params.radius).toBe(8);
    jumpTo(0);
    expect(stepOf('a')?.params.radius).toBe(5);
  });
  it('the same value again is no change; what breaks the recipe is refused', () => {
    setParams('a', { radius: 5 });
    expect(getStudio().undo.length).toBe(0);
    expect(change('Long', { type: 'setStep', id: 'a', name: 'x'.repeat(500) })).toBe(false);
    expect(change('Odd', { type: 'setPiece', key: '__proto__', look: { hidden: true } })).toBe(false);
    expect(
      change(
        'Groups',
        ...Array.from({ length: 201 }, (_, i) => ({ type: 'setGroup' as const, id: `g${i}`, group: { id: `g${i}`, name: 'x' } })),
      ),
    ).toBe(false);
    expect(getStudio().undo.length).toBe(0);
  });
  it('an edit that does not fit is told and changes nothing', () => {
    expect(change('Gone', { type: 'removeStep', id: 'nobody' })).toBe(false);
    expect(getStudio().notices.at(-1)).toMatchObject({ kind: 'error', text: 'Gone: the step is gone already' });
    expect(getStudio().undo.length).toBe(0);
  });
  it('a removed step closes its card; a kept draft stands at the end', () => {
    openStep('b');
    removeSteps([stepOf('b') as Step]);
    expect(getStudio().open).toBeUndefined();
    startTool('circle');
    const id = draft()?.id;
    keepDraft();
    expect(names()).toEqual(['a', 'p', 'e', id]);
  });
});

describe('looks', () => {
  it('hides the selection, shows only it, and shows all again, groups too', () => {
    setStudio({ selection: [pick('a')] });
    hideSelection(false);
    expect(standingOf()('a/main').hidden).toBe(true);
    setStudio({ selection: [pick('b')] });
    hideSelection(true);
    expect(['a', 'b', 'p', 'e'].map((k) => standingOf()(`${k}/main`).hidden)).toEqual([true, false, true, true]);
    change(
      'Hide group',
      { type: 'setGroup', id: 'g', group: { id: 'g', name: 'Lines', hidden: true } },
      { type: 'setPiece', key: 'b/main', look: { group: 'g' } },
    );
    setStudio({ selection: [] });
    hideSelection(true);
    expect(['a', 'b', 'p', 'e'].map((k) => standingOf()(`${k}/main`).hidden)).toEqual([false, false, false, false]);
  });
  it('P goes to the first plane, to the world, and back to the last plane', () => {
    togglePlane();
    expect(getStudio().plane).toEqual(pick('p'));
    togglePlane();
    expect(getStudio().plane).toBeUndefined();
    togglePlane();
    expect(getStudio().plane).toEqual(pick('p'));
  });
});
