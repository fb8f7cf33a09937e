import { toWorld, type Vec3 } from '@ample-skin/core/math';
import { Button, Progress } from 'antd';
import dynamic from 'next/dynamic';
import { memo, useEffect, useRef, useState } from 'react';
import { cageMode } from '../interact/cage-mode.ts';
import { controller } from '../interact/controller.ts';
import { docNow } from '../interact/doc.ts';
import { drawMode } from '../interact/draw.ts';
import { addPoint, frameOfStep, isDrawing } from '../interact/drawing.ts';
import { measureMode } from '../interact/measure.ts';
import type { Command, Overlay, PointerAt } from '../interact/mode.ts';
import { pickMode } from '../interact/pick.ts';
import { runCommand } from '../interact/run.ts';
import { sketchMode } from '../interact/sketch.ts';
import { clickSketch, sketchHit } from '../interact/sketching.ts';
import { toggleMeasuring } from '../state/measuring.ts';
import { cutPieces } from '../state/sections.ts';
import {
  cancelWork,
  effectiveModel,
  engine,
  getSettings,
  getStudio,
  notify,
  pickAt,
  recompute,
  setHandOnView,
  setStudio,
  setViewLink,
  stepOf,
  useSettings,
  useStudio,
} from '../state/store.ts';
import { beginTour } from '../state/tour-run.ts';
import { VIEWS } from '../view/camera.ts';
import type { Handle } from '../view/handles.ts';
import type { Hit } from '../view/picking.ts';
import { DARK, LIGHT } from '../view/theme.ts';
import { Viewport } from '../view/viewport.ts';
import { bringFile } from './files.ts';
import { HeadingDial } from './heading-dial.tsx';
import { MapLegend } from './map-legend.tsx';
import { faceLabel, pickName, stepName } from './names.ts';
import { Scene } from './scene.ts';
import { ViewBar } from './view-bar.tsx';

const ContextBar = dynamic(() => import('./context-bar.tsx').then((m) => m.ContextBar), { ssr: false });
const DrawBar = dynamic(() => import('./draw-bar.tsx').then((m) => m.DrawBar), { ssr: false });
const CompareHeads = dynamic(() => import('./compare-panel.tsx').then((m) => m.CompareHeads), { ssr: false });
const TrialHeads = dynamic(() => import('./try-off.tsx').then((m) => m.TrialHeads), { ssr: false });
const TypedHandle = dynamic(() => import('./typed-handle.tsx').then((m) => m.TypedHandle), { ssr: false });
const BARS = '.viewbar, .maplegend, .dialbox, .trialhead button, .trialbar, .contextwrap, .drawbar, .chooser, .progress, .typed';
const hitName = (h: Hit) => (h.kind === 'face' && !h.pick.grow && h.pick.part ? faceLabel(h.label) : pickName(h.pick));

/** The model view: the scene, the modes that listen on it, and what floats over it. */
export function ModelView() {
  const host = useRef<HTMLDivElement>(null);
  const area = useRef<HTMLDivElement>(null);
  const view = useRef<Viewport>(undefined);
  const fitted = useRef(false);
  const [overlay, setOverlay] = useState<Overlay>({});
  // the scene comes after the view it speaks to
  const [stands, setStands] = useState(false);
  const [angles, setAngles] = useState({ heading: 32, tilt: 22 });
  const [typed, setTyped] = useState<{ handle: Handle; x: number; y: number }>();

  useEffect(() => {
    const v = new Viewport(host.current as HTMLElement, getSettings().dark ? DARK : LIGHT);
    view.current = v;
    v.onTrouble = (m) => notify('error', m);
    v.onDraw = () => {
      const o = v.orbits[0];
      setAngles((a) => (a.heading === o.heading && a.tilt === o.tilt ? a : { heading: o.heading, tilt: o.tilt }));
    };
    v.resize();
    v.fit();
    const observer = new ResizeObserver(() => v.resize());
    observer.observe(host.current as HTMLElement);
    setViewLink({
      fit: (keys) => v.fit(keys),
      turn() {
        const names = Object.values(VIEWS).slice(0, 5);
        const o = v.orbits[0];
        const i = names.findIndex(([h, t]) => h === o.heading && t === o.tilt);
        [o.heading, o.tilt] = names[(i + 1) % names.length];
        v.invalidate();
      },
      lookAt: (frame, points) => v.lookAt(frame, points),
      show: (points, normal) => v.show(points, normal),
      middle: () => {
        const b = v.bounds(cutPieces()) ?? v.bounds();
        return b ? ([0, 1, 2].map((k) => (b.min[k] + b.max[k]) / 2) as unknown as Vec3) : [0, 0, 0];
      },
      picture: (o) => v.photograph(o),
      largestPicture: () => v.largestPicture,
      seen: () => ({ eye: v.eyeDirection(0), up: v.upDirection(0), centre: v.lookedAt(0) }),
    });
    const detach = listen(area.current as HTMLElement, v, {
      show: (o) => {
        if (o.hover !== undefined)
          setStudio((s) => (s.hover === (o.hover ?? undefined) || (!s.hover && !o.hover) ? s : { hover: o.hover ?? undefined }));
        setOverlay((old) =>
          Object.entries(o).every(([k, value]) => (old[k as keyof Overlay] ?? null) === (value ?? null)) ? old : { ...old, ...o },
        );
      },
      typed: (handle) => {
        const p = v.project(handle.at, 0);
        setTyped({ handle, x: p.x, y: p.y });
      },
      touched: () => {
        fitted.current = true;
      },
    });
    setStands(true);
    Object.assign(window, { ampleView: v, ampleEngine: engine, ampleState: getStudio });
    return () => {
      detach();
      observer.disconnect();
      setViewLink(undefined);
      v.dispose();
    };
  }, []);

  const panes = useSettings((s) => s.panes);
  const trial = useStudio((s) => !!s.trial);
  const comparing = useStudio((s) => !!s.compare);
  const sided = trial || comparing;
  const selection = useStudio((s) => s.selection);
  const open = useStudio((s) => s.open);
  const slot = useStudio((s) => s.slot);
  const draft = useStudio((s) => s.draft);
  const computed = useStudio((s) => s.computed);
  const measuring = useStudio((s) => s.measuring);
  useStudio((s) => s.model.steps.length);
  const turnTo = (heading: number, tilt: number) => {
    const v = view.current;
    if (!v) return;
    [v.orbits[0].heading, v.orbits[0].tilt] = [heading, tilt];
    v.invalidate();
  };
  const empty = computed && effectiveModel().steps.length === 0 && !draft;
  const tool = draft && stepOf(open);
  return (
    <div
      className={`viewarea cursor-${overlay.shape ?? 'default'}${sided ? ' besidevariants' : ''}${comparing ? ' comparing' : ''}`}
      ref={area}
      data-testid="view"
      onDragOver={(e) => {
        if (e.dataTransfer.types.includes('Files')) e.preventDefault();
      }}
      onDrop={(e) => {
        if (!e.dataTransfer.files.length) return;
        e.preventDefault();
        void bringFile(e.dataTransfer.files[0]);
      }}
    >
      <div className="viewhost" ref={host} />
      {stands && <Scene view={view} fitted={fitted} overlay={overlay} />}
      {trial && <TrialHeads />}
      {comparing && <CompareHeads />}
      {!sided && <PaneLines panes={panes} />}
      {empty && (
        <div className="emptyview">
          <div>
            <strong>Start with a curve</strong>Choose Spline or Circle on the left and click in this view, or drop a file on it. Find
            anything with the key <kbd>/</kbd>
            <div className="emptyactions">
              <Button size="small" onClick={() => void beginTour()}>
                Show me round
              </Button>
            </div>
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
      <div className="dialbox" style={panes > 1 && !sided ? { right: 'calc(50% + 8px)' } : undefined}>
        <HeadingDial heading={angles.heading} tilt={angles.tilt} onTurn={turnTo} />
      </div>
      <MapLegend view={view} area={area} />
      <ViewBar />
      {!draft && !open && !measuring && selection.length > 0 && <ContextBar />}
      {measuring && (
        <div className="drawbar" role="status">
          <span>{measuring.length === 1 ? 'Click the second place' : 'Click two places to measure between'}</span>
          <Button size="small" onClick={toggleMeasuring}>
            Done <kbd>Esc</kbd>
          </Button>
        </div>
      )}
      {tool && !measuring && (isDrawing() || (docNow().drawn && !slot)) && <DrawBar />}
      {overlay.tip && !overlay.list && (
        <div className="hovertip" style={{ left: overlay.tip.x, top: overlay.tip.y }}>
          {overlay.tip.text}
        </div>
      )}
      {overlay.list && (
        <Chooser
          list={overlay.list}
          area={area.current}
          onDone={() => setOverlay((o) => ({ ...o, list: null, cursor: null }))}
          onCursor={(cursor) => setOverlay((o) => ({ ...o, cursor }))}
        />
      )}
      {overlay.box && (
        <div
          className="selectbox"
          style={{
            left: Math.min(overlay.box.from.x, overlay.box.to.x),
            top: Math.min(overlay.box.from.y, overlay.box.to.y),
            width: Math.abs(overlay.box.to.x - overlay.box.from.x),
            height: Math.abs(overlay.box.to.y - overlay.box.from.y),
          }}
        />
      )}
      {typed && view.current && <TypedHandle {...typed} stage={view.current} onDone={() => setTyped(undefined)} />}
      <Working />
    </div>
  );
}

const LABELS: Record<number, readonly string[]> = { 1: [], 2: ['Free', 'Top'], 4: ['Free', 'Top', 'Front', 'Right'] };
function PaneLines({ panes }: { panes: number }) {
  return (
    <>
      {LABELS[panes].map((l, i) => (
        <span key={l} className="panelabel" style={{ left: `calc(${(i % 2) * 50}% + 10px)`, top: `calc(${i > 1 ? 50 : 0}% + 8px)` }}>
          {l}
        </span>
      ))}
      {panes > 1 && <i className="paneline upright" />}
      {panes === 4 && <i className="paneline level" />}
    </>
  );
}

interface Listening {
  readonly show: (o: Overlay) => void;
  readonly typed: (h: Handle) => void;
  readonly touched: () => void;
}
/** Hands pointer, wheel and keys of the view to the controller of modes. Returns what takes it all off again. */
function listen(el: HTMLElement, v: Viewport, ui: Listening): () => void {
  let tipTimer: ReturnType<typeof setTimeout> | undefined;
  const run = (c: Command) => {
    if (runCommand(c)) return;
    const r = v.rects()['pane' in c ? c.pane : 0];
    if (c.do === 'orbit') v.orbitOf(c.pane).orbit(c.dx, c.dy);
    else if (c.do === 'pan') v.orbitOf(c.pane).pan(c.dx, c.dy, r.height);
    else if (c.do === 'zoom')
      v.orbitOf(c.pane).zoom(c.factor, ((c.at.x - r.x) / r.width) * 2 - 1, 1 - ((c.at.y - r.y) / r.height) * 2, r.width / r.height);
    else if (c.do === 'typed') return ui.typed(c.handle);
    else if (c.do === 'nothingHere') {
      ui.show({ tip: { ...c.at, text: c.why } });
      clearTimeout(tipTimer);
      tipTimer = setTimeout(() => ui.show({ tip: null }), 2500);
      return;
    }
    v.invalidate();
  };
  const k = controller({
    stage: v,
    doc: docNow,
    modes: {
      pick: pickMode(v, docNow, hitName),
      draw: drawMode(v, docNow),
      sketch: sketchMode(v, docNow, sketchHit),
      measure: measureMode(v),
      cage: cageMode(v, docNow),
    },
    show: ui.show,
    run,
    touched: ui.touched,
    soon: (work) => requestAnimationFrame(work),
  });
  const at = (e: PointerEvent | WheelEvent): PointerAt => {
    const r = el.getBoundingClientRect();
    const [x, y] = [e.clientX - r.left, e.clientY - r.top];
    return { x, y, pane: v.paneAt(x, y), button: e.button, shift: e.shiftKey, ctrl: e.ctrlKey || e.metaKey, alt: e.altKey };
  };
  const hold = (on: boolean) => {
    setHandOnView(on);
    v.hold(on);
  };
  const onBar = (e: Event) => !!(e.target as HTMLElement).closest?.(BARS);
  const down = (e: PointerEvent) => {
    if (onBar(e)) return;
    // the field for coordinates keeps the keys while points are clicked; any other field lets go of them
    const field = document.activeElement as HTMLElement | null;
    if (field?.closest('.drawbar')) e.preventDefault();
    else field?.blur?.();
    el.setPointerCapture(e.pointerId);
    hold(true);
    k.press(e.pointerId, at(e));
  };
  const move = (e: PointerEvent) => (onBar(e) && !el.hasPointerCapture(e.pointerId) ? k.out() : k.move(e.pointerId, at(e)));
  const up = (e: PointerEvent) => {
    hold(false);
    k.release(e.pointerId, at(e));
  };
  const cancel = (e: PointerEvent) => {
    hold(false);
    k.cancel(e.pointerId);
  };
  const wheel = (e: WheelEvent) => {
    if (onBar(e)) return;
    e.preventDefault();
    k.wheel(at(e), e);
  };
  const key = (e: KeyboardEvent) => {
    const field = /^(INPUT|SELECT|TEXTAREA)$/.test(document.activeElement?.tagName ?? '');
    if (e.key === 'Escape') ui.show({ list: null });
    if (e.key === 'Tab' && (field || document.activeElement?.closest('button, [tabindex]:not([tabindex="-1"])'))) return;
    if (k.key(e.key, el.matches(':hover'))) {
      e.preventDefault();
      e.stopPropagation();
    }
  };
  const menu = (e: Event) => e.preventDefault();
  const mouse = (e: MouseEvent) => {
    if ((document.activeElement as HTMLElement | null)?.closest('.drawbar') && !onBar(e)) e.preventDefault();
  };
  const events: [string, (e: never) => void, AddEventListenerOptions?][] = [
    ['pointerdown', down],
    ['pointermove', move],
    ['pointerup', up],
    ['pointercancel', cancel],
    ['pointerleave', () => k.out()],
    ['wheel', wheel, { passive: false }],
    ['contextmenu', menu],
    ['mousedown', mouse],
  ];
  for (const [name, f, o] of events) el.addEventListener(name, f as never, o);
  window.addEventListener('keydown', key, true);
  return () => {
    setHandOnView(false);
    for (const [name, f] of events) el.removeEventListener(name, f as never);
    window.removeEventListener('keydown', key, true);
  };
}

/** What lies under the pointer, to choose from: by mouse, or with the arrow keys. */
function Chooser({
  list,
  area,
  onDone,
  onCursor,
}: {
  list: NonNullable<Overlay['list']>;
  area: HTMLElement | null;
  onDone: () => void;
  onCursor: (p: Vec3) => void;
}) {
  const count = list.hits.length + list.snaps.length;
  const move = (e: React.KeyboardEvent) => {
    if (e.key === 'Escape') onDone();
    const by = e.key === 'ArrowDown' ? 1 : e.key === 'ArrowUp' ? -1 : 0;
    if (!by) return;
    e.preventDefault();
    const items = [...e.currentTarget.querySelectorAll('button')];
    items[(items.indexOf(document.activeElement as HTMLButtonElement) + by + items.length) % items.length]?.focus();
  };
  return (
    <div
      className="chooser"
      style={{
        left: Math.min(list.x, (area?.clientWidth ?? 400) - 190),
        top: Math.max(4, Math.min(list.y, (area?.clientHeight ?? 300) - 30 * count - 10)),
      }}
      role="menu"
      aria-label="What lies here"
      onKeyDown={move}
    >
      {list.snaps.map((q, i) => (
        <Button
          type="text"
          size="small"
          role="menuitem"
          key={`${q.label}${i}`}
          autoFocus={i === 0}
          onFocus={() => onCursor(toWorld(frameOfStep(getStudio().open), q.local))}
          onMouseEnter={() => onCursor(toWorld(frameOfStep(getStudio().open), q.local))}
          onClick={() => {
            if (getStudio().sketching?.tool) clickSketch([q.local[0], q.local[1]], undefined);
            else addPoint(q.local);
            onDone();
          }}
        >
          {q.label || 'here'} · {q.local[0].toFixed(2)}, {q.local[1].toFixed(2)}
        </Button>
      ))}
      {list.hits.map((h, i) => (
        <Button
          type="text"
          size="small"
          role="menuitem"
          key={`${h.label}${i}`}
          autoFocus={i === 0}
          onFocus={() => setStudio({ hover: h.pick })}
          onMouseEnter={() => setStudio({ hover: h.pick })}
          onClick={(e) => {
            pickAt(h.pick, e.ctrlKey, true);
            setStudio({ hover: undefined });
            onDone();
          }}
        >
          {h.kind} · {hitName(h)}
        </Button>
      ))}
    </div>
  );
}

const PHASE = { computing: '', drawing: 'Drawing ', measuring: 'Measuring ' } as const;
/** What is being worked on, how far it is, and a way to cancel it. */
const Working = memo(function Working() {
  const progress = useStudio((s) => s.progress);
  const upload = useStudio((s) => s.upload);
  const paused = useStudio((s) => s.paused);
  if (upload)
    return (
      <div className="progress" role="status">
        <span>Storing {upload.name}…</span>
        <Progress percent={Math.round(100 * upload.share)} size="small" style={{ width: 130 }} />
        <Button size="small" onClick={upload.cancel}>
          Cancel
        </Button>
      </div>
    );
  if (!progress)
    return paused ? (
      <div className="progress" role="status">
        <span>Computing is paused</span>
        <Button
          size="small"
          onClick={() => {
            setStudio({ paused: false });
            recompute();
          }}
        >
          Go on
        </Button>
      </div>
    ) : null;
  const step = stepOf(progress.step);
  return (
    <div className="progress" role="status">
      <span>
        {PHASE[progress.phase]}
        {step ? stepName(step) : 'the model'}…
      </span>
      <Progress
        percent={Math.round((100 * progress.done) / Math.max(1, progress.total))}
        showInfo={false}
        size="small"
        style={{ width: 110 }}
      />
      <span className="mono soft">
        {progress.done}/{progress.total}
      </span>
      <Button size="small" onClick={cancelWork}>
        Cancel
      </Button>
    </div>
  );
});
