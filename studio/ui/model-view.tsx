import { toWorld, type Vec3 } from '@ample-skin/core/math';
import type { Comb } from '@ample-skin/core/proof';
import { pieceKey } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { useEffect, useMemo, useRef, useState } from 'react';
import { effectiveModel, engine, getStudio, notify, pickAt, setStudio, standingOf, stepOf, useStudio } from '../state/store.ts';
import { VIEWS } from '../view/camera.ts';
import type { Hit } from '../view/picking.ts';
import { DARK, LIGHT } from '../view/theme.ts';
import { Viewport } from '../view/viewport.ts';
import { ContextBar } from './context-bar.tsx';
import { DrawBar } from './draw-bar.tsx';
import { addPoint, drawnParam, frameOfStep, GRIP_IDS, gripsOf, SLIDE_IDS, slidePoint, slidesOf } from './drawing.ts';
import { bringFile } from './files.ts';
import { HeadingDial } from './heading-dial.tsx';
import { faceLabel, pickName } from './names.ts';
import { attachPointer } from './pointer.ts';
import { clickSketch, openSketch, reportOf, SKETCH_IDS, sketchLabels, sketchLines } from './sketching.ts';
import type { Snap } from './snaps.ts';
import { ViewBar } from './view-bar.tsx';

export function ModelView() {
  const host = useRef<HTMLDivElement>(null);
  const area = useRef<HTMLDivElement>(null);
  const view = useRef<Viewport>(undefined);
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const groups = useStudio((s) => s.model.groups);
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
  const proofs = useStudio((s) => s.proofs);
  const progress = useStudio((s) => s.progress);
  const computed = useStudio((s) => s.computed);
  const combs = useStudio((s) => s.combs);
  const combAt = useStudio((s) => s.combAt);
  const [tip, setTip] = useState<{ x: number; y: number; text: string }>();
  const [chooser, setChooser] = useState<{ x: number; y: number; hits: Hit[]; snaps?: Snap[] }>();
  const [box, setBox] = useState<{ x0: number; y0: number; x1: number; y1: number }>();
  const [badges, setBadges] = useState<{ x: number; y: number; text: string }[]>([]);
  const [angles, setAngles] = useState({ heading: 32, tilt: 22 });
  const [cursor, setCursor] = useState<Vec3>();
  const fitted = useRef(false);

  useEffect(() => {
    const v = new Viewport(host.current as HTMLElement, getStudio().view.dark ? DARK : LIGHT);
    view.current = v;
    v.onTrouble = (m) => notify('error', m);
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
    const look = (e: Event) => v.lookAt((e as CustomEvent).detail.frame, (e as CustomEvent).detail.points);
    window.addEventListener('ample-view', turn);
    window.addEventListener('ample-look', look);
    (window as unknown as { ampleView?: Viewport; ampleEngine?: typeof engine; ampleState?: typeof getStudio }).ampleView = v;
    Object.assign(window, { ampleEngine: engine, ampleState: getStudio });
    return () => {
      observer.disconnect();
      window.removeEventListener('ample-fit', fit);
      window.removeEventListener('ample-view', turn);
      window.removeEventListener('ample-look', look);
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
    const standing = standingOf();
    v.setPieces(
      [...pieces.values()].map((p) => {
        const stands = standing(p.key);
        const taken = !p.live && inputsOfOpen.has(p.key) && !!editing && Object.keys(steps.get(open ?? '')?.outputs ?? {}).length === 0;
        return { view: p, visible: (p.live || taken) && !stands.hidden, locked: stands.locked, colour: stands.colour };
      }),
    );
    // fitted to what was there when the model was opened, while it comes in; never while something is being drawn
    if (!fitted.current && computed) {
      if (pieces.size) v.fit();
      fitted.current = !getStudio().computing;
    }
  }, [pieces, looks, groups, open, inputsOfOpen, computed, steps]);
  // seam lines take the weight of their grade
  useEffect(() => {
    for (const [key, proof] of proofs) view.current?.setGrades(key, new Map(proof.seams.map((x) => [x.edge, x.grade])));
  }, [proofs, pieces]);
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
    view.current?.highlight(
      [
        ...(hover ? [{ pick: hover, strong: true }] : []),
        ...selection.map((pick) => ({ pick, strong: true })),
        ...active.map((pick) => ({ pick, strong: false })),
      ],
      lit,
    );
  }, [hover, selection, lit, open, slot, model, draft, pieces, proofs]);

  const names = useStudio((s) => s.dials);
  const sketching = useStudio((s) => s.sketching);
  const drawn = drawnParam(open);
  const frame = frameOfStep(open);
  const handles = useMemo(() => {
    if (!drawn || steps.get(drawn.step.id)?.status === 'muted') return [];
    return drawn.points.flatMap((p, id) =>
      p.every((x) => typeof x === 'number') ? [{ id, point: toWorld(frame, [p[0] as number, p[1] as number, (p[2] as number) ?? 0]) }] : [],
    );
  }, [drawn?.points, frame, drawn?.step.id, steps, names]);
  const drawing =
    !!draft &&
    !!drawn &&
    draft.step.id === open &&
    (drawn.draws.radius
      ? !drawn.step.params[drawn.draws.points] || drawn.step.params[drawn.draws.radius] === undefined
      : !drawn.draws.maximum || drawn.points.length < drawn.draws.maximum) &&
    !slot;
  const marks = steps.get(open ?? '')?.marks ?? [];
  // an open sketch is drawn here at once, before the engine has caught up
  const sketch = useMemo(() => {
    const o = openSketch();
    if (!o) return undefined;
    const report = reportOf(o.sketch);
    const s = report.sketch;
    const lit = new Set([...(sketching?.chosen ?? []), ...(sketching?.lit ?? []), ...(sketching?.pending ?? [])]);
    const { settled, labels } = sketchLabels(report, o.frame);
    return {
      labels,
      lines: sketchLines(s, o.frame).map((l) => ({ points: l.points, strong: lit.has(l.id) })),
      points: s.points.map((p, i) => ({
        id: SKETCH_IDS + i,
        point: toWorld(o.frame, [p.x, p.y]),
        strong: lit.has(p.id),
        settled: settled.has(p.id),
      })),
    };
  }, [open, model, draft, sketching, names, pieces, marks]);
  const inSketch = !!sketch;
  useEffect(() => view.current?.setGhost(inSketch), [inSketch, pieces]);
  const sketchHandles = sketch?.points ?? [];
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const last = handles.at(-1)?.point;
    const slides = slidesOf(marks);
    v.setOverlay({
      handles: [
        ...handles,
        ...slides.map((m, i) => ({ id: SLIDE_IDS + i, point: slidePoint(m) })),
        ...gripsOf(marks).map((m, i) => ({ id: GRIP_IDS + i, point: m.at })),
        ...sketchHandles,
      ],
      polygon: drawn && !drawn.draws.radius ? handles.map((h) => h.point) : undefined,
      arrows: slides.flatMap((m) => (m.arrow ? [{ from: slidePoint(m), direction: m.arrow }] : [])),
      links: [
        ...marks.flatMap((m) => (m.kind === 'link' || (m.kind === 'reference' && m.points.length > 1) ? [m.points] : [])),
        ...(sketch?.lines.filter((l) => !l.strong).map((l) => l.points) ?? []),
      ],
      strong: sketch?.lines.filter((l) => l.strong).map((l) => l.points),
      combs: combs.map((c) => combLines(c, settings.comb.scale)),
      combAt,
      rubber: drawing && cursor && last ? [last, cursor] : undefined,
      snap: (drawing || sketching?.tool) && cursor ? cursor : undefined,
      places: marks.filter((m) => m.kind === 'region' || m.kind === 'choice').map((m) => ({ at: m.at, kept: m.kept })),
    });
  }, [handles, drawing, cursor, marks, drawn, sketch, sketching, combs, combAt, settings.comb]);
  // the pieces a cut left are shown while its card is open and nothing is being picked
  const cuts = marks.filter((m) => m.kind === 'region').length > 1 && !slot ? open : undefined;
  useEffect(() => {
    let stale = false;
    if (!cuts) view.current?.setRegions([]);
    else
      engine
        .regions(cuts)
        .then((list) => {
          if (!stale) view.current?.setRegions(list);
        })
        .catch(() => undefined);
    return () => {
      stale = true;
    };
  }, [cuts, steps]);
  useEffect(() => {
    const v = view.current;
    const d = plane && pieces.get(pieceKey(plane.step, plane.output))?.display;
    const f =
      settings.aligned && d?.kind === 'plane'
        ? { x: d.x, y: d.y, z: d.z }
        : { x: [1, 0, 0] as const, y: [0, 1, 0] as const, z: [0, 0, 1] as const };
    if (!v || JSON.stringify(v.orbits[0].base) === JSON.stringify(f)) return;
    for (const o of v.orbits) o.base = f;
    v.invalidate();
  }, [plane, pieces, settings.aligned]);
  useEffect(() => {
    const f = frameOfStep(open);
    view.current?.setGrid(settings.grid ? f : undefined, settings.gridStep, 150);
  }, [settings.grid, settings.gridStep, settings.dark, plane, open, pieces, draft]);
  useEffect(() => {
    const v = view.current;
    if (!v || !zoom) return;
    const o = v.orbits[0];
    const c = zoom.points.reduce(
      (s, p) => [s[0] + p[0] / zoom.points.length, s[1] + p[1] / zoom.points.length, s[2] + p[2] / zoom.points.length],
      [0, 0, 0],
    );
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
      const list = marks.flatMap((m) =>
        m.kind === 'slide' && m.label
          ? [{ at: slidePoint(m), text: m.label }]
          : m.kind === 'grip' && m.label
            ? [{ at: m.at, text: m.label }]
            : m.kind === 'arrow' && m.label
              ? [{ at: m.from, text: m.label }]
              : m.kind === 'number'
                ? [{ at: m.at, text: m.label }]
                : [],
      );
      setBadges([...list, ...(sketch?.labels ?? [])].map((b) => ({ ...v.project(b.at, 0), text: b.text })));
    };
    v.invalidate();
  }, [marks, sketch]);

  useEffect(
    () =>
      attachPointer(area.current as HTMLElement, view.current as Viewport, {
        tip: setTip,
        chooser: setChooser,
        box: setBox,
        cursor: setCursor,
        touched: () => {
          fitted.current = true;
        },
      }),
    [],
  );

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
    <div
      className="viewarea"
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
            <strong>Start with a curve</strong>Choose Spline or Circle on the left and click in this view. Or find anything with the key{' '}
            <kbd style={{ margin: 0 }}>/</kbd>
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
      <div
        className="dialbox"
        style={settings.panes === 4 ? { right: 'calc(50% + 8px)' } : settings.panes === 2 ? { right: 'calc(50% + 8px)' } : undefined}
      >
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
          style={{
            left: Math.min(chooser.x, (area.current?.clientWidth ?? 400) - 180),
            top: Math.min(chooser.y, (area.current?.clientHeight ?? 300) - 30 * (chooser.hits.length + (chooser.snaps?.length ?? 0))),
          }}
          role="menu"
          aria-label="What lies here"
        >
          {chooser.snaps?.map((q, i) => (
            <button
              type="button"
              role="menuitem"
              key={`${q.label}${i}`}
              autoFocus={i === 0}
              onMouseEnter={() => setCursor(toWorld(frameOfStep(open), q.local))}
              onClick={() => {
                if (sketching?.tool) clickSketch([q.local[0], q.local[1]], undefined);
                else addPoint(q.local);
                setChooser(undefined);
              }}
            >
              {q.label || 'here'} · {q.local[0].toFixed(2)}, {q.local[1].toFixed(2)}
            </button>
          ))}
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
      {box && (
        <div
          className="selectbox"
          style={{
            left: Math.min(box.x0, box.x1),
            top: Math.min(box.y0, box.y1),
            width: Math.abs(box.x1 - box.x0),
            height: Math.abs(box.y1 - box.y0),
          }}
        />
      )}
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

/** Teeth and their envelope; the longest tooth is a seventh of the curve's size at scale 1. */
function combLines(c: Comb, scale: number): { teeth: number[]; envelope: Vec3[]; inflections: Vec3[]; tightest?: Vec3 } {
  const most = Math.max(1e-12, ...c.samples.map((s) => Math.abs(s.curvature)));
  const reach = (scale * Math.max(1e-3, c.length)) / (7 * most);
  const tip = (s: Comb['samples'][number]): Vec3 => {
    const l = Math.abs(s.curvature) * reach;
    return [s.point[0] + s.out[0] * l, s.point[1] + s.out[1] * l, s.point[2] + s.out[2] * l];
  };
  return {
    teeth: c.samples.flatMap((s) => [...s.point, ...tip(s)]),
    envelope: c.samples.map(tip),
    inflections: c.inflections.map((f) => f.point),
    tightest: Number.isFinite(c.smallestRadius) ? c.smallestAt : undefined,
  };
}
