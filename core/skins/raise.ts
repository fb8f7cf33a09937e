import type { BodyBuilder } from '../brep/index.ts';
import { along, cross, distance, dot, length, lerp, scale, solveDense, sub, translation, unit, type Vec3 } from '../math/index.ts';
import {
  compatibleCurves,
  curvatureAt,
  derivativesAt,
  domain,
  elevateNet,
  endPoint,
  evaluateNet,
  extrudedSurface,
  fitFunction,
  growCurve,
  knotRuns,
  line2,
  lineCurve,
  makeCurve,
  type Net,
  type NurbsCurve,
  pointAt,
  raiseMultiplicity,
  remapCurve,
  ruledSurface,
  startPoint,
  transformCurve,
} from '../nurbs/index.ts';

/** Edges of one raised chain, in the order of its curves. */
export interface Raised {
  readonly ok: true;
  readonly low: readonly number[];
  readonly high: readonly number[];
}
export type RaiseOutcome = Raised | { readonly ok: false; readonly message: string; readonly place: Vec3 };

const straight = (x0: number, y0: number, x1: number, y1: number, t0: number, t1: number) => ({ curve: line2([x0, y0], [x1, y1], t0, t1) });

const isLine = (c: NurbsCurve) => c.degree === 1 && c.control.length === 8;

/** Side faces of a chain moved by a vector; neighbours share their upright edges. `low` re-uses edges made before. */
export function raiseStraight(
  k: BodyBuilder,
  chain: readonly NurbsCurve[],
  by: Vec3,
  prefix: string,
  closed: boolean,
  low?: readonly number[],
): Raised {
  const base = low ?? chain.map((c, i) => k.edge(c, `${prefix}.start.${i}`));
  const high = chain.map((c, i) => k.edge(transformCurve(c, translation(by)), `${prefix}.end.${i}`));
  const upright = chain.map((c, i) => k.edge(lineCurve(startPoint(c), along(startPoint(c), by, 1)), `${prefix}.upright.${i}`));
  if (!closed) {
    const end = endPoint(chain[chain.length - 1]);
    upright.push(k.edge(lineCurve(end, along(end, by, 1)), `${prefix}.upright.${chain.length}`));
  }
  chain.forEach((c, i) => {
    const [a, b] = domain(c);
    const next = closed ? upright[(i + 1) % chain.length] : upright[i + 1];
    const name = `${prefix}:side${chain.length > 1 ? `.${i}` : ''}`;
    if (isLine(c)) {
      const x = unit(sub(endPoint(c), startPoint(c)));
      const z = unit(cross(x, by));
      const loop = [base[i], next, high[i], upright[i]].map((edge, m) => ({ edge, reversed: m > 1 }));
      k.flatFace({ origin: startPoint(c), x, y: cross(z, x), z }, [loop], name);
      return;
    }
    k.face(
      extrudedSurface(c, by),
      [
        [
          { edge: base[i], reversed: false, pcurve: straight(a, 0, b, 0, a, b) },
          { edge: next, reversed: false, pcurve: straight(b, 0, b, 1, 0, 1) },
          { edge: high[i], reversed: true, pcurve: straight(a, 1, b, 1, a, b) },
          { edge: upright[i], reversed: true, pcurve: straight(a, 0, a, 1, 0, 1) },
        ],
      ],
      name,
    );
  });
  return { ok: true, low: base, high };
}

/** In-plane unit normal at t, on the left of the curve seen against `up`. */
const leftOf = (c: NurbsCurve, t: number, up: Vec3): Vec3 => unit(cross(up, derivativesAt(c, t, 1)[1]));

/**
 * Curve at distance `w` to the left in its plane. Lines and circular arcs stay exact; other curves are fitted within `tolerance` on their
 * own knots.
 */
export function offsetFlat(c: NurbsCurve, up: Vec3, w: number, tolerance: number): NurbsCurve {
  const [a, b] = domain(c);
  if (isLine(c)) return transformCurve(c, translation(scale(leftOf(c, a, up), w)));
  const round = circleOf(c, up);
  if (round) {
    const control = new Float64Array(c.control);
    const f = (round.radius + w * round.towards) / round.radius;
    for (let i = 0; i < control.length; i += 4)
      for (let d = 0; d < 3; d++)
        control[i + d] = round.centre[d] * control[i + 3] + (control[i + d] - round.centre[d] * control[i + 3]) * f;
    return { ...c, control };
  }
  // the numerator is fitted over the curve's own weights, so that walls between both are straight at an even parameter
  const degree = Math.max(5, c.degree);
  const runs = knotRuns(c.knots, c.degree);
  const homogeneous = new Float64Array(4);
  const weightNet: Net = {
    degree: c.degree,
    knots: c.knots,
    data: Float64Array.from({ length: c.control.length / 4 }, (_, i) => c.control[4 * i + 3]),
    stride: 1,
  };
  const fit = fitFunction(
    (t, out) => {
      evaluateNet(weightNet, t, homogeneous);
      out.set(scale(along(pointAt(c, t), leftOf(c, t, up), w), homogeneous[0]));
    },
    a,
    b,
    3,
    degree,
    tolerance * Math.min(...weightNet.data),
    runs.values.slice(1, -1).map((t, i) => ({ t, multiplicity: Math.max(1, degree + 1 - c.degree + runs.multiplicities[i + 1]) })),
  );
  let weights = elevateNet(weightNet, degree - c.degree);
  const target = knotRuns(fit.knots, degree);
  target.values.slice(1, -1).forEach((t, i) => {
    weights = raiseMultiplicity(weights, t, target.multiplicities[i + 1]);
  });
  if (weights.data.length !== fit.data.length / 3) throw new Error('the offset has other knots than its weights');
  const control = new Float64Array(weights.data.length * 4);
  weights.data.forEach((x, i) => control.set([fit.data[3 * i], fit.data[3 * i + 1], fit.data[3 * i + 2], x], 4 * i));
  return { dim: 3, degree, knots: fit.knots, control, rational: c.rational };
}

/** Centre and radius when all of the curve lies on one circle; `towards` is -1 when the left side holds the centre. */
function circleOf(c: NurbsCurve, up: Vec3): { centre: Vec3; radius: number; towards: 1 | -1 } | undefined {
  const [a, b] = domain(c);
  const k = curvatureAt(c, (a + b) / 2);
  if (!(k > 1e-9)) return undefined;
  const mid = (a + b) / 2;
  const left = leftOf(c, mid, up);
  const second = derivativesAt(c, mid, 2)[2];
  const inside = dot(second, left) > 0;
  const centre = along(pointAt(c, mid), left, (inside ? 1 : -1) / k);
  for (let i = 0; i <= 16; i++) if (Math.abs(distance(pointAt(c, a + ((b - a) * i) / 16), centre) - 1 / k) > 1e-9 / k) return undefined;
  return { centre, radius: 1 / k, towards: inside ? -1 : 1 };
}

/** First place at which a draft moves a curve by more than its radius, so that its wall would fold. */
function foldOf(chain: readonly NurbsCurve[], up: Vec3, shift: number): { radius: number; at: Vec3 } | undefined {
  for (const c of chain) {
    const [a, b] = domain(c);
    for (let i = 0; i <= 64; i++) {
      const t = a + ((b - a) * i) / 64;
      const d = derivativesAt(c, t, 2);
      const bend = dot(d[2], leftOf(c, t, up)) / dot(d[1], d[1]);
      if (bend * shift >= 1 - 1e-9) return { radius: 1 / Math.abs(bend), at: d[0] };
    }
  }
  return undefined;
}

/** Walls of a drafted chain: each curve with room beyond its ends for the mitres, and the same one moved, at the other height. */
interface Walls {
  readonly chain: readonly NurbsCurve[];
  readonly grown: readonly NurbsCurve[];
  readonly tops: readonly NurbsCurve[];
  /** Does a curve run smoothly into the next one? */
  readonly smooth: readonly boolean[];
  /** A place on wall i, at parameter t and height share s. */
  readonly at: (i: number, t: number, s: number) => Vec3;
}
function wallsOf(chain: readonly NurbsCurve[], up: Vec3, height: number, shift: number, closed: boolean, tolerance: number): Walls {
  const n = chain.length;
  const smooth = chain.map((c, i): boolean => {
    if (!closed && i === n - 1) return true;
    const next = chain[(i + 1) % n];
    return dot(unit(derivativesAt(c, domain(c)[1], 1)[1]), unit(derivativesAt(next, domain(next)[0], 1)[1])) > 1 - 1e-10;
  });
  const grown = chain.map((c, i) => {
    const [a, b] = domain(c);
    const before = i > 0 || closed ? !smooth[(i + n - 1) % n] : false;
    const room = (t: number) => Math.min(b - a, (4 * Math.abs(shift)) / (length(derivativesAt(c, t, 1)[1]) || 1));
    return (before || !smooth[i] ? growCurve(c, before ? room(a) : 0, smooth[i] ? 0 : room(b), 'natural') : undefined) ?? c;
  });
  const tops = grown.map((c) => transformCurve(offsetFlat(c, up, shift, tolerance), translation(scale(up, height))));
  return { chain, grown, tops, smooth, at: (i, t, s) => lerp(pointAt(grown[i], t), pointAt(tops[i], t), s) };
}

/** An upright edge between two walls: where it runs on the one before it and on the one after it, and where it ends there. */
interface Corner {
  readonly edge: number;
  readonly before: NurbsCurve;
  readonly after: NurbsCurve;
  readonly endBefore: number;
  readonly endAfter: number;
}
/** The corner between wall i and wall j: straight where they run on smoothly, else the curve in which they meet. Undefined when they do not. */
function cornerBetween(k: BodyBuilder, w: Walls, i: number, j: number, up: Vec3, name: string, tolerance: number): Corner | undefined {
  const t0 = domain(w.chain[i])[1];
  const u0 = domain(w.chain[j])[0];
  if (w.smooth[i]) {
    const edge = k.edge(lineCurve(w.at(i, t0, 0), w.at(i, t0, 1)), name);
    return { edge, before: line2([t0, 0], [t0, 1]), after: line2([u0, 0], [u0, 1]), endBefore: t0, endAfter: u0 };
  }
  const path = mitre(
    (t, s) => w.at(i, t, s),
    (u, s) => w.at(j, u, s),
    t0,
    u0,
    up,
  );
  if (!path || path(1).some((x) => !Number.isFinite(x))) return undefined;
  // the edge and its images on both walls on one row of knots
  const both = (s: number, out: Float64Array) => {
    const [t, u] = path(s);
    out.set(w.at(i, t, s));
    out[3] = t;
    out[4] = u;
  };
  const fit = fitFunction(both, 0, 1, 5, 3, tolerance, [], 60);
  const rows = Array.from({ length: fit.data.length / 5 }, (_, r) => Array.from(fit.data.subarray(r * 5, r * 5 + 5)));
  const heights = rows.map((_, r) => (fit.knots[r + 1] + fit.knots[r + 2] + fit.knots[r + 3]) / 3);
  const curve = (row: (r: number[], m: number) => number[]) => makeCurve(3, rows.map(row), fit.knots);
  return {
    edge: k.edge(
      curve((r) => r.slice(0, 3)),
      name,
    ),
    before: curve((r, m) => [r[3], heights[m]]),
    after: curve((r, m) => [r[4], heights[m]]),
    endBefore: path(1)[0],
    endAfter: path(1)[1],
  };
}

/**
 * Side faces of a flat chain raised along its plane normal `up` by `height` while it moves to its left by `shift` (mm, negative to the
 * right): walls with draft. Corners are mitred: the corner edge is where the two neighbouring walls meet at every height. Fails with the
 * place when a wall would fold or vanish.
 */
export function raiseDrafted(
  k: BodyBuilder,
  chain: readonly NurbsCurve[],
  up: Vec3,
  height: number,
  shift: number,
  prefix: string,
  closed: boolean,
  tolerance: number,
  low?: readonly number[],
): RaiseOutcome {
  const n = chain.length;
  const fold = foldOf(chain, up, shift);
  if (fold)
    return {
      ok: false,
      message: `The draft moves the end by ${Math.abs(shift).toPrecision(4)} mm, more than the radius of ${fold.radius.toPrecision(4)} mm here: the wall would fold. Use less draft or height`,
      place: fold.at,
    };
  const w = wallsOf(chain, up, height, shift, closed, tolerance);
  const base = low ?? chain.map((c, i) => k.edge(c, `${prefix}.start.${i}`));
  const corners: Corner[] = [];
  for (let i = 0; i < (closed ? n : n - 1); i++) {
    const j = (i + 1) % n;
    const corner = cornerBetween(k, w, i, j, up, `${prefix}.upright.${j}`, tolerance);
    if (!corner)
      return { ok: false, message: 'The walls beside this corner do not meet: use less draft or height', place: endPoint(chain[i]) };
    corners[i] = corner;
  }
  const free = (i: number, t: number) => ({
    edge: k.edge(lineCurve(w.at(i, t, 0), w.at(i, t, 1)), `${prefix}.upright.${t === domain(chain[i])[0] ? 0 : n}`),
    curve: line2([t, 0], [t, 1]),
    end: t,
  });
  const high: number[] = [];
  for (let i = 0; i < n; i++) {
    const [a, b] = domain(chain[i]);
    const previous = closed ? corners[(i + n - 1) % n] : corners[i - 1];
    const first = previous ? { edge: previous.edge, curve: previous.after, end: previous.endAfter } : free(i, a);
    const following = corners[i];
    const last = following ? { edge: following.edge, curve: following.before, end: following.endBefore } : free(i, b);
    if (last.end - first.end < 1e-9 * (b - a))
      return {
        ok: false,
        message: 'The draft is so steep that this wall vanishes before the end: use less draft or height',
        place: pointAt(chain[i], (a + b) / 2),
      };
    high[i] = k.edge(w.tops[i], `${prefix}.end.${i}`, [first.end, last.end]);
    const name = `${prefix}:side${n > 1 ? `.${i}` : ''}`;
    if (isLine(chain[i])) {
      const x = unit(sub(endPoint(chain[i]), startPoint(chain[i])));
      const z = unit(cross(x, sub(startPoint(w.tops[i]), startPoint(w.grown[i]))));
      const loop = [base[i], last.edge, high[i], first.edge].map((edge, m) => ({ edge, reversed: m > 1 }));
      k.flatFace({ origin: startPoint(chain[i]), x, y: cross(z, x), z }, [loop], name);
      continue;
    }
    const [ga, gb] = domain(w.grown[i]);
    const [x, y] = compatibleCurves([w.grown[i], w.tops[i]]).map((q) => remapCurve(q, ga, gb));
    k.face(
      ruledSurface(x, y),
      [
        [
          { edge: base[i], reversed: false, pcurve: straight(a, 0, b, 0, a, b) },
          { edge: last.edge, reversed: false, pcurve: { curve: last.curve } },
          { edge: high[i], reversed: true, pcurve: straight(first.end, 1, last.end, 1, first.end, last.end) },
          { edge: first.edge, reversed: true, pcurve: { curve: first.curve } },
        ],
      ],
      name,
    );
  }
  return { ok: true, low: base, high };
}

/** Parameters (t, u) on two walls at which they meet at height share s; Newton in the plane across `up`, followed from the corner at s = 0. */
function mitre(
  p: (t: number, s: number) => Vec3,
  q: (u: number, s: number) => Vec3,
  t0: number,
  u0: number,
  up: Vec3,
): ((s: number) => readonly [number, number]) | undefined {
  const solve = (s: number, from: readonly [number, number]): readonly [number, number] | undefined => {
    let [t, u] = from;
    for (let k = 0; k < 30; k++) {
      const d = sub(p(t, s), q(u, s));
      if (length(d) < 1e-12) return [t, u];
      const h = 1e-6;
      const pt = scale(sub(p(t + h, s), p(t - h, s)), 0.5 / h);
      const qu = scale(sub(q(u + h, s), q(u - h, s)), 0.5 / h);
      const n = Float64Array.of(...pt, -qu[0], -qu[1], -qu[2], ...up);
      // columns are pt, -qu and up: three equations, three unknowns
      const A = Float64Array.of(n[0], n[3], n[6], n[1], n[4], n[7], n[2], n[5], n[8]);
      const B = Float64Array.of(-d[0], -d[1], -d[2]);
      if (!solveDense(A, B, 3, 1)) return undefined;
      t += B[0];
      u += B[1];
      if (Math.hypot(B[0], B[1]) < 1e-14 * (1 + Math.abs(t) + Math.abs(u))) return [t, u];
    }
    return length(sub(p(t, s), q(u, s))) < 1e-9 ? [t, u] : undefined;
  };
  const steps = 16;
  const known: (readonly [number, number])[] = [[t0, u0]];
  for (let i = 1; i <= steps; i++) {
    const last = known[i - 1];
    const before = known[i - 2];
    const guess = before ? ([2 * last[0] - before[0], 2 * last[1] - before[1]] as const) : last;
    const r = solve(i / steps, guess);
    if (!r) return undefined;
    known.push(r);
  }
  return (s) => {
    if (s <= 0) return known[0];
    const i = Math.min(steps - 1, Math.floor(s * steps));
    const f = s * steps - i;
    const guess = [known[i][0] + f * (known[i + 1][0] - known[i][0]), known[i][1] + f * (known[i + 1][1] - known[i][1])] as const;
    return solve(s, guess) ?? [Number.NaN, Number.NaN];
  };
}
