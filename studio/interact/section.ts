import { applyVector, rotation, type Vec3 } from '@ample-skin/core/math';
import type { ModelSection } from '@ample-skin/core/recipe';
import { sectionFrame } from '@ample-skin/core/sheets/frame';
import type { Handle, HandleId } from '../view/handles.ts';
import type { Doc } from './doc.ts';
import { angleAt, tidy } from './handle-values.ts';
import { away, CLICK, type Mode, NONE, type PointerAt, type Reaction, type Stage } from './mode.ts';

type SectionId = Extract<HandleId, { kind: 'section' }>;
/** An arrow along the normal of the chosen section and rings about its sides. */
export function sectionHandles(doc: Pick<Doc, 'sections' | 'section'>): Handle[] {
  const index = doc.sections.findIndex((s) => s.id === doc.section && !s.off);
  const s = doc.sections[index];
  if (!s) return [];
  const f = sectionFrame(s.origin, s.normal);
  return [
    { id: { kind: 'section', index, part: 'x' }, at: s.origin, shape: 'ring', along: f.x, side: f.y, pixels: 50, colour: 'slate' },
    { id: { kind: 'section', index, part: 'y' }, at: s.origin, shape: 'ring', along: f.y, side: f.z, pixels: 50, colour: 'slate' },
    { id: { kind: 'section', index, part: 'push' }, at: s.origin, shape: 'arrow', along: f.z, pixels: 74, colour: 'plum' },
  ];
}

/** A section in hand: it goes along its normal, or turns about a side; with Ctrl freely, else in steps of a degree. */
export function sectionDrag(stage: Stage, doc: Doc, id: SectionId, press: PointerAt): Mode | undefined {
  const before = doc.sections[id.index];
  if (!before) return undefined;
  const f = sectionFrame(before.origin, before.normal);
  const axis = id.part === 'y' ? f.y : f.x;
  const zero = id.part === 'y' ? f.z : f.y;
  const start = id.part === 'push' ? stage.onLine(press.x, press.y, f.origin, f.z) : angleAt(stage, f.origin, axis, zero, press);
  const at = (p: PointerAt): ModelSection => {
    if (id.part === 'push') {
      const now = stage.onLine(p.x, p.y, f.origin, f.z);
      if (now === undefined || start === undefined) return before;
      const by = tidy(now - start, p.ctrl ? 4 : 2);
      return { ...before, origin: f.origin.map((x, k) => x + by * f.z[k]) as [number, number, number] };
    }
    const now = angleAt(stage, f.origin, axis, zero, p);
    if (now === undefined || start === undefined) return before;
    const turn = p.ctrl ? now - start : Math.round(now - start);
    const n: Vec3 = applyVector(rotation(f.origin, axis, (turn * Math.PI) / 180), f.z);
    return { ...before, normal: [n[0], n[1], n[2]] };
  };
  let latest: ModelSection | undefined;
  return {
    name: 'section',
    drag(p, from) {
      if (!latest && away(p, from) <= CLICK - 1) return NONE;
      latest = at(p);
      return { commands: [{ do: 'section', section: latest, preview: true }] };
    },
    release: (): Reaction => (latest ? { commands: [{ do: 'section', section: latest, preview: false }] } : NONE),
    leave: (): Reaction => (latest ? { commands: [{ do: 'section', section: before, preview: false }] } : NONE),
  };
}
