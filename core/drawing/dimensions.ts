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

/**
 * Measures of the model on the sheet, each once: a distance in the first view that shows it in its true length, above or beside the view
 * where it is level or upright, else along itself; everything else on a leader from its place. The number is always the measured one.
 */
export function placeMeasures(
  measures: readonly SheetMeasure[],
  views: readonly LaidView[],
  bodies: readonly Body[],
  line: Line,
  say: Say,
): { measured: number; left: { name: string; why: string }[] } {
  const left: { name: string; why: string }[] = [];
  const rows = views.map(() => [0, 0]);
  let leaders = 0;
  // sections are looked at last: most of what is measured is not in their plane
  const order = views.map((_, i) => i).sort((a, b) => Number(views[a].section) - Number(views[b].section));
  for (const m of measures) {
    if (!m.points.every((p) => near(p, bodies))) {
      left.push({ name: m.name, why: 'it lies beside the pieces that are drawn' });
      continue;
    }
    const [p, q] = m.points;
    const between = m.points.length === 2 && m.number > 0 && Math.abs(distance(p, q) - m.number) <= 1e-6 * m.number;
    if (!between) {
      const v = views[order[0]];
      leader(v.place(toLocal(v.frame, m.points.length === 2 ? middle(p, q) : p)), leaders++, words(m), line, say);
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
    linear(v, v.place(toLocal(v.frame, p)), v.place(toLocal(v.frame, q)), rows[i], short(m.number), line, say);
  }
  return { measured: measures.length - left.length, left };
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
function words(m: SheetMeasure): string {
  if (m.what === 'radius') return `R ${short(m.number)}`;
  if (m.what === 'diameter') return `Ø ${short(m.number)}`;
  if (m.what === 'angle') return `${short(m.number)}°`;
  return `${m.what.replace('_', ' ')} ${m.label}`;
}
/** From a place to the right and down, its words behind it; each further one steeper. */
function leader(at: Flat, k: number, text: string, line: Line, say: Say): void {
  const turn = (-(25 + 17 * (k % 4)) * Math.PI) / 180;
  const end: Flat = [at[0] + (9 + 3 * (k % 3)) * Math.cos(turn), at[1] + (9 + 3 * (k % 3)) * Math.sin(turn)];
  line({ points: [at, end, [end[0] + 3, end[1]]] });
  say({ at: [end[0] + 3.6, end[1] - 1], text, height: 2.5 });
}
function linear(v: LaidView, a: Flat, b: Flat, rows: number[], text: string, line: Line, say: Say): void {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const length = Math.hypot(dx, dy);
  const level = Math.abs(dy) < 1e-6 * length;
  const upright = Math.abs(dx) < 1e-6 * length;
  let n: Flat = [-dy / length, dx / length];
  // away from the middle of the view
  const out = (a[0] + b[0] - v.low[0] - v.high[0]) * n[0] + (a[1] + b[1] - v.low[1] - v.high[1]) * n[1];
  if (out < 0 || (Math.abs(out) < 1e-9 && n[1] < 0)) n = [-n[0], -n[1]];
  let [fromA, fromB] = [6, 6];
  if (level && rows[0] < ROWS) {
    n = [0, 1];
    fromA = fromB = v.high[1] + 6 + 5.5 * rows[0]++ - a[1];
  } else if (upright && rows[1] < ROWS) {
    n = [1, 0];
    fromA = fromB = v.high[0] + 7 + 5.5 * rows[1]++ - a[0];
  }
  const at = (p: Flat, by: number): Flat => [p[0] + by * n[0], p[1] + by * n[1]];
  for (const [p, by] of [
    [a, fromA],
    [b, fromB],
  ] as const) {
    line({ points: [at(p, 1), at(p, by + 1.5)] });
    const [x, y] = at(p, by);
    line({
      points: [
        [x - 1, y - 1],
        [x + 1, y + 1],
      ],
    });
  }
  const [p, q] = [at(a, fromA), at(b, fromB)];
  line({ points: [p, q] });
  // read from below or from the right
  let turn = (Math.atan2(dy, dx) * 180) / Math.PI;
  if (turn > 90 + 1e-6) turn -= 180;
  if (turn <= -90 + 1e-6) turn += 180;
  const up: Flat = [-Math.sin((turn * Math.PI) / 180), Math.cos((turn * Math.PI) / 180)];
  say({
    at: [(p[0] + q[0]) / 2 + 0.8 * up[0], (p[1] + q[1]) / 2 + 0.8 * up[1]],
    text,
    height: 2.5,
    turn: turn || undefined,
    anchor: 'middle',
  });
}
