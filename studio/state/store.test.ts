import { emptyModel, type Model, type Pick, type Step } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { hideSelection, togglePlane } from './commands.ts';
import {
  change,
  discardDraft,
  endPreview,
  getStudio,
  keepDraft,
  openModel,
  openStep,
  pickAt,
  redo,
  removeStep,
  setInputs,
  setParams,
  setStudio,
  standingOf,
  startTool,
  stepOf,
  undo,
} from './store.ts';

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
  openModel({ id: 'm', revision: 0, recipe: model(), history: [] });
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
  it('an edit that does not fit is told and changes nothing', () => {
    expect(change('Gone', { type: 'removeStep', id: 'nobody' })).toBe(false);
    expect(getStudio().notices.at(-1)).toMatchObject({ kind: 'error', text: 'Gone: the step is gone already' });
    expect(getStudio().undo.length).toBe(0);
  });
  it('a removed step closes its card; a kept draft stands at the end', () => {
    openStep('b');
    removeStep('b');
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
