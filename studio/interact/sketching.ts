import { evaluateFormula, type Frame, toLocal, toWorld, type Vec3 } from '@ample-skin/core/math';
import { displayParameters, pointAt } from '@ample-skin/core/nurbs';
import { metaOf } from '@ample-skin/core/recipe';
import {
  isDimension,
  pinEverything,
  pointsOf,
  type Sketch,
  type SketchCurve,
  type SketchRule,
  type SolveReport,
  sketchCurves,
  sketchSchema,
  solveSketch,
} from '@ample-skin/core/sketch';
import { TOOLS } from '@ample-skin/core/tools';
import type { z } from 'zod';
import { defaultOf, endPreview, setParams } from '../state/draft.ts';
import { getStudio, type SketchTool, setStudio, stepOf } from '../state/state.ts';
import { frameOfStep } from './drawing.ts';
import type { Stage } from './mode.ts';

export type { SketchTool };
/** Handles of sketch points have ids from here on. */
export const SKETCH_IDS = 200_000;

const checked = new WeakMap<object, Sketch | undefined>();
/** A sketch as saved, when it is one: recipes written by hand may hold anything. */
export function readable(value: unknown): Sketch | undefined {
  if (!value || typeof value !== 'object') return undefined;
  if (!checked.has(value)) checked.set(value, sketchSchema.safeParse(value).success ? (value as Sketch) : undefined);
  return checked.get(value);
}
/** The sketch of the open step, if its tool has one. */
export function openSketch(): { step: string; key: string; sketch: Sketch; frame: Frame } | undefined {
  const s = getStudio();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  const key = tool && Object.entries(tool.params.shape as Record<string, z.ZodType>).find(([, f]) => metaOf(f).control === 'sketch')?.[0];
  if (!step || !key) return undefined;
  const sketch = readable(step.params[key] ?? defaultOf(step.tool, key));
  return sketch && { step: step.id, key, sketch, frame: frameOfStep(step.id) };
}
/** Numbers of dimensions, their formulas worked out with the dials as they stand. */
export function dimensionValues(s: Sketch): Map<number, number> {
  const names = new Map([...getStudio().dials].flatMap(([n, d]) => (d.value !== undefined ? [[n, d.value] as const] : [])));
  const out = new Map<number, number>();
  s.rules.forEach((r, i) => {
    if (!isDimension(r)) return;
    const v = typeof r.value === 'number' ? { ok: true as const, value: r.value } : evaluateFormula(r.value, names);
    if (v.ok) out.set(i, v.value);
  });
  return out;
}
/** Points that follow something upstream, where the engine found it. */
function holdsOf(s: Sketch): { id: string; x: number; y: number }[] {
  const o = openSketch();
  if (!o) return [];
  const follows = new Set(s.points.filter((p) => p.follows).map((p) => p.id));
  return (getStudio().steps.get(o.step)?.marks ?? []).flatMap((m) => {
    if (m.kind !== 'hold' || !follows.has(m.id)) return [];
    const [x, y] = toLocal(o.frame, m.at);
    return [{ id: m.id, x, y }];
  });
}
const HELD = 'held-';
/** The sketch with its followers put in their places and fixed there for the solver. */
function withHolds(s: Sketch): Sketch {
  const holds = new Map(holdsOf(s).map((h) => [h.id, h]));
  if (!holds.size) return s;
  return {
    ...s,
    points: s.points.map((p) => {
      const h = holds.get(p.id);
      return h ? { ...p, x: h.x, y: h.y } : p;
    }),
    rules: [...s.rules, ...[...holds.keys()].map((point): SketchRule => ({ id: `${HELD}${point}`, type: 'fixed', point }))],
  };
}
const withoutHolds = (s: Sketch): Sketch => ({ ...s, rules: s.rules.filter((r) => !r.id.startsWith(HELD)) });
const solved = (s: Sketch, drag?: { point: string; x: number; y: number }) =>
  withoutHolds(solveSketch(withHolds(s), { values: dimensionValues(s), drag, quick: true }).sketch);
/** Everything that is missing pinned; followers count as held. */
export const pinned = (s: Sketch): Sketch => withoutHolds(pinEverything(withHolds(s)).sketch);

/** What the sketch refers to that lies nearest to each point: number in the list and share of the length, ends and middle first. */
export function followsOf(s: Sketch, point: string): { pick: number; share: number; label: string }[] {
  const o = openSketch();
  const p = s.points.find((q) => q.id === point);
  if (!o || !p) return [];
  return (getStudio().steps.get(o.step)?.marks ?? []).flatMap((m) => {
    if (m.kind !== 'reference') return [];
    if (m.points.length === 1) return [{ pick: m.index, share: 0, label: `Follow ${m.index + 1}` }];
    const gaps = m.points.map((q) => {
      const [x, y] = toLocal(o.frame, q);
      return Math.hypot(x - p.x, y - p.y);
    });
    const raw = gaps.indexOf(Math.min(...gaps)) / (m.points.length - 1);
    const share = [0, 0.5, 1].find((k) => Math.abs(k - raw) < 0.07) ?? raw;
    const word = share === 0 ? 'start' : share === 1 ? 'end' : share === 0.5 ? 'middle' : `${Math.round(100 * share)} %`;
    return [{ pick: m.index, share, label: `Follow ${m.index + 1} at ${word}` }];
  });
}
const reports = new WeakMap<Sketch, { values: string; report: SolveReport }>();
/** A sketch solved, with its freedoms and contradictions; done once for the card, the view and the pointer. */
export function reportOf(s: Sketch): SolveReport {
  const values = dimensionValues(s);
  const key = JSON.stringify([[...values], holdsOf(s)]);
  const known = reports.get(s);
  if (known?.values === key) return known.report;
  const found = solveSketch(withHolds(s), { values });
  const report = { ...found, sketch: withoutHolds(found.sketch) };
  reports.set(s, { values: key, report });
  return report;
}

/** Saves a sketch, solved, so that the next change starts from the shape on screen. */
export function putSketch(next: Sketch): void {
  const o = openSketch();
  if (o) setParams(o.step, { [o.key]: solved(next) });
}

let counter = 0;
export const freshId = (letter: string, s: Sketch): string => {
  const taken = new Set([...s.points.map((p) => p.id), ...s.curves.map((c) => c.id), ...s.rules.map((r) => r.id)]);
  let id = '';
  do id = `${letter}${(++counter).toString(36)}`;
  while (taken.has(id));
  return id;
};

const pending = () => getStudio().sketching?.pending ?? [];
export function setSketchTool(tool: SketchTool | undefined): void {
  setStudio({ sketching: { tool, pending: [], chosen: [] }, slot: undefined });
}
/** Ends the curve being drawn; again: lets go of the tool. */
export function backSketch(): boolean {
  const k = getStudio().sketching;
  if (!k?.tool && !k?.chosen.length) return false;
  setStudio({ sketching: { tool: k.pending.length ? k.tool : undefined, pending: [], chosen: [] } });
  return true;
}

/** A click with a drawing tool: `hit` is the id of a point under the pointer. */
export function clickSketch(at: readonly [number, number], hit: string | undefined): void {
  const o = openSketch();
  const tool = getStudio().sketching?.tool;
  if (!o || !tool) return;
  let s: Sketch = o.sketch;
  const place = (): string => {
    if (hit) return hit;
    const id = freshId('p', s);
    s = { ...s, points: [...s.points, { id, x: at[0], y: at[1] }] };
    return id;
  };
  const list = pending();
  const add = (c: SketchCurve) => {
    s = { ...s, curves: [...s.curves, c] };
  };
  const rule = (r: Record<string, unknown>) => {
    s = { ...s, rules: [...s.rules, { id: freshId('r', s), ...r } as SketchRule] };
  };
  const xy = (id: string) => s.points.find((p) => p.id === id) ?? { x: 0, y: 0 };
  let next: string[] = [];
  if (tool === 'point') place();
  else if (tool === 'line') {
    const p = place();
    const from = list[0];
    if (from && from !== p) {
      const [a, b] = [xy(from), xy(p)];
      add({ id: freshId('l', s), type: 'line', a: from, b: p });
      // a line drawn level or upright is meant so
      if (Math.abs(a.y - b.y) < 1e-9) rule({ type: 'horizontal', a: from, b: p });
      else if (Math.abs(a.x - b.x) < 1e-9) rule({ type: 'vertical', a: from, b: p });
    }
    next = hit && from ? [] : [p];
  } else if (tool === 'spline') {
    const [current, ...rest] = list;
    const curve = s.curves.find((c) => c.id === current);
    const home = curve?.type === 'spline' && curve.points.length > 2 && hit === curve.points[0];
    const p = place();
    if (curve?.type === 'spline' && home) s = { ...s, curves: s.curves.map((c) => (c === curve ? { ...curve, closed: true } : c)) };
    else if (curve?.type === 'spline') {
      s = { ...s, curves: s.curves.map((c) => (c === curve ? { ...curve, points: [...curve.points, p] } : c)) };
      next = [...list];
    } else if (current && current !== p) {
      const id = freshId('s', s);
      add({ id, type: 'spline', points: [current, p], degree: 3 });
      next = [id, ...rest];
    } else next = [p];
  } else if (tool === 'circle') {
    if (!list.length) next = [place()];
    else {
      const c = xy(list[0]);
      add({ id: freshId('k', s), type: 'circle', c: list[0], r: Math.max(1e-3, Math.hypot(at[0] - c.x, at[1] - c.y)) });
    }
  } else if (tool === 'arc') {
    const p = place();
    if (list.length < 2) next = [...list, p];
    else add({ id: freshId('a', s), type: 'arc', c: list[0], a: list[1], b: p });
  } else if (tool === 'ellipse') {
    if (list.length < 2) next = [...list, place()];
    else {
      const [c, a] = [xy(list[0]), xy(list[1])];
      const l = Math.hypot(a.x - c.x, a.y - c.y) || 1;
      add({
        id: freshId('e', s),
        type: 'ellipse',
        c: list[0],
        a: list[1],
        r: Math.max(1e-3, Math.abs((at[0] - c.x) * (a.y - c.y) - (at[1] - c.y) * (a.x - c.x)) / l),
      });
    }
  }
  setStudio({ sketching: { tool, pending: next, chosen: [] } });
  if (s !== o.sketch) putSketch(s);
}

/** Polylines of the sketch for the view, with the id of each curve. */
export function sketchLines(s: Sketch, frame: Frame): { id: string; points: Vec3[]; help: boolean }[] {
  const help = new Set(s.curves.filter((c) => c.help).map((c) => c.id));
  return sketchCurves({ ...s, curves: s.curves.map((c) => ({ ...c, help: undefined })) }, frame).map(({ id, curve }) => ({
    id,
    help: help.has(id),
    points: displayParameters(curve, 0.02, 0.15).map((t) => pointAt(curve, t)),
  }));
}
/** Points that are held by rules, and dimensions with the places where their numbers stand. */
export function sketchLabels(
  { sketch: s, loose: free }: SolveReport,
  frame: Frame,
): { settled: Set<string>; labels: { at: Vec3; text: string }[] } {
  const loose = new Set(free);
  const at = (id: string): readonly [number, number] | undefined => {
    const p = s.points.find((q) => q.id === id);
    if (p) return [p.x, p.y];
    const c = s.curves.find((q) => q.id === id);
    const ends = c && (c.type === 'line' ? [c.a, c.b] : 'c' in c ? [c.c] : []).flatMap((e) => s.points.find((q) => q.id === e) ?? []);
    return ends?.length ? [ends.reduce((m, e) => m + e.x, 0) / ends.length, ends.reduce((m, e) => m + e.y, 0) / ends.length] : undefined;
  };
  const values = dimensionValues(s);
  const labels = s.rules.flatMap((r, i) => {
    if (!isDimension(r)) return [];
    const places = ('curve' in r ? [r.curve] : [r.a, r.b]).flatMap((id) => {
      const p = at(id);
      return p ? [p] : [];
    });
    if (!places.length) return [];
    const v = values.get(i);
    const text = `${r.type === 'radius' ? 'R' : r.type === 'diameter' ? '⌀' : ''}${v === undefined ? '?' : Number(v.toFixed(3))}${r.type === 'angle' ? '°' : ''}`;
    const mean = (k: 0 | 1) => places.reduce((m, p) => m + p[k], 0) / places.length;
    // numbers along x and y stand beside the far point, half-way along what they measure, so that they keep apart
    const far = places[places.length - 1];
    return [
      { at: toWorld(frame, r.type === 'across' ? [mean(0), far[1]] : r.type === 'up' ? [far[0], mean(1)] : [mean(0), mean(1)]), text },
    ];
  });
  return { settled: new Set(s.points.map((p) => p.id).filter((id) => !loose.has(id))), labels };
}
/** What of the sketch lies under the pointer: a point first, then a curve. */
export function sketchHit(v: Stage, x: number, y: number): string | undefined {
  const o = openSketch();
  if (!o) return undefined;
  const pane = v.paneAt(x, y);
  const s = reportOf(o.sketch).sketch;
  let best: { id: string; d: number } | undefined;
  for (const p of s.points) {
    const q = v.project(toWorld(o.frame, [p.x, p.y]), pane);
    const d = Math.hypot(q.x - x, q.y - y);
    if (d < 9 && (!best || d < best.d)) best = { id: p.id, d };
  }
  if (best) return best.id;
  for (const l of sketchLines(s, o.frame)) {
    let before: { x: number; y: number } | undefined;
    for (const p of l.points) {
      const q = v.project(p, pane);
      if (before) {
        const [dx, dy] = [q.x - before.x, q.y - before.y];
        const n = dx * dx + dy * dy;
        const t = n > 0 ? Math.min(1, Math.max(0, ((x - before.x) * dx + (y - before.y) * dy) / n)) : 0;
        const d = Math.hypot(before.x + t * dx - x, before.y + t * dy - y);
        if (d < 7 && (!best || d < best.d)) best = { id: l.id, d };
      }
      before = q;
    }
  }
  return best?.id;
}
export function chooseSketch(id: string | undefined, more: boolean): void {
  const k = getStudio().sketching;
  const chosen = !id
    ? []
    : more || (k?.chosen.length ?? 0) > 0
      ? k?.chosen.includes(id)
        ? k.chosen.filter((x) => x !== id)
        : [...(k?.chosen ?? []), id]
      : [id];
  setStudio({ sketching: { tool: undefined, pending: [], chosen } });
}

let before: { step: string; key: string; sketch: Sketch } | undefined;
/** Drags a point; the rest follows along its freedoms. */
export function dragSketch(point: string, to: Vec3): void {
  const o = openSketch();
  if (!o) return;
  before ??= { step: o.step, key: o.key, sketch: o.sketch };
  const local = toLocal(o.frame, to);
  setParams(o.step, { [o.key]: solved(o.sketch, { point, x: local[0], y: local[1] }) }, true);
}
export function endDragSketch(): void {
  const o = openSketch();
  if (before && o) endPreview(before.step, before.key, before.sketch, o.sketch);
  before = undefined;
}

type Choice = { readonly points: string[]; readonly lines: string[]; readonly round: string[]; readonly curves: string[] };
export function choiceOf(s: Sketch, chosen: readonly string[]): Choice {
  const curve = (id: string) => s.curves.find((c) => c.id === id);
  return {
    points: chosen.filter((id) => s.points.some((p) => p.id === id)),
    lines: chosen.filter((id) => curve(id)?.type === 'line'),
    round: chosen.filter((id) => ['circle', 'arc'].includes(curve(id)?.type ?? '')),
    curves: chosen.filter((id) => !!curve(id)),
  };
}
/** Rules that what is chosen can take. */
export function offers(s: Sketch, chosen: readonly string[]): { label: string; rule: Record<string, unknown> }[] {
  const { points: p, lines: l, round: o, curves: c } = choiceOf(s, chosen);
  const out: { label: string; rule: Record<string, unknown> }[] = [];
  const offer = (label: string, rule: Record<string, unknown>) => out.push({ label, rule });
  const at = (id: string) => s.points.find((q) => q.id === id) ?? { x: 0, y: 0 };
  const round = (x: number) => Number(x.toFixed(4));
  const line = (id: string) => {
    const k = s.curves.find((q) => q.id === id);
    return k?.type === 'line' ? k : undefined;
  };
  if (p.length === 1 && !c.length) offer('Fixed', { type: 'fixed', point: p[0] });
  if (p.length === 2 && !c.length) {
    const [a, b] = [at(p[0]), at(p[1])];
    offer('Coincident', { type: 'coincident', a: p[0], b: p[1] });
    offer('Horizontal', { type: 'horizontal', a: p[0], b: p[1] });
    offer('Vertical', { type: 'vertical', a: p[0], b: p[1] });
    offer('Distance', { type: 'distance', a: p[0], b: p[1], value: round(Math.hypot(a.x - b.x, a.y - b.y)) });
    offer('Along x', { type: 'across', a: p[0], b: p[1], value: round(b.x - a.x) });
    offer('Along y', { type: 'up', a: p[0], b: p[1], value: round(b.y - a.y) });
  }
  if (p.length === 1 && c.length === 1) {
    if (!s.curves.some((q) => q.id === c[0] && q.type === 'spline')) offer('On curve', { type: 'on', point: p[0], curve: c[0] });
    if (l.length) {
      offer('Midpoint', { type: 'midpoint', point: p[0], line: l[0] });
      const k = line(l[0]);
      if (k) {
        const [a, b, q] = [at(k.a), at(k.b), at(p[0])];
        const n = Math.hypot(b.x - a.x, b.y - a.y) || 1;
        offer('Distance', {
          type: 'distance',
          a: p[0],
          b: l[0],
          value: round(Math.abs((b.x - a.x) * (q.y - a.y) - (b.y - a.y) * (q.x - a.x)) / n),
        });
      }
    }
  }
  if (p.length === 2 && l.length === 1) offer('Symmetric', { type: 'symmetric', a: p[0], b: p[1], line: l[0] });
  if (l.length === 1 && c.length === 1 && !p.length) {
    const k = line(l[0]);
    if (k) {
      const [a, b] = [at(k.a), at(k.b)];
      offer('Horizontal', { type: 'horizontal', a: k.a, b: k.b });
      offer('Vertical', { type: 'vertical', a: k.a, b: k.b });
      offer('Length', { type: 'distance', a: k.a, b: k.b, value: round(Math.hypot(a.x - b.x, a.y - b.y)) });
    }
  }
  if (l.length === 2 && c.length === 2) {
    offer('Parallel', { type: 'parallel', a: l[0], b: l[1] });
    offer('Perpendicular', { type: 'perpendicular', a: l[0], b: l[1] });
    offer('Equal', { type: 'equal', a: l[0], b: l[1] });
    const [k, m] = [line(l[0]), line(l[1])];
    if (k && m) {
      const angle = (q: { a: string; b: string }) => Math.atan2(at(q.b).y - at(q.a).y, at(q.b).x - at(q.a).x);
      let deg = ((angle(m) - angle(k)) * 180) / Math.PI;
      if (deg > 180) deg -= 360;
      if (deg <= -180) deg += 360;
      offer('Angle', { type: 'angle', a: l[0], b: l[1], value: round(deg) });
    }
  }
  if (o.length === 1 && c.length === 1) {
    const k = s.curves.find((q) => q.id === o[0]);
    const r = k?.type === 'circle' ? k.r : k?.type === 'arc' ? Math.hypot(at(k.a).x - at(k.c).x, at(k.a).y - at(k.c).y) : 0;
    offer('Radius', { type: 'radius', curve: o[0], value: round(r) });
    offer('Diameter', { type: 'diameter', curve: o[0], value: round(2 * r) });
  }
  if (o.length === 2) {
    offer('Equal', { type: 'equal', a: o[0], b: o[1] });
    offer('Concentric', { type: 'concentric', a: o[0], b: o[1] });
  }
  if (c.length === 2 && l.length < 2 && !s.curves.some((q) => c.includes(q.id) && q.type === 'spline' && q.closed)) {
    offer('Tangent', { type: 'tangent', a: c[0], b: c[1] });
    offer('Curvature', { type: 'smooth', a: c[0], b: c[1] });
  }
  return out;
}

/** Takes points and curves out, with the rules that spoke of them; points that nothing uses go too. */
export function withoutParts(s: Sketch, ids: readonly string[]): Sketch {
  const gone = new Set(ids);
  const curves = s.curves
    .filter((c) => !gone.has(c.id))
    .map((c) => (c.type === 'spline' ? { ...c, points: c.points.filter((p) => !gone.has(p)) } : c))
    .filter((c) => (c.type === 'spline' ? c.points.length > 1 : !pointsOf(c).some((p) => gone.has(p))));
  for (const c of s.curves) if (!curves.some((x) => x.id === c.id)) gone.add(c.id);
  const used = new Set(curves.flatMap(pointsOf));
  const orphan = new Set(s.curves.filter((c) => gone.has(c.id)).flatMap(pointsOf));
  const points = s.points.filter((p) => !gone.has(p.id) && (used.has(p.id) || !orphan.has(p.id)));
  const left = new Set([...points.map((p) => p.id), ...curves.map((c) => c.id)]);
  const refs = (r: SketchRule) =>
    Object.entries(r).flatMap(([k, v]) => (['a', 'b', 'point', 'curve', 'line'].includes(k) ? [v as string] : []));
  return { points, curves, rules: s.rules.filter((r) => refs(r).every((x) => left.has(x))) };
}
