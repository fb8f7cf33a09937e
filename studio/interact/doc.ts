import type { Frame, Vec3 } from '@ample-skin/core/math';
import { fits, type ModelSection, type Pick, type Piece, type Slot, type Step, type Tool } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { MarkView } from '@ample-skin/engine';
import { sectionsOf } from '../state/sections.ts';
import { type Caging, getStudio, stepOf } from '../state/state.ts';
import type { HitFilter } from '../view/picking.ts';
import { cagingNow, type OpenCage, openCage } from './caging.ts';
import { type Drawn, drawnParam, frameOfStep, isDrawing, ownEnds } from './drawing.ts';
import type { Stage } from './mode.ts';
import { openSketch } from './sketching.ts';
import { ontoAt, type Snap, snapsAt } from './snaps.ts';

/** What modes know of the document: a picture of it at one moment. */
export interface Doc {
  readonly step?: Step;
  readonly tool?: Tool;
  readonly isDraft: boolean;
  /** The slot that is being filled. */
  readonly slot?: { readonly name: string; readonly slot: Slot };
  readonly marks: readonly MarkView[];
  readonly selection: readonly Pick[];
  /** Plane that is drawn on. */
  readonly frame: Frame;
  readonly drawn?: Drawn;
  /** A click adds a point. */
  readonly drawing: boolean;
  /** Two places are being measured. */
  readonly measuring?: boolean;
  /** Sections of the model as they are seen, and whose handles are shown. */
  readonly sections: readonly ModelSection[];
  readonly section?: string;
  readonly sketch?: { readonly points: readonly string[]; readonly drawing: boolean; readonly frame: Frame };
  /** The cage that is being edited, and what is chosen of it. */
  readonly cage?: { readonly open: OpenCage; readonly caging: Caging };
  /** Where a vertex dragged freely would rest: on curves, skins and scans, as the snaps are set. */
  readonly cageSnaps?: (stage: Stage, x: number, y: number) => Vec3 | undefined;
  readonly filter: HitFilter;
  readonly snaps: (stage: Stage, x: number, y: number) => Snap[];
}

/** What the pointer may pick: what the open slot takes, else faces, edges and whole pieces. What the open draft makes is looked through. */
export function filterOf(slot: Slot | undefined, skip: string | undefined): HitFilter {
  if (!slot) return { face: true, edge: true, vertex: false, piece: () => true, skip };
  const takes = (kind: Piece['kind'], part?: 'face' | 'edge' | 'vertex') => fits(slot.accepts, { kind } as Piece, part);
  return {
    face: takes('skin', 'face'),
    edge: takes('skin', 'edge'),
    vertex: takes('skin', 'vertex'),
    piece: (k) => takes(k),
    edgesFirst: slot.edgesFirst,
    skip,
  };
}

/** Variants that are compared are looked at only. */
const NOTHING: HitFilter = { face: false, edge: false, vertex: false, piece: () => false };
/** The document as it is now. */
export function docNow(): Doc {
  const s = getStudio();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  const slot = s.slot && tool?.slots[s.slot] ? { name: s.slot, slot: tool.slots[s.slot] } : undefined;
  const o = slot ? undefined : openSketch();
  const frame = frameOfStep(s.open);
  const open = slot || o ? undefined : openCage();
  return {
    step,
    tool,
    isDraft: !!step && s.draft?.step.id === step.id,
    slot,
    marks: s.steps.get(s.open ?? '')?.marks ?? [],
    selection: s.selection,
    frame,
    drawn: drawnParam(s.open),
    drawing: isDrawing(),
    measuring: !!s.measuring,
    sections: sectionsOf(s),
    section: s.section,
    sketch: o && { points: o.sketch.points.map((p) => p.id), drawing: !!s.sketching?.tool, frame: o.frame },
    cage: open && { open, caging: cagingNow() },
    cageSnaps: (stage, x, y) => snapsAt(stage, x, y, frame).find((q) => q.at)?.at,
    filter: s.trial ? NOTHING : filterOf(slot?.slot, slot ? step?.id : undefined),
    snaps: (stage, x, y) => (tool?.draws?.onto ? ontoAt(stage, x, y, frame, step?.id) : snapsAt(stage, x, y, frame, ownEnds())),
  };
}
export type { Vec3 };
