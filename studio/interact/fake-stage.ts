/** Helpers for tests only: a view without a browser, ten pixels a millimetre, seen straight from above, and documents for it. */
import { dot, type Frame, sub, type Vec3, WORLD } from '@ample-skin/core/math';
import { TOOLS } from '@ample-skin/core/tools';
import type { Handle } from '../view/handles.ts';
import type { Hit } from '../view/picking.ts';
import { screenHandle } from '../view/screen-handle.ts';
import { cageMode } from './cage-mode.ts';
import { controller } from './controller.ts';
import { type Doc, filterOf } from './doc.ts';
import { drawMode } from './draw.ts';
import { handlesOf } from './handles-of.ts';
import { measureMode } from './measure.ts';
import type { Command, Overlay, PointerAt, Stage } from './mode.ts';
import { pickMode } from './pick.ts';
import { sketchMode } from './sketch.ts';
import type { Snap } from './snaps.ts';

const project = (p: Vec3) => ({ x: 10 * p[0], y: -10 * p[1], depth: 0 });
export const place = (x: number, y: number, more: Partial<PointerAt> = {}): PointerAt => ({
  x: 10 * x,
  y: -10 * y,
  pane: 0,
  button: 0,
  shift: false,
  ctrl: false,
  alt: false,
  ...more,
});

export interface FakeView extends Stage {
  found: Hit[];
  handles: readonly Handle[];
  region?: number;
}
/** Rays run down along z; what lies under the pointer is what the test puts into `found`. */
export function fakeStage(): FakeView {
  const at = (x: number, y: number): Vec3 => [x / 10, -y / 10, 0];
  return {
    found: [],
    handles: [],
    paneAt: () => 0,
    project,
    onPlane(x, y, f) {
      const n = f.z[2];
      if (Math.abs(n) < 1e-9) return undefined;
      const p = at(x, y);
      return [p[0], p[1], (dot(f.z, f.origin) - f.z[0] * p[0] - f.z[1] * p[1]) / n];
    },
    onLine(x, y, from, direction) {
      const flat = 1 - direction[2] ** 2;
      if (flat < 1e-9) return undefined;
      const w = sub(at(x, y), from);
      return (w[0] * direction[0] + w[1] * direction[1]) / flat;
    },
    handleAt(x, y) {
      return this.handles
        .map((h) => ({ h, d: screenHandle(h, { x, y }, project, 0.1) }))
        .filter((k) => Number.isFinite(k.d))
        .sort((a, b) => a.d - b.d)[0]?.h;
    },
    hits(_x, _y, filter) {
      return this.found.filter((h) =>
        h.kind === 'face' ? filter.face : h.kind === 'edge' ? filter.edge : h.kind === 'vertex' ? filter.vertex : filter.piece('skin'),
      );
    },
    regionAt() {
      return this.region;
    },
    eyeDirection: () => [0, 0, 1],
    inside: () => [],
  };
}
export const hit = (step: string, kind: Hit['kind'], name = ''): Hit => ({
  kind,
  point: [0, 0, 0],
  label: name || step,
  pick: { step, output: 'main', ...(kind === 'piece' ? {} : { part: { kind: kind as 'face', name } }) },
});

const grid = (_: Stage, x: number, y: number): Snap[] => [
  { kind: 'grid', local: [Math.round(x / 10), Math.round(-y / 10), 0], label: 'grid', pixels: 0 },
];
/** A document with a step of a tool open. */
export function fakeDoc(
  tool: string | undefined,
  more: Partial<Doc> & { params?: Record<string, unknown>; inputs?: Record<string, never[]> } = {},
): Doc {
  const t = tool ? TOOLS.get(tool) : undefined;
  const { params = {}, inputs = {}, ...rest } = more;
  const step = t ? { id: 'open', tool: t.id, version: t.version, params, inputs } : undefined;
  return {
    step,
    tool: t,
    isDraft: true,
    marks: [],
    selection: [],
    sections: [],
    frame: WORLD as Frame,
    drawing: false,
    filter: filterOf(rest.slot?.slot, undefined),
    snaps: grid,
    ...rest,
  };
}

/** A controller on a fake view; commands and what is shown are kept. */
export function gestures(view: FakeView, doc: () => Doc) {
  const commands: Command[] = [];
  let shown: Overlay = {};
  const soon: (() => void)[] = [];
  const k = controller({
    stage: view,
    doc,
    modes: {
      pick: pickMode(view, doc, (h) => h.label),
      draw: drawMode(view, doc),
      sketch: sketchMode(view, doc, () => undefined),
      measure: measureMode(view),
      cage: cageMode(view, doc),
    },
    show: (o) => {
      shown = { ...shown, ...o };
    },
    run: (c) => commands.push(c),
    touched: () => undefined,
    soon: (work) => soon.push(work),
  });
  const frame = () => {
    for (const w of soon.splice(0)) w();
  };
  view.handles = handlesOf(doc(), false);
  return {
    k,
    commands,
    shown: () => shown,
    frame,
    hover(at: PointerAt) {
      k.move(1, at);
      frame();
    },
    click(at: PointerAt) {
      k.press(1, at);
      k.release(1, at);
    },
    drag(from: PointerAt, ...to: PointerAt[]) {
      k.press(1, from);
      for (const p of to) {
        k.move(1, p);
        frame();
      }
      k.release(1, to[to.length - 1]);
    },
  };
}
