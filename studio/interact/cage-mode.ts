import { dot, sub, type Vec3 } from '@ample-skin/core/math';
import type { Handle } from '../view/handles.ts';
import { cageHit } from './cage-hit.ts';
import { gripMotion, moverFrame, type OpenCage, withMotion } from './caging.ts';
import type { Doc } from './doc.ts';
import { angleAt, axisOf, moved, tidy, turnAxis } from './handle-values.ts';
import { away, CLICK, type Mode, NONE, type PointerAt, type Reaction, type Stage } from './mode.ts';

/** What is done to a cage by the pointer where no handle is: a click chooses, with Ctrl it adds or takes out, with Shift a drag draws a box. */
export function cageMode(stage: Stage, doc: () => Doc): Mode {
  return {
    name: 'cage',
    hover(at) {
      const d = doc();
      const hit = d.cage && cageHit(stage, d.cage.open, at, d.cage.caging.kind);
      return { overlay: { cageHover: hit?.name ?? null, tip: null, shape: hit ? 'pointer' : 'default', hover: null, cursor: null } };
    },
    release(at, from) {
      if (away(at, from) > CLICK) return NONE;
      const d = doc();
      if (!d.cage) return NONE;
      const { kind } = d.cage.caging;
      const hit = cageHit(stage, d.cage.open, at, kind);
      const more = at.ctrl || at.shift;
      if (!hit) return more ? NONE : { commands: [{ do: 'cageChoose', kind, names: [], more: false }] };
      // with Alt the whole loop it stands in
      return { commands: [{ do: 'cageChoose', kind, names: [hit.name], more, ...(at.alt ? { loop: true } : {}) }] };
    },
  };
}

/** The mover of a cage, or one of its chosen vertices, in hand. */
export function cageDragMode(stage: Stage, doc: () => Doc, handle: Handle, press: PointerAt): Mode | undefined {
  const d = doc();
  if (!d.cage || handle.id.kind !== 'cage') return undefined;
  const { open, caging } = d.cage;
  const frame = moverFrame(open, caging);
  if (!frame) return undefined;
  const { part } = handle.id;
  const before = open.operations;
  let latest: readonly unknown[] | undefined;
  let text = '';
  const put = (list: OpenCage['operations']): Reaction => {
    latest = list;
    return { commands: [{ do: 'cageOperations', step: open.step, key: open.key, list, before, preview: true }] };
  };
  const motion = (p: PointerAt): OpenCage['operations'] | undefined => {
    if (part === 'free') {
      // onto what the snaps give, else in the plane that faces the eye
      const snap = d.cageSnaps?.(stage, p.x, p.y);
      const to = snap ?? stage.onPlane(p.x, p.y, { origin: handle.at, z: stage.eyeDirection(press.pane) });
      if (!to) return undefined;
      const by = sub(to, handle.at);
      return withMotion(open, caging, frame, [dot(by, frame.x), dot(by, frame.y), dot(by, frame.z)]);
    }
    const ring = turnAxis(part);
    if (ring !== undefined) {
      const [axis, zero] = [axisOf(frame, ring), axisOf(frame, ((ring + 1) % 3) as 0)];
      const [a, b] = [angleAt(stage, frame.origin, axis, zero, press), angleAt(stage, frame.origin, axis, zero, p)];
      if (a === undefined || b === undefined) return undefined;
      const raw = ((((b - a + 180) % 360) + 360) % 360) - 180;
      return withMotion(open, caging, frame, [0, 0, 0], { axis: ring, degrees: p.ctrl ? tidy(raw, 2) : Math.round(raw) });
    }
    const by = moved(stage, frame, part, press, p);
    return by && withMotion(open, caging, frame, by.map((x) => tidy(x, 2)) as unknown as Vec3);
  };
  const typed = (n: number): OpenCage['operations'] | undefined => {
    if (part === 'free') return undefined;
    const ring = turnAxis(part);
    if (ring !== undefined) return withMotion(open, caging, frame, [0, 0, 0], { axis: ring, degrees: n });
    if (part.length !== 1) return undefined;
    return withMotion(open, caging, frame, gripMotion(part, [n, n, n]));
  };
  const end = (list: OpenCage['operations']): Reaction => ({
    overlay: { tip: null },
    commands: [{ do: 'cageOperations', step: open.step, key: open.key, list, before, preview: false }],
  });
  return {
    name: 'handle',
    drag(at, from) {
      if (text || (!latest && away(at, from) <= CLICK - 1)) return NONE;
      const list = motion(at);
      return list ? put(list) : NONE;
    },
    release: (at, from) => {
      if (latest) return end(latest as OpenCage['operations']);
      // a click means what lies beneath
      return cageMode(stage, doc).release?.(at, from) ?? NONE;
    },
    key(key, at) {
      if (key === 'Backspace') text = text.slice(0, -1);
      else if (/^[\d.,-]$/.test(key)) text += key.replace(',', '.');
      else return undefined;
      const n = Number(text);
      const list = Number.isFinite(n) && text && text !== '-' ? typed(n) : undefined;
      return { overlay: { tip: { x: at.x, y: at.y, text: text || '…' } }, ...(list ? put(list) : {}) };
    },
    leave: () => (latest ? end(before) : NONE),
  };
}
