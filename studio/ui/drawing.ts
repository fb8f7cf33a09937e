import { type Frame, frameFromNormal, toLocal, toWorld, type Vec3, WORLD } from '@ample-skin/core/math';
import { fillTemplate, fits, type Piece, pieceKey } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { MarkView } from '@ample-skin/engine';
import { defaultOf, getStudio, setParams, stepOf } from '../state/store.ts';
import type { HitFilter } from '../view/picking.ts';
import type { Viewport } from '../view/viewport.ts';
import { type Snap, snapsAt } from './snaps.ts';

export type Formula = number | string;

/** Plane of the open step (its plane slot), else the active plane, else the world. */
export function frameOfStep(stepId: string | undefined): Frame {
  const s = getStudio();
  const step = stepOf(stepId);
  const pick = step && 'plane' in (TOOLS.get(step.tool)?.slots ?? {}) ? step.inputs.plane?.[0] : s.plane;
  const d = pick && s.pieces.get(pieceKey(pick.step, pick.output))?.display;
  return d?.kind === 'plane' ? { origin: d.origin, x: d.x, y: d.y, z: d.z } : WORLD;
}

/** Points parameter of the open step that is drawn in the view, if it has one. */
export function drawnParam(stepId: string | undefined) {
  const step = stepOf(stepId);
  const tool = step && TOOLS.get(step.tool);
  if (!step || !tool?.draws) return undefined;
  const raw = (step.params[tool.draws.points] ?? defaultOf(step.tool, tool.draws.points) ?? []) as Formula[][];
  return { step, tool, draws: tool.draws, points: raw };
}

/** What the pointer may pick now: what the open slot takes, else faces, edges and whole pieces. */
export function hitFilter(): HitFilter {
  const s = getStudio();
  const step = stepOf(s.open);
  const active = step && s.slot ? TOOLS.get(step.tool)?.slots[s.slot] : undefined;
  if (active) {
    const takes = (kind: Piece['kind'], part?: 'face' | 'edge' | 'vertex') => fits(active.accepts, { kind } as Piece, part);
    return { face: takes('skin', 'face'), edge: takes('skin', 'edge'), vertex: takes('skin', 'vertex'), piece: (k) => takes(k) };
  }
  return { face: true, edge: true, vertex: false, piece: () => true };
}

/** Place under the pointer in the plane drawn on, with what it snapped to. Points already drawn in the open step count as ends. */
export function snapHere(v: Viewport, x: number, y: number): Snap | undefined {
  return allSnaps(v, x, y)[0];
}
export function allSnaps(v: Viewport, x: number, y: number): Snap[] {
  const s = getStudio();
  const f = frameOfStep(s.open);
  const d = drawnParam(s.open);
  const own =
    s.draft && d && d.points.length > 2
      ? [d.points[0]].flatMap((p): Vec3[] =>
          p.every((c) => typeof c === 'number') ? [toWorld(f, [p[0] as number, p[1] as number, 0])] : [],
        )
      : [];
  return snapsAt(v, x, y, f, own);
}
export const snapped = (v: Viewport, x: number, y: number): Vec3 | undefined => snapHere(v, x, y)?.local;

/** Adds a drawn point, or fills centre and radius of a round tool. */
export function addPoint(p: Vec3): void {
  const d = drawnParam(getStudio().open);
  if (!d) return;
  const first = d.points[0];
  if (d.draws.radius) {
    if (!d.step.params[d.draws.points]) setParams(d.step.id, { [d.draws.points]: [[p[0], p[1]]] });
    else if (first)
      setParams(d.step.id, {
        [d.draws.radius]: Math.max(1e-3, Number(Math.hypot(p[0] - Number(first[0]), p[1] - Number(first[1])).toFixed(4))),
      });
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

/** A click on a piece that a cut left, or on its dot, keeps it or lets it go. */
export function clickRegion(v: Viewport, x: number, y: number): boolean {
  const s = getStudio();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  if (!step || !tool || !('places' in tool.params.shape) || s.slot) return false;
  const regions = (s.steps.get(step.id)?.marks ?? []).filter((m) => m.kind === 'region' || m.kind === 'choice');
  if (regions.length < 2) return false;
  const pane = v.paneAt(x, y);
  let best = -1;
  let least = 16;
  regions.forEach((r, i) => {
    const p = v.project(r.at, pane);
    const d = Math.hypot(p.x - x, p.y - y);
    if (d < least) {
      least = d;
      best = i;
    }
  });
  if (best < 0) best = v.regionAt(x, y) ?? -1;
  if (best < 0 || !regions[best]) return false;
  const kept = regions.map((r, i) => (i === best ? !r.kept : r.kept));
  if (!kept.some(Boolean)) return true;
  setParams(step.id, { keep: 'picked', places: regions.filter((_, i) => kept[i]).map((r) => [...r.at]) });
  return true;
}

/** Plane in which a grip is dragged: its own, or the one that faces the eye. */
export function gripFrame(v: Viewport, m: Grip, pane: number): Frame {
  const n = m.normal ?? v.eyeDirection(pane);
  return frameFromNormal(m.at, n);
}
/** Parameter value of a grip that was dragged to a point. */
export function gripValue(m: Grip, to: Vec3): unknown {
  if (!m.within) return fillTemplate(m.template, to.map((x) => Number(x.toFixed(4))) as unknown as Vec3);
  const q = toLocal(m.within.frame, to);
  const inside = (x: number) => Number(Math.min(1, Math.max(0, x)).toFixed(6));
  return fillTemplate(m.template, [inside(q[0] / m.within.width), inside(q[1] / m.within.height)]);
}
/** A click on a picked face adds a place to the step's list of places (splines on skins). */
export function clickPlace(v: Viewport, x: number, y: number): boolean {
  const s = getStudio();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  if (!step || !tool || s.slot || !('places' in tool.params.shape) || !('face' in tool.slots)) return false;
  const pick = step.inputs.face?.[0];
  const hit = v
    .hits(x, y, { face: true, edge: false, vertex: false, piece: () => false })
    .find((h) => h.pick.step === pick?.step && h.pick.output === pick.output && h.pick.part?.name === pick.part?.name);
  if (!hit) return false;
  setParams(step.id, { places: [...((step.params.places as number[][] | undefined) ?? []), hit.point.map((c) => Number(c.toFixed(4)))] });
  return true;
}

export type Slide = Extract<MarkView, { kind: 'slide' }>;
/** Handles of slides have ids from here on; drawn points count from zero. */
export const SLIDE_IDS = 100_000;
export const slidesOf = (marks: readonly MarkView[]): Slide[] => marks.filter((m): m is Slide => m.kind === 'slide');
export type Grip = Extract<MarkView, { kind: 'grip' }>;
/** Handles of freely dragged points have ids from here on. */
export const GRIP_IDS = 150_000;
export const gripsOf = (marks: readonly MarkView[]): Grip[] => marks.filter((m): m is Grip => m.kind === 'grip');
/** Where a slide stands on its line. */
export function slidePoint(m: Slide, share = m.at): Vec3 {
  const x = share * (m.points.length - 1);
  const i = Math.min(m.points.length - 2, Math.max(0, Math.floor(x)));
  const [a, b] = [m.points[i], m.points[i + 1]];
  return [a[0] + (b[0] - a[0]) * (x - i), a[1] + (b[1] - a[1]) * (x - i), a[2] + (b[2] - a[2]) * (x - i)];
}
/** Share of the line nearest to the pointer on screen. */
export function shareAt(v: Viewport, m: Slide, x: number, y: number, pane: number): number {
  let best = { share: m.at, distance: Infinity };
  const seen = m.points.map((p) => v.project(p, pane));
  for (let i = 0; i + 1 < seen.length; i++) {
    const [dx, dy] = [seen[i + 1].x - seen[i].x, seen[i + 1].y - seen[i].y];
    const l = dx * dx + dy * dy;
    const t = l > 0 ? Math.min(1, Math.max(0, ((x - seen[i].x) * dx + (y - seen[i].y) * dy) / l)) : 0;
    const distance = Math.hypot(seen[i].x + t * dx - x, seen[i].y + t * dy - y);
    if (distance < best.distance) best = { share: (i + t) / (seen.length - 1), distance };
  }
  return Math.round((m.closed ? best.share % 1 : best.share) * 1e4) / 1e4;
}
/** Parameter value of a slide that stands at `share`. */
export const slideValue = (m: Slide, share: number): unknown => fillTemplate(m.template, share);
