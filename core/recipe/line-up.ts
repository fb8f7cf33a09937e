import { lerp, unit, type Vec3 } from '../math/index.ts';
import type { Mark, StepAction } from './tool.ts';

type Adjust = readonly { readonly section: number; readonly start?: number; readonly flip?: boolean }[];
type Pins = readonly (readonly number[])[];
export type Rails = readonly { section: number; points: readonly Vec3[]; start: number; reversed: boolean; direction: Vec3 }[];
/** Starts, directions and matched points, dragged on the sections themselves. */
export function lineUpMarks(rails: Rails, closed: boolean, adjust: Adjust, pins: Pins): Mark[] {
  const marks: Mark[] = rails.map((r, i): Mark => {
    const own = adjust.find((x) => x.section === r.section);
    const others = adjust.filter((x) => x.section !== r.section);
    return {
      kind: 'slide',
      points: r.points,
      closed,
      at: r.start,
      label: String(i + 1),
      arrow: unit(r.direction),
      param: 'adjust',
      template: closed ? [...others, { ...own, section: r.section, start: '$share' }] : undefined,
      click: {
        params: { adjust: [...others, { ...own, section: r.section, flip: !own?.flip }] },
        hint: closed ? 'Drag to move the start, click to turn the direction' : 'Click to turn the direction',
      },
    };
  });
  // a matched point is given as shares of the lined-up sections; its dots slide on the sections themselves
  const toOwn = (k: number, share: number) => {
    const raw = rails[k].start + (rails[k].reversed ? -share : share);
    return closed ? raw - Math.floor(raw) : Math.min(1, Math.max(0, rails[k].reversed ? 1 - share : share));
  };
  pins.forEach((pin, n) => {
    if (pin.length !== rails.length) return;
    marks.push({ kind: 'link', points: rails.map((r, k) => pointOn(r.points, toOwn(k, pin[k]))) });
    rails.forEach((r, k) => {
      // points listed in the direction of the lined-up section, so that the share is its own
      const along = Array.from({ length: 65 }, (_, i) => pointOn(r.points, toOwn(k, i / 64)));
      marks.push({
        kind: 'slide',
        points: along,
        closed: false,
        at: pin[k],
        param: 'pins',
        template: pins.map((q, m) => (m === n ? q.map((x, j) => (j === k ? '$share' : x)) : q)),
      });
    });
  });
  return marks;
}
export function lineUpActions(count: number, p: { readonly adjust: Adjust; readonly pins: Pins; readonly match?: string }): StepAction[] {
  const pins = [0, ...p.pins.filter((q) => q.length === count).map((q) => q[0]), 1].sort((x, y) => x - y);
  const widest = pins.slice(1).reduce((best, x, i) => (x - pins[i] > pins[best + 1] - pins[best] ? i : best), 0);
  const middle = (pins[widest] + pins[widest + 1]) / 2;
  const actions: StepAction[] = [
    {
      label: 'Add matched points',
      params: {
        pins: [...p.pins, Array(count).fill(middle)],
        ...(p.match === 'points' || p.match === 'parameter' ? { match: 'auto' } : {}),
      },
    },
  ];
  if (p.pins.length) actions.push({ label: 'Remove the last matched points', params: { pins: p.pins.slice(0, -1) } });
  if (p.adjust.length) actions.push({ label: 'Line up by itself again', params: { adjust: [] } });
  return actions;
}

function pointOn(points: readonly Vec3[], share: number): Vec3 {
  const x = share * (points.length - 1);
  const i = Math.min(points.length - 2, Math.max(0, Math.floor(x)));
  return lerp(points[i], points[i + 1], x - i);
}
