import { away, CLICK, type Command, type Mode, NONE, type PointerAt, type Reaction } from './mode.ts';

/** Always beneath the others: a drag on nothing orbits, with the right or middle button it pans. */
export function navigateMode(beneath: Mode): Mode {
  let last: PointerAt | undefined;
  let moving = false;
  const step = (at: PointerAt, from: PointerAt): Reaction => {
    if (!moving && away(at, from) <= CLICK) return NONE;
    const before = moving && last ? last : from;
    moving = true;
    last = at;
    return {
      overlay: { tip: null, list: null },
      commands: [{ do: from.button === 0 ? 'orbit' : 'pan', pane: from.pane, dx: at.x - before.x, dy: at.y - before.y }],
    };
  };
  return {
    name: 'navigate',
    drag: step,
    release(at, from) {
      const moved = moving;
      moving = false;
      last = undefined;
      if (moved) return NONE;
      return from.button === 2 ? (beneath.hold?.(at) ?? NONE) : (beneath.release?.(at, from) ?? NONE);
    },
    hold: (at) => (moving ? NONE : (beneath.hold?.(at) ?? NONE)),
    leave() {
      moving = false;
      return NONE;
    },
  };
}

/** Wheel and touchpad: pinching and the wheel zoom to the pointer, two fingers pan. */
export function wheelCommand(at: PointerAt, e: { readonly deltaX: number; readonly deltaY: number; readonly deltaMode: number }): Command {
  if (at.ctrl || Math.abs(e.deltaX) < Math.abs(e.deltaY) || e.deltaMode)
    return { do: 'zoom', pane: at.pane, factor: Math.exp(e.deltaY * (at.ctrl ? 0.01 : 0.0012)), at };
  return { do: 'pan', pane: at.pane, dx: -e.deltaX, dy: -e.deltaY };
}
/** Two fingers: their distance zooms, their middle pans. */
export function pinchCommands(pane: number, before: readonly [PointerAt, PointerAt], now: readonly [PointerAt, PointerAt]): Command[] {
  const middle = (p: readonly [PointerAt, PointerAt]) => ({ x: (p[0].x + p[1].x) / 2, y: (p[0].y + p[1].y) / 2 });
  const [a, b] = [middle(before), middle(now)];
  const [d0, d1] = [away(...before), away(...now)];
  const pan: Command = { do: 'pan', pane, dx: b.x - a.x, dy: b.y - a.y };
  return d0 > 0 && d1 > 0 ? [{ do: 'zoom', pane, factor: d0 / d1, at: b }, pan] : [pan];
}
