import type { Vec3 } from '@ample-skin/core/math';
import type { Change, ModelSection, Step } from '@ample-skin/core/recipe';
import { freeId } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { change, standingOf } from './document.ts';
import { engine } from './engine-client.ts';
import { effectiveModel, getStudio as get, notify, type StudioState, setStudio as set } from './state.ts';

const NONE: readonly ModelSection[] = [];
/** The sections as they are seen: one that is being dragged stands where the hand has it. */
export const sectionsOf = (s: Pick<StudioState, 'model' | 'dragged'>): readonly ModelSection[] => {
  const all = s.model.sections ?? NONE;
  return s.dragged ? all.map((x) => (x.id === s.dragged?.id ? s.dragged : x)) : all;
};
export const sectionsNow = (): readonly ModelSection[] => sectionsOf(get());
const tidy = (v: readonly number[]): [number, number, number] => v.map((x) => Number(x.toFixed(5))) as [number, number, number];

/** A new section through the middle of what is in view, square to a direction. */
export function addSection(normal: Vec3, middle: Vec3): void {
  const taken = new Set(sectionsNow().map((s) => s.id));
  let n = 1;
  while (taken.has(`section-${n}`)) n++;
  const id = `section-${n}`;
  if (change('Add section', { type: 'setSection', id, section: { id, origin: tidy(middle), normal: tidy(normal) } })) set({ section: id });
}
export function setSection(id: string, more: Partial<ModelSection>, label = 'Move section'): void {
  const now = get().model.sections?.find((s) => s.id === id);
  if (now) change(label, { type: 'setSection', id, section: { ...now, ...more } });
}
export function removeSection(id: string): void {
  change('Remove section', { type: 'setSection', id, section: null });
  if (get().section === id) set({ section: undefined });
}
/** A section in hand; let go of it is kept as one change. */
export function dragSection(section: ModelSection, preview: boolean): void {
  if (preview) {
    set({ dragged: section });
    return;
  }
  set({ dragged: undefined });
  const before = get().model.sections?.find((s) => s.id === section.id);
  if (before && JSON.stringify(before) !== JSON.stringify(section))
    change('Move section', {
      type: 'setSection',
      id: section.id,
      section: { ...section, origin: tidy(section.origin), normal: tidy(section.normal) },
    });
}

/** The pieces that sections cut: skins and solids in view. */
export function cutPieces(): string[] {
  const standing = standingOf();
  return [...get().pieces.values()]
    .filter((p) => p.live && (p.kind === 'skin' || p.kind === 'solid') && !standing(p.key).hidden)
    .map((p) => p.key);
}
const known = new Map<string, string>();
let busy = false;
let again = false;
/** Brings what is cut in step with sections and pieces: one question at a time, the newest place of each section. */
export async function followSections(): Promise<void> {
  if (busy) {
    again = true;
    return;
  }
  busy = true;
  try {
    do {
      again = false;
      const keys = cutPieces();
      const stamps = keys.map((k) => get().pieces.get(k)?.stamp).join();
      const list = sectionsNow();
      for (const id of known.keys()) if (!list.some((s) => s.id === id && !s.off)) forget(id);
      for (const s of list) {
        if (s.off) continue;
        const what = JSON.stringify([s.origin, s.normal, s.comb, keys, stamps]);
        if (known.get(s.id) === what) continue;
        const cut = await engine.section(keys, s.origin, s.normal, !!s.comb).catch(() => undefined);
        if (!cut) return;
        known.set(s.id, what);
        set((x) => ({ cuts: new Map(x.cuts).set(s.id, cut) }));
      }
    } while (again);
  } finally {
    busy = false;
  }
}
function forget(id: string): void {
  known.delete(id);
  const cuts = new Map(get().cuts);
  if (cuts.delete(id)) set({ cuts });
}

/** The curves of a section as steps: a work plane where it stands, and its intersection with every piece that it cuts. */
export function keepSection(id: string): void {
  const s = sectionsNow().find((x) => x.id === id);
  const cut = get().cuts.get(id) ?? [];
  if (!s || !cut.length) return;
  const model = effectiveModel();
  const level = Math.hypot(s.normal[0], s.normal[1]);
  const top: [number, number, number] = level > 1e-6 * Math.hypot(...s.normal) ? [0, 0, 1] : [0, 1, 0];
  const plane = freeId(model, 'section-plane');
  const taken = new Set([plane]);
  const version = (tool: string) => TOOLS.get(tool)?.version ?? 1;
  const steps: Step[] = [
    {
      id: plane,
      tool: 'work-plane',
      version: version('work-plane'),
      name: 'Section plane',
      inputs: {},
      params: { method: 'view', eye: s.normal, top, centre: s.origin },
    },
    ...cut.map((v): Step => {
      const step = freeId(model, 'section-curve', taken);
      taken.add(step);
      const [from, output] = v.piece.split('/');
      return {
        id: step,
        tool: 'intersect-curve',
        version: version('intersect-curve'),
        name: 'Section',
        inputs: { skin: [{ step: from, output }], with: [{ step: plane, output: 'main' }] },
        params: {},
      };
    }),
  ];
  if (change('Keep section as curves', ...steps.map((step): Change => ({ type: 'addStep', step }))))
    notify('info', `${cut.length === 1 ? 'The section is a curve' : `${cut.length} sections are curves`} in the build sheet now`);
}
