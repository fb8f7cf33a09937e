import { toWorld, type Vec3 } from '@ample-skin/core/math';
import { defaultOf, endPreview, getStudio, pickAt, setParams, setStudio, standingOf, stepOf } from '../state/store.ts';
import type { Hit } from '../view/picking.ts';
import type { Viewport } from '../view/viewport.ts';
import {
  addPoint,
  allSnaps,
  clickPlace,
  clickRegion,
  drawnParam,
  type Formula,
  frameOfStep,
  GRIP_IDS,
  type Grip,
  gripFrame,
  gripsOf,
  gripValue,
  hitFilter,
  SLIDE_IDS,
  type Slide,
  shareAt,
  slidesOf,
  slideValue,
  snapHere,
  snapped,
} from './drawing.ts';
import { faceLabel, pickName } from './names.ts';
import { chooseSketch, clickSketch, dragSketch, endDragSketch, openSketch, SKETCH_IDS, sketchHit } from './sketching.ts';
import type { Snap } from './snaps.ts';

/** What the view shows of the pointer's work. */
export interface PointerUi {
  readonly tip: (t: { x: number; y: number; text: string } | undefined) => void;
  readonly chooser: (c: { x: number; y: number; hits: Hit[]; snaps?: Snap[] } | undefined) => void;
  readonly box: (b: { x0: number; y0: number; x1: number; y1: number } | undefined) => void;
  readonly cursor: (p: Vec3 | undefined) => void;
  /** The user moved the view: it is no longer fitted by itself. */
  readonly touched: () => void;
}

/**
 * Pointer, touch, wheel and Tab on the view: orbit, pan, zoom, handles, selection box, clicks, hover. Returns what takes it all off again.
 */
export function attachPointer(el: HTMLElement, v: Viewport, ui: PointerUi): () => void {
  const local = (e: { clientX: number; clientY: number }) => {
    const r = el.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };
  let pointer = { x: 0, y: 0 };
  const touches = new Map<number, { x: number; y: number }>();
  let mode: 'none' | 'orbit' | 'pan' | 'handle' | 'slide' | 'grip' | 'sketch' | 'box' = 'none';
  let start = { x: 0, y: 0 };
  let last = { x: 0, y: 0 };
  let pane = 0;
  let handle: { id: number; before: unknown; key: string; step: string; value: Formula[][] } | undefined;
  let slide: { mark: Slide; step: string; before: unknown; value?: unknown } | undefined;
  let grip: { mark: Grip; step: string; before: unknown; value?: unknown } | undefined;
  let sketchPoint: { id: string; moved: boolean } | undefined;
  let press: ReturnType<typeof setTimeout> | undefined;
  let frameRequest = 0;
  const list = (x: number, y: number) => {
    const s = getStudio();
    const drawing = !s.slot && ((s.draft && drawnParam(s.open)) || (s.sketching?.tool && openSketch()));
    if (drawing) {
      const snaps = allSnaps(v, x, y);
      if (snaps.length > 1) ui.chooser({ x, y, hits: [], snaps: snaps.slice(0, 9) });
      return;
    }
    const hits = v.hits(x, y, hitFilter());
    if (hits.length) ui.chooser({ x, y, hits: hits.slice(0, 9) });
  };
  const down = (e: PointerEvent) => {
    if ((e.target as HTMLElement).closest('.viewbar, .dialbox, .contextbar, .drawbar, .chooser, .progress, select')) return;
    ui.chooser(undefined);
    const p = local(e);
    ui.touched();
    ui.tip(undefined);
    (document.activeElement as HTMLElement | null)?.blur?.();
    el.setPointerCapture(e.pointerId);
    touches.set(e.pointerId, p);
    start = last = p;
    pane = v.paneAt(p.x, p.y);
    if (touches.size === 2) {
      mode = 'pan';
      return;
    }
    const id = e.button === 0 ? v.handleAt(p.x, p.y) : undefined;
    const d = drawnParam(getStudio().open);
    const open = getStudio().open;
    const shape = openSketch();
    if (id !== undefined && id >= SKETCH_IDS && shape && !getStudio().sketching?.tool) {
      setStudio({ hover: undefined });
      mode = 'sketch';
      sketchPoint = { id: shape.sketch.points[id - SKETCH_IDS]?.id ?? '', moved: false };
    } else if (id !== undefined && id >= GRIP_IDS && id < SKETCH_IDS && open) {
      const mark = gripsOf(getStudio().steps.get(open)?.marks ?? [])[id - GRIP_IDS];
      mode = 'grip';
      grip = mark && { mark, step: open, before: stepOf(open)?.params[mark.param] ?? defaultOf(stepOf(open)?.tool ?? '', mark.param) };
    } else if (id !== undefined && id >= SLIDE_IDS && id < GRIP_IDS && open) {
      const mark = slidesOf(getStudio().steps.get(open)?.marks ?? [])[id - SLIDE_IDS];
      mode = 'slide';
      slide = mark && { mark, step: open, before: stepOf(open)?.params[mark.param] ?? defaultOf(stepOf(open)?.tool ?? '', mark.param) };
    } else if (id !== undefined && d && id < SLIDE_IDS) {
      mode = 'handle';
      handle = { id, before: d.step.params[d.draws.points], key: d.draws.points, step: d.step.id, value: d.points };
    } else if (e.button === 2 || e.button === 1) mode = 'pan';
    else if (e.shiftKey) mode = 'box';
    else mode = 'none';
    if (e.button === 0 && mode === 'none')
      press = setTimeout(() => {
        mode = 'orbit';
        list(p.x, p.y);
      }, 650);
  };
  const move = (e: PointerEvent) => {
    const p = local(e);
    pointer = p;
    const before = touches.get(e.pointerId);
    if (!before) {
      if (frameRequest) return;
      frameRequest = requestAnimationFrame(() => {
        frameRequest = 0;
        hoverAt(p.x, p.y, e.target as HTMLElement);
      });
      return;
    }
    if (touches.size === 2) {
      const other = [...touches].find(([k]) => k !== e.pointerId)?.[1];
      if (other) {
        const d0 = Math.hypot(before.x - other.x, before.y - other.y);
        const d1 = Math.hypot(p.x - other.x, p.y - other.y);
        const r = v.rects()[pane];
        if (d0 > 0 && d1 > 0) v.orbits[pane].zoom(d0 / d1, 0, 0, r.width / r.height);
        v.orbits[pane].pan((p.x - before.x) / 2, (p.y - before.y) / 2, r.height);
        v.invalidate();
      }
      touches.set(e.pointerId, p);
      return;
    }
    touches.set(e.pointerId, p);
    if (mode === 'none' && Math.hypot(p.x - start.x, p.y - start.y) > 4) {
      mode = 'orbit';
      clearTimeout(press);
    }
    const r = v.rects()[pane];
    if (mode === 'orbit') {
      v.orbits[pane].orbit(p.x - last.x, p.y - last.y);
      v.invalidate();
    } else if (mode === 'pan') {
      v.orbits[pane].pan(p.x - last.x, p.y - last.y, r.height);
      v.invalidate();
    } else if (mode === 'box') ui.box({ x0: start.x, y0: start.y, x1: p.x, y1: p.y });
    else if (mode !== 'none') {
      // the mouse reports faster than pictures are drawn: only its last place before a picture counts
      dragTo = p;
      dragRequest ||= requestAnimationFrame(dragNow);
    }
    last = p;
  };
  let dragTo: { x: number; y: number } | undefined;
  let dragRequest = 0;
  /** Carries out what a drag has asked for since the last picture. */
  const dragNow = () => {
    cancelAnimationFrame(dragRequest);
    dragRequest = 0;
    const p = dragTo;
    dragTo = undefined;
    if (!p) return;
    if (mode === 'slide' && slide?.mark.template !== undefined && Math.hypot(p.x - start.x, p.y - start.y) > 3) {
      slide.value = slideValue(slide.mark, shareAt(v, slide.mark, p.x, p.y, pane));
      setParams(slide.step, { [slide.mark.param]: slide.value }, true);
    } else if (mode === 'sketch' && sketchPoint && (sketchPoint.moved || Math.hypot(p.x - start.x, p.y - start.y) > 3)) {
      sketchPoint.moved = true;
      const shape = openSketch();
      const to = shape && v.onPlane(p.x, p.y, shape.frame);
      if (to) dragSketch(sketchPoint.id, to);
    } else if (mode === 'grip' && grip && Math.hypot(p.x - start.x, p.y - start.y) > 2) {
      const to = v.onPlane(p.x, p.y, gripFrame(v, grip.mark, pane));
      if (to) {
        grip.value = gripValue(grip.mark, to);
        setParams(grip.step, { [grip.mark.param]: grip.value }, true);
      }
    } else if (mode === 'handle' && handle) {
      const h = handle;
      const q = snapped(v, p.x, p.y);
      if (q) {
        const value = h.value.map((x, i) => (i === h.id ? (x.length > 2 ? [q[0], q[1], x[2]] : [q[0], q[1]]) : x));
        h.value = value;
        setParams(h.step, { [h.key]: value }, true);
      }
    }
  };
  const up = (e: PointerEvent) => {
    clearTimeout(press);
    if (!touches.delete(e.pointerId)) return;
    dragNow();
    const p = local(e);
    if (mode === 'slide' && slide) {
      if (slide.value !== undefined) endPreview(slide.step, slide.mark.param, slide.before, slide.value);
      else if (slide.mark.click) setParams(slide.step, slide.mark.click.params);
    } else if (mode === 'sketch' && sketchPoint) {
      if (sketchPoint.moved) endDragSketch();
      else chooseSketch(sketchPoint.id, e.ctrlKey || e.shiftKey);
    } else if (mode === 'grip' && grip) {
      if (grip.value !== undefined) endPreview(grip.step, grip.mark.param, grip.before, grip.value);
    } else if (mode === 'handle' && handle) endPreview(handle.step, handle.key, handle.before, handle.value);
    else if (mode === 'box') {
      ui.box(undefined);
      selectBox(start, p);
    } else if (mode === 'none' && e.button === 0) click(p.x, p.y, e.ctrlKey || e.metaKey);
    mode = 'none';
    handle = undefined;
    slide = undefined;
    grip = undefined;
    sketchPoint = undefined;
  };
  const click = (x: number, y: number, more: boolean) => {
    const s = getStudio();
    const d = drawnParam(s.open);
    if (s.draft && d && !s.slot && s.draft.step.id === s.open) {
      const q = snapped(v, x, y);
      if (q) addPoint(q);
      return;
    }
    const shape = s.slot ? undefined : openSketch();
    if (shape) {
      const hit = sketchHit(v, x, y);
      if (s.sketching?.tool) {
        const q = snapped(v, x, y);
        const isPoint = shape.sketch.points.some((k) => k.id === hit);
        if (q) clickSketch([q[0], q[1]], isPoint ? hit : undefined);
      } else chooseSketch(hit, more);
      return;
    }
    if (clickRegion(v, x, y)) return;
    if (clickPlace(v, x, y)) return;
    const hits = v.hits(x, y, hitFilter());
    if (hits[0]) pickAt(hits[0].pick, more);
    else if (!more && !s.slot) setStudio({ selection: [], lit: undefined });
  };
  const selectBox = (a: { x: number; y: number }, b: { x: number; y: number }) => {
    const [x0, x1] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
    const [y0, y1] = [Math.min(a.y, b.y), Math.max(a.y, b.y)];
    if (x1 - x0 < 4 || y1 - y0 < 4) return;
    const s = getStudio();
    const standing = standingOf();
    const inside = [...s.pieces.values()]
      .filter((p) => p.live && p.display && !standing(p.key).hidden && !standing(p.key).locked)
      .filter((p) => {
        const bx = p.display?.box;
        if (!bx) return false;
        return [0, 1, 2, 3, 4, 5, 6, 7].every((k) => {
          const q = v.project([k & 1 ? bx.max[0] : bx.min[0], k & 2 ? bx.max[1] : bx.min[1], k & 4 ? bx.max[2] : bx.min[2]], pane);
          return q.x >= x0 && q.x <= x1 && q.y >= y0 && q.y <= y1;
        });
      });
    const f = hitFilter();
    if (s.slot)
      for (const p of inside) {
        if (f.piece(p.kind)) pickAt({ step: p.step, output: p.output }, true);
      }
    else setStudio({ selection: inside.map((p) => ({ step: p.step, output: p.output })) });
  };
  const hoverAt = (x: number, y: number, target: HTMLElement) => {
    if (target.closest('.viewbar, .dialbox, .contextbar, .drawbar, .chooser')) {
      ui.tip(undefined);
      return;
    }
    const s = getStudio();
    const drawingSketch = !!s.sketching?.tool && !s.slot && !!openSketch();
    if (drawingSketch) {
      showSnap(x, y);
      return;
    }
    const over = v.handleAt(x, y);
    if (over !== undefined && over >= SLIDE_IDS && over < GRIP_IDS && s.open) {
      const mark = slidesOf(s.steps.get(s.open)?.marks ?? [])[over - SLIDE_IDS];
      if (mark) {
        ui.tip({ x, y, text: mark.click?.hint ?? 'Drag along the section' });
        return;
      }
    }
    if (s.draft && drawnParam(s.open) && !s.slot) {
      showSnap(x, y);
      return;
    }
    const regions = s.slot ? [] : (s.steps.get(s.open ?? '')?.marks ?? []).filter((m) => m.kind === 'region');
    const region = regions.length > 1 ? v.regionAt(x, y) : undefined;
    if (region !== undefined && regions[region]) {
      setStudio({ hover: undefined });
      ui.tip({ x, y, text: regions[region].kept ? 'Kept: click to let it go' : 'Goes: click to keep it' });
      return;
    }
    const hit = v.hits(x, y, hitFilter())[0];
    setStudio({ hover: hit?.pick });
    ui.tip(hit ? { x, y, text: hit.kind === 'face' ? faceLabel(hit.label) : pickName(hit.pick) } : undefined);
  };
  /** Where a click would go, and what it snaps to. */
  const showSnap = (x: number, y: number) => {
    const q = snapHere(v, x, y);
    ui.cursor(q ? toWorld(frameOfStep(getStudio().open), q.local) : undefined);
    ui.tip(
      q
        ? {
            x,
            y,
            text: `${Number(q.local[0].toFixed(3))}, ${Number(q.local[1].toFixed(3))}${q.kind === 'grid' || q.kind === 'free' ? '' : ` · ${q.label}`}`,
          }
        : undefined,
    );
  };
  const leave = () => {
    ui.tip(undefined);
    ui.cursor(undefined);
    setStudio({ hover: undefined });
  };
  const wheel = (e: WheelEvent) => {
    e.preventDefault();
    ui.touched();
    const p = local(e);
    const k = v.paneAt(p.x, p.y);
    const r = v.rects()[k];
    if (e.ctrlKey || Math.abs(e.deltaX) < Math.abs(e.deltaY) || e.deltaMode)
      v.orbits[k].zoom(
        Math.exp(e.deltaY * (e.ctrlKey ? 0.01 : 0.0012)),
        ((p.x - r.x) / r.width) * 2 - 1,
        1 - ((p.y - r.y) / r.height) * 2,
        r.width / r.height,
      );
    else v.orbits[k].pan(-e.deltaX, -e.deltaY, r.height);
    v.invalidate();
  };
  const key = (e: KeyboardEvent) => {
    if (e.key === 'Tab' && !/^(INPUT|SELECT|TEXTAREA|BUTTON)$/.test(document.activeElement?.tagName ?? '') && pointerInside(el)) {
      e.preventDefault();
      list(pointer.x, pointer.y);
    }
    if (e.key === 'Escape') ui.chooser(undefined);
  };
  // a button that was clicked on the way here lets go of the keys: Tab now means what lies under the cursor
  const enter = () => {
    const held = document.activeElement as HTMLElement | null;
    if (held?.tagName === 'BUTTON') held.blur();
  };
  const menu = (e: Event) => e.preventDefault();
  el.addEventListener('pointerdown', down);
  el.addEventListener('pointermove', move);
  el.addEventListener('pointerup', up);
  el.addEventListener('pointercancel', up);
  el.addEventListener('pointerleave', leave);
  el.addEventListener('pointerenter', enter);
  el.addEventListener('wheel', wheel, { passive: false });
  el.addEventListener('contextmenu', menu);
  window.addEventListener('keydown', key);
  return () => {
    el.removeEventListener('pointerdown', down);
    el.removeEventListener('pointermove', move);
    el.removeEventListener('pointerup', up);
    el.removeEventListener('pointercancel', up);
    el.removeEventListener('pointerleave', leave);
    el.removeEventListener('pointerenter', enter);
    el.removeEventListener('wheel', wheel);
    el.removeEventListener('contextmenu', menu);
    window.removeEventListener('keydown', key);
  };
}

const pointerInside = (el: HTMLElement) => el.matches(':hover');
