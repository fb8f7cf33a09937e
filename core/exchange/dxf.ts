import DxfParser from 'dxf-parser';
import { type Affine, compose, DEG, IDENTITY, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, curveThrough, lineCurve, MAX_DEGREE, makeCurve, type NurbsCurve, smoothArc, transformCurve } from '../nurbs/index.ts';
import { Budget, BudgetError, CURVE_LIMITS, readingTrouble } from './budget.ts';
import type { FlatChain, ReadCurves } from './svg.ts';

interface Point {
  readonly x: number;
  readonly y: number;
  readonly z?: number;
  readonly bulge?: number;
}
/** What of a drawing's entities is used here; angles are in radians as the parser gives them. */
interface Entity {
  readonly type: string;
  readonly layer?: string;
  readonly vertices?: readonly Point[];
  readonly shape?: boolean;
  readonly center?: Point;
  readonly radius?: number;
  readonly startAngle?: number;
  readonly endAngle?: number;
  readonly majorAxisEndPoint?: Point;
  readonly axisRatio?: number;
  readonly controlPoints?: readonly Point[];
  readonly fitPoints?: readonly Point[];
  readonly knotValues?: readonly number[];
  readonly handle?: string;
  readonly rational?: boolean;
  readonly degreeOfSplineCurve?: number;
  readonly name?: string;
  readonly position?: Point;
  readonly xScale?: number;
  readonly yScale?: number;
  readonly rotation?: number;
}
const UNITS: Record<number, readonly [string, number]> = { 1: ['in', 25.4], 2: ['ft', 304.8], 4: ['mm', 1], 5: ['cm', 10], 6: ['m', 1000] };
const weightsOf = (e: Entity, count: number, all: ReadonlyMap<string, number[]>) => {
  const w = e.handle === undefined ? undefined : all.get(e.handle);
  return w?.length === count ? w : undefined;
};
const at = (p: Point): Vec3 => [p.x, p.y, p.z ?? 0];

/** Arc between two vertices of a polyline: the bulge is the tangent of a quarter of its angle, positive to the left. */
function bulged(a: Point, b: Point, bulge: number): NurbsCurve {
  const angle = 4 * Math.atan(Math.abs(bulge));
  const [dx, dy] = [b.x - a.x, b.y - a.y];
  const chord = Math.hypot(dx, dy);
  const r = chord / (2 * Math.sin(angle / 2));
  const h = r * Math.cos(angle / 2);
  const side = bulge > 0 ? 1 : -1;
  const c: Vec3 = [(a.x + b.x) / 2 - (side * h * dy) / chord, (a.y + b.y) / 2 + (side * h * dx) / chord, a.z ?? 0];
  const x: Vec3 = [(a.x - c[0]) / r, (a.y - c[1]) / r, 0];
  return circleCurve({ origin: c, x, y: [-side * x[1], side * x[0], 0], z: [0, 0, side] }, r, 0, angle);
}

/** Weights of splines by handle: the parser passes them over. */
function splineWeights(text: string): Map<string, number[]> {
  const out = new Map<string, number[]>();
  const lines = text.split(/\r?\n/);
  let handle = '';
  let spline = false;
  for (let i = 0; i + 1 < lines.length; i += 2) {
    const code = lines[i].trim();
    const value = lines[i + 1].trim();
    if (code === '0') spline = value === 'SPLINE';
    else if (code === '5') handle = value;
    else if (spline && code === '41') out.set(handle, [...(out.get(handle) ?? []), Number(value)]);
  }
  return out;
}

/** The end angle, brought to less than a turn after the start. */
function after(from: number, to: number): number {
  const turn = 2 * Math.PI;
  if (!Number.isFinite(from) || !Number.isFinite(to) || Math.abs(from) > 1e6 || Math.abs(to) > 1e6)
    throw new BudgetError('an arc has an angle that is none');
  const by = (((to - from) % turn) + turn) % turn;
  return from + (by < 1e-12 ? turn : by);
}
const VERTEX = new Set(['10', '20', '30', '40', '41', '42']);
/**
 * Lines of the file as the library can read them: in polylines its vertices stand together at the end and are counted anew, since a false
 * count makes it take gigabytes and a code among the vertices lets it run in circles.
 */
function tidied(text: string): string[] {
  const lines = text.split(/\r\n|\r|\n/);
  const out: string[] = [];
  for (let i = 0; i + 1 < lines.length; ) {
    if (lines[i].trim() !== '0' || lines[i + 1].trim() !== 'LWPOLYLINE') {
      out.push(lines[i], lines[i + 1]);
      i += 2;
      continue;
    }
    out.push(lines[i], lines[i + 1]);
    const own: string[] = [];
    const vertices: string[] = [];
    let count = 0;
    for (i += 2; i + 1 < lines.length && lines[i].trim() !== '0'; i += 2) {
      const code = lines[i].trim();
      if (code === '90') continue;
      if (code === '10') count++;
      (VERTEX.has(code) && count ? vertices : own).push(lines[i], lines[i + 1]);
    }
    out.push(...own);
    if (count) out.push('90', String(count), ...vertices);
  }
  return out.filter((_, i) => known(out[i - (i % 2)]));
}
/** Group codes that the format has; the library would print a line for any other. */
function known(line: string): boolean {
  const code = /^\s*\d+\s*$/.test(line) ? Number(line) : -1;
  return CODES.some(([from, to]) => code >= from && code <= to);
}
const CODES = [
  [0, 149],
  [160, 179],
  [210, 239],
  [270, 481],
  [999, 1071],
];
/** The text as the library asks for it, its lines counted as they are read: one that goes in circles is stopped. */
function counted(lines: string[]): string {
  let reads = 0;
  const most = 40 * lines.length + 10_000;
  const watched = new Proxy(lines, {
    get(target, key) {
      if (++reads > most) throw new BudgetError('its entities are damaged: reading them runs in circles');
      return Reflect.get(target, key);
    },
  });
  return { split: () => watched } as unknown as string;
}
/** Is everything in a curve a number, its knots in order, its degree one that can be used? */
const sound = (c: NurbsCurve): boolean =>
  c.degree <= MAX_DEGREE &&
  c.control.every((x) => Number.isFinite(x) && Math.abs(x) < 1e12) &&
  c.knots.every((x, i) => Number.isFinite(x) && (i === 0 || x >= c.knots[i - 1]));

function curvesOf(e: Entity, weights: ReadonlyMap<string, number[]>): NurbsCurve[] | undefined {
  switch (e.type) {
    case 'LINE':
      return e.vertices && e.vertices.length > 1 ? [lineCurve(at(e.vertices[0]), at(e.vertices[1]))] : undefined;
    case 'LWPOLYLINE':
    case 'POLYLINE': {
      const v = e.vertices ?? [];
      const n = v.length - (e.shape ? 0 : 1);
      const out: NurbsCurve[] = [];
      for (let i = 0; i < n; i++) {
        const [a, b] = [v[i], v[(i + 1) % v.length]];
        if (Math.hypot(b.x - a.x, b.y - a.y, (b.z ?? 0) - (a.z ?? 0)) < 1e-12) continue;
        out.push(a.bulge ? bulged(a, b, a.bulge) : lineCurve(at(a), at(b)));
      }
      return out.length ? out : undefined;
    }
    case 'CIRCLE':
      return e.center && e.radius ? [circleCurve({ ...WORLD, origin: at(e.center) }, e.radius)] : undefined;
    case 'ARC': {
      if (!e.center || !e.radius) return undefined;
      const from = e.startAngle ?? 0;
      const to = after(from, e.endAngle ?? 2 * Math.PI);
      return [circleCurve({ ...WORLD, origin: at(e.center) }, e.radius, from, to)];
    }
    case 'ELLIPSE': {
      if (!e.center || !e.majorAxisEndPoint) return undefined;
      const m = at(e.majorAxisEndPoint);
      const r = Math.hypot(...m);
      const x: Vec3 = [m[0] / r, m[1] / r, m[2] / r];
      const from = e.startAngle ?? 0;
      const to = after(from, e.endAngle ?? 2 * Math.PI);
      return [smoothArc({ origin: at(e.center), x, y: [-x[1], x[0], 0], z: [0, 0, 1] }, r, r * (e.axisRatio ?? 1), from, to)];
    }
    case 'SPLINE': {
      const c = e.controlPoints ?? [];
      const degree = e.degreeOfSplineCurve ?? 3;
      if (c.length > degree && e.knotValues?.length === c.length + degree + 1)
        return [makeCurve(degree, c.map(at), e.knotValues, weightsOf(e, c.length, weights))];
      return e.fitPoints && e.fitPoints.length > 1 ? [curveThrough(e.fitPoints.map(at))] : undefined;
    }
    default:
      return undefined;
  }
}

/** A fault of one entity does not cost the others; a file that asks for too much does. */
function tryCurves(e: Entity, weights: ReadonlyMap<string, number[]>): NurbsCurve[] | 'damaged' | undefined {
  try {
    return curvesOf(e, weights);
  } catch (x) {
    if (x instanceof BudgetError && !/angle/.test(x.message)) throw x;
    return 'damaged';
  }
}

/** Reads the curves of a DXF text, in millimetres: lines, arcs, circles, ellipses, polylines with bulges, splines, also inside inserted blocks. */
export function readDxf(text: string, budget = new Budget(CURVE_LIMITS)): ReadCurves {
  try {
    return read(text, budget);
  } catch (e) {
    return { ok: false, message: readingTrouble(e) };
  }
}
function read(text: string, budget: Budget): ReadCurves {
  let drawing: {
    header?: Record<string, unknown>;
    entities?: Entity[];
    blocks?: Record<string, { entities?: Entity[]; position?: Point }>;
  } | null;
  try {
    drawing = (new DxfParser() as unknown as { _parse(text: string): unknown })._parse(counted(tidied(text))) as unknown as typeof drawing;
  } catch (e) {
    if (e instanceof BudgetError) throw e;
    return { ok: false, message: `it cannot be read as DXF: ${readingTrouble(e)}` };
  }
  const entities = drawing?.entities ?? [];
  if (!entities.length) return { ok: false, message: 'it holds no entities' };
  const [unit, scale] = UNITS[Number(drawing?.header?.$INSUNITS ?? 4)] ?? ['mm', 1];
  const chains: FlatChain[] = [];
  const left = new Map<string, number>();
  const weights = splineWeights(text);
  let lost = 0;
  let damaged = 0;
  const visit = (list: readonly Entity[], map: Affine, depth: number) => {
    for (const e of list) {
      budget.take(1, 'entities');
      if (e.type === 'INSERT' && e.name && depth < 8) {
        const block = drawing?.blocks?.[e.name];
        const a = (e.rotation ?? 0) * DEG;
        const [sx, sy] = [e.xScale ?? 1, e.yScale ?? 1];
        const base = block?.position ?? { x: 0, y: 0 };
        const place: Affine = {
          m: [
            [sx * Math.cos(a), -sy * Math.sin(a), 0],
            [sx * Math.sin(a), sy * Math.cos(a), 0],
            [0, 0, 1],
          ],
          t: [
            (e.position?.x ?? 0) - sx * Math.cos(a) * base.x + sy * Math.sin(a) * base.y,
            (e.position?.y ?? 0) - sx * Math.sin(a) * base.x - sy * Math.cos(a) * base.y,
            e.position?.z ?? 0,
          ],
        };
        visit(block?.entities ?? [], compose(map, place), depth + 1);
        continue;
      }
      const curves = tryCurves(e, weights);
      if (curves === 'damaged' || (curves && !curves.every(sound))) {
        damaged++;
        continue;
      }
      if (e.type === 'SPLINE' && e.rational && !weightsOf(e, e.controlPoints?.length ?? 0, weights)) lost++;
      if (curves)
        chains.push({
          label: e.layer && e.layer !== '0' ? e.layer : e.type.toLowerCase(),
          curves: curves.map((c) => transformCurve(c, map)),
        });
      else left.set(e.type, (left.get(e.type) ?? 0) + 1);
    }
  };
  const s: Affine = {
    m: [
      [scale, 0, 0],
      [0, scale, 0],
      [0, 0, scale],
    ],
    t: [0, 0, 0],
  };
  visit(entities, scale === 1 ? IDENTITY : s, 0);
  if (!chains.length && damaged)
    return {
      ok: false,
      message: `${damaged === 1 ? 'its only curve is' : `all its ${damaged} curves are`} damaged: numbers in them are none, or out of order`,
    };
  if (!chains.length) return { ok: false, message: `it holds no curves (${[...left.keys()].join(', ').toLowerCase()})` };
  const notes = left.size ? [`left out: ${[...left].map(([k, n]) => `${n} ${k.toLowerCase()}`).join(', ')}`] : [];
  if (damaged)
    notes.push(`${damaged} ${damaged === 1 ? 'curve is' : 'curves are'} damaged and left out: numbers in them are none, or out of order`);
  if (lost)
    notes.push(
      `${lost} rational ${lost === 1 ? 'spline has' : 'splines have'} no weights that could be read: ${lost === 1 ? 'it is' : 'they are'} shown without`,
    );
  return { ok: true, chains, unit, notes };
}
