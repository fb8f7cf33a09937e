import { type Body, edgeCurve, extentsOf, topologyOf } from '../brep/index.ts';
import { distance, dot, type Frame, toLocal, type Vec3 } from '../math/index.ts';
import { arcOf } from '../nurbs/index.ts';
import type { Flat, PaperLayer, PaperPath } from '../sheets/index.ts';

type Text = NonNullable<PaperLayer['texts']>[number];
type Line = (p: PaperPath) => void;
type Say = (t: Text) => void;

/** Width below and height to the left of a view. */
export function sized(low: Flat, high: Flat, size: Flat, line: Line, say: Say): void {
  const y = low[1] - 7;
  const x = low[0] - 7;
  const tick = ([a, b]: Flat) =>
    line({
      points: [
        [a - 1, b - 1],
        [a + 1, b + 1],
      ],
    });
  line({
    points: [
      [low[0], low[1] - 1],
      [low[0], y - 1.5],
    ],
  });
  line({
    points: [
      [high[0], low[1] - 1],
      [high[0], y - 1.5],
    ],
  });
  line({
    points: [
      [low[0], y],
      [high[0], y],
    ],
  });
  tick([low[0], y]);
  tick([high[0], y]);
  say({ at: [(low[0] + high[0]) / 2, y + 0.8], text: short(size[0]), height: 2.5, anchor: 'middle' });
  line({
    points: [
      [low[0] - 1, low[1]],
      [x - 1.5, low[1]],
    ],
  });
  line({
    points: [
      [low[0] - 1, high[1]],
      [x - 1.5, high[1]],
    ],
  });
  line({
    points: [
      [x, low[1]],
      [x, high[1]],
    ],
  });
  tick([x, low[1]]);
  tick([x, high[1]]);
  say({ at: [x - 0.8, (low[1] + high[1]) / 2], text: short(size[1]), height: 2.5, turn: 90, anchor: 'middle' });
}
const short = (x: number): string => String(Number(x.toFixed(2)));

/** Diameters of whole round edges seen straight on, the outermost few, on leaders that fan out. */
export function round(b: Body, f: Frame, place: (p: readonly number[]) => Flat, scale: number, line: Line, say: Say): void {
  const { uses } = topologyOf(b);
  const found: { at: Flat; radius: number }[] = [];
  b.edges.forEach((e, i) => {
    if (e.degenerate || !uses[i].length) return;
    const arc = arcOf(edgeCurve(e));
    if (!arc || Math.abs(Math.abs(dot(arc.axis, f.z)) - 1) > 1e-9 || Math.abs(arc.angle) < 2 * Math.PI - 1e-6) return;
    const at = place(toLocal(f, arc.centre));
    if (!found.some((x) => Math.abs(x.radius - arc.radius) < 1e-6 && Math.hypot(x.at[0] - at[0], x.at[1] - at[1]) < 1e-6))
      found.push({ at, radius: arc.radius });
  });
  found
    .sort((p, q) => q.radius - p.radius)
    .slice(0, 6)
    .forEach(({ at, radius }, k) => {
      const turn = ((38 + 22 * k) * Math.PI) / 180;
      const on = (r: number): Flat => [at[0] + r * Math.cos(turn), at[1] + r * Math.sin(turn)];
      const end = on(scale * radius + 5 + 2 * k);
      line({ points: [on(scale * radius), end, [end[0] + 4, end[1]]] });
      say({ at: [end[0] + 4.6, end[1] - 1], text: `Ø ${short(2 * radius)}`, height: 2.5 });
    });
}

/** A measure kept in the model: two places with the distance between them, or one place. */
export interface SheetMeasure {
  readonly name: string;
  readonly points: readonly Vec3[];
  readonly label: string;
  readonly what: string;
  readonly number: number;
}
/** A view as it lies on the paper. */
export interface LaidView {
  readonly frame: Frame;
  readonly section: boolean;
  /** Its corners on the paper. */
  readonly low: Flat;
  readonly high: Flat;
  readonly place: (p: readonly number[]) => Flat;
}
/** Rows of dimensions that have room above and to the right of a view. */
const ROWS = 2;
/** What has no place of its own: it stands in the title. */
const WHOLE: ReadonlySet<string> = new Set(['area', 'volume', 'mass']);

const IN_TITLE = 6;

/** Where words stand already: a box for each, as it is turned. */
class Words {
  private readonly boxes: (readonly [number, number, number, number])[] = [];
  constructor(texts: readonly Text[]) {
    for (const t of texts) this.boxes.push(boxOf(t));
  }
  free(t: Text): boolean {
    const b = boxOf(t);
    return !this.boxes.some((o) => b[0] < o[2] && o[0] < b[2] && b[1] < o[3] && o[1] < b[3]);
  }
  take(t: Text): void {
    this.boxes.push(boxOf(t));
  }
}
/** About as much as a text covers: letters are 0.6 of their height wide. */
function boxOf(t: Text): readonly [number, number, number, number] {
  const width = 0.6 * t.height * t.text.length;
  const from = t.anchor === 'middle' ? -width / 2 : 0;
  const a = ((t.turn ?? 0) * Math.PI) / 180;
  const corners = [from, from + width].flatMap((x) =>
    [-0.2 * t.height, t.height].map(
      (y): Flat => [t.at[0] + x * Math.cos(a) - y * Math.sin(a), t.at[1] + x * Math.sin(a) + y * Math.cos(a)],
    ),
  );
  const [xs, ys] = [corners.map((c) => c[0]), corners.map((c) => c[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

export interface PlacedMeasures {
  readonly measured: number;
  readonly left: readonly { readonly name: string; readonly why: string }[];
  /** For the title: measures of whole pieces. */
  readonly whole: readonly string[];
}
/**
 * Measures of the model on the sheet, each once: a distance in the first view that shows it in its true length, above or beside the view
 * where it is level or upright, else along itself; lengths, radii and angles on a leader from their place; measures of the whole are given
 * back for the title. The number is always the measured one. `texts` are the words that stand on the sheet already.
 */
export function placeMeasures(
  measures: readonly SheetMeasure[],
  views: readonly LaidView[],
  bodies: readonly Body[],
  texts: readonly Text[],
  line: Line,
  write: Say,
): PlacedMeasures {
  const left: { name: string; why: string }[] = [];
  const whole: string[] = [];
  const words = new Words(texts);
  const say: Say = (t) => {
    words.take(t);
    write(t);
  };
  const rows = views.map(() => [0, 0]);
  // sections are looked at last: most of what is measured is not in their plane
  const order = views.map((_, i) => i).sort((a, b) => Number(views[a].section) - Number(views[b].section));
  // those that stand in rows first: there is less choice for them
  const turn = (m: SheetMeasure) => (m.what.startsWith('along') ? 0 : 1);
  for (const m of [...measures].sort((a, b) => turn(a) - turn(b))) {
    if (!m.points.every((p) => near(p, bodies))) {
      left.push({ name: m.name, why: 'it lies beside the pieces that are drawn' });
      continue;
    }
    if (WHOLE.has(m.what) && whole.length === IN_TITLE) {
      left.push({ name: m.name, why: `the title has room for ${IN_TITLE}` });
      continue;
    }
    if (WHOLE.has(m.what)) {
      whole.push(`${m.name === 'Measure' ? '' : `${m.name}: `}${m.what} ${short(m.number)}${m.label.replace(/^[-\d.e+]+/, '')}`);
      continue;
    }
    const [p, q] = m.points;
    const between = m.points.length === 2 && m.number > 0 && Math.abs(distance(p, q) - m.number) <= 1e-6 * m.number;
    if (!between) {
      const v = views[order[0]];
      leader(v.place(toLocal(v.frame, m.points.length === 2 ? middle(p, q) : p)), onLeader(m), words, line, say);
      continue;
    }
    const i = order.find((k) => {
      const [a, b] = [toLocal(views[k].frame, p), toLocal(views[k].frame, q)];
      return Math.hypot(b[0] - a[0], b[1] - a[1]) >= (1 - 1e-6) * m.number;
    });
    if (i === undefined) {
      left.push({ name: m.name, why: 'no view shows it in its true length' });
      continue;
    }
    const v = views[i];
    linear(v, v.place(toLocal(v.frame, p)), v.place(toLocal(v.frame, q)), rows[i], short(m.number), words, line, say);
  }
  return { measured: measures.length - left.length, left, whole };
}
/** Inside the box of what is drawn, or not farther from it than a tenth of its size. */
function near(p: Vec3, bodies: readonly Body[]): boolean {
  return bodies.some((b) => {
    const { low, high } = extentsOf(b);
    const room = 0.1 * Math.hypot(...high.map((x, k) => x - low[k]));
    return p.every((x, k) => x >= low[k] - room && x <= high[k] + room);
  });
}
const middle = (p: Vec3, q: Vec3): Vec3 => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, (p[2] + q[2]) / 2];
function onLeader(m: SheetMeasure): string {
  if (m.what === 'radius') return `R ${short(m.number)}`;
  if (m.what === 'diameter') return `Ø ${short(m.number)}`;
  if (m.what === 'angle') return `${short(m.number)}°`;
  return `${m.what.replace('_', ' ')} ${short(m.number)}`;
}
/** From a place to the right, its words behind it, where no others stand. */
function leader(at: Flat, text: string, words: Words, line: Line, say: Say): void {
  const ways = [9, 15, 21].flatMap((l) => [-25, -42, -60, 25, 42, 60].map((a) => [l, a] as const));
  const made = ways.map(([l, a]) => {
    const end: Flat = [at[0] + l * Math.cos((a * Math.PI) / 180), at[1] + l * Math.sin((a * Math.PI) / 180)];
    return { end, said: { at: [end[0] + 3.6, end[1] - 1] as Flat, text, height: 2.5 } };
  });
  const { end, said } = made.find((w) => words.free(w.said)) ?? made[0];
  line({ points: [at, end, [end[0] + 3, end[1]]] });
  say(said);
}
function linear(v: LaidView, a: Flat, b: Flat, rows: number[], text: string, words: Words, line: Line, say: Say): void {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const length = Math.hypot(dx, dy);
  const level = Math.abs(dy) < 1e-6 * length;
  const upright = Math.abs(dx) < 1e-6 * length;
  // read from below or from the right
  let turn = (Math.atan2(dy, dx) * 180) / Math.PI;
  if (turn > 90 + 1e-6) turn -= 180;
  if (turn <= -90 + 1e-6) turn += 180;
  const up: Flat = [-Math.sin((turn * Math.PI) / 180), Math.cos((turn * Math.PI) / 180)];
  const along = (n: Flat, fromA: number, fromB: number) => {
    const at = (p: Flat, by: number): Flat => [p[0] + by * n[0], p[1] + by * n[1]];
    const [p, q] = [at(a, fromA), at(b, fromB)];
    const middleOf: Flat = [(p[0] + q[0]) / 2 + 0.8 * up[0], (p[1] + q[1]) / 2 + 0.8 * up[1]];
    const said: Text = { at: middleOf, text, height: 2.5, turn: turn || undefined, anchor: 'middle' };
    return { n, at, fromA, fromB, p, q, said };
  };
  let chosen: ReturnType<typeof along> | undefined;
  if (level && rows[0] < ROWS) {
    const y = v.high[1] + 6 + 5.5 * rows[0]++;
    chosen = along([0, 1], y - a[1], y - b[1]);
  } else if (upright && rows[1] < ROWS) {
    const x = v.high[0] + 7 + 5.5 * rows[1]++;
    chosen = along([1, 0], x - a[0], x - b[0]);
  } else {
    let n: Flat = [-dy / length, dx / length];
    // away from the middle of the view first
    const out = (a[0] + b[0] - v.low[0] - v.high[0]) * n[0] + (a[1] + b[1] - v.low[1] - v.high[1]) * n[1];
    if (out < 0 || (Math.abs(out) < 1e-9 && n[1] < 0)) n = [-n[0], -n[1]];
    const ways = [6, -6, 12, -12, 18].map((by) => along(by > 0 ? n : [-n[0], -n[1]], Math.abs(by), Math.abs(by)));
    chosen = ways.find((w) => words.free(w.said)) ?? ways[0];
  }
  const { at, fromA, fromB, p, q, said } = chosen;
  for (const [end, by] of [
    [a, fromA],
    [b, fromB],
  ] as const) {
    line({ points: [at(end, 1), at(end, by + 1.5)] });
    const [x, y] = at(end, by);
    line({
      points: [
        [x - 1, y - 1],
        [x + 1, y + 1],
      ],
    });
  }
  line({ points: [p, q] });
  say(said);
}
