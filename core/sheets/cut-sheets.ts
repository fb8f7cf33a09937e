import polylabel from 'polylabel';
import { type Body, massProperties } from '../brep/index.ts';
import { add, cross, type Frame, frameFromNormal, scale, type Vec3 } from '../math/index.ts';
import { derivativesAt, lengthParameter, type NurbsCurve } from '../nurbs/index.ts';
import { type NestOptions, nest, type Placed } from './nest.ts';
import type { Paper, PaperPath } from './paper.ts';
import { common, type Flat, grown, linesInside, loopsOf, moved, movedRegion, type Region, regionArea, without } from './region.ts';
import { layersOf, reachAlong, type Slice, sliceAt } from './slices.ts';
import { strokesOf, textReach } from './strokes.ts';

export interface CutOptions extends NestOptions {
  readonly count: number;
  /** Layers lie on each other: how thick the material is matters to slots only, and to what is told. */
  readonly thickness: number;
  /** Curve along which sections stand square; without it they are the layers along the frame's z. */
  readonly along?: readonly NurbsCurve[];
  /** Only outlines: what is hollow inside is left in. */
  readonly filled: boolean;
  readonly labels: boolean;
  readonly scores: boolean;
  /** Diameter of two holes through all sections; 0 for none. */
  readonly holes: number;
  /** Halved slots for a spine that stands across the sections. */
  readonly spine: boolean;
}
/** One thing to cut: material in the plane of its section, with what is drawn on it. */
export interface CutPart {
  readonly name: string;
  /** Which body, and which of its sections; -1 is the spine. */
  readonly body: number;
  readonly slice: number;
  readonly region: Region;
  readonly scores: readonly (readonly Flat[])[];
  readonly label: readonly (readonly Flat[])[];
}
export interface CutSheets {
  readonly parts: readonly CutPart[];
  readonly placed: readonly Placed[];
  readonly sheets: number;
  readonly bound: number;
  readonly papers: readonly Paper[];
  /** Sections times their step beside the bodies' own volume, mm³; not along a curve. */
  readonly volume?: { readonly laid: number; readonly body?: number };
  readonly notes: readonly string[];
}
export interface CutSource {
  readonly name: string;
  readonly body: Body;
}

/** Score lines nearer to the cut than this would only weaken the edge, mm. */
const OFF_EDGE = 0.4;
const TALLEST = 8;
const SHORTEST = 1.5;
const letter = (k: number): string => (k < 26 ? String.fromCharCode(65 + k) : `${letter(Math.floor(k / 26) - 1)}${letter(k % 26)}`);
/** The place inside material that is farthest from its border, and how far that is. */
function roomiest(r: Region): { at: Flat; room: number } {
  const p = polylabel(
    loopsOf(r).map((l) => l.map(([x, y]): [number, number] => [x, y])),
    0.05,
  );
  return { at: [p[0], p[1]], room: p.distance };
}

/** Frames square to a curve at the middles of equal lengths, each turned as little as can be against the one before. */
export function framesAlong(curves: readonly NurbsCurve[], count: number, up: Vec3): { frame: Frame; offset: number }[] {
  const runs = curves.map((c) => ({ c, by: lengthParameter(c) }));
  const total = runs.reduce((s, r) => s + r.by.total, 0);
  let x: Vec3 = up;
  return Array.from({ length: count }, (_, k) => {
    const offset = ((k + 0.5) * total) / count;
    let s = offset;
    const run = runs.find((r) => {
      if (s <= r.by.total || r === runs[runs.length - 1]) return true;
      s -= r.by.total;
      return false;
    }) as (typeof runs)[0];
    const [p, d] = derivativesAt(run.c, run.by.at(Math.min(run.by.total, s)), 1);
    const frame = frameFromNormal(p, d, x);
    x = frame.x;
    return { frame, offset };
  });
}

/**
 * Bodies cut into sections, laid on sheets of material: outlines with holes and slots to cut, the outline of the next section where it lies
 * on this one to score, a name in strokes inside. Everything that leaves is in `papers`.
 */
export function cutSheets(sources: readonly CutSource[], frame: Frame, o: CutOptions): CutSheets | { readonly message: string } {
  const notes: string[] = [];
  const narrow: string[] = [];
  const parts: CutPart[] = [];
  let laid = 0;
  let whole = 0;
  for (const [k, { name, body }] of sources.entries()) {
    let slices: Slice[];
    let step = 0;
    if (o.along) {
      const frames = framesAlong(o.along, o.count, frame.x);
      slices = frames.map((f) => sliceAt(body, f.frame, f.offset));
      if (o.scores) notes.push('Along a curve the sections lean, so that nothing of the next one lies flat on them: no score lines');
    } else {
      const made = layersOf(body, frame, o.count);
      ({ slices, step } = made);
      whole += massProperties(body).volume;
    }
    if (o.filled) slices = slices.map(filledIn);
    if (!o.along) laid += slices.reduce((s, x) => s + x.regions.reduce((t, r) => t + regionArea(r), 0), 0) * step;
    const open = slices.filter((s) => s.open).length;
    if (open) notes.push(`${name}: ${open} of ${slices.length} sections do not close: only what closes is cut`);
    const empty = slices.filter((s) => !s.regions.length).length;
    if (empty && !open) notes.push(`${name}: ${empty} of ${slices.length} planes miss it`);
    const drilled = o.holes > 0 ? holesOf(slices, o.holes) : undefined;
    if (o.holes > 0 && !drilled) notes.push(`${name}: no place lies in all sections with room for holes of ${o.holes} mm: there are none`);
    const spine = o.spine && !o.along ? spineOf(body, frame, slices, o.thickness) : undefined;
    if (o.spine && !spine) notes.push(`${name}: no plane across the sections meets them all: there is no spine`);
    slices.forEach((s, i) => {
      const holes = drilled ?? [];
      const slot = spine?.slots[i];
      const cut = [...holes, ...(slot ? [slot] : [])];
      const regions = cut.length ? without(s.regions, cut) : s.regions;
      const next = slices[i + 1];
      const list = [...regions].sort((a, b) => regionArea(b) - regionArea(a));
      list.forEach((region, part) => {
        const word = `${letter(k)}${i + 1}${list.length > 1 ? letter(part) : ''}`;
        const scores = o.scores && !o.along && next ? linesInside(next.loops, grown([region], -OFF_EDGE)) : [];
        parts.push({ name: word, body: k, slice: i, region, scores, label: labelled(word, region, o.labels, narrow) });
      });
    });
    if (spine)
      spine.board.forEach((region, part) => {
        const word = `${letter(k)}S${spine.board.length > 1 ? part + 1 : ''}`;
        parts.push({ name: word, body: k, slice: -1, region, scores: [], label: labelled(word, region, o.labels, narrow) });
      });
  }
  if (narrow.length)
    notes.push(`Too narrow for a name: ${narrow.slice(0, 6).join(', ')}${narrow.length > 6 ? ` and ${narrow.length - 6} more` : ''}`);
  if (!parts.length) return { message: 'No section closes: pick a closed skin or a solid' };
  const nested = nest(
    parts.map((p) => p.region),
    o,
  );
  if ('message' in nested)
    return {
      message:
        nested.part < 0
          ? nested.message
          : `${parts[nested.part].name} ${nested.message}: take a larger sheet, a smaller margin, or another direction`,
    };
  return {
    parts,
    placed: nested.placed,
    sheets: nested.sheets,
    bound: nested.bound,
    papers: papersOf(parts, nested.placed, nested.sheets, o),
    volume: o.along ? undefined : { laid, body: o.filled ? undefined : whole },
    notes,
  };
}

/** The same section without holes; outlines that lie in the holes of others are gone with them. */
function filledIn(s: Slice): Slice {
  const regions = grown(
    s.regions.map((r) => ({ outer: r.outer, holes: [] })),
    0,
  );
  return { ...s, regions, loops: regions.map((r) => r.outer) };
}
function labelled(word: string, region: Region, wanted: boolean, narrow: string[]): Flat[][] {
  if (!wanted) return [];
  const { at, room } = roomiest(region);
  const height = Math.min(TALLEST, (0.85 * room) / textReach(word));
  if (height < SHORTEST) {
    narrow.push(word);
    return [];
  }
  return strokesOf(word, height).map((l) => l.map(([x, y]): Flat => [x + at[0], y + at[1]]));
}
/** A circle as a clockwise polygon within 0.002 mm. */
function circle(at: Flat, radius: number): Flat[] {
  const n = Math.max(24, Math.ceil(Math.PI / Math.acos(1 - Math.min(1, 0.002 / radius))));
  return Array.from(
    { length: n },
    (_, i): Flat => [at[0] + radius * Math.cos((-2 * Math.PI * i) / n), at[1] + radius * Math.sin((-2 * Math.PI * i) / n)],
  );
}
/** Two holes that go through every section, as far apart as the material that all have in common lets them be. */
function holesOf(slices: readonly Slice[], diameter: number): Flat[][] | undefined {
  const real = slices.filter((s) => s.regions.length);
  if (!real.length) return undefined;
  let shared: readonly Region[] = real[0].regions;
  for (const s of real.slice(1)) shared = common(shared, s.regions);
  const room = grown(shared, -(diameter / 2 + Math.max(1, diameter / 2)));
  const all = room.flatMap((r) => r.outer);
  if (!all.length) return undefined;
  let best: [Flat, Flat] = [all[0], all[0]];
  let far = -1;
  for (const a of all)
    for (const b of all) {
      const d = Math.hypot(a[0] - b[0], a[1] - b[1]);
      if (d > far) [far, best] = [d, [a, b]];
    }
  return (far > 2 * diameter ? best : [best[0]]).map((p) => circle(p, diameter / 2));
}

/** A board across the sections, in the plane x = middle of their extent: half of each crossing is cut out of it, the other half out of the section. */
function spineOf(
  body: Body,
  frame: Frame,
  slices: readonly Slice[],
  thickness: number,
): { slots: (Flat[] | undefined)[]; board: Region[] } | undefined {
  const side: Frame = { origin: frame.origin, x: frame.z, y: frame.y, z: cross(frame.z, frame.y) };
  const across = reachAlong(body, { ...side, z: frame.x });
  const at = (across.low + across.high) / 2;
  // its own plane: x runs along the sections' direction, y is theirs
  const plane: Frame = { ...side, origin: add(frame.origin, scale(frame.x, at)) };
  const own = sliceAt(body, plane, at);
  if (!own.regions.length) return undefined;
  const half = thickness / 2;
  const slots: (Flat[] | undefined)[] = [];
  const taken: Flat[][] = [];
  for (const s of slices) {
    const span = spanAt(s.regions, at);
    if (!span) {
      slots.push(undefined);
      continue;
    }
    const middle = (span[0] + span[1]) / 2;
    const over = span[1] + thickness;
    slots.push([
      [at - half, middle],
      [at + half, middle],
      [at + half, over],
      [at - half, over],
    ]);
    taken.push([
      [s.offset - half, span[0] - thickness],
      [s.offset + half, span[0] - thickness],
      [s.offset + half, middle],
      [s.offset - half, middle],
    ]);
  }
  if (!taken.length) return undefined;
  return { slots, board: without(own.regions, taken) };
}
/** The longest run of material along x = at. */
function spanAt(regions: readonly Region[], at: number): [number, number] | undefined {
  let best: [number, number] | undefined;
  for (const r of regions) {
    const ys = loopsOf(r)
      .flatMap((l) => l.map((p, i) => [p, l[(i + 1) % l.length]] as const))
      .flatMap(([a, b]) => (a[0] > at !== b[0] > at ? [a[1] + ((b[1] - a[1]) * (at - a[0])) / (b[0] - a[0])] : []))
      .sort((a, b) => a - b);
    for (let i = 0; i + 1 < ys.length; i += 2) if (!best || ys[i + 1] - ys[i] > best[1] - best[0]) best = [ys[i], ys[i + 1]];
  }
  return best;
}

function papersOf(parts: readonly CutPart[], placed: readonly Placed[], sheets: number, o: CutOptions): Paper[] {
  return Array.from({ length: sheets }, (_, s): Paper => {
    const mine = placed.filter((p) => p.sheet === s);
    const closed = (l: readonly Flat[]): PaperPath => ({ points: l, closed: true });
    return {
      title: `Sheet ${s + 1} of ${sheets}`,
      width: o.width,
      height: o.height,
      layers: [
        {
          name: 'sheet',
          colour: '#b9b4aa',
          width: 0.1,
          paths: [
            closed([
              [0, 0],
              [o.width, 0],
              [o.width, o.height],
              [0, o.height],
            ]),
          ],
        },
        {
          name: 'cut',
          colour: '#b5432a',
          width: 0.2,
          paths: mine.flatMap((m) => loopsOf(movedRegion(parts[m.part].region, m)).map(closed)),
        },
        {
          name: 'score',
          colour: '#2f6b4f',
          width: 0.15,
          paths: mine.flatMap((m) => parts[m.part].scores.map((l) => ({ points: l.map((p) => moved(p, m)) }))),
        },
        {
          name: 'label',
          colour: '#1e2a2e',
          width: 0.15,
          paths: mine.flatMap((m) => parts[m.part].label.map((l) => ({ points: l.map((p) => moved(p, m)) }))),
        },
      ],
    };
  });
}
