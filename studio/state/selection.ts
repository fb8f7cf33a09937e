import { type Change, type Pick, pieceKey, type Step, samePick } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { change, standingOf } from './document.ts';
import { discardDraft, fillSlot, newId } from './draft.ts';
import { engine } from './engine-client.ts';
import { getSettings } from './settings.ts';
import { getStudio as get, notify, setStudio as set } from './state.ts';

let asked = 0;
/** Selects, and has the everyday facts of the selection measured. */
export function select(selection: readonly Pick[]): void {
  set({ selection, lit: undefined });
  const mine = ++asked;
  if (!selection.length) {
    set({ facts: [] });
    return;
  }
  engine
    .facts(selection.slice(0, 200), getSettings().density)
    .then((facts) => mine === asked && set({ facts }))
    .catch(() => mine === asked && set({ facts: [] }));
}
/** Measures the selection again, for another density. */
export const remeasure = (): void => select(get().selection);
const whole = (p: Pick): Pick => ({ step: p.step, output: p.output });

/**
 * A click on something: fills the active slot; otherwise a first click takes the whole piece, a click on a piece that is selected already
 * goes on to the face or edge under the pointer (`direct` goes there at once), `more` adds or removes.
 */
export function pickAt(p: Pick, more: boolean, direct = false): 'filled' | 'unfit' | 'selected' {
  const filled = fillSlot(p);
  if (filled !== 'no slot') return filled;
  const { selection } = get();
  const had = (q: Pick) => selection.some((x) => samePick(x, q));
  const inside = selection.some((x) => x.step === p.step && x.output === p.output);
  const target = direct || !p.part || (inside && selection.length <= (more ? 99 : 1)) ? p : whole(p);
  if (more)
    select(had(target) ? selection.filter((x) => !samePick(x, target)) : [...selection.filter((x) => !samePick(x, whole(target))), target]);
  else select(had(target) && selection.length === 1 ? [] : [target]);
  return 'selected';
}
const livePicks = (): Pick[] => {
  const standing = standingOf();
  return [...get().pieces.values()]
    .filter((p) => p.live && !standing(p.key).hidden && !standing(p.key).locked)
    .map((p) => ({ step: p.step, output: p.output }));
};
export const selectAll = (): void => select(livePicks());
export function invertSelection(): void {
  const now = get().selection;
  select(livePicks().filter((p) => !now.some((x) => x.step === p.step && x.output === p.output)));
}

/** Hides the selected pieces, or all others; with everything else hidden already, shows all. */
export function hideSelection(only: boolean): void {
  const s = get();
  const keys = new Set(s.selection.map((p) => pieceKey(p.step, p.output)));
  const all = [...s.pieces.values()].filter((p) => p.live);
  const standing = standingOf();
  const isHidden = (k: string) => standing(k).hidden;
  const put = (key: string, hidden: boolean): Change => ({ type: 'setPiece', key, look: { ...s.model.pieces[key], hidden } });
  if (only) {
    const others = all.filter((p) => !keys.has(p.key));
    const restore = !keys.size || others.every((p) => isHidden(p.key));
    const list = restore ? all.filter((p) => s.model.pieces[p.key]?.hidden) : others.filter((p) => !isHidden(p.key));
    const groups = restore
      ? s.model.groups.filter((g) => g.hidden).map((g): Change => ({ type: 'setGroup', id: g.id, group: { ...g, hidden: undefined } }))
      : [];
    if (list.length + groups.length)
      change(restore ? 'Show all' : 'Show only the selection', ...list.map((p) => put(p.key, !restore)), ...groups);
  } else if (keys.size) {
    change('Hide', ...[...keys].map((key) => put(key, !isHidden(key))));
    select([]);
  }
}

/** Steps that the selection stands for: those that made the selected pieces, else the open one. */
export function chosenSteps(): Step[] {
  const s = get();
  const ids = s.open && !s.draft ? [s.open] : s.selection.map((p) => p.step);
  return s.model.steps.filter((x) => ids.includes(x.id));
}
/** Steps that would lose an input if these were removed. */
export function waitingWithout(ids: ReadonlySet<string>): Step[] {
  return get().model.steps.filter((s) => !ids.has(s.id) && Object.values(s.inputs).some((l) => l.some((p) => ids.has(p.step))));
}
const label = (s: Step) => s.name ?? TOOLS.get(s.tool)?.label ?? s.tool;
export function removeSteps(list: readonly Step[]): void {
  if (list.length)
    change(
      list.length === 1 ? `Remove ${label(list[0])}` : `Remove ${list.length} steps`,
      ...list.map((s) => ({ type: 'removeStep' as const, id: s.id })),
    );
}
/** Removes what is chosen; of what others use it is asked first, with what would wait. */
export function removeChosen(): void {
  const s = get();
  if (s.draft) {
    discardDraft();
    return;
  }
  const list = chosenSteps();
  if (!list.length) return;
  const waiting = waitingWithout(new Set(list.map((x) => x.id)));
  if (!waiting.length) removeSteps(list);
  else set({ removing: { steps: list.map((x) => x.id), waiting: waiting.map((x) => x.id) } });
}

/** Copies of steps: ids anew, references among them kept inside the copy, names marked. */
export function copiesOf(list: readonly Step[]): Step[] {
  const ids = new Map(list.map((s) => [s.id, newId()]));
  const text = (t: string) =>
    [...ids].reduce((x, [from, to]) => (x.startsWith(`${from}:`) || x.startsWith(`${from}.`) ? to + x.slice(from.length) : x), t);
  const carry = (p: Pick): Pick =>
    ids.has(p.step) ? { ...p, step: ids.get(p.step) as string, part: p.part && { ...p.part, name: text(p.part.name) } } : p;
  const taken = new Set(get().model.steps.map((s) => s.name));
  return list.map((s) => {
    let name = `${label(s)} copy`;
    for (let n = 2; taken.has(name); n++) name = `${label(s)} copy ${n}`;
    taken.add(name.slice(0, 120));
    return {
      ...s,
      id: ids.get(s.id) as string,
      name: name.slice(0, 120),
      inputs: Object.fromEntries(Object.entries(s.inputs).map(([k, l]) => [k, l.map(carry)])),
    };
  });
}
export function copyChosen(): void {
  const clipboard = chosenSteps();
  if (!clipboard.length) return;
  set({ clipboard });
  notify('info', clipboard.length === 1 ? `Copied ${label(clipboard[0])}` : `Copied ${clipboard.length} steps`);
}
export function paste(list: readonly Step[] = get().clipboard): void {
  if (!list.length) return;
  const copies = copiesOf(list);
  if (
    change(
      copies.length === 1 ? `Paste ${copies[0].name}` : `Paste ${copies.length} steps`,
      ...copies.map((step) => ({ type: 'addStep' as const, step })),
    )
  )
    select(copies.map((s) => ({ step: s.id, output: 'main' })));
}
export const duplicateChosen = (): void => paste(chosenSteps());

/** Curves whose comb is wanted: the selected ones, else what the open step made. */
export function combPicks(): Pick[] {
  const s = get();
  const chosen = s.selection.filter(
    (p) => p.part?.kind === 'edge' || (!p.part && s.pieces.get(pieceKey(p.step, p.output))?.kind === 'curve'),
  );
  if (chosen.length || !s.open) return chosen.slice(0, 12);
  return [...s.pieces.values()]
    .filter((p) => p.step === s.open && p.kind === 'curve')
    .map((p): Pick => ({ step: p.step, output: p.output }))
    .slice(0, 12);
}
