import { type Pick, pieceKey, STAGES } from '@ample-skin/core/recipe';
import { redo, undo } from './document.ts';
import { keepDraft, openStep, startTool } from './draft.ts';
import { toggleMeasuring } from './measuring.ts';
import { copyChosen, duplicateChosen, hideSelection, invertSelection, paste, removeChosen, select, selectAll } from './selection.ts';
import { getSettings, LOOKS, setSettings } from './settings.ts';
import { getStudio, setStudio } from './state.ts';
import { openSweep } from './sweeps.ts';
import { startTrial } from './trial.ts';
import { viewLink } from './view-link.ts';

/** Something the person can do from anywhere: by key, by finding it, from a menu. */
export interface Command {
  readonly id: string;
  readonly label: string;
  readonly group: 'Work' | 'Stages' | 'View' | 'Selection' | 'History';
  /** The key it has unless changed; `mod` is Ctrl (or Cmd). Empty: none. */
  readonly keys: string;
  /** Acts also while a field is being typed in. */
  readonly always?: boolean;
  readonly run: () => void;
}

/** The active plane and the world, turn about: the selected plane, else the one used last, else the newest. */
export function togglePlane(): void {
  const s = getStudio();
  if (s.plane) {
    setStudio({ plane: undefined, lastPlane: s.plane });
    return;
  }
  const planes = [...s.pieces.values()].filter((p) => p.kind === 'plane');
  const known = (pick: Pick | undefined) => planes.find((p) => p.step === pick?.step && p.output === pick.output);
  const order = new Map(s.model.steps.map((x, i) => [x.id, i]));
  const newest = planes.sort((a, b) => (order.get(a.step) ?? 0) - (order.get(b.step) ?? 0)).at(-1);
  const next = s.selection.map(known).find(Boolean) ?? known(s.lastPlane) ?? newest;
  if (next) setStudio({ plane: { step: next.step, output: next.output } });
}
export function toggleDesk(): void {
  const { desk } = getStudio();
  setStudio({ desk: { ...desk, size: desk.size === 'shut' ? 'low' : desk.size === 'low' ? 'half' : 'shut' } });
}
function nextLook(): void {
  const i = LOOKS.findIndex((l) => l.value === getSettings().look);
  setSettings({ look: LOOKS[(i + 1) % LOOKS.length].value });
}
function toggleParallel(): void {
  const now = getSettings().parallel;
  setSettings({ parallel: [!now[0], now[1], now[2], now[3]] });
}
const dialog = (d: NonNullable<ReturnType<typeof getStudio>['dialog']>) => () => setStudio({ dialog: d });

/** Every command with its key: what acts, what the list of keys shows, and what finding offers are this one table. */
export const COMMANDS: readonly Command[] = [
  { id: 'keep', label: 'Keep the open step', group: 'Work', keys: 'enter', run: keepDraft },
  {
    id: 'repeat',
    label: 'Repeat the last tool',
    group: 'Work',
    keys: 'space',
    run: () => getStudio().lastTool && startTool(getStudio().lastTool as string),
  },
  { id: 'trial', label: 'Try-off: methods for the picked opening, or two borders, side by side', group: 'Work', keys: '', run: startTrial },
  { id: 'find', label: 'Find a tool, step, piece, dial or setting', group: 'Work', keys: '/', run: dialog('find') },
  { id: 'help', label: 'Help: every tool with a picture', group: 'Work', keys: 'f1', always: true, run: dialog('help') },
  { id: 'keys', label: 'Keys', group: 'Work', keys: '?', run: dialog('keys') },
  { id: 'settings', label: 'Settings and unit', group: 'Work', keys: '', run: dialog('settings') },
  { id: 'version', label: 'Named versions: keep, compare, branch', group: 'Work', keys: 'mod+s', always: true, run: dialog('versions') },
  { id: 'sweep', label: 'Sweep a dial: the recipe over its values', group: 'Work', keys: '', run: () => openSweep() },
  ...STAGES.map(
    (s, i): Command => ({
      id: `stage-${s.id}`,
      label: s.label,
      group: 'Stages',
      keys: String(i + 1),
      run: () => setStudio({ stage: s.id }),
    }),
  ),
  { id: 'plane', label: 'Active plane and world', group: 'View', keys: 'p', run: togglePlane },
  { id: 'view', label: 'Next view', group: 'View', keys: 'v', run: () => viewLink()?.turn() },
  {
    id: 'fit',
    label: 'Fit the selection, or everything',
    group: 'View',
    keys: 'f',
    run: () => viewLink()?.fit(getStudio().selection.map((p) => pieceKey(p.step, p.output))),
  },
  { id: 'parallel', label: 'Parallel or perspective view', group: 'View', keys: 'o', run: toggleParallel },
  { id: 'look', label: 'Next look', group: 'View', keys: 'l', run: nextLook },
  { id: 'measure', label: 'Measure between two places', group: 'View', keys: 'm', run: toggleMeasuring },
  { id: 'desk', label: 'Seam desk', group: 'View', keys: 'd', run: toggleDesk },
  { id: 'dark', label: 'Light or dark', group: 'View', keys: '', run: () => setSettings({ dark: !getSettings().dark }) },
  ...([1, 2, 4] as const).map(
    (n): Command => ({
      id: `panes-${n}`,
      label: n === 1 ? 'One pane' : n === 2 ? 'Two panes' : 'Four panes',
      group: 'View',
      keys: '',
      run: () => setSettings({ panes: n }),
    }),
  ),
  ...LOOKS.map(
    (l): Command => ({
      id: `look-${l.value}`,
      label: `Look: ${l.label}`,
      group: 'View',
      keys: '',
      run: () => setSettings({ look: l.value }),
    }),
  ),
  { id: 'hide', label: 'Hide what is selected', group: 'Selection', keys: 'h', run: () => hideSelection(false) },
  { id: 'only', label: 'Show only what is selected; again: all', group: 'Selection', keys: 'shift+h', run: () => hideSelection(true) },
  {
    id: 'edit',
    label: 'Edit the step of what is selected',
    group: 'Selection',
    keys: 'e',
    run: () => openStep(getStudio().selection[0]?.step ?? getStudio().open),
  },
  { id: 'remove', label: 'Remove what is selected, or the open step', group: 'Selection', keys: 'delete', run: removeChosen },
  { id: 'all', label: 'Select all', group: 'Selection', keys: 'mod+a', run: selectAll },
  { id: 'invert', label: 'Invert the selection', group: 'Selection', keys: 'mod+i', run: invertSelection },
  { id: 'none', label: 'Select nothing', group: 'Selection', keys: '', run: () => select([]) },
  { id: 'copy', label: 'Copy', group: 'Selection', keys: 'mod+c', run: copyChosen },
  { id: 'paste', label: 'Paste', group: 'Selection', keys: 'mod+v', run: () => paste() },
  { id: 'duplicate', label: 'Duplicate', group: 'Selection', keys: 'mod+d', run: duplicateChosen },
  { id: 'undo', label: 'Undo', group: 'History', keys: 'mod+z', run: undo },
  { id: 'redo', label: 'Redo', group: 'History', keys: 'mod+shift+z', run: redo },
  { id: 'history', label: 'List of changes', group: 'History', keys: '', run: dialog('history') },
];

/** Keys as they are now: the person's own where changed. */
export const keyOf = (c: Command, own: Readonly<Record<string, string>> = getSettings().keys): string => own[c.id] ?? c.keys;
/** The command that already has a key, other than `id`. */
export const holderOf = (keys: string, id: string, own: Readonly<Record<string, string>>): Command | undefined =>
  keys ? COMMANDS.find((c) => c.id !== id && keyOf(c, own) === keys) : undefined;
/** How a key is written for people. */
export const keyText = (keys: string): string =>
  keys
    .split('+')
    .map(
      (k) =>
        ({ mod: 'Ctrl', shift: 'Shift', alt: 'Alt', enter: 'Enter', space: 'Space', delete: 'Delete', escape: 'Esc' })[k] ??
        k.toUpperCase(),
    )
    .join(' ');
