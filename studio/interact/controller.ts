import { handleKey } from '../view/handles.ts';
import { boxMode } from './box.ts';
import type { Doc } from './doc.ts';
import { handleMode } from './handle.ts';
import { away, CLICK, type Command, type Mode, NONE, type Overlay, type PointerAt, type Reaction, type Stage } from './mode.ts';
import { navigateMode, pinchCommands, wheelCommand } from './navigate.ts';

export interface ControllerHost {
  readonly stage: Stage;
  readonly doc: () => Doc;
  /** Modes that stand under a press on nothing in particular, by what the document is about. */
  readonly modes: { readonly pick: Mode; readonly draw: Mode; readonly sketch: Mode; readonly measure: Mode; readonly cage: Mode };
  readonly show: (o: Overlay) => void;
  readonly run: (c: Command) => void;
  /** The person moved something: the view is no longer fitted by itself. */
  readonly touched: () => void;
  /** Runs at the next picture; the mouse reports faster than pictures are drawn. */
  readonly soon: (work: () => void) => number;
}
/** Milliseconds after which a press that stays where it is lists what lies there. */
export const HOLD_MS = 600;
/** Pixels that a press moves after it has listed what lies there until it is a drag after all. */
const LISTED_PX = 12;

/**
 * Turns pointer, wheel and key events into the calls of one mode at a time. Free of the browser: events come as plain data, so that whole
 * gestures are tested.
 */
export function controller(host: ControllerHost) {
  const { stage, doc } = host;
  const touches = new Map<number, PointerAt>();
  let active: { mode: Mode; from: PointerAt; id: number; listed?: boolean } | undefined;
  let lastAt: PointerAt | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let waiting: PointerAt | undefined;

  const modeNow = (): Mode => {
    const d = doc();
    if (d.measuring) return host.modes.measure;
    if (d.slot) return host.modes.pick;
    return d.sketch ? host.modes.sketch : d.cage ? host.modes.cage : d.drawing ? host.modes.draw : host.modes.pick;
  };
  const react = (r: Reaction | undefined) => {
    if (r?.overlay) host.show(r.overlay);
    for (const c of r?.commands ?? []) host.run(c);
  };
  const end = (r: Reaction | undefined) => {
    clearTimeout(timer);
    active = undefined;
    waiting = undefined;
    react(r);
  };
  const flush = () => {
    const at = waiting;
    waiting = undefined;
    if (!at) return;
    if (active?.listed) return;
    if (active) react(active.mode.drag?.(at, active.from));
    else hover(at);
  };
  const later = (at: PointerAt) => {
    const idle = !waiting;
    waiting = at;
    if (idle) host.soon(flush);
  };
  function hover(at: PointerAt) {
    const handle = doc().sketch && modeNow().name === 'sketch' && doc().sketch?.drawing ? undefined : stage.handleAt(at.x, at.y);
    if (handle) {
      const mark =
        handle.id.kind === 'slide' || handle.id.kind === 'push'
          ? doc().marks.filter((m) => m.kind === handle.id.kind)[handle.id.index]
          : undefined;
      const click = mark && 'click' in mark ? mark.click?.hint : undefined;
      const text =
        click ??
        (handle.id.kind === 'chain'
          ? 'Drag to shorten the chain'
          : handle.id.kind === 'point' || handle.id.kind === 'sketch' || (handle.id.kind === 'cage' && handle.id.part === 'free')
            ? ''
            : 'Drag, or click to type');
      host.show({ hover: null, cursor: null, handle: handleKey(handle.id), tip: text ? { x: at.x, y: at.y, text } : null, shape: 'grab' });
      return;
    }
    host.show({ handle: null, cageHover: null });
    react(modeNow().hover?.(at));
  }

  return {
    press(id: number, at: PointerAt) {
      host.touched();
      host.show({ list: null, tip: null });
      touches.set(id, at);
      lastAt = at;
      if (touches.size === 2) {
        const left = active?.mode.leave?.();
        active = undefined;
        clearTimeout(timer);
        react(left);
        return;
      }
      const sketching = doc().sketch?.drawing && !doc().slot;
      // keys that add to a choice, or take a loop or a box, mean what lies beneath
      const choosing = !!doc().cage && (at.ctrl || at.shift || at.alt);
      const handle = at.button === 0 && !sketching && !choosing ? stage.handleAt(at.x, at.y) : undefined;
      const held = handle && handleMode(stage, doc, handle, at);
      const beneath = modeNow();
      const boxed = at.button === 0 && at.shift && (beneath.name === 'pick' || beneath.name === 'cage');
      const mode = held ?? (boxed ? boxMode(stage, doc, beneath) : navigateMode(beneath));
      active = { mode, from: at, id };
      if (at.button === 0 && !held)
        timer = setTimeout(() => {
          if (active?.mode !== mode) return;
          active.listed = true;
          react(mode.hold?.(at));
        }, HOLD_MS);
    },
    move(id: number, at: PointerAt) {
      lastAt = at;
      const before = touches.get(id);
      if (before && touches.size === 2) {
        const other = [...touches].find(([k]) => k !== id)?.[1] as PointerAt;
        for (const c of pinchCommands(at.pane, [before, other], [at, other])) host.run(c);
        touches.set(id, at);
        return;
      }
      if (before) touches.set(id, at);
      const gone = active && away(at, active.from);
      if (gone !== undefined && gone > CLICK) clearTimeout(timer);
      if (active?.listed && gone !== undefined && gone > LISTED_PX) {
        // a page that is slow hears of a quick drag late: it is still one
        active.listed = false;
        host.show({ list: null, tip: null });
      }
      if (!before && active) return;
      later(at);
    },
    release(id: number, at: PointerAt) {
      if (!touches.delete(id)) return;
      if (!active || active.id !== id) return;
      if (waiting) flush();
      const { mode, from, listed } = active;
      end(listed ? NONE : mode.release?.(at, from));
    },
    cancel(id: number) {
      touches.delete(id);
      if (active?.id === id) end(active.mode.leave?.());
    },
    wheel(at: PointerAt, e: { deltaX: number; deltaY: number; deltaMode: number }) {
      host.touched();
      host.run(wheelCommand(at, e));
    },
    out() {
      if (active) return;
      waiting = undefined;
      host.show({ tip: null, cursor: null, hover: null, handle: null });
    },
    /** True when the gesture in hand took the key, or the key opened the list of what lies under the pointer. */
    key(key: string, inside: boolean): boolean {
      if (active && lastAt) {
        if (key === 'Escape') {
          end(active.mode.leave?.());
          return true;
        }
        if (key === 'Enter' && active.mode.name === 'handle') {
          end(active.mode.release?.(lastAt, active.from));
          return true;
        }
        const r = active.mode.key?.(key, lastAt);
        react(r);
        return !!r;
      }
      if (key === 'Tab' && inside && lastAt) {
        react(modeNow().hold?.(lastAt) ?? NONE);
        return true;
      }
      return false;
    },
    mode: (): string => active?.mode.name ?? modeNow().name,
  };
}
