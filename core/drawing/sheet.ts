import { type Body, extentsOf } from '../brep/index.ts';
import { beziers } from '../exchange/write-curves.ts';
import { cross, dot, type Frame, formatNumber, toLocal, unit, type Vec3 } from '../math/index.ts';
import type { NurbsCurve } from '../nurbs/index.ts';
import { boundsOf, type Flat, linesInside, loopsOf, type Paper, type PaperLayer, type PaperPath, sliceAt } from '../sheets/index.ts';
import { type LaidView, placeMeasures, round, type SheetMeasure, sized } from './dimensions.ts';
import { type DrawnLine, drawLines } from './hidden-lines.ts';

export interface DrawView {
  readonly name: string;
  /** x to the right, y up, z to the eye. */
  readonly frame: Frame;
  /** Cell of the layout, from the lower left: views in one row or column are aligned. */
  readonly at: readonly [number, number];
  /** A plane that cuts the bodies open: what lies on the eye's side of it is not drawn, the cut is hatched. */
  readonly section?: boolean;
}
export interface SheetOptions {
  readonly title: string;
  readonly width: number;
  readonly height: number;
  /** Millimetres on paper for one of the model; chosen when not given. */
  readonly scale?: number;
  readonly hidden: boolean;
  readonly smooth: boolean;
  readonly dimensions: boolean;
  /** Measures of the model that are to stand on the sheet. */
  readonly measures?: readonly SheetMeasure[];
}
export interface Drawing {
  readonly paper: Paper;
  readonly scale: number;
  readonly lines: readonly { readonly view: string; readonly lines: readonly DrawnLine[] }[];
  /** How many of the measures are drawn, and those that are not. */
  readonly measured: number;
  readonly left: readonly { readonly name: string; readonly why: string }[];
}
const SCALES = [100, 50, 20, 10, 5, 2, 1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001];
const MARGIN = 10;
const TITLE = 16;
/** Room between views and round them, for dimensions, mm of paper. */
const AROUND = 18;
export const scaleWords = (s: number): string => (s >= 1 ? `${s}:1` : `1:${Math.round(1 / s)}`);

const LAYERS: Readonly<Record<string, Omit<PaperLayer, 'name' | 'paths' | 'texts'>>> = {
  visible: { colour: '#1e2a2e', width: 0.5 },
  smooth: { colour: '#1e2a2e', width: 0.18 },
  hidden: { colour: '#5c6b73', width: 0.25, dash: [2, 1] },
  section: { colour: '#1e2a2e', width: 0.5 },
  cutting: { colour: '#7e5c0c', width: 0.25, dash: [8, 1.5, 1, 1.5] },
  'cutting ends': { colour: '#7e5c0c', width: 0.5 },
  hatch: { colour: '#5c6b73', width: 0.13 },
  dimensions: { colour: '#2f6b4f', width: 0.18 },
  frame: { colour: '#1e2a2e', width: 0.35 },
};

/**
 * Several views of bodies on one sheet, aligned, in one scale, with their overall sizes and the diameters of round edges that are seen
 * straight on. Lines are those of `drawLines`, as Bézier curves within 0.005 mm of paper.
 */
export function drawSheet(bodies: readonly Body[], views: readonly DrawView[], o: SheetOptions): Drawing | { readonly message: string } {
  const drawn = views.map((view) => {
    const list = view.section ? [] : drawLines(bodies, view.frame, { hidden: o.hidden, smooth: o.smooth });
    const size = sizeIn(bodies, view.frame);
    return { view, lines: list, ...size };
  });
  const columns = [...new Set(views.map((v) => v.at[0]))].sort((a, b) => a - b);
  const rows = [...new Set(views.map((v) => v.at[1]))].sort((a, b) => a - b);
  const wide = columns.map((c) => Math.max(...drawn.filter((d) => d.view.at[0] === c).map((d) => d.high[0] - d.low[0])));
  const tall = rows.map((r) => Math.max(...drawn.filter((d) => d.view.at[1] === r).map((d) => d.high[1] - d.low[1])));
  const room: Flat = [o.width - 2 * MARGIN - AROUND * (columns.length + 1), o.height - 2 * MARGIN - TITLE - AROUND * (rows.length + 1)];
  const total: Flat = [wide.reduce((a, b) => a + b, 0), tall.reduce((a, b) => a + b, 0)];
  const fits = (s: number) => total[0] * s <= room[0] + 1e-9 && total[1] * s <= room[1] + 1e-9;
  const scale = o.scale ?? SCALES.find(fits);
  if (!scale) return { message: 'The views do not fit on the sheet at any scale: take a larger one' };
  if (!fits(scale))
    return {
      message: `At ${scaleWords(scale)} the views take ${formatNumber(total[0] * scale, 0)} x ${formatNumber(total[1] * scale, 0)} mm, and the sheet has room for ${formatNumber(Math.max(0, room[0]), 0)} x ${formatNumber(Math.max(0, room[1]), 0)} mm`,
    };
  const spare: Flat = [(room[0] - total[0] * scale) / (columns.length + 1), (room[1] - total[1] * scale) / (rows.length + 1)];
  const start = (sizes: readonly number[], k: number, axis: 0 | 1): number =>
    MARGIN + (axis ? TITLE : 0) + (k + 1) * (AROUND + spare[axis]) + scale * sizes.slice(0, k).reduce((a, b) => a + b, 0);
  const paths = new Map<string, PaperPath[]>();
  const texts = new Map<string, NonNullable<PaperLayer['texts']>[number][]>();
  const add = (layer: string, p: PaperPath) => paths.set(layer, [...(paths.get(layer) ?? []), p]);
  const write = (layer: string, t: NonNullable<PaperLayer['texts']>[number]) => texts.set(layer, [...(texts.get(layer) ?? []), t]);
  const sections = views.filter((v) => v.section);
  const laid: LaidView[] = [];
  for (const d of drawn) {
    const [c, r] = [columns.indexOf(d.view.at[0]), rows.indexOf(d.view.at[1])];
    // in the middle of its column and row, so that views beside each other keep their heights
    const origin: Flat = [
      start(wide, c, 0) + (scale * (wide[c] - (d.high[0] + d.low[0]))) / 2,
      start(tall, r, 1) + (scale * (tall[r] - (d.high[1] + d.low[1]))) / 2,
    ];
    const place = ([x, y]: readonly number[]): Flat => [origin[0] + scale * x, origin[1] + scale * y];
    laid.push({ frame: d.view.frame, section: !!d.view.section, low: place(d.low), high: place(d.high), place });
    for (const l of d.lines) {
      const layer = !l.visible ? 'hidden' : l.kind === 'smooth' ? 'smooth' : 'visible';
      for (const p of curvesOnPaper(l.curve, place, 0.005 / scale)) add(layer, p);
    }
    if (d.view.section) for (const b of bodies) cutOpen(b, d.view.frame, place, scale, add);
    if (o.dimensions) {
      const line = (x: PaperPath) => add('dimensions', x);
      const say = (t: Parameters<typeof write>[1]) => write('dimensions', t);
      sized(place(d.low), place(d.high), [d.high[0] - d.low[0], d.high[1] - d.low[1]], line, say);
      if (!d.view.section) for (const b of bodies) round(b, d.view.frame, place, scale, line, say);
    }
    for (const [k, s] of sections.entries())
      if (s !== d.view) cutting(s.frame, d.view.frame, d.low, d.high, place, scale, 'ABCDEFGH'[k] ?? String(k + 1), add, write);
    const letter = 'ABCDEFGH'[sections.indexOf(d.view)];
    write('frame', {
      at: [place(d.low)[0], place(d.low)[1] - AROUND + 3.5],
      text: letter ? `${d.view.name} ${letter}–${letter}` : d.view.name,
      height: 2.5,
    });
  }
  const { whole, ...measures } = placeMeasures(
    o.measures ?? [],
    laid,
    bodies,
    [...texts.values()].flat(),
    (x) => add('dimensions', x),
    (t) => write('dimensions', t),
  );
  const frameBox: Flat[] = [
    [MARGIN, MARGIN],
    [o.width - MARGIN, MARGIN],
    [o.width - MARGIN, o.height - MARGIN],
    [MARGIN, o.height - MARGIN],
  ];
  add('frame', { points: frameBox, closed: true });
  add('frame', {
    points: [
      [MARGIN, MARGIN + TITLE],
      [o.width - MARGIN, MARGIN + TITLE],
    ],
  });
  write('frame', { at: [MARGIN + 4, MARGIN + 9.2], text: o.title, height: 4 });
  // measures of the whole stand in the title's right half, in two rows of columns
  for (const [k, text] of whole.entries())
    write('frame', { at: [o.width * (0.4 + 0.19 * (k >> 1)), MARGIN + (k % 2 ? 4 : 9.6)], text, height: 2.5 });
  write('frame', {
    at: [MARGIN + 4, MARGIN + 3.2],
    text: `${scaleWords(scale)} · mm · ${views.length === 1 ? '1 view' : `${views.length} views`}`,
    height: 2.5,
  });
  return {
    scale,
    ...measures,
    lines: drawn.map((d) => ({ view: d.view.name, lines: d.lines })),
    paper: {
      title: o.title,
      width: o.width,
      height: o.height,
      layers: Object.entries(LAYERS)
        .filter(([name]) => paths.has(name) || texts.has(name))
        .map(([name, look]) => ({ name, ...look, paths: paths.get(name) ?? [], texts: texts.get(name) })),
    },
  };
}

/** Where a cutting plane stands in a view that sees it from its edge: a line across, its ends bold, arrows the way it is looked at, its letter. */
function cutting(
  plane: Frame,
  view: Frame,
  low: readonly number[],
  high: readonly number[],
  place: (p: readonly number[]) => Flat,
  scale: number,
  letter: string,
  add: (layer: string, p: PaperPath) => void,
  write: (layer: string, t: { at: Flat; text: string; height: number; anchor: 'middle' }) => void,
): void {
  if (Math.abs(dot(plane.z, view.z)) > 1e-9) return;
  const n: Flat = [dot(plane.z, view.x), dot(plane.z, view.y)];
  const along: Flat = [-n[1], n[0]];
  const at = toLocal(view, plane.origin);
  // as far as it runs over the view, and a little on
  let [from, to] = [-Infinity, Infinity];
  for (const k of [0, 1] as const) {
    if (Math.abs(along[k]) < 1e-12) {
      if (at[k] < low[k] || at[k] > high[k]) return;
      continue;
    }
    const [a, b] = [(low[k] - at[k]) / along[k], (high[k] - at[k]) / along[k]];
    [from, to] = [Math.max(from, Math.min(a, b)), Math.min(to, Math.max(a, b))];
  }
  if (!(to > from)) return;
  const on = (t: number, off = 0): Flat => place([at[0] + t * along[0] - off * n[0], at[1] + t * along[1] - off * n[1]]);
  const mm = 1 / scale;
  [from, to] = [from - 3 * mm, to + 3 * mm];
  add('cutting', { points: [on(from), on(to)] });
  for (const [end, in1] of [
    [from, 1],
    [to, -1],
  ]) {
    add('cutting ends', { points: [on(end), on(end + 2.5 * in1 * mm)] });
    add('cutting ends', { points: [on(end), on(end, 4 * mm)] });
    add('cutting ends', { points: [on(end - 0.7 * mm, 2.6 * mm), on(end, 4 * mm), on(end + 0.7 * mm, 2.6 * mm)] });
    // beyond the arrow, where no size stands
    const [x, y] = on(end, 6.4 * mm);
    write('cutting ends', { at: [x, y - 1.5], text: letter, height: 3, anchor: 'middle' });
  }
}
/** Extents of bodies in a view, exactly. */
function sizeIn(bodies: readonly Body[], f: Frame): { low: number[]; high: number[] } {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const b of bodies) {
    const e = extentsOf(b, [f.x, f.y, f.z]);
    [f.x, f.y, f.z].forEach((axis, k) => {
      const o = dot(f.origin, axis);
      low[k] = Math.min(low[k], e.low[k] - o);
      high[k] = Math.max(high[k], e.high[k] - o);
    });
  }
  return { low, high };
}
/** Straight lines as such, everything else as cubic Béziers. */
function curvesOnPaper(c: NurbsCurve, place: (p: readonly number[]) => Flat, tolerance: number): PaperPath[] {
  return joinedBeziers(beziers(c, tolerance).pieces.map((p) => p.map(place)));
}
function joinedBeziers(pieces: readonly (readonly Flat[])[]): PaperPath[] {
  if (pieces.length === 1 && pieces[0].length === 2) return [{ points: pieces[0] }];
  const mix = (a: Flat, b: Flat, t: number): Flat => [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])];
  const points: Flat[] = [pieces[0][0]];
  for (const p of pieces) {
    if (p.length === 2) points.push(mix(p[0], p[1], 1 / 3), mix(p[0], p[1], 2 / 3), p[1]);
    else if (p.length === 3) points.push(mix(p[0], p[1], 2 / 3), mix(p[2], p[1], 2 / 3), p[2]);
    else points.push(p[1], p[2], p[3]);
  }
  return [{ points, curved: true }];
}
/** The cut face of a body with its hatching. */
function cutOpen(
  b: Body,
  f: Frame,
  place: (p: readonly number[]) => Flat,
  scale: number,
  add: (layer: string, p: PaperPath) => void,
): void {
  const { regions } = sliceAt(b, f, 0);
  for (const r of regions) for (const l of loopsOf(r)) add('section', { points: l.map(place), closed: true });
  if (!regions.length) return;
  const { min, max } = boundsOf(regions.flatMap((r) => r.outer));
  const apart = 2.2 / scale;
  const across = max[0] - min[0] + (max[1] - min[1]);
  for (let k = 1; k * apart < across; k++) {
    const x = min[0] + k * apart;
    // under 45 degrees
    const line: Flat[] = [
      [x, min[1]],
      [x - (max[1] - min[1]), max[1]],
    ];
    for (const part of linesInside([line], regions, false)) add('hatch', { points: part.map(place) });
  }
}
/** The usual views, by where the eye is. */
export const VIEW_FRAMES = {
  front: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] },
  top: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] },
  right: { origin: [0, 0, 0], x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] },
  left: { origin: [0, 0, 0], x: [0, -1, 0], y: [0, 0, 1], z: [-1, 0, 0] },
} as const satisfies Record<string, Frame>;
/** A view from a direction, with another one as much up as can be. */
export function frameSeen(eye: Vec3, up: Vec3): Frame {
  const z = unit(eye);
  const side = cross(up, z);
  const x = unit(Math.hypot(...side) > 1e-9 ? side : cross(Math.abs(z[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0], z));
  return { origin: [0, 0, 0], x, y: cross(z, x), z };
}
