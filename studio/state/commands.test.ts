import { emptyModel } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { keysOfEvent } from '../ui/key-names.ts';
import { COMMANDS, getSettings, getStudio, holderOf, keyOf, keyText, setSettings, setStudio, toggleDesk, togglePlane } from './store.ts';

vi.mock('./engine-client.ts', () => ({ engine: { facts: async () => [], cancel: () => undefined } }));

const key = (k: string, more: Partial<Record<'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey', boolean>> = {}) =>
  keysOfEvent({ key: k, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more });
const plane = (id: string): PieceView => ({
  key: `${id}/main`,
  step: id,
  output: 'main',
  kind: 'plane',
  live: true,
  stale: false,
  stamp: '1',
  facts: [],
});
beforeEach(() => {
  setStudio({
    paused: true,
    selection: [],
    plane: undefined,
    lastPlane: undefined,
    pieces: new Map(),
    desk: { tab: 'seams', size: 'shut' },
  });
  setSettings({ keys: {} });
});

describe('keys', () => {
  it('no two commands share a key, and none is left without a name', () => {
    const taken = COMMANDS.map((c) => keyOf(c, {})).filter(Boolean);
    expect(new Set(taken).size).toBe(taken.length);
    expect(new Set(COMMANDS.map((c) => c.id)).size).toBe(COMMANDS.length);
    expect(COMMANDS.every((c) => c.label.length > 1)).toBe(true);
  });
  it('a changed key acts instead of the old one, and is told when another has it', () => {
    const look = COMMANDS.find((c) => c.id === 'look');
    if (!look) throw new Error('no look');
    expect(keyOf(look, { look: 'g' })).toBe('g');
    expect(holderOf('l', 'fit', {})?.id).toBe('look');
    expect(holderOf('l', 'look', {})).toBeUndefined();
    expect(holderOf('', 'fit', {})).toBeUndefined();
    expect(holderOf('g', 'fit', { look: 'g' })?.id).toBe('look');
    setSettings({ keys: { look: 'g' } });
    expect(keyOf(look)).toBe('g');
  });
  it('are read from events as the table writes them', () => {
    expect(key('a')).toBe('a');
    expect(key('A', { shiftKey: true })).toBe('shift+a');
    expect(key('z', { ctrlKey: true })).toBe('mod+z');
    expect(key('Z', { metaKey: true, shiftKey: true })).toBe('mod+shift+z');
    // a question mark is itself, however it is reached
    expect(key('?', { shiftKey: true })).toBe('?');
    expect(key(' ')).toBe('space');
    expect(key('Enter')).toBe('enter');
    expect(key('F4')).toBe('f4');
    for (const none of ['Tab', 'Shift', 'Control', 'Dead', 'ArrowUp']) expect(key(none)).toBeUndefined();
  });
  it('are written for people', () => {
    expect(keyText('mod+shift+z')).toBe('Ctrl Shift Z');
    expect(keyText('space')).toBe('Space');
    expect(keyText('/')).toBe('/');
  });
});

describe('commands', () => {
  const run = (id: string) => COMMANDS.find((c) => c.id === id)?.run();
  it('stages, panes, looks and dialogs', () => {
    run('stage-solids');
    expect(getStudio().stage).toBe('solids');
    run('panes-4');
    expect(getSettings().panes).toBe(4);
    run('panes-1');
    run('look-stripes');
    expect(getSettings().look).toBe('stripes');
    run('look');
    expect(getSettings().look).toBe('bars');
    run('look-map');
    run('look');
    expect(getSettings().look).toBe('clay');
    run('find');
    expect(getStudio().dialog).toBe('find');
    const before = getSettings().parallel;
    run('parallel');
    expect(getSettings().parallel).toEqual([!before[0], ...before.slice(1)]);
  });
  it('the drawer goes from shut to low to half and back', () => {
    const sizes = [1, 2, 3].map(() => {
      toggleDesk();
      return getStudio().desk.size;
    });
    expect(sizes).toEqual(['low', 'half', 'shut']);
  });
  it('the plane: the newest first, the selected one before it, the last one used when it comes back', () => {
    const steps = ['p', 'q'].map((id) => ({ id, tool: 'work-plane', version: 1, params: {}, inputs: {} }));
    // the pieces stand in another order than the sheet
    setStudio({ model: { ...emptyModel('x'), steps }, pieces: new Map([plane('q'), plane('p')].map((v) => [v.key, v])) });
    const active = () => getStudio().plane?.step;
    togglePlane();
    expect(active()).toBe('q');
    togglePlane();
    expect(active()).toBeUndefined();
    setStudio({ selection: [{ step: 'p', output: 'main' }] });
    togglePlane();
    expect(active()).toBe('p');
    togglePlane();
    setStudio({ selection: [] });
    togglePlane();
    expect(active()).toBe('p');
    // one that is gone is not gone back to
    togglePlane();
    setStudio({ pieces: new Map([[plane('q').key, plane('q')]]) });
    togglePlane();
    expect(active()).toBe('q');
  });
  it('without any plane nothing happens', () => {
    togglePlane();
    expect(getStudio().plane).toBeUndefined();
  });
});
