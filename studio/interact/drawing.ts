import { type Frame, toWorld, type Vec3, WORLD } from '@ample-skin/core/math';
import { pieceKey, type Step, type Tool } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { defaultOf, setParams } from '../state/draft.ts';
import { getStudio, stepOf } from '../state/state.ts';

export type Formula = number | string;
export interface Drawn {
  readonly step: Step;
  readonly tool: Tool;
  readonly draws: NonNullable<Tool['draws']>;
  readonly points: Formula[][];
}

/** Plane of the open step (its plane slot), else the active plane, else the world. */
export function frameOfStep(stepId: string | undefined): Frame {
  const s = getStudio();
  const step = stepOf(stepId);
  const pick = step && 'plane' in (TOOLS.get(step.tool)?.slots ?? {}) ? step.inputs.plane?.[0] : s.plane;
  const d = pick && s.pieces.get(pieceKey(pick.step, pick.output))?.display;
  return d?.kind === 'plane' ? { origin: d.origin, x: d.x, y: d.y, z: d.z } : WORLD;
}

/** Points parameter of the open step that is drawn in the view, if it has one. */
export function drawnParam(stepId: string | undefined): Drawn | undefined {
  const step = stepOf(stepId);
  const tool = step && TOOLS.get(step.tool);
  if (!step || !tool?.draws) return undefined;
  const raw = (step.params[tool.draws.points] ?? defaultOf(step.tool, tool.draws.points) ?? []) as Formula[][];
  return { step, tool, draws: tool.draws, points: raw };
}
/** Does a click in the view add a point to the open step now? */
export function isDrawing(): boolean {
  const s = getStudio();
  const d = drawnParam(s.open);
  if (!d || !s.draft || s.draft.step.id !== s.open || s.slot) return false;
  if (d.draws.radius) return !d.step.params[d.draws.points] || d.step.params[d.draws.radius] === undefined;
  return !d.draws.maximum || d.points.length < d.draws.maximum;
}
/** Points already drawn that count as ends to snap to: the first one, which closes. */
export function ownEnds(): Vec3[] {
  const s = getStudio();
  const d = drawnParam(s.open);
  const first = s.draft && d && d.points.length > 2 ? d.points[0] : undefined;
  return first?.every((c) => typeof c === 'number') ? [toWorld(frameOfStep(s.open), [first[0] as number, first[1] as number, 0])] : [];
}

/** Adds a drawn point, or fills centre and radius of a round tool. */
export function addPoint(p: Vec3): void {
  const d = drawnParam(getStudio().open);
  if (!d) return;
  const first = d.points[0];
  if (d.draws.radius) {
    if (!d.step.params[d.draws.points]) setParams(d.step.id, { [d.draws.points]: [[p[0], p[1]]] });
    else if (first) {
      const r = Number(Math.hypot(p[0] - Number(first[0]), p[1] - Number(first[1])).toFixed(4));
      // a second click in the middle itself is no radius
      if (r > 0) setParams(d.step.id, { [d.draws.radius]: r });
    }
    return;
  }
  if (d.draws.closed && first && d.points.length > 2 && Math.hypot(p[0] - Number(first[0]), p[1] - Number(first[1])) < 1e-6) {
    setParams(d.step.id, { [d.draws.closed]: true });
    return;
  }
  if (d.draws.maximum && d.points.length >= d.draws.maximum) return;
  const last = d.points.at(-1);
  if (last && Math.hypot(p[0] - Number(last[0]), p[1] - Number(last[1])) < 1e-9) return;
  setParams(d.step.id, { [d.draws.points]: [...d.points, p[2] ? [p[0], p[1], p[2]] : [p[0], p[1]]] });
}
