import { dot, sub, toWorld, type Vec3 } from '@ample-skin/core/math';
import type { MarkView } from '@ample-skin/engine';
import type { Handle } from '../view/handles.ts';
import { cageDragMode } from './cage-mode.ts';
import type { Doc } from './doc.ts';
import {
  angleAt,
  axisOf,
  boundValue,
  gripFrame,
  gripValue,
  lengthShare,
  type Mark,
  moved,
  moverAxes,
  numberValue,
  shareNear,
  slideValue,
  tidy,
  turnAxis,
} from './handle-values.ts';
import { away, CLICK, type Command, type Mode, NONE, type PointerAt, type Reaction, type Stage } from './mode.ts';
import { sectionDrag } from './section.ts';

export const marksOf = <K extends MarkView['kind']>(doc: Doc, kind: K): Mark<K>[] => doc.marks.filter((m): m is Mark<K> => m.kind === kind);

/** What a handle changes: the parameter, its value before, and the value for a place of the pointer, or for a number typed while dragging. */
interface Grip {
  readonly key: string;
  readonly before: unknown;
  readonly value: (at: PointerAt) => unknown;
  readonly typed?: (n: number) => unknown;
  readonly text?: (value: unknown) => string;
  readonly click?: Command;
}

/** Snaps other than the grid pull a handle to them: the place in space, if one is near. */
const snapPoint = (doc: Doc, stage: Stage, at: PointerAt): Vec3 | undefined => {
  const s = doc.snaps(stage, at.x, at.y).find((x) => x.kind !== 'grid' && x.kind !== 'free');
  return s && s.pixels < 9 ? toWorld(doc.frame, s.local) : undefined;
};
const setTo = (v: readonly unknown[], k: number, x: unknown) => v.map((o, i) => (i === k ? x : o));

function gripOf(h: Handle, doc: Doc, stage: Stage, from: PointerAt): Grip | undefined {
  const { step } = doc;
  if (!step) return undefined;
  const before = (key: string) => step.params[key];
  const { id } = h;
  if (id.kind === 'point' && doc.drawn) {
    const { draws, points } = doc.drawn;
    const at = (p: PointerAt) => {
      const q = doc.snaps(stage, p.x, p.y)[0];
      return q
        ? setTo(points, id.index, points[id.index].length > 2 ? [q.local[0], q.local[1], points[id.index][2]] : [q.local[0], q.local[1]])
        : points;
    };
    // while more is drawn, a click on the first point means its place: it closes, or takes the place a middle has by default
    const here = doc.drawing && id.index === 0 ? doc.snaps(stage, from.x, from.y)[0] : undefined;
    return { key: draws.points, before: before(draws.points), value: at, click: here && { do: 'addPoint', at: here.local } };
  }
  if (id.kind === 'slide') {
    const m = marksOf(doc, 'slide')[id.index];
    const click: Command | undefined = m.click && { do: 'params', step: step.id, params: m.click.params };
    const value = (p: PointerAt) => (m.template === undefined ? before(m.param) : slideValue(m, shareNear(stage, m.points, p, p.pane)));
    return { key: m.param, before: before(m.param), value, click };
  }
  if (id.kind === 'grip') {
    const m = marksOf(doc, 'grip')[id.index];
    const value = (p: PointerAt) => {
      const to = (!m.within && snapPoint(doc, stage, p)) || stage.onPlane(p.x, p.y, gripFrame(stage, m, p.pane));
      return to ? gripValue(m, to) : before(m.param);
    };
    return { key: m.param, before: before(m.param), value };
  }
  if (id.kind === 'push') {
    const m = marksOf(doc, 'push')[id.index];
    const start = stage.onLine(from.x, from.y, m.from, m.direction) ?? 0;
    const value = (p: PointerAt) => {
      const snap = snapPoint(doc, stage, p);
      if (snap) return numberValue(m, dot(sub(snap, m.from), m.direction) / (m.rate ?? 1));
      const now = stage.onLine(p.x, p.y, m.from, m.direction);
      return now === undefined ? before(m.param) : numberValue(m, tidy(m.value + (now - start) / (m.rate ?? 1), 2));
    };
    const click: Command = m.click ? { do: 'params', step: step.id, params: m.click.params } : { do: 'typed', handle: h };
    return { key: m.param, before: before(m.param), value, typed: (n) => numberValue(m, n), click };
  }
  if (id.kind === 'turn') {
    const m = marksOf(doc, 'turn')[id.index];
    const start = angleAt(stage, m.centre, m.axis, m.zero, from) ?? 0;
    const value = (p: PointerAt) => {
      const now = angleAt(stage, m.centre, m.axis, m.zero, p);
      if (now === undefined) return before(m.param);
      let by = now - start;
      if (by > 180) by -= 360;
      if (by < -180) by += 360;
      const raw = m.value + by;
      return numberValue(m, boundValue(m, p.ctrl ? tidy(raw, 1) : Math.round(raw)));
    };
    return { key: m.param, before: before(m.param), value, typed: (n) => numberValue(m, n), click: { do: 'typed', handle: h } };
  }
  if (id.kind === 'mover') return moverGrip(h, doc, stage, from);
  return undefined;
}
function moverGrip(h: Handle, doc: Doc, stage: Stage, from: PointerAt): Grip | undefined {
  const { id } = h;
  const { step } = doc;
  if (id.kind !== 'mover' || !step) return undefined;
  const m = marksOf(doc, 'mover')[id.index];
  const ring = turnAxis(id.part);
  if (ring !== undefined && m.turns) {
    const { param, value: old } = m.turns;
    const [axis, zero] = [axisOf(m.frame, ring), axisOf(m.frame, ((ring + 1) % 3) as 0)];
    const start = angleAt(stage, m.frame.origin, axis, zero, from) ?? 0;
    const put = (n: number) => setTo(old, ring, tidy(((((n + 180) % 360) + 360) % 360) - 180, 3));
    const value = (p: PointerAt) => {
      const now = angleAt(stage, m.frame.origin, axis, zero, p);
      return now === undefined ? old : put(old[ring] + (p.ctrl ? now - start : Math.round(now - start)));
    };
    return { key: param, before: step.params[param], value, typed: put, click: { do: 'typed', handle: h } };
  }
  const { param, value: old } = m.by;
  const axes = moverAxes(id.part);
  const value = (p: PointerAt) => {
    const snap = snapPoint(doc, stage, p);
    const d = snap
      ? ([0, 1, 2].map((k) => dot(sub(snap, m.frame.origin), axisOf(m.frame, k as 0))) as unknown as Vec3)
      : moved(stage, m.frame, id.part, from, p);
    return d ? old.map((x, k) => (axes.includes(k as 0) ? tidy(x + d[k], snap ? 4 : 2) : x)) : old;
  };
  const typed = axes.length === 1 ? (n: number) => setTo(old, axes[0], n) : undefined;
  return { key: param, before: step.params[param], value, typed, click: typed && { do: 'typed', handle: h } };
}

/** A handle in hand: the parameter follows while it is dragged and is kept as one edit; digits typed meanwhile win over the pointer. */
export function handleMode(stage: Stage, doc: () => Doc, handle: Handle, press: PointerAt): Mode | undefined {
  const d = doc();
  const id = handle.id;
  if (id.kind === 'sketch') return sketchPoint(stage, doc, id.id);
  if (id.kind === 'chain') return chainEnd(stage, d, id);
  if (id.kind === 'section') return sectionDrag(stage, d, id, press);
  if (id.kind === 'cage') return cageDragMode(stage, doc, handle, press);
  const grip = gripOf(handle, d, stage, press);
  const step = d.step?.id;
  if (!grip || !step) return undefined;
  let text = '';
  let latest: unknown;
  const show = (value: unknown): Reaction => {
    latest = value;
    return { commands: [{ do: 'param', step, key: grip.key, value, preview: true }] };
  };
  const finish = (): Reaction =>
    latest === undefined
      ? NONE
      : { overlay: { tip: null }, commands: [{ do: 'param', step, key: grip.key, value: latest, preview: false, before: grip.before }] };
  return {
    name: 'handle',
    drag: (at, from) => (text || (latest === undefined && away(at, from) <= CLICK - 1) ? NONE : show(grip.value(at))),
    release(at, from) {
      if (latest !== undefined) return finish();
      if (away(at, from) > CLICK) return NONE;
      return grip.click ? { commands: [grip.click] } : NONE;
    },
    key(key, at) {
      if (!grip.typed) return undefined;
      if (key === 'Escape') return this.leave?.();
      if (key === 'Backspace') text = text.slice(0, -1);
      else if (/^[\d.,-]$/.test(key)) text += key.replace(',', '.');
      else return undefined;
      const n = Number(text);
      const tip = { x: at.x, y: at.y, text: text || '…' };
      return Number.isFinite(n) && text && text !== '-' ? { overlay: { tip }, ...show(grip.typed(n)) } : { overlay: { tip } };
    },
    leave: () =>
      latest === undefined
        ? NONE
        : {
            overlay: { tip: null },
            commands: [{ do: 'param', step, key: grip.key, value: grip.before, preview: false, before: grip.before }],
          },
  };
}

/** A point of an open sketch: the rest follows along its freedoms; a click chooses it. */
function sketchPoint(stage: Stage, doc: () => Doc, point: string): Mode {
  let dragged = false;
  return {
    name: 'sketch point',
    drag(at, from) {
      const frame = doc().sketch?.frame;
      const to = frame && (dragged || away(at, from) > CLICK - 1) && stage.onPlane(at.x, at.y, frame);
      if (!to) return NONE;
      dragged = true;
      return { commands: [{ do: 'sketchDrag', point, to }] };
    },
    release: (at) => ({ commands: [dragged ? { do: 'sketchDrop' } : { do: 'sketchChoose', id: point, more: at.ctrl || at.shift }] }),
    leave: () => (dragged ? { commands: [{ do: 'sketchDrop' }] } : NONE),
  };
}

/** An end of a grown chain, pulled in along it. */
function chainEnd(stage: Stage, d: Doc, id: Extract<Handle['id'], { kind: 'chain' }>): Mode | undefined {
  const m = marksOf(d, 'chain')[id.index];
  const { step } = d;
  if (!m || !step) return undefined;
  const before = step.inputs[m.slot] ?? [];
  let latest: typeof before | undefined;
  const put = (share: number) => {
    const cut: [number, number] =
      id.end === 0 ? [Math.min(share, m.cut[1] - 0.01), m.cut[1]] : [m.cut[0], Math.max(share, m.cut[0] + 0.01)];
    return before.map((p, i) => (i === m.index && p.grow ? { ...p, grow: { ...p.grow, cut } } : p));
  };
  return {
    name: 'chain end',
    drag(at, from) {
      if (!latest && away(at, from) <= CLICK - 1) return NONE;
      latest = put(tidy(lengthShare(m.points, shareNear(stage, m.points, at, at.pane))));
      return { commands: [{ do: 'inputs', step: step.id, slot: m.slot, picks: latest, preview: true }] };
    },
    release: () => (latest ? { commands: [{ do: 'inputs', step: step.id, slot: m.slot, picks: latest, preview: false, before }] } : NONE),
    leave: () => (latest ? { commands: [{ do: 'inputs', step: step.id, slot: m.slot, picks: before, preview: false, before }] } : NONE),
  };
}
