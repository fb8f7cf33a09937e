import type { Vec3 } from '../math/index.ts';
import { curvatureOf, domainU, domainV, knotRuns, surfaceJet } from '../nurbs/index.ts';
import { type Body, type Face, usedRange } from './body.ts';
import { insideRow } from './inside.ts';

export interface TightPlace {
  /** mm */
  readonly radius: number;
  readonly at: Vec3;
}
/**
 * Smallest radius of curvature on the side towards which a wall grows. `inwards` looks against the outside. A wall thicker than this
 * radius would fold over itself at `at`. Looked for on a grid in every span of the surface, then followed uphill from the most bent places.
 */
export function smallestInnerRadius(b: Body, inwards: boolean): TightPlace {
  return tightPlaces(b, inwards)[0] ?? { radius: Infinity, at: [0, 0, 0] };
}
/** The most bent places of every face on that side, the tightest first. */
export function tightPlaces(b: Body, inwards: boolean): TightPlace[] {
  const out: TightPlace[] = [];
  b.faces.forEach((f, i) => {
    if (f.record?.type === 1) return;
    const { surface: s } = f;
    const [ua, ub, va, vb] = usedRange(f, b);
    const places = (knots: Float64Array, degree: number, low: number, high: number, per: number) => {
      const inner = knotRuns(knots, degree).values.filter((t) => t > low && t < high);
      const stops = [low, ...inner, high];
      const each = Math.max(per, Math.ceil(30 / (stops.length - 1)));
      return stops.slice(1).flatMap((t, k) => Array.from({ length: each }, (_, j) => stops[k] + ((t - stops[k]) * (j + 0.5)) / each));
    };
    let per = 6;
    const grid = () => [places(s.knotsU, s.degreeU, ua, ub, per), places(s.knotsV, s.degreeV, va, vb, per)];
    while (per > 2 && grid()[0].length * grid()[1].length > MOST) per--;
    const [us, vs] = grid();
    const row = insideRow(b, i);
    const found: { u: number; v: number; bend: number }[] = [];
    for (const v of vs) {
      const inside = row(v);
      for (const u of us) if (inside(u)) found.push({ u, v, bend: bend(f, inwards, u, v) });
    }
    found.sort((x, y) => y.bend - x.bend);
    const starts: typeof found = [];
    for (const p of found) {
      if (p.bend <= 0 || starts.length === 8) break;
      if (starts.every((q) => Math.max(Math.abs(p.u - q.u) / (ub - ua), Math.abs(p.v - q.v) / (vb - va)) > 0.02)) starts.push(p);
    }
    for (const p of starts) {
      const r = climb(f, inwards, p.u, p.v, Math.max(0.02, 1 / us.length), Math.max(0.02, 1 / vs.length));
      if (r.bend > 0) out.push({ radius: 1 / r.bend, at: r.at });
    }
  });
  return out.sort((x, y) => x.radius - y.radius);
}
const MOST = 12000;

/** Curvature towards the wall; positive when the surface bends towards it. */
function bend(f: Face, inwards: boolean, u: number, v: number): number {
  const c = curvatureOf(surfaceJet(f.surface, u, v));
  return f.reversed !== inwards ? -c.smallest : c.largest;
}

/** Pattern search for the largest bend near (u, v); steps stay within `reach` of the domain, so that trims are hardly left. */
function climb(f: Face, inwards: boolean, u0: number, v0: number, reachU: number, reachV: number): { bend: number; at: Vec3 } {
  const [ua, ub] = domainU(f.surface);
  const [va, vb] = domainV(f.surface);
  let [u, v] = [u0, v0];
  let value = bend(f, inwards, u, v);
  for (let step = 0.02; step > 1e-5; ) {
    let moved = false;
    for (const [du, dv] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      const x = Math.min(ub, Math.max(ua, u + du * step * (ub - ua)));
      const y = Math.min(vb, Math.max(va, v + dv * step * (vb - va)));
      if (Math.abs(x - u0) > reachU * (ub - ua) || Math.abs(y - v0) > reachV * (vb - va)) continue;
      const next = bend(f, inwards, x, y);
      if (next > value + 1e-12 * Math.abs(value)) {
        [u, v, value, moved] = [x, y, next, true];
      }
    }
    if (!moved) step /= 3;
  }
  return { bend: value, at: surfaceJet(f.surface, u, v).point };
}
