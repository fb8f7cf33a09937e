import { type Body, type Face, faceNormal } from '../brep/index.ts';
import { add, angleBetween, changeBetween, cross, DEG, distance, dot, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  clipCurve,
  closestOnCurve,
  closestOnSurface,
  curveOfFit,
  derivativesAt,
  domain,
  endPoint,
  type FitSeed,
  fitFunction,
  fitPeriodic,
  isClosed,
  knotRuns,
  type NurbsCurve,
  normalCurvature,
  pointAt,
  startPoint,
  surfaceJet,
} from '../nurbs/index.ts';
import { chainsOf } from './chains.ts';
import { clipToFace } from './on-face.ts';
import { straightest } from './wrap.ts';

export type OffsetOnFace =
  | {
      readonly ok: true;
      readonly chains: readonly (readonly NurbsCurve[])[];
      /** Largest distance of the fitted curves from the exact ones, mm. */
      readonly deviation: number;
      /** Largest distance of the given chain from the face, mm. */
      readonly off: number;
      /** Pieces that crossed or came nearer than the distance and were left out. */
      readonly removed: number;
      /** The offset runs over the border of the face somewhere. */
      readonly cut: boolean;
    }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

/**
 * Offset of a chain on a face by a distance measured on it: from every place of the chain the straightest line (geodesic) is run square to
 * the chain for |d| (do Carmo, Differential Geometry of Curves and Surfaces, 4-6: a geodesic parallel). Positive is to the left of travel
 * seen against the outward normal. Gaps at convex corners are filled by arcs of geodesic circles; crossings are cut and what lies nearer
 * than |d| goes; the rest ends where the face ends.
 */
export function offsetOnFace(b: Body, face: number, chain: readonly NurbsCurve[], d: number, tolerance: number): OffsetOnFace {
  const f: Face = b.faces[face];
  const s = f.surface;
  const closed = distance(startPoint(chain[0]), endPoint(chain[chain.length - 1])) < 1e-6;
  let off = 0;
  let cut = false;
  let deviation = 0;
  let worst: Vec3 | undefined;
  const foot = (p: Vec3, near?: readonly [number, number]) => {
    let r = near ? closestOnSurface(s, p, near) : closestOnSurface(s, p);
    if (r.distance > 0.02) r = closestOnSurface(s, p);
    if (r.distance > off) [off, worst] = [r.distance, p];
    return r;
  };
  /** Unit direction to the left at a place of a curve. */
  const leftOf = (u: number, v: number, tangent: Vec3): Vec3 => unit(cross(faceNormal(f, u, v), tangent));
  const shot = (u: number, v: number, direction: Vec3, n: number) =>
    straightest(s, u, v, d > 0 ? direction : scale(direction, -1), Math.abs(d), n);
  // as many steps as a look at a few places asks for, the same everywhere
  let steps = 12;
  for (const c of chain)
    for (let k = 0; k < 9; k++) {
      const [p, tangent] = derivativesAt(c, domain(c)[0] + ((domain(c)[1] - domain(c)[0]) * (k + 0.37)) / 9, 1);
      const q = closestOnSurface(s, p);
      const left = leftOf(q.u, q.v, tangent);
      while (steps < 400) {
        const [coarse, fine] = [shot(q.u, q.v, left, steps), shot(q.u, q.v, left, 2 * steps)];
        // halving the steps of a method of the fourth order leaves a sixteenth of the error
        if (!coarse.inside || distance(coarse.point, fine.point) < 0.1 * tolerance) break;
        steps = Math.ceil(1.5 * steps);
      }
    }
  const shoot = (u: number, v: number, direction: Vec3) => shot(u, v, direction, steps);

  const parts: { curve: NurbsCurve; uv: Image }[] = [];
  const add1 = (
    at: (t: number) => { point: Vec3; u: number; v: number; inside: boolean },
    a: number,
    z: number,
    seeds: readonly FitSeed[],
    ring: boolean,
  ) => {
    // where the lines leave the surface there is no offset: the good stretches are fitted by themselves
    const n = 96;
    const good = Array.from({ length: n + 1 }, (_, i) => at(a + ((z - a) * i) / n).inside);
    if (!good.every(Boolean)) cut = true;
    const edge = (inside: number, outside: number) => changeBetween((m) => at(m).inside, inside, outside, 44)[0];
    for (let i = 0; i <= n; i++) {
      if (!good[i] || (i > 0 && good[i - 1])) continue;
      let k = i;
      while (k < n && good[k + 1]) k++;
      const t = (j: number) => a + ((z - a) * j) / n;
      const from = i === 0 ? a : edge(t(i), t(i - 1));
      const to = k === n ? z : edge(t(k), t(k + 1));
      if (to - from < 1e-6 * (z - a)) continue;
      const fit = (ring && i === 0 && k === n ? fitPeriodic : fitFunction)(
        (x, row) => row.set(at(x).point),
        from,
        to,
        3,
        5,
        tolerance,
        seeds,
        110,
      );
      deviation = Math.max(deviation, fit.deviation);
      parts.push({
        curve: curveOfFit(fit, 5),
        uv: (x) => {
          const q = at(x);
          return [q.u, q.v];
        },
      });
    }
  };
  chain.forEach((c, i) => {
    const [a, z] = domain(c);
    let near: readonly [number, number] | undefined;
    const at = (t: number) => {
      const [p, tangent] = derivativesAt(c, t, 1);
      const q = foot(p, near);
      near = [q.u, q.v];
      return shoot(q.u, q.v, leftOf(q.u, q.v, tangent));
    };
    const runs = knotRuns(c.knots, c.degree);
    // the offset is one order less smooth than its chain; knots where three orders are left are no break worth a seed
    const seeds = runs.values.slice(1, -1).flatMap((t, k): FitSeed[] => {
      const smooth = c.degree - runs.multiplicities[k + 1] - 1;
      return smooth < 3 ? [{ t, multiplicity: Math.min(5, 5 - smooth) }] : [];
    });
    const ring = chain.length === 1 && isClosed(c) && angleBetween(derivativesAt(c, a, 1)[1], derivativesAt(c, z, 1)[1]) < 1e-6;
    add1(at, a, z, seeds, ring);
    if (ring || (i === chain.length - 1 && !closed)) return;
    const next = chain[(i + 1) % chain.length];
    const [p, t0] = derivativesAt(c, z, 1);
    const t1 = derivativesAt(next, domain(next)[0], 1)[1];
    const q = foot(p, near);
    const n = faceNormal(f, q.u, q.v);
    const [x, y] = [leftOf(q.u, q.v, t0), leftOf(q.u, q.v, t1)];
    const turn = Math.atan2(dot(cross(x, y), n), dot(x, y));
    if (Math.abs(turn) < 0.01 * DEG || turn * d > 0) return;
    const w = cross(n, x);
    add1((angle) => shoot(q.u, q.v, add(scale(x, Math.cos(turn * angle)), scale(w, Math.sin(turn * angle)))), 0, 1, [], false);
  });
  if (off > Math.max(0.02, 20 * tolerance))
    return { ok: false, message: `The chain is ${off.toPrecision(3)} mm off the face: project it onto the face first`, place: worst };
  const kept = apart(
    parts.map((p) => p.curve),
    parts.map((p) => p.uv),
    chain,
    b,
    face,
    Math.abs(d),
    tolerance,
  );
  const clipped = kept.list.flatMap(({ curve, uv }) => {
    const inside = clipToFace(b, face, curve, uv);
    if (inside.length !== 1 || inside[0] !== curve) cut = true;
    return inside;
  });
  const meet = Math.max(1e-5, 4 * tolerance);
  return { ok: true, chains: chainsOf(clipped, meet).map((c) => c.curves), deviation, off, removed: kept.removed, cut };
}

type Image = (t: number) => readonly [number, number];
/** Cuts the parts at their crossings and drops what is nearer to the given chain than `d`, measured on the face. */
function apart(
  parts: readonly NurbsCurve[],
  images: readonly Image[],
  given: readonly NurbsCurve[],
  b: Body,
  face: number,
  d: number,
  tolerance: number,
): { list: { curve: NurbsCurve; uv: Image }[]; removed: number } {
  const near = Math.max(1e-7 * (1 + d), 2 * tolerance);
  const cuts = parts.map((c) => new Set<number>(domain(c)));
  for (const m of crossingsOf(parts, near)) {
    cuts[m.i].add(m.t);
    cuts[m.j].add(m.s);
  }
  const surface = b.faces[face].surface;
  /** Distance on the face to the given chain: the chord, lengthened by how the face bends along it. */
  const clearance = (p: Vec3, uv: readonly [number, number]): number => {
    const j = surfaceJet(surface, uv[0], uv[1]);
    return Math.min(
      ...given.map((c) => {
        const r = closestOnCurve(c, p);
        if (!(r.distance > 1e-9)) return 0;
        const way = scale(add(r.point, scale(p, -1)), 1 / r.distance);
        const k = normalCurvature(j, way);
        return r.distance * (1 + (Number.isFinite(k) ? (k * r.distance) ** 2 / 24 : 0));
      }),
    );
  };
  const list: { curve: NurbsCurve; uv: Image }[] = [];
  let removed = 0;
  parts.forEach((c, i) => {
    const [a, z] = domain(c);
    const ts = [...cuts[i]].sort((x, y) => x - y).filter((t, k, l) => k === 0 || t - l[k - 1] > 1e-9 * (z - a));
    for (let k = 0; k + 1 < ts.length; k++) {
      const ok = [0.27, 0.5, 0.77].every((x) => {
        const t = ts[k] + (ts[k + 1] - ts[k]) * x;
        return clearance(pointAt(c, t), images[i](t)) > d * (1 - 2e-3) - 2 * tolerance;
      });
      if (ok) list.push({ curve: ts.length === 2 ? c : clipCurve(c, ts[k], ts[k + 1]), uv: images[i] });
      else removed++;
    }
  });
  return { list, removed };
}

/** Where curves on one surface cross each other or themselves: chords that pass each other closely, then Newton's method on both places. */
function crossingsOf(parts: readonly NurbsCurve[], near: number): { i: number; j: number; t: number; s: number }[] {
  interface Piece {
    readonly i: number;
    readonly k: number;
    readonly t: number;
    readonly h: number;
    readonly p: Vec3;
    readonly q: Vec3;
    readonly low: Vec3;
    readonly high: Vec3;
  }
  const N = 160;
  const pieces = parts.flatMap((c, i) => {
    const [a, z] = domain(c);
    const pts = Array.from({ length: N + 1 }, (_, k) => pointAt(c, a + ((z - a) * k) / N));
    return Array.from({ length: N }, (_, k): Piece => {
      const [p, q] = [pts[k], pts[k + 1]];
      const slack = 0.3 * distance(p, q) + near;
      return {
        i,
        k,
        t: a + ((z - a) * k) / N,
        h: (z - a) / N,
        p,
        q,
        low: [0, 1, 2].map((x) => Math.min(p[x], q[x]) - slack) as unknown as Vec3,
        high: [0, 1, 2].map((x) => Math.max(p[x], q[x]) + slack) as unknown as Vec3,
      };
    });
  });
  const out: { i: number; j: number; t: number; s: number }[] = [];
  for (let x = 0; x < pieces.length; x++)
    for (let y = x + 1; y < pieces.length; y++) {
      const [g, o] = [pieces[x], pieces[y]];
      if (g.i === o.i && (o.k - g.k < 2 || (g.k === 0 && o.k === N - 1))) continue;
      if (
        g.high[0] < o.low[0] ||
        o.high[0] < g.low[0] ||
        g.high[1] < o.low[1] ||
        o.high[1] < g.low[1] ||
        g.high[2] < o.low[2] ||
        o.high[2] < g.low[2]
      )
        continue;
      const [a, c] = [parts[g.i], parts[o.i]];
      let [t, s] = [g.t + g.h / 2, o.t + o.h / 2];
      for (let k = 0; k < 24; k++) {
        const [p, dp] = derivativesAt(a, t, 1);
        const [q, dq] = derivativesAt(c, s, 1);
        const e = sub(p, q);
        const [pp, pq, qq] = [dot(dp, dp), dot(dp, dq), dot(dq, dq)];
        const det = pp * qq - pq * pq;
        if (det < 1e-14 * pp * qq) break;
        const [ep, eq] = [dot(e, dp), dot(e, dq)];
        const [dt, ds] = [-(ep * qq - eq * pq) / det, (pp * eq - pq * ep) / det];
        t += dt;
        s += ds;
        if (Math.abs(t - g.t - g.h / 2) > 2 * g.h || Math.abs(s - o.t - o.h / 2) > 2 * o.h) break;
        if (Math.abs(dt) < 1e-14 * (1 + Math.abs(t)) && Math.abs(ds) < 1e-14 * (1 + Math.abs(s))) break;
      }
      const inside = (c: NurbsCurve, v: number) => v >= domain(c)[0] - 1e-9 && v <= domain(c)[1] + 1e-9;
      if (Math.abs(t - g.t - g.h / 2) > 2 * g.h || Math.abs(s - o.t - o.h / 2) > 2 * o.h || !inside(a, t) || !inside(c, s)) continue;
      if (distance(pointAt(a, t), pointAt(c, s)) > near) continue;
      if (
        !out.some(
          (m) => m.i === g.i && m.j === o.i && Math.abs(m.t - t) < 1e-7 * (1 + Math.abs(t)) && Math.abs(m.s - s) < 1e-7 * (1 + Math.abs(s)),
        )
      )
        out.push({ i: g.i, j: o.i, t, s });
    }
  return out;
}
