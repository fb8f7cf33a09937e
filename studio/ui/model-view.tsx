import { type Frame, toLocal, toWorld, type Vec3, WORLD } from '@ample-skin/core/math';
import { fits, type Piece, pieceKey } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { defaultOf, effectiveModel, endPreview, engine, getStudio, pickAt, setParams, setStudio, stepOf, useStudio } from '../state/store.ts';
import { VIEWS } from '../view/camera.ts';
import { DARK, LIGHT } from '../view/theme.ts';
import { type Hit, type HitFilter, Viewport } from '../view/viewport.ts';
import { ContextBar } from './context-bar.tsx';
import { DrawBar } from './draw-bar.tsx';
import { HeadingDial } from './heading-dial.tsx';
import { faceLabel, pickName } from './names.ts';
import { ViewBar } from './view-bar.tsx';

type Formula = number | string;

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

export function ModelView() {
  const host = useRef<HTMLDivElement>(null);
  const area = useRef<HTMLDivElement>(null);
  const view = useRef<Viewport>(undefined);
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const settings = useStudio((s) => s.view);
  const selection = useStudio((s) => s.selection);
  const hover = useStudio((s) => s.hover);
  const lit = useStudio((s) => s.lit);
  const open = useStudio((s) => s.open);
  const slot = useStudio((s) => s.slot);
  const plane = useStudio((s) => s.plane);
  const model = useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  const steps = useStudio((s) => s.steps);
  const zoom = useStudio((s) => s.zoomTo);
  const progress = useStudio((s) => s.progress);
  const computed = useStudio((s) => s.computed);
  const [tip, setTip] = useState<{ x: number; y: number; text: string }>();
  const [chooser, setChooser] = useState<{ x: number; y: number; hits: Hit[] }>();
  const [box, setBox] = useState<{ x0: number; y0: number; x1: number; y1: number }>();
  const [badges, setBadges] = useState<{ x: number; y: number; text: string }[]>([]);
  const [angles, setAngles] = useState({ heading: 32, tilt: 22 });
  const [cursor, setCursor] = useState<Vec3>();
  const fitted = useRef(false);
  const pointer = useRef<{ x: number; y: number }>({ x: 0, y: 0 });

  useEffect(() => {
    const v = new Viewport(host.current as HTMLElement, getStudio().view.dark ? DARK : LIGHT);
    view.current = v;
    v.resize();
    v.fit();
    const observer = new ResizeObserver(() => v.resize());
    observer.observe(host.current as HTMLElement);
    const fit = () => v.fit();
    const turn = () => {
      const names = Object.values(VIEWS).slice(0, 5);
      const o = v.orbits[0];
      const i = names.findIndex(([h, t]) => h === o.heading && t === o.tilt);
      [o.heading, o.tilt] = names[(i + 1) % names.length];
      v.invalidate();
    };
    window.addEventListener('ample-fit', fit);
    window.addEventListener('ample-view', turn);
    (window as unknown as { ampleView?: Viewport; ampleEngine?: typeof engine; ampleState?: typeof getStudio }).ampleView = v;
    Object.assign(window, { ampleEngine: engine, ampleState: getStudio });
    return () => {
      observer.disconnect();
      window.removeEventListener('ample-fit', fit);
      window.removeEventListener('ample-view', turn);
      v.dispose();
    };
  }, []);

  // pieces: live ones, and those a slot of the open step holds
  const inputsOfOpen = useMemo(
    () =>
      new Set(
        Object.values(stepOf(open)?.inputs ?? {})
          .flat()
          .map((p) => pieceKey(p.step, p.output)),
      ),
    [open, model, draft],
  );
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const openStep = stepOf(open);
    const editing = openStep && TOOLS.get(openStep.tool);
    v.setPieces(
      [...pieces.values()].map((p) => {
        const look = looks[p.key];
        const taken = !p.live && inputsOfOpen.has(p.key) && !!editing && Object.keys(steps.get(open ?? '')?.outputs ?? {}).length === 0;
        return { view: p, visible: (p.live || taken) && !look?.hidden, colour: look?.colour };
      }),
    );
    // fitted to what was there when the model was opened, while it comes in; never while something is being drawn
    if (!fitted.current && computed) {
      if (pieces.size) v.fit();
      fitted.current = !getStudio().computing;
    }
  }, [pieces, looks, open, inputsOfOpen, computed, steps]);
  useEffect(() => view.current?.setTheme(settings.dark ? DARK : LIGHT), [settings.dark]);
  useEffect(() => view.current?.setLook(settings.look, settings.stripes), [settings.look, settings.stripes, pieces]);
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    v.panes = settings.panes;
    v.resize();
    if (settings.panes > 1) v.fit();
  }, [settings.panes]);
  useEffect(() => {
    const step = stepOf(open);
    const active = step && slot ? (step.inputs[slot] ?? []) : Object.values(step?.inputs ?? {}).flat();
    view.current?.highlight([...(hover ? [{ pick: hover, strong: true }] : []), ...selection.map((pick) => ({ pick, strong: true })), ...active.map((pick) => ({ pick, strong: false }))], lit);
  }, [hover, selection, lit, open, slot, model, draft, pieces]);

  const drawn = drawnParam(open);
  const frame = frameOfStep(open);
  const names = useStudio((s) => s.dials);
  const handles = useMemo(() => {
    if (!drawn || steps.get(drawn.step.id)?.status === 'muted') return [];
    return drawn.points.flatMap((p, id) => (p.every((x) => typeof x === 'number') ? [{ id, point: toWorld(frame, [p[0] as number, p[1] as number, (p[2] as number) ?? 0]) }] : []));
  }, [drawn?.points, frame, drawn?.step.id, steps, names]);
  const drawing =
    !!draft &&
    !!drawn &&
    draft.step.id === open &&
    (drawn.draws.maximum ? !drawn.step.params[drawn.draws.points] || (!!drawn.draws.radius && drawn.step.params[drawn.draws.radius] === undefined) : true) &&
    !slot;
  const marks = steps.get(open ?? '')?.marks ?? [];
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const last = handles.at(-1)?.point;
    v.setOverlay({
      handles,
      polygon: drawn && !drawn.draws.maximum ? handles.map((h) => h.point) : undefined,
      arrows: marks.filter((m) => m.kind === 'arrow').map((m) => ({ from: m.from, to: m.to })),
      rubber: drawing && cursor && last ? [last, cursor] : undefined,
      places: marks.filter((m) => m.kind === 'region').map((m) => ({ at: m.at, kept: m.kept })),
    });
  }, [handles, drawing, cursor, marks, drawn]);
  useEffect(() => {
    const f = frameOfStep(open);
    view.current?.setGrid(settings.grid ? f : undefined, settings.gridStep, 150);
  }, [settings.grid, settings.gridStep, settings.dark, plane, open, pieces, draft]);
  useEffect(() => {
    const v = view.current;
    if (!v || !zoom) return;
    const o = v.orbits[0];
    const c = zoom.points.reduce((s, p) => [s[0] + p[0] / zoom.points.length, s[1] + p[1] / zoom.points.length, s[2] + p[2] / zoom.points.length], [0, 0, 0]);
    o.target.set(c[0], c[1], c[2]);
    const b = v.bounds();
    const size = b ? Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]) : 100;
    o.distance = Math.min(o.distance, size * 0.9);
    v.invalidate();
  }, [zoom]);

  // labels follow the view: ordered picks and arrow numbers
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    v.onDraw = () => {
      const o = v.orbits[0];
      setAngles((a) => (a.heading === o.heading && a.tilt === o.tilt ? a : { heading: o.heading, tilt: o.tilt }));
      const list = marks.flatMap((m) => (m.kind === 'arrow' && m.label ? [{ at: m.from, text: m.label }] : m.kind === 'number' ? [{ at: m.at, text: m.label }] : []));
      setBadges(list.map((b) => ({ ...v.project(b.at, 0), text: b.text })));
    };
    v.invalidate();
  }, [marks]);

  const filter = useCallback((): HitFilter => {
    const s = getStudio();
    const step = stepOf(s.open);
    const active = step && s.slot ? TOOLS.get(step.tool)?.slots[s.slot] : undefined;
    if (active) {
      const takes = (kind: Piece['kind'], part?: 'face' | 'edge' | 'vertex') => fits(active.accepts, { kind } as Piece, part);
      return { face: takes('skin', 'face'), edge: takes('skin', 'edge'), vertex: takes('skin', 'vertex'), piece: (k) => takes(k) };
    }
    return { face: true, edge: true, vertex: false, piece: () => true };
  }, []);
  const local = (e: { clientX: number; clientY: number }) => {
    const r = (area.current as HTMLElement).getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };
  /** Plane point under the pointer with snaps to control points, curve ends and the grid. */
  const snapped = useCallback((x: number, y: number): Vec3 | undefined => {
    const v = view.current;
    if (!v) return undefined;
    const s = getStudio();
    const f = frameOfStep(s.open);
    const p = v.onPlane(x, y, f);
    if (!p) return undefined;
    const q = toLocal(f, p);
    const candidates: Vec3[] = [];
    if (s.view.snaps.end) for (const piece of s.pieces.values()) if (piece.display?.kind === 'curve' && piece.live) candidates.push(...piece.display.ends);
    if (s.view.snaps.point)
      for (const piece of s.pieces.values())
        if (piece.display?.kind === 'curve' && piece.live)
          for (const c of piece.display.control) for (let i = 0; i < c.points.length; i += 3) candidates.push([c.points[i], c.points[i + 1], c.points[i + 2]]);
    const pane = v.paneAt(x, y);
    let best: Vec3 | undefined;
    let least = 9;
    for (const c of candidates) {
      const at = v.project(c, pane);
      const d = Math.hypot(at.x - x, at.y - y);
      const flat = toLocal(f, c);
      if (d < least && Math.abs(flat[2]) < 1e-6) {
        least = d;
        best = [flat[0], flat[1], 0];
      }
    }
    if (best) return best;
    const g = s.view.gridStep;
    if (!s.view.snaps.grid) return [Number(q[0].toFixed(3)), Number(q[1].toFixed(3)), 0];
    return [Math.round(q[0] / g) * g, Math.round(q[1] / g) * g, 0];
  }, []);

  const addPoint = useCallback((p: Vec3) => {
    const d = drawnParam(getStudio().open);
    if (!d) return;
    const first = d.points[0];
    if (d.draws.maximum) {
      if (!d.step.params[d.draws.points]) setParams(d.step.id, { [d.draws.points]: [[p[0], p[1]]] });
      else if (d.draws.radius && first) setParams(d.step.id, { [d.draws.radius]: Math.max(1e-3, Number(Math.hypot(p[0] - Number(first[0]), p[1] - Number(first[1])).toFixed(4))) });
      return;
    }
    if (d.draws.closed && first && d.points.length > 2 && Math.hypot(p[0] - Number(first[0]), p[1] - Number(first[1])) < 1e-6) {
      setParams(d.step.id, { [d.draws.closed]: true });
      return;
    }
    const last = d.points.at(-1);
    if (last && Math.hypot(p[0] - Number(last[0]), p[1] - Number(last[1])) < 1e-9) return;
    setParams(d.step.id, { [d.draws.points]: [...d.points, p[2] ? [p[0], p[1], p[2]] : [p[0], p[1]]] });
  }, []);

  /** A click on a trim's dots chooses what is kept. */
  const clickRegion = useCallback((x: number, y: number): boolean => {
    const v = view.current;
    const s = getStudio();
    const step = stepOf(s.open);
    const tool = step && TOOLS.get(step.tool);
    if (!v || !step || !tool || !('places' in tool.params.shape) || s.slot) return false;
    const regions = (s.steps.get(step.id)?.marks ?? []).filter((m) => m.kind === 'region');
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
    if (best < 0) return false;
    const kept = regions.map((r, i) => (i === best ? !r.kept : r.kept));
    if (!kept.some(Boolean)) return true;
    setParams(step.id, { keep: 'picked', places: regions.filter((_, i) => kept[i]).map((r) => [...r.at]) });
    return true;
  }, []);

  // pointer work: orbit, pan, handles, selection box, clicks
  useEffect(() => {
    const el = area.current as HTMLElement;
    const v = view.current as Viewport;
    const touches = new Map<number, { x: number; y: number }>();
    let mode: 'none' | 'orbit' | 'pan' | 'handle' | 'box' = 'none';
    let start = { x: 0, y: 0 };
    let last = { x: 0, y: 0 };
    let pane = 0;
    let handle: { id: number; before: unknown; key: string; step: string; value: Formula[][] } | undefined;
    let press: ReturnType<typeof setTimeout> | undefined;
    let frameRequest = 0;
    const list = (x: number, y: number) => {
      const hits = v.hits(x, y, filter());
      if (hits.length) setChooser({ x, y, hits: hits.slice(0, 9) });
    };
    const down = (e: PointerEvent) => {
      if ((e.target as HTMLElement).closest('.viewbar, .dialbox, .contextbar, .drawbar, .chooser, .progress, select')) return;
      setChooser(undefined);
      const p = local(e);
      fitted.current = true;
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
      if (id !== undefined && d) {
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
      pointer.current = p;
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
      } else if (mode === 'box') setBox({ x0: start.x, y0: start.y, x1: p.x, y1: p.y });
      else if (mode === 'handle' && handle) {
        const h = handle;
        const q = snapped(p.x, p.y);
        if (q) {
          const value = h.value.map((x, i) => (i === h.id ? (x.length > 2 ? [q[0], q[1], x[2]] : [q[0], q[1]]) : x));
          h.value = value;
          setParams(h.step, { [h.key]: value }, true);
        }
      }
      last = p;
    };
    const up = (e: PointerEvent) => {
      clearTimeout(press);
      if (!touches.delete(e.pointerId)) return;
      const p = local(e);
      if (mode === 'handle' && handle) endPreview(handle.step, handle.key, handle.before, handle.value);
      else if (mode === 'box') {
        setBox(undefined);
        selectBox(start, p);
      } else if (mode === 'none' && e.button === 0) click(p.x, p.y, e.ctrlKey || e.metaKey);
      mode = 'none';
      handle = undefined;
    };
    const click = (x: number, y: number, more: boolean) => {
      const s = getStudio();
      const d = drawnParam(s.open);
      if (s.draft && d && !s.slot && s.draft.step.id === s.open) {
        const q = snapped(x, y);
        if (q) addPoint(q);
        return;
      }
      if (clickRegion(x, y)) return;
      const hits = v.hits(x, y, filter());
      if (hits[0]) pickAt(hits[0].pick, more);
      else if (!more && !s.slot) setStudio({ selection: [], lit: undefined });
    };
    const selectBox = (a: { x: number; y: number }, b: { x: number; y: number }) => {
      const [x0, x1] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
      const [y0, y1] = [Math.min(a.y, b.y), Math.max(a.y, b.y)];
      if (x1 - x0 < 4 || y1 - y0 < 4) return;
      const s = getStudio();
      const inside = [...s.pieces.values()]
        .filter((p) => p.live && p.display && !s.model.pieces[p.key]?.hidden)
        .filter((p) => {
          const bx = p.display?.box;
          if (!bx) return false;
          return [0, 1, 2, 3, 4, 5, 6, 7].every((k) => {
            const q = v.project([k & 1 ? bx.max[0] : bx.min[0], k & 2 ? bx.max[1] : bx.min[1], k & 4 ? bx.max[2] : bx.min[2]], pane);
            return q.x >= x0 && q.x <= x1 && q.y >= y0 && q.y <= y1;
          });
        });
      const f = filter();
      if (s.slot)
        for (const p of inside) {
          if (f.piece(p.kind)) pickAt({ step: p.step, output: p.output }, true);
        }
      else setStudio({ selection: inside.map((p) => ({ step: p.step, output: p.output })) });
    };
    const hoverAt = (x: number, y: number, target: HTMLElement) => {
      if (target.closest('.viewbar, .dialbox, .contextbar, .drawbar, .chooser')) {
        setTip(undefined);
        return;
      }
      const s = getStudio();
      if (s.draft && drawnParam(s.open) && !s.slot) {
        const q = snapped(x, y);
        setCursor(q ? toWorld(frameOfStep(s.open), q) : undefined);
        setTip(q ? { x, y, text: `${Number(q[0].toFixed(3))}, ${Number(q[1].toFixed(3))}` } : undefined);
        return;
      }
      const hit = v.hits(x, y, filter())[0];
      setStudio({ hover: hit?.pick });
      setTip(hit ? { x, y, text: hit.kind === 'face' ? faceLabel(hit.label) : pickName(hit.pick) } : undefined);
    };
    const leave = () => {
      setTip(undefined);
      setCursor(undefined);
      setStudio({ hover: undefined });
    };
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      fitted.current = true;
      const p = local(e);
      const k = v.paneAt(p.x, p.y);
      const r = v.rects()[k];
      if (e.ctrlKey || Math.abs(e.deltaX) < Math.abs(e.deltaY) || e.deltaMode)
        v.orbits[k].zoom(Math.exp(e.deltaY * (e.ctrlKey ? 0.01 : 0.0012)), ((p.x - r.x) / r.width) * 2 - 1, 1 - ((p.y - r.y) / r.height) * 2, r.width / r.height);
      else v.orbits[k].pan(-e.deltaX, -e.deltaY, r.height);
      v.invalidate();
    };
    const key = (e: KeyboardEvent) => {
      if (e.key === 'Tab' && !/^(INPUT|SELECT|TEXTAREA|BUTTON)$/.test(document.activeElement?.tagName ?? '') && pointerInside(el)) {
        e.preventDefault();
        list(pointer.current.x, pointer.current.y);
      }
      if (e.key === 'Escape') setChooser(undefined);
    };
    const menu = (e: Event) => e.preventDefault();
    el.addEventListener('pointerdown', down);
    el.addEventListener('pointermove', move);
    el.addEventListener('pointerup', up);
    el.addEventListener('pointercancel', up);
    el.addEventListener('pointerleave', leave);
    el.addEventListener('wheel', wheel, { passive: false });
    el.addEventListener('contextmenu', menu);
    window.addEventListener('keydown', key);
    return () => {
      el.removeEventListener('pointerdown', down);
      el.removeEventListener('pointermove', move);
      el.removeEventListener('pointerup', up);
      el.removeEventListener('pointercancel', up);
      el.removeEventListener('pointerleave', leave);
      el.removeEventListener('wheel', wheel);
      el.removeEventListener('contextmenu', menu);
      window.removeEventListener('keydown', key);
    };
  }, [addPoint, clickRegion, filter, snapped]);

  // a picture for the home page, once things have settled
  useEffect(() => {
    if (!computed || !pieces.size || draft) return;
    const t = setTimeout(async () => {
      const blob = await view.current?.picture();
      const s = getStudio();
      if (!blob || s.progress) return;
      const live = [...s.pieces.values()].filter((p) => p.live);
      const bodies = live.filter((p) => p.kind === 'skin' || p.kind === 'solid');
      const seams = [...s.proofs.values()].filter((p) => s.pieces.get(p.piece)?.live).flatMap((p) => p.seams);
      const form = new FormData();
      form.set('picture', blob, 'picture.png');
      form.set(
        'summary',
        JSON.stringify({
          pieces: live.length,
          state: bodies.length ? (bodies.every((b) => b.watertight) ? 'watertight' : 'open') : '',
          seams: seams.length ? `${seams.filter((x) => x.met).length} of ${seams.length} seams on target` : '',
        }),
      );
      await fetch(`/api/models/${s.id}/picture`, { method: 'PUT', body: form }).catch(() => undefined);
    }, 2500);
    return () => clearTimeout(t);
  }, [pieces, computed, draft]);

  const turnTo = (heading: number, tilt: number) => {
    const v = view.current;
    if (!v) return;
    v.orbits[0].heading = heading;
    v.orbits[0].tilt = tilt;
    v.invalidate();
  };
  const empty = computed && effectiveModel().steps.length === 0;
  const labels = settings.panes === 4 ? ['Free', 'Top', 'Front', 'Right'] : settings.panes === 2 ? ['Free', 'Top'] : [];
  return (
    <div className="viewarea" ref={area} data-testid="view">
      <div className="viewhost" ref={host} />
      {labels.map((l, i) => (
        <span key={l} className="panelabel" style={{ left: `calc(${(i % 2) * 50}% + 10px)`, top: `calc(${i > 1 ? 50 : 0}% + 8px)` }}>
          {l}
        </span>
      ))}
      {settings.panes === 4 && (
        <>
          <i style={{ position: 'absolute', left: '50%', top: 0, bottom: 0, width: 1, background: 'var(--line)' }} />
          <i style={{ position: 'absolute', top: '50%', left: 0, right: 0, height: 1, background: 'var(--line)' }} />
        </>
      )}
      {settings.panes === 2 && <i style={{ position: 'absolute', left: '50%', top: 0, bottom: 0, width: 1, background: 'var(--line)' }} />}
      {empty && !draft && (
        <div className="emptyview">
          <div>
            <strong>Start with a curve</strong>Choose Spline or Circle on the left and click in this view. Or find anything with the key <kbd style={{ margin: 0 }}>/</kbd>
          </div>
        </div>
      )}
      {!computed && (
        <>
          {getStudio().hasPicture && <img className="lastpicture" src={`/api/models/${getStudio().id}/picture`} alt="" />}
          <div className="emptyview starting">
            <div>Starting the geometry engine…</div>
          </div>
        </>
      )}
      {settings.panes === 1 &&
        badges.map((b, i) => (
          <span key={`${b.text}${i}`} className="badge" style={{ left: b.x, top: b.y }}>
            {b.text}
          </span>
        ))}
      <div className="dialbox" style={settings.panes === 4 ? { right: 'calc(50% + 8px)' } : settings.panes === 2 ? { right: 'calc(50% + 8px)' } : undefined}>
        <HeadingDial heading={angles.heading} tilt={angles.tilt} onTurn={turnTo} />
      </div>
      <ViewBar />
      {!draft && !open && selection.length > 0 && <ContextBar />}
      {draft && drawn && !slot && <DrawBar onPoint={addPoint} />}
      {tip && !chooser && (
        <div className="hovertip" style={{ left: tip.x, top: tip.y }}>
          {tip.text}
        </div>
      )}
      {chooser && (
        <div
          className="chooser"
          style={{ left: Math.min(chooser.x, (area.current?.clientWidth ?? 400) - 180), top: Math.min(chooser.y, (area.current?.clientHeight ?? 300) - 30 * chooser.hits.length) }}
          role="menu"
          aria-label="What lies here"
        >
          {chooser.hits.map((h, i) => (
            <button
              type="button"
              role="menuitem"
              key={`${h.label}${i}`}
              autoFocus={i === 0}
              onMouseEnter={() => setStudio({ hover: h.pick })}
              onClick={() => {
                pickAt(h.pick, false);
                setChooser(undefined);
              }}
            >
              {h.kind} · {h.kind === 'face' ? faceLabel(h.label) : pickName(h.pick)}
            </button>
          ))}
        </div>
      )}
      {box && <div className="selectbox" style={{ left: Math.min(box.x0, box.x1), top: Math.min(box.y0, box.y1), width: Math.abs(box.x1 - box.x0), height: Math.abs(box.y1 - box.y0) }} />}
      {progress && (
        <div className="progress" role="status">
          <span>{stepOf(progress.step)?.name ?? TOOLS.get(stepOf(progress.step)?.tool ?? '')?.label ?? 'Computing'}…</span>
          <span className="bar">
            <i style={{ width: `${(100 * progress.done) / Math.max(1, progress.total)}%` }} />
          </span>
          <span className="mono soft">
            {progress.done}/{progress.total}
          </span>
          <button
            type="button"
            className="btn"
            style={{ padding: '1px 8px' }}
            onClick={() => {
              setStudio({ paused: true });
              engine.cancel();
            }}
          >
            Cancel
          </button>
        </div>
      )}
    </div>
  );
}
const pointerInside = (el: HTMLElement) => el.matches(':hover');
