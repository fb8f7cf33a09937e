import { type Box, toWorld, type Vec3 } from '@ample-skin/core/math';
import type { Comb } from '@ample-skin/core/proof';
import { mapLook } from '@ample-skin/core/proof/kinds';
import { type Pick, pieceKey } from '@ample-skin/core/recipe';
import type { MarkView, SectionView } from '@ample-skin/engine';
import { type RefObject, useEffect, useMemo, useRef } from 'react';
import { cageDrawn } from '../interact/cage-drawn.ts';
import { docNow } from '../interact/doc.ts';
import { frameOfStep } from '../interact/drawing.ts';
import { handlesOf } from '../interact/handles-of.ts';
import type { Overlay } from '../interact/mode.ts';
import { sectionHandles } from '../interact/section.ts';
import { openSketch, reportOf, sketchLabels, sketchLines } from '../interact/sketching.ts';
import { refineDisplays } from '../state/compute.ts';
import { standingOf } from '../state/document.ts';
import { engine } from '../state/engine-client.ts';
import { coloursOf, followMaps, rampOf } from '../state/maps.ts';
import { measuredText } from '../state/measuring.ts';
import { followSections, sectionsNow } from '../state/sections.ts';
import { useSettings } from '../state/settings.ts';
import { getStudio, NO_POLES, setStudio, stepOf, useStudio } from '../state/state.ts';
import { seamText, useStatus } from '../state/status.ts';
import type { Handle } from '../view/handles.ts';
import type { ViewLabel } from '../view/labels.ts';
import { DARK, LIGHT } from '../view/theme.ts';
import type { Viewport } from '../view/viewport.ts';
import { useShownMaps } from './shown-maps.ts';
import { useMeasure } from './units.ts';

type View = RefObject<Viewport | undefined>;
/** Keeps the stage in step with the document. It shows nothing itself: what it follows changes often, and the page around must not be drawn anew for it. */
export function Scene({ view, fitted, overlay }: { view: View; fitted: RefObject<boolean>; overlay: Overlay }) {
  usePieces(view, fitted);
  useGrades(view);
  useLooks(view);
  useHighlights(view);
  useOverlay(view, overlay);
  useRegions(view);
  useMap(view);
  useColours(view);
  useSections(view);
  useNets();
  usePoles();
  usePlane(view);
  useRefinement(view);
  usePicture(view);
  return null;
}
const NO_MARKS: readonly never[] = [];
/** Marks of the open step; the same empty list while there are none, so that nothing is drawn anew for nothing. */
const useMarks = () => useStudio((s) => s.steps.get(s.open ?? '')?.marks ?? NO_MARKS);

/** Pieces on stage: live ones, those a slot of the open step holds, and what a draft makes, see-through. */
function usePieces(view: View, fitted: RefObject<boolean>): void {
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const groups = useStudio((s) => s.model.groups);
  const open = useStudio((s) => s.open);
  const model = useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  const steps = useStudio((s) => s.steps);
  const computed = useStudio((s) => s.computed);
  const trial = useStudio((s) => s.trial);
  const compare = useStudio((s) => s.compare);
  const framed = useRef<unknown>(undefined);
  const held = useMemo(
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
    const standing = standingOf();
    const draftId = draft?.step.id;
    const empty = !Object.keys(steps.get(open ?? '')?.outputs ?? {}).length;
    if (trial) {
      const shown = trial.shown.flatMap((k) => trial.variants.find((x) => x.key === k)?.view ?? []);
      v.setPieces([...trial.around.pieces.map((x) => ({ view: x, visible: true })), ...shown.map((x) => ({ view: x, visible: false }))]);
      v.setVariants(shown.map((x) => [x.key]));
      const box = shown[0]?.display?.box;
      if (box && framed.current !== trial.picks) {
        framed.current = trial.picks;
        v.show(trial.around.places, trial.around.normal);
        v.fitBox(box);
      }
      return;
    }
    if (compare?.view) {
      const sides = [compare.view.pairs.flatMap((p) => p.a ?? []), compare.view.pairs.flatMap((p) => p.b ?? [])];
      v.setPieces(
        sides.flat().map((x) => ({ view: x.view, visible: false, look: compare.maps.has(x.view.key) ? ('map' as const) : undefined })),
      );
      v.setVariants(sides.map((side) => side.map((x) => x.view.key)));
      if (framed.current !== compare.view) {
        framed.current = compare.view;
        const box = boxAround(sides.flat().flatMap((x) => (x.view.display && 'box' in x.view.display ? x.view.display.box : [])));
        if (box) v.fitBox(box, 0);
      }
      return;
    }
    v.setVariants([]);
    const upstream = [...pieces.values()].some((p) => p.step === open && p.kind === 'cage' && !p.live && p.display);
    v.setPieces(
      [...pieces.values()].map((p) => {
        const stands = standing(p.key);
        const taken = !p.live && held.has(p.key) && (empty || !!draftId);
        // what a draft made of picks it no longer has says nothing any more
        const past = !!draftId && p.step === draftId && steps.get(draftId)?.status === 'asks';
        // a cage that is edited upstream stands in front of what became of it
        const edited = upstream && p.step === open;
        const ghost =
          (!!draftId && p.step === draftId && (p.kind === 'skin' || p.kind === 'solid')) || (upstream && !edited && p.kind !== 'scan');
        return {
          view: p,
          visible: (p.live || taken || edited) && !past && !(stands.hidden && !edited),
          locked: stands.locked,
          colour: stands.colour,
          look: stands.look,
          ghost,
        };
      }),
    );
    // fitted to what was there when the model was opened, while it comes in; never while something is being drawn
    if (!fitted.current && computed) {
      if (pieces.size) v.fit();
      fitted.current = !getStudio().computing;
    }
  }, [pieces, looks, groups, open, held, computed, steps, draft, trial, compare, view, fitted]);
}

/** Seam lines take the weight of their grade. */
function useGrades(view: View): void {
  const proofs = useStudio((s) => s.proofs);
  const pieces = useStudio((s) => s.pieces);
  useEffect(() => {
    for (const [key, proof] of proofs) view.current?.setGrades(key, new Map(proof.seams.map((x) => [x.edge, x.grade])));
  }, [proofs, pieces, view]);
}

/** Colours, looks, panes and projection as the person has set them. */
function useLooks(view: View): void {
  const dark = useSettings((s) => s.dark);
  const look = useSettings((s) => s.look);
  const stripes = useSettings((s) => s.stripes);
  const panes = useSettings((s) => s.panes);
  const parallel = useSettings((s) => s.parallel);
  const ready = useStudio((s) => s.computed);
  useEffect(() => view.current?.setTheme(dark ? DARK : LIGHT), [dark, view]);
  const bars = useSettings((s) => s.bars);
  const isoparms = useSettings((s) => s.isoparms);
  useEffect(() => view.current?.setLook(look, stripes, bars, isoparms), [look, stripes, bars, isoparms, ready, view]);
  const cages = useSettings((s) => s.cages);
  useEffect(() => view.current?.setCageLook(cages), [cages, ready, view]);
  useEffect(() => view.current?.setParallel(parallel), [parallel, view]);
  useEffect(() => {
    const v = view.current;
    if (!v || v.panes === panes) return;
    v.panes = panes;
    v.fit();
  }, [panes, view]);
}

/** What is picked, selected, hovered, or lit from a list. */
function useHighlights(view: View): void {
  const pieces = useStudio((s) => s.pieces);
  const proofs = useStudio((s) => s.proofs);
  const selection = useStudio((s) => s.selection);
  const hover = useStudio((s) => s.hover);
  const lit = useStudio((s) => s.lit);
  const open = useStudio((s) => s.open);
  const slot = useStudio((s) => s.slot);
  const model = useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  useEffect(() => {
    const step = stepOf(open);
    const active: readonly Pick[] = step && slot ? (step.inputs[slot] ?? []) : Object.values(step?.inputs ?? {}).flat();
    view.current?.highlight(
      [
        ...(hover ? [{ pick: hover, strong: true }] : []),
        ...selection.map((pick) => ({ pick, strong: true })),
        ...active.map((pick) => ({ pick, strong: false })),
      ],
      lit,
    );
  }, [hover, selection, lit, open, slot, model, draft, pieces, proofs, view]);
}

/** Handles, lines, combs and labels of what is open, and what the mode in force says. */
function useOverlay(view: View, overlay: Overlay): void {
  const marks = useMarks();
  const open = useStudio((s) => s.open);
  const model = useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  const dials = useStudio((s) => s.dials);
  const pieces = useStudio((s) => s.pieces);
  const slot = useStudio((s) => s.slot);
  const sketching = useStudio((s) => s.sketching);
  const combs = useStudio((s) => s.combs);
  const combAt = useStudio((s) => s.combAt);
  const facts = useStudio((s) => s.facts);
  const lit = useStudio((s) => s.lit);
  const nets = useStudio((s) => s.nets);
  const measuring = useStudio((s) => s.measuring);
  const { poles } = useStudio((s) => s.poles);
  const onCages = useStudio((s) => s.stage === 'cages' || (s.desk.tab === 'poles' && s.desk.size !== 'shut'));
  const marked = useMemo(() => (onCages ? poles.filter((p) => !p.calm || p.junction).map((p) => p.at) : []), [poles, onCages]);
  const measure = useMeasure();
  const scale = useSettings((s) => s.comb.scale);
  // an open sketch is drawn here at once, before the engine has caught up
  const sketch = useMemo(() => {
    const o = openSketch();
    if (!o) return undefined;
    const report = reportOf(o.sketch);
    const s = report.sketch;
    const chosen = new Set([...(sketching?.chosen ?? []), ...(sketching?.lit ?? []), ...(sketching?.pending ?? [])]);
    const { settled, labels } = sketchLabels(report, o.frame);
    return {
      labels,
      lines: sketchLines(s, o.frame).map((l) => ({ points: l.points, strong: chosen.has(l.id) })),
      handles: s.points.map(
        (p, index): Handle => ({
          id: { kind: 'sketch', index, id: p.id },
          at: toWorld(o.frame, [p.x, p.y]),
          shape: 'dot',
          strong: chosen.has(p.id),
          settled: settled.has(p.id),
        }),
      ),
    };
  }, [open, model, draft, sketching, dials, pieces, marks]);
  const dimensions = useDimensions();
  const inSketch = !!sketch;
  useEffect(() => view.current?.setGhost(inSketch), [inSketch, pieces, view]);
  const section = useStudio((s) => s.section);
  const dragged = useStudio((s) => s.dragged);
  const cuts = useStudio((s) => s.cuts);
  const caging = useStudio((s) => s.caging);
  const ofStep = useMemo(
    () => (open ? handlesOf(docNow(), !!stepOf(open)?.muted) : []),
    [marks, open, model, draft, dials, pieces, slot, caging],
  );
  const handles = useMemo(() => [...ofStep, ...sectionHandles(docNow())], [ofStep, section, dragged, model]);
  const drawnCombs = useMemo(() => [...combs.map((c) => combLines(c, scale)), ...sectionCombs(cuts, scale)], [combs, cuts, scale, dragged]);
  const { cursor, handle, cageHover } = overlay;
  const cage = useMemo(() => {
    const d = docNow().cage;
    return d && cageDrawn(d.open.cage, d.caging, cageHover);
  }, [pieces, open, model, draft, slot, caging, cageHover]);
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const doc = docNow();
    const drawn = handles.filter((h) => h.id.kind === 'point').map((h) => h.at);
    const last = drawn.at(-1);
    const between = measuring?.length === 1 && cursor ? [measuring[0], cursor] : measuring;
    const ofFacts = !open && facts[0]?.places?.length === 2 ? facts[0].places : undefined;
    const measured = between?.length === 2 ? between : ofFacts;
    v.setOverlay({
      handles: [...handles, ...(sketch?.handles ?? [])],
      lit: handle,
      polygon: doc.drawn && !doc.drawn.draws.radius ? drawn : undefined,
      links: [
        ...dimensions.flatMap((m) => (m.points.length > 1 ? [m.points] : [])),
        ...marks.flatMap((m) => (m.kind === 'link' || (m.kind === 'reference' && m.points.length > 1) ? [m.points] : [])),
        ...(sketch?.lines.filter((l) => !l.strong).map((l) => l.points) ?? []),
      ],
      strong: [
        ...(sketch?.lines.filter((l) => l.strong).map((l) => l.points) ?? []),
        ...marks.flatMap((m) => (m.kind === 'chain' ? [partOf(m.points, m.cut)] : [])),
      ],
      nets,
      cage,
      poles: marked,
      combs: drawnCombs,
      combAt,
      rubber: doc.drawing && cursor && last ? [last, cursor] : undefined,
      snap: (doc.drawing || doc.sketch?.drawing || doc.measuring) && cursor ? cursor : undefined,
      places: marks.filter((m) => m.kind === 'region' || m.kind === 'choice').map((m) => ({ at: m.at, kept: m.kept })),
      marker: measuring?.length === 1 ? [measuring[0]] : lit?.at ? [lit.at] : undefined,
      measured,
    });
  }, [handles, cursor, handle, marks, sketch, cage, marked, drawnCombs, combAt, nets, facts, open, lit, measuring, dimensions, view]);
  const labels = useMemo<ViewLabel[]>(
    () => [
      ...dimensions.map(
        (m): ViewLabel => ({
          at: m.points.length > 1 ? midpoint(m.points[0], m.points[1]) : m.points[0],
          text: measure(m.label),
          kind: 'measure',
        }),
      ),
      ...handles.flatMap((h): ViewLabel[] =>
        h.label && h.id.kind !== 'cage' && !(h.shape === 'arrow' && h.id.kind === 'slide') ? [{ at: h.at, text: h.label }] : [],
      ),
      ...marks.flatMap((m): ViewLabel[] =>
        m.kind === 'number' ? [{ at: m.at, text: m.label }] : m.kind === 'arrow' && m.label ? [{ at: m.from, text: m.label }] : [],
      ),
      ...(sketch?.labels.map((l): ViewLabel => ({ ...l, kind: 'measure' })) ?? []),
      ...(measuring?.length === 2
        ? [{ at: midpoint(measuring[0], measuring[1]), text: measure(measuredText(measuring[0], measuring[1])), kind: 'measure' as const }]
        : []),
    ],
    [handles, marks, sketch, measuring, dimensions],
  );
  useEffect(() => view.current?.setLabels(labels), [labels, view]);
}
function boxAround(boxes: readonly Box[]): Box | undefined {
  if (!boxes.length) return undefined;
  const of = (pick: (b: Box) => Vec3, best: (...x: number[]) => number): Vec3 =>
    [0, 1, 2].map((k) => best(...boxes.map((b) => pick(b)[k]))) as unknown as Vec3;
  return { min: of((b) => b.min, Math.min), max: of((b) => b.max, Math.max) };
}
const midpoint = (a: Vec3, b: Vec3): Vec3 => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2];
type Dimension = Extract<MarkView, { kind: 'dimension' }>;
/** Measures that are kept in the view, of steps that are not muted. */
function useDimensions(): readonly Dimension[] {
  const steps = useStudio((s) => s.steps);
  return useMemo(() => [...steps.values()].flatMap((s) => s.marks.filter((m): m is Dimension => m.kind === 'dimension')), [steps]);
}
/** The part of a polyline between two shares of its steps. */
function partOf(points: readonly Vec3[], [a, b]: readonly [number, number]): Vec3[] {
  const n = points.length - 1;
  return points.slice(Math.max(0, Math.floor(a * n)), Math.min(n, Math.ceil(b * n)) + 1);
}
/** The combs of sections, as far as the other sections leave them in view. */
function sectionCombs(cuts: ReadonlyMap<string, readonly SectionView[]>, scale: number) {
  const planes = sectionsNow().filter((s) => !s.off);
  return [...cuts].flatMap(([id, list]) => {
    const others = planes.filter((s) => s.id !== id);
    const seen = (p: Vec3) => others.every((s) => s.normal.reduce((x, n, k) => x + n * (p[k] - s.origin[k]), 0) <= 1e-9);
    return list.flatMap((v) => v.combs.flatMap((c) => runsOf(c, seen).map((r) => combLines({ ...c, ...r }, scale))));
  });
}
/** What is seen of a comb: teeth in a row each. */
function runsOf(c: Comb, seen: (p: Vec3) => boolean): { samples: Comb['samples']; inflections: Comb['inflections'] }[] {
  if (c.samples.every((s) => seen(s.point))) return [c];
  const runs: Comb['samples'][number][][] = [];
  c.samples.forEach((s, i) => {
    if (!seen(s.point)) return;
    if (!i || !seen(c.samples[i - 1].point)) runs.push([]);
    runs[runs.length - 1].push(s);
  });
  return runs.map((samples, i) => ({ samples, inflections: i ? [] : c.inflections.filter((f) => seen(f.point)) }));
}
/** Teeth and their envelope; the longest tooth is a seventh of the curve's size at scale 1. */
function combLines(c: Comb, scale: number) {
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

/** The pieces a cut left are shown while its card is open and nothing is being picked. */
function useRegions(view: View): void {
  const marks = useMarks();
  const open = useStudio((s) => s.open);
  const slot = useStudio((s) => s.slot);
  const cuts = marks.filter((m) => m.kind === 'region').length > 1 && !slot ? open : undefined;
  const had = useRef(false);
  useEffect(() => {
    let stale = false;
    if (!cuts) {
      if (had.current) view.current?.setRegions([]);
      had.current = false;
    } else
      engine
        .regions(cuts)
        .then((list) => {
          if (stale) return;
          had.current = true;
          view.current?.setRegions(list);
        })
        .catch(() => undefined);
    return () => {
      stale = true;
    };
  }, [cuts, marks, view]);
}

/** A deviation shown as colours on the open step's skin. */
function useMap(view: View): void {
  const marks = useMarks();
  const map = marks.find((m) => m.kind === 'map');
  useEffect(() => view.current?.setMap(map), [map, view]);
}

/** Maps follow what is on stage, and how it is to be looked at. */
function useColours(view: View): void {
  const look = useSettings((s) => s.look);
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const groups = useStudio((s) => s.model.groups);
  const map = useStudio((s) => s.model.map);
  const { maps, map: now } = useShownMaps();
  const computing = useStudio((s) => s.computing);
  useEffect(() => {
    if (!computing) void followMaps();
  }, [look, pieces, looks, groups, map, computing]);
  useEffect(() => {
    view.current?.setMaps(maps, { ramp: rampOf(mapLook(now.kind).signed), ...coloursOf(maps, now), bands: now.bands });
  }, [maps, now, view]);
}
/** Sections cut the view where they stand, at once; their caps follow as they are computed. */
function useSections(view: View): void {
  const sections = useStudio((s) => s.model.sections);
  const dragged = useStudio((s) => s.dragged);
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const groups = useStudio((s) => s.model.groups);
  const cuts = useStudio((s) => s.cuts);
  const chosen = useStudio((s) => s.section);
  const dark = useSettings((s) => s.dark);
  useEffect(() => void followSections(), [sections, dragged, pieces, looks, groups]);
  useEffect(() => {
    view.current?.setSections(
      sectionsNow().filter((s) => !s.off),
      cuts,
      chosen,
    );
  }, [sections, dragged, cuts, chosen, pieces, looks, groups, dark, view]);
}
/** Control nets of what is selected, or of everything. */
function useNets(): void {
  const on = useSettings((s) => s.nets);
  const pieces = useStudio((s) => s.pieces);
  const selection = useStudio((s) => s.selection);
  useEffect(() => {
    let stale = false;
    const keys = new Set(selection.map((p) => pieceKey(p.step, p.output)));
    const shown = [...pieces.values()].filter((p) => p.live && !standingOf()(p.key).hidden && (!keys.size || keys.has(p.key)));
    if (!on) setStudio((s) => (s.nets.length ? { nets: [] } : s));
    else
      Promise.all(shown.map((p) => engine.nets(p.key).catch(() => []))).then((all) => {
        if (!stale) setStudio({ nets: all.flat() });
      });
    return () => {
      stale = true;
    };
  }, [on, pieces, selection]);
}

/** Poles of the cages that are seen, kept up with them while nothing is dragged. */
function usePoles(): void {
  const pieces = useStudio((s) => s.pieces);
  const computing = useStudio((s) => s.computing);
  const use = useSettings((s) => s.poleUse);
  const open = useStudio((s) => s.open);
  // how the surface bends beside them is asked only where it is read
  const look = useStudio((s) => s.desk.tab === 'poles' && s.desk.size !== 'shut');
  useEffect(() => {
    if (computing) return;
    let stale = false;
    const keys = [...pieces.values()]
      .filter((p) => p.kind === 'cage' && (p.step === open || (p.live && !standingOf()(p.key).hidden)))
      .map((p) => p.key);
    if (!keys.length) setStudio((s) => (s.poles !== NO_POLES ? { poles: NO_POLES, poleBefore: undefined } : s));
    else
      Promise.all(keys.map((k) => engine.poles(k, use, look).catch(() => NO_POLES))).then((all) => {
        const sum = (n: 'of' | 'loud') => all.reduce((x, a) => x + a[n], 0);
        if (!stale) setStudio({ poles: { poles: all.flatMap((a) => a.poles), of: sum('of'), loud: sum('loud') } });
      });
    return () => {
      stale = true;
    };
  }, [pieces, computing, use, look, open]);
}

/** Grid and axes of the views: those of the plane drawn on. */
function usePlane(view: View): void {
  const plane = useStudio((s) => s.plane);
  const pieces = useStudio((s) => s.pieces);
  const open = useStudio((s) => s.open);
  const draft = useStudio((s) => s.draft);
  const settings = useSettings();
  const { aligned, grid, gridStep, dark } = settings;
  const frame = useMemo(() => frameOfStep(open), [open, plane, pieces, draft]);
  const key = JSON.stringify(frame);
  useEffect(() => {
    const v = view.current;
    const d = plane && pieces.get(pieceKey(plane.step, plane.output))?.display;
    const f =
      aligned && d?.kind === 'plane' ? { x: d.x, y: d.y, z: d.z } : { x: [1, 0, 0] as const, y: [0, 1, 0] as const, z: [0, 0, 1] as const };
    if (!v || JSON.stringify(v.orbits[0].base) === JSON.stringify(f)) return;
    for (const o of v.orbits) o.base = f;
    v.invalidate();
  }, [plane, pieces, aligned, view]);
  useEffect(() => view.current?.setGrid(grid ? JSON.parse(key) : undefined, gridStep, 150), [grid, gridStep, dark, key, view]);
}

/** Pieces that are looked at closely are asked for anew, once the view rests. */
function useRefinement(view: View): void {
  useEffect(() => {
    const v = view.current;
    if (v) v.onRest = (coarse) => void (getStudio().draft || getStudio().computing ? undefined : refineDisplays(coarse));
  }, [view]);
}

/** A picture and what is known for the home page, once things have settled. */
function usePicture(view: View): void {
  const pieces = useStudio((s) => s.pieces);
  const computed = useStudio((s) => s.computed);
  const computing = useStudio((s) => s.computing);
  const draft = useStudio((s) => !!s.draft);
  const status = useStatus();
  const sent = useRef('');
  useEffect(() => {
    if (!computed || computing || !pieces.size || draft) return;
    const t = setTimeout(async () => {
      const s = getStudio();
      const live = [...s.pieces.values()].filter((p) => p.live);
      const summary = {
        pieces: live.length,
        state: status.bodies ? (status.open ? 'open' : 'watertight') : '',
        seams: status.seams.length ? seamText(status) : '',
      };
      const stamp = `${s.id}${live.map((p) => p.key + p.stamp).join()}${JSON.stringify(summary)}`;
      if (stamp === sent.current) return;
      const blob = await view.current?.picture();
      if (!blob) return;
      sent.current = stamp;
      const form = new FormData();
      form.set('picture', blob, 'picture.png');
      form.set('summary', JSON.stringify(summary));
      await fetch(`/api/models/${s.id}/picture`, { method: 'PUT', body: form }).catch(() => undefined);
    }, 2500);
    return () => clearTimeout(t);
  }, [pieces, computed, computing, draft, status, view]);
}
