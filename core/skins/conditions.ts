import { curvatureHeight, flowHeight, type Neighbour, type NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, cross, DEG, distance, dot, length, negate, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  evaluateNet,
  findSpan,
  greville,
  insertKnots,
  interpolateInSpace,
  knotRuns,
  type Net,
  type NurbsCurve,
  type NurbsSurface,
  normalCurvature,
  pointAt,
  surfaceJet,
} from '../nurbs/index.ts';
import { acrossHermite } from './across.ts';

/** How a skin leaves its first or reaches its last row. */
export type EndCondition = {
  /** 1: tangent, 2: curvature, 3: change of curvature. */
  readonly grade: 1 | 2 | 3;
  /** Length of the handle as a share of the way to the next row. */
  readonly reach: number;
} & (
  | { readonly kind: 'neighbour'; readonly neighbour: Neighbour }
  /** As if a straight wall along the direction stood there. Points away from the row, into the skin. */
  | { readonly kind: 'direction'; readonly direction: Vec3 }
);

/** Limits that the fit of conditioned rows aims at: degrees, percent. */
const AIM = { kink: 0.004, step: 0.3 };
const MOST_COLUMNS = 140;

/** A straight wall as a neighbour. */
function wallJet(point: Vec3, direction: Vec3, tangent: Vec3): NeighbourJet {
  const zero: Vec3 = [0, 0, 0];
  const partials = Array.from({ length: 16 }, (): Vec3 => zero);
  partials[4] = direction;
  partials[1] = tangent;
  return { point, normal: unit(cross(direction, tangent)), partials, away: direction, uv: [0, 0], face: 0 };
}
const jetOf = (c: EndCondition, p: Vec3, tangent: Vec3): NeighbourJet =>
  c.kind === 'neighbour' ? c.neighbour.at(p) : wallJet(p, c.direction, tangent);

export interface ConditionedRows {
  readonly rows: readonly NurbsCurve[];
  readonly degree: number;
  readonly knots: Float64Array;
  readonly data: Float64Array;
}
/**
 * Interpolates polynomial rows across with conditions at the ends. The derivative rows are laid in the rows' own space (Greville
 * interpolation), one after the other: tangents first; of the second and third derivatives only the height over the tangent plane is
 * set, the rest stays as the interpolation without them has it. Where tangents or curvatures miss between, knots are added to all rows.
 */
export function acrossConditioned(
  given: readonly NurbsCurve[],
  params: readonly number[],
  start: EndCondition | undefined,
  end: EndCondition | undefined,
  degree: number,
): ConditionedRows {
  let rows = [...given];
  let best: ConditionedRows | undefined;
  for (let round = 0; round < 7; round++) {
    const built = layRows(rows, params, start, end, degree);
    best = { rows, ...built };
    const bad = missedSpans(rows, built, start, end);
    if (!bad.length || rows[0].control.length / 4 + bad.length > MOST_COLUMNS) break;
    rows = rows.map((r) => {
      const n = insertKnots({ degree: r.degree, knots: r.knots, data: r.control, stride: 4 }, bad);
      return { ...r, knots: n.knots, control: n.data };
    });
  }
  if (!best) throw new Error('no rows');
  return best;
}

interface Built {
  readonly degree: number;
  readonly knots: Float64Array;
  readonly data: Float64Array;
}
function layRows(
  rows: readonly NurbsCurve[],
  params: readonly number[],
  start: EndCondition | undefined,
  end: EndCondition | undefined,
  degree: number,
): Built {
  const { degree: q, knots } = rows[0];
  const at = greville(knots, q);
  const controls = rows.map((r) => r.control);
  const sides = [
    { c: start, row: rows[0], next: rows[1], gap: params[1] - params[0], way: 1, list: [] as Float64Array[] },
    {
      c: end,
      row: rows[rows.length - 1],
      next: rows[rows.length - 2],
      gap: params[params.length - 1] - params[params.length - 2],
      way: -1,
      list: [] as Float64Array[],
    },
  ];
  // jets at the places where the rows are laid
  const jets = sides.map(({ c, row }) => c && Array.from(at, (t) => jetOf(c, pointAt(row, t), tangentAt(row, t))));
  const row = (values: Vec3[]): Float64Array => {
    const flat = new Float64Array(values.length * 4);
    values.forEach((v, i) => {
      flat.set(v, 4 * i);
    });
    const net = interpolateInSpace(q, knots, at, flat, 4);
    if (!net) throw new Error('the rows cannot be laid');
    return net.data;
  };
  const solve = (): Built => acrossHermite(controls, params, sides[0].list, sides[1].list, degree);
  let built: Built | undefined;
  for (let k = 1; k <= 3; k++) {
    if (!sides.some((s) => s.c && s.c.grade >= k)) break;
    if (k > 1) built = solve();
    const from = built;
    sides.forEach((s, i) => {
      const c = s.c;
      const js = jets[i];
      if (!c || !js || c.grade < k) return;
      if (k === 1) {
        s.list.push(
          row(
            js.map((j, n) => {
              const way = distance(pointAt(s.next, at[n]), pointAt(s.row, at[n]));
              return scale(j.away, (s.way * c.reach * way) / s.gap);
            }),
          ),
        );
        return;
      }
      const natural = derivativeRow(from as Built, i === 0 ? 0 : 1, k, rows[0].control.length);
      const nets = [s.list[0], s.list[1], natural].map((data) => data && { degree: q, knots, data, stride: 4 });
      s.list.push(
        row(
          js.map((j, n) => {
            const d1 = vectorAt(nets[0] as Net, at[n]);
            const free = vectorAt(nets[2] as Net, at[n]);
            const height = k === 2 ? curvatureHeight(j, d1) : flowHeight(j, d1, vectorAt(nets[1] as Net, at[n]));
            return add(free, scale(j.normal, height - dot(free, j.normal)));
          }),
        ),
      );
    });
  }
  return solve();
}
const four = new Float64Array(4);
function vectorAt(n: Net, t: number): Vec3 {
  evaluateNet(n, t, four);
  return [four[0], four[1], four[2]];
}
function tangentAt(c: NurbsCurve, t: number): Vec3 {
  const h = 1e-6;
  const a = c.knots[c.degree];
  const b = c.knots[c.knots.length - c.degree - 1];
  return sub(pointAt(c, Math.min(b, t + h * (b - a))), pointAt(c, Math.max(a, t - h * (b - a))));
}
/** Control row of the k-th derivative across at the first or last parameter. */
function derivativeRow(b: Built, side: 0 | 1, k: number, stride: number): Float64Array {
  const t = side ? b.knots[b.knots.length - 1] : b.knots[0];
  const span = findSpan(b.knots, b.degree, t);
  const basis = new Float64Array(4 * (b.degree + 1));
  basisDerivatives(b.knots, b.degree, span, t, k, basis);
  const out = new Float64Array(stride);
  for (let j = 0; j <= b.degree; j++) {
    const f = basis[k * (b.degree + 1) + j];
    const o = (span - b.degree + j) * stride;
    for (let i = 0; i < stride; i++) out[i] += f * b.data[o + i];
  }
  return out;
}

export function surfaceOf(b: Built, like: NurbsCurve): NurbsSurface {
  return {
    degreeU: b.degree,
    degreeV: like.degree,
    knotsU: b.knots,
    knotsV: like.knots,
    countU: b.data.length / like.control.length,
    countV: like.control.length / 4,
    control: b.data,
    rational: like.rational,
  };
}
/** Middles of spans along the rows where a condition is missed. */
function missedSpans(rows: readonly NurbsCurve[], b: Built, start: EndCondition | undefined, end: EndCondition | undefined): number[] {
  const surface = surfaceOf(b, rows[0]);
  const { values } = knotRuns(rows[0].knots, rows[0].degree);
  const bad = new Set<number>();
  [start, end].forEach((c, side) => {
    if (!c) return;
    const u = side ? b.knots[b.knots.length - 1] : b.knots[0];
    const row = side ? rows[rows.length - 1] : rows[0];
    for (let i = 0; i + 1 < values.length; i++)
      for (const k of [0.12, 0.37, 0.63, 0.88]) {
        const t = values[i] + k * (values[i + 1] - values[i]);
        const mine = surfaceJet(surface, u, t);
        const j = jetOf(c, mine.point, tangentAt(row, t));
        const same = dot(mine.normal, j.normal) < 0 ? negate(j.normal) : j.normal;
        const kink = angleBetween(mine.normal, same) / DEG;
        let missed = kink > AIM.kink;
        if (c.grade >= 2 && !missed) {
          const want = curvatureHeight(j, mine.u) / dot(mine.u, mine.u);
          const have = (dot(same, j.normal) < 0 ? -1 : 1) * normalCurvature(mine, mine.u);
          const floor = 1 / Math.max(1e-6, length(mine.u));
          missed = (200 * Math.abs(want - have)) / Math.max(Math.abs(want) + Math.abs(have), floor) > AIM.step;
        }
        if (missed) bad.add(i);
      }
  });
  return [...bad].map((i) => (values[i] + values[i + 1]) / 2);
}
