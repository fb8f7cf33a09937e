import svgpath from 'svgpath';
import { type Affine, compose, IDENTITY, unitInMm, type Vec3, WORLD } from '../math/index.ts';
import { lineCurve, makeCurve, type NurbsCurve, polylineCurve, smoothArc, transformCurve } from '../nurbs/index.ts';
import { Budget, BudgetError, CURVE_LIMITS, readingTrouble } from './budget.ts';
import { tagsOf } from './xml.ts';

export interface FlatChain {
  readonly label: string;
  readonly curves: readonly NurbsCurve[];
}
export type ReadCurves =
  | { readonly ok: true; readonly chains: readonly FlatChain[]; readonly unit: string; readonly notes: readonly string[] }
  | { readonly ok: false; readonly message: string };

/** Affine map in the plane from the six numbers of an SVG matrix. */
const flatMap = (a: number, b: number, c: number, d: number, e: number, f: number): Affine => ({
  m: [
    [a, c, 0],
    [b, d, 0],
    [0, 0, 1],
  ],
  t: [e, f, 0],
});
function transformOf(text: string): Affine {
  let out = IDENTITY;
  for (const m of text.matchAll(/(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)/g)) {
    const v = m[2]
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number);
    const rad = ((v[0] ?? 0) * Math.PI) / 180;
    let next: Affine;
    if (m[1] === 'matrix') next = flatMap(v[0], v[1], v[2], v[3], v[4], v[5]);
    else if (m[1] === 'translate') next = flatMap(1, 0, 0, 1, v[0] ?? 0, v[1] ?? 0);
    else if (m[1] === 'scale') next = flatMap(v[0] ?? 1, 0, 0, v[1] ?? v[0] ?? 1, 0, 0);
    else if (m[1] === 'skewX') next = flatMap(1, 0, Math.tan(rad), 1, 0, 0);
    else if (m[1] === 'skewY') next = flatMap(1, Math.tan(rad), 0, 1, 0, 0);
    else {
      const [c, s, x, y] = [Math.cos(rad), Math.sin(rad), v[1] ?? 0, v[2] ?? 0];
      next = flatMap(c, s, -s, c, x - c * x + s * y, y - s * x - c * y);
    }
    out = compose(out, next);
  }
  return out;
}

/** Exact arc of an SVG path's A command (SVG 1.1, appendix F.6.5); straight when a radius is zero. */
function arcCommand(
  x1: number,
  y1: number,
  rx0: number,
  ry0: number,
  turn: number,
  large: boolean,
  sweep: boolean,
  x2: number,
  y2: number,
): NurbsCurve {
  let [rx, ry] = [Math.abs(rx0), Math.abs(ry0)];
  if (rx < 1e-12 || ry < 1e-12) return lineCurve([x1, y1, 0], [x2, y2, 0]);
  const phi = (turn * Math.PI) / 180;
  const [c, s] = [Math.cos(phi), Math.sin(phi)];
  const [dx, dy] = [(x1 - x2) / 2, (y1 - y2) / 2];
  const [px, py] = [c * dx + s * dy, -s * dx + c * dy];
  const over = (px / rx) ** 2 + (py / ry) ** 2;
  if (over > 1) {
    rx *= Math.sqrt(over);
    ry *= Math.sqrt(over);
  }
  const k =
    (large === sweep ? -1 : 1) *
    Math.sqrt(Math.max(0, (rx * rx * ry * ry - rx * rx * py * py - ry * ry * px * px) / (rx * rx * py * py + ry * ry * px * px)));
  const [qx, qy] = [(k * rx * py) / ry, (-k * ry * px) / rx];
  const [cx, cy] = [c * qx - s * qy + (x1 + x2) / 2, s * qx + c * qy + (y1 + y2) / 2];
  const from = Math.atan2((py - qy) / ry, (px - qx) / rx);
  let to = Math.atan2((-py - qy) / ry, (-px - qx) / rx);
  const frame = (flip: 1 | -1) => ({
    origin: [cx, cy, 0] as Vec3,
    x: [c, s, 0] as Vec3,
    y: [-flip * s, flip * c, 0] as Vec3,
    z: [0, 0, flip] as Vec3,
  });
  if (sweep) {
    if (to <= from + 1e-12) to += 2 * Math.PI;
    return smoothArc(frame(1), rx, ry, from, to);
  }
  let back = -to;
  if (back <= -from + 1e-12) back += 2 * Math.PI;
  return smoothArc(frame(-1), rx, ry, -from, back);
}

/** Chains of a path: lines, quadratic and cubic Béziers and arcs, each exactly. */
function pathChains(d: string, label: string, notes: string[], budget: Budget): FlatChain[] {
  const path = svgpath(d).abs().unshort();
  const { err } = path as unknown as { err?: string };
  if (err) notes.push(`${label}: ${err}; what stands before it was read`);
  const out: FlatChain[] = [];
  let current: NurbsCurve[] = [];
  let start: [number, number] = [0, 0];
  const flush = () => {
    if (current.length) out.push({ label, curves: current });
    current = [];
  };
  const line = (x1: number, y1: number, x2: number, y2: number) => {
    if (Math.hypot(x2 - x1, y2 - y1) > 1e-12) current.push(lineCurve([x1, y1, 0], [x2, y2, 0]));
  };
  path.iterate((segment, _i, x, y) => {
    budget.take(1, 'path segments');
    const [command, ...v] = segment as [string, ...number[]];
    if (v.some((n) => !Number.isFinite(n) || Math.abs(n) > 1e12))
      throw new BudgetError(`the path ${label} holds a number that is no length`);
    if (command === 'M') {
      flush();
      start = [v[0], v[1]];
    } else if (command === 'L') line(x, y, v[0], v[1]);
    else if (command === 'H') line(x, y, v[0], y);
    else if (command === 'V') line(x, y, x, v[0]);
    else if (command === 'C')
      current.push(
        makeCurve(
          3,
          [
            [x, y, 0],
            [v[0], v[1], 0],
            [v[2], v[3], 0],
            [v[4], v[5], 0],
          ],
          [0, 0, 0, 0, 1, 1, 1, 1],
        ),
      );
    else if (command === 'Q')
      current.push(
        makeCurve(
          2,
          [
            [x, y, 0],
            [v[0], v[1], 0],
            [v[2], v[3], 0],
          ],
          [0, 0, 0, 1, 1, 1],
        ),
      );
    else if (command === 'A') {
      if (Math.hypot(v[5] - x, v[6] - y) > 1e-12) current.push(arcCommand(x, y, v[0], v[1], v[2], v[3] !== 0, v[4] !== 0, v[5], v[6]));
    } else if (command === 'Z' || command === 'z') {
      line(x, y, start[0], start[1]);
      flush();
    }
  });
  flush();
  return out;
}

const SHAPES = ['path', 'rect', 'circle', 'ellipse', 'line', 'polyline', 'polygon'];
/** Reads the curves of an SVG text, in millimetres with y upwards. Shapes inside definitions, patterns and clips are passed over. */
export function readSvg(text: string, budget = new Budget(CURVE_LIMITS)): ReadCurves {
  try {
    return read(text, budget);
  } catch (e) {
    return { ok: false, message: readingTrouble(e) };
  }
}
function read(text: string, budget: Budget): ReadCurves {
  if (!/<svg[\s>]/i.test(text.slice(0, 20000))) return { ok: false, message: 'this is not an SVG file: it has no svg element' };
  const notes: string[] = [];
  const chains: FlatChain[] = [];
  const stack: Affine[] = [];
  let map = IDENTITY;
  let hidden = 0;
  let unit = 'px';
  let skipped = 0;
  const number = (s: string | undefined, otherwise = 0) => {
    const v = Number.parseFloat(s ?? '');
    return Number.isFinite(v) ? v : otherwise;
  };
  const length = (s: string | undefined): number | undefined => {
    const m = /^\s*([-+\d.eE]+)\s*([a-z%]*)\s*$/.exec(s ?? '');
    if (!m || m[2] === '%') return undefined;
    if (m[2] && m[2] !== 'px') unit = m[2];
    const mm = m[2] === 'pt' ? 25.4 / 72 : m[2] === 'pc' ? 25.4 / 6 : (unitInMm(m[2]) ?? 25.4 / 96);
    return Number(m[1]) * mm;
  };
  for (const t of tagsOf(text)) {
    budget.take(1, 'elements');
    const a = t.attributes;
    const outOfSight = ['defs', 'clipPath', 'mask', 'pattern', 'symbol', 'marker'].includes(t.name);
    if (t.open && t.name === 'svg' && !stack.length) {
      const box = (a.viewBox ?? '').split(/[\s,]+/).map(Number);
      const [w, h] = [length(a.width), length(a.height)];
      const whole = box.length === 4 && box.every(Number.isFinite) ? box : undefined;
      const px = 25.4 / 96;
      const sx = whole && w ? w / whole[2] : px;
      const sy = whole && h ? h / whole[3] : sx;
      const tall = whole ? whole[3] * sy : (h ?? 0);
      // y runs down in the file and up here
      map = flatMap(sx, 0, 0, -sy, -(whole?.[0] ?? 0) * sx, tall + (whole?.[1] ?? 0) * sy);
    }
    if (t.open && !t.close) {
      stack.push(map);
      if (outOfSight) hidden++;
    }
    const here = t.open && a.transform ? compose(map, transformOf(a.transform)) : map;
    if (t.open && !t.close) map = here;
    if (t.open && !hidden && SHAPES.includes(t.name)) {
      const label = a.id || t.name;
      const local: FlatChain[] = [];
      if (t.name === 'path') local.push(...pathChains(a.d ?? '', label, notes, budget));
      else if (t.name === 'line')
        local.push({ label, curves: [lineCurve([number(a.x1), number(a.y1), 0], [number(a.x2), number(a.y2), 0])] });
      else if (t.name === 'circle' || t.name === 'ellipse') {
        const [rx, ry] = t.name === 'circle' ? [number(a.r), number(a.r)] : [number(a.rx), number(a.ry)];
        if (rx > 0 && ry > 0) local.push({ label, curves: [smoothArc({ ...WORLD, origin: [number(a.cx), number(a.cy), 0] }, rx, ry)] });
      } else if (t.name === 'rect') {
        const [x, y, w, h] = [number(a.x), number(a.y), number(a.width), number(a.height)];
        const rx = Math.min(w / 2, number(a.rx, number(a.ry)));
        const ry = Math.min(h / 2, number(a.ry, number(a.rx)));
        const d =
          rx > 0 && ry > 0
            ? `M${x + rx} ${y}H${x + w - rx}A${rx} ${ry} 0 0 1 ${x + w} ${y + ry}V${y + h - ry}A${rx} ${ry} 0 0 1 ${x + w - rx} ${y + h}H${x + rx}A${rx} ${ry} 0 0 1 ${x} ${y + h - ry}V${y + ry}A${rx} ${ry} 0 0 1 ${x + rx} ${y}Z`
            : `M${x} ${y}h${w}v${h}h${-w}Z`;
        if (w > 0 && h > 0) local.push(...pathChains(d, label, notes, budget));
      } else {
        const v = (a.points ?? '')
          .trim()
          .split(/[\s,]+/)
          .map(Number);
        const pts = Array.from({ length: Math.floor(v.length / 2) }, (_, i): Vec3 => [v[2 * i], v[2 * i + 1], 0]).filter((p) =>
          p.every(Number.isFinite),
        );
        if (pts.length > 1) local.push({ label, curves: [polylineCurve(t.name === 'polygon' ? [...pts, pts[0]] : pts)] });
      }
      if (!local.length) skipped++;
      if (![...here.m.flat(), ...here.t].every(Number.isFinite)) throw new BudgetError(`a transform over ${label} is no number`);
      for (const c of local) chains.push({ label: c.label, curves: c.curves.map((k) => transformCurve(k, here)) });
    } else if (t.open && ['text', 'image', 'use'].includes(t.name)) skipped++;
    if (t.close && !(t.open && t.close)) {
      if (outOfSight) hidden = Math.max(0, hidden - 1);
      map = stack.pop() ?? IDENTITY;
    }
  }
  if (skipped) notes.push(`${skipped} ${skipped === 1 ? 'element was' : 'elements were'} left out: only shapes and paths become curves`);
  if (!chains.length) return { ok: false, message: 'it holds no shapes or paths' };
  return { ok: true, chains, unit, notes };
}
