import { type Border, curvatureHeight, type NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, cross, DEG, distance, dot, length, scale, sub, unit, type Vec3 } from '../math/index.ts';

/** Continuity that the patch is given along a side. */
export type PatchGrade = 0 | 1 | 2;
export interface PatchSide {
  readonly border: Border;
  readonly grade: PatchGrade;
}
export interface PatchCorner {
  readonly at: Vec3;
  readonly why: string;
}
export interface Spot {
  readonly side: number;
  readonly share: number;
  readonly point: Vec3;
  /** In ring direction. */
  readonly tangent: Vec3;
  readonly jet?: NeighbourJet;
  /** Into the opening, in the neighbour's tangent plane; square to the normal. */
  readonly away?: Vec3;
  readonly normal?: Vec3;
}

/** Grades of sides whose neighbours stand too steep on the plane of the rim fall to place alone. */
export function lidInstead(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: PatchGrade[],
  steepest: number,
): void {
  const spots = spotsOf(
    sides,
    ring,
    sides.map(() => 17),
    0,
  );
  let area: Vec3 = [0, 0, 0];
  spots.forEach((s, i) => {
    area = add(area, cross(sub(s.point, spots[0].point), sub(spots[(i + 1) % spots.length].point, spots[0].point)));
  });
  if (length(area) < 1e-12) return;
  for (const s of spots) if (s.normal && Math.abs(dot(s.normal, unit(area))) < Math.cos(steepest * DEG)) grades[s.side] = 0;
}

/** Puts sides end to end; the place where they do not close. */
export function ringOf(sides: readonly PatchSide[], tolerance: number): { side: number; reversed: boolean }[] | Vec3 {
  if (sides.length === 1) return sides[0].border.closed ? [{ side: 0, reversed: false }] : sides[0].border.place(1).point;
  const ends = sides.map((s) => [s.border.place(0).point, s.border.place(1).point] as const);
  const out = [{ side: 0, reversed: false }];
  const rest = new Set(sides.map((_, i) => i).slice(1));
  let tip = ends[0][1];
  while (rest.size) {
    let best: { side: number; reversed: boolean; d: number } | undefined;
    for (const i of rest)
      for (const reversed of [false, true]) {
        const d = distance(ends[i][reversed ? 1 : 0], tip);
        if (!best || d < best.d) best = { side: i, reversed, d };
      }
    if (!best || best.d > tolerance) return tip;
    rest.delete(best.side);
    out.push({ side: best.side, reversed: best.reversed });
    tip = ends[best.side][best.reversed ? 0 : 1];
  }
  return distance(tip, ends[0][0]) <= tolerance ? out : tip;
}

/** Places along all sides in ring order, denser towards the ends of each. */
export function spotsOf(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  counts: readonly number[],
  shift: number,
): Spot[] {
  return ring.flatMap(({ side, reversed }): Spot[] => {
    const { border } = sides[side];
    const n = counts[side];
    return Array.from({ length: n }, (_, i): Spot => {
      const k = (1 - Math.cos((Math.PI * (i + (shift || 0.5))) / n)) / 2;
      const even = border.closed && sides.length === 1 ? (i + (shift || 0.5)) / n : k;
      return spotAt(border, side, reversed ? 1 - even : even, reversed);
    });
  });
}
export function spotAt(border: Border, side: number, share: number, reversed: boolean): Spot {
  const p = border.place(share);
  const tangent = reversed ? scale(p.tangent, -1) : p.tangent;
  if (!border.held) return { side, share, point: p.point, tangent };
  const jet = border.jet(share);
  return { side, share, point: p.point, tangent, jet, away: jet.away, normal: unit(cross(tangent, jet.away)) };
}
export interface Tilt {
  readonly axis: Vec3;
  readonly degrees: number;
}
/** The middle of the normals of the neighbours, and how far the farthest turns from it. */
export function tiltOf(spots: readonly Spot[]): Tilt {
  const normals = spots.flatMap((s) => (s.normal ? [s.normal] : []));
  if (!normals.length) return { axis: [0, 0, 0], degrees: 0 };
  let axis = normals.reduce<Vec3>((s, n) => add(s, n), [0, 0, 0]);
  if (length(axis) < 1e-9) return { axis: [0, 0, 0], degrees: 180 };
  axis = unit(axis);
  // the smallest cone: step towards the farthest, less and less
  for (let k = 1; k < 400; k++) {
    let far = normals[0];
    for (const n of normals) if (dot(n, axis) < dot(far, axis)) far = n;
    axis = unit(add(axis, scale(sub(far, axis), 1 / (k + 3))));
  }
  return { axis, degrees: Math.max(...normals.map((n) => angleBetween(n, axis))) / DEG };
}
/** Corners where the neighbours contradict each other; grades fall back there, and rows close to a corner of different normals are left out. */
export function cornerClashes(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: PatchGrade[],
): { list: PatchCorner[]; drop: { side: number; atEnd: boolean }[] } {
  const list: PatchCorner[] = [];
  const drop: { side: number; atEnd: boolean }[] = [];
  if (ring.length < 2) return { list, drop };
  // what was asked: a side that falls back at one corner still tells of the other
  const asked = [...grades];
  ring.forEach((a, i) => {
    const b = ring[(i + 1) % ring.length];
    if (grades[a.side] === 0 && grades[b.side] === 0) return;
    const end = spotAt(sides[a.side].border, a.side, a.reversed ? 0 : 1, a.reversed);
    const start = spotAt(sides[b.side].border, b.side, b.reversed ? 1 : 0, b.reversed);
    const problems: string[] = [];
    const leave = () => {
      if (grades[a.side] > 0) drop.push({ side: a.side, atEnd: !a.reversed });
      if (grades[b.side] > 0) drop.push({ side: b.side, atEnd: b.reversed });
    };
    if (grades[a.side] > 0 && grades[b.side] > 0 && end.normal && start.normal) {
      const angle = angleBetween(end.normal, start.normal) / DEG;
      if (angle > 0.5) {
        problems.push(`their tangent planes differ by ${angle.toFixed(1)}°`);
        leave();
      } else if (asked[a.side] > 1 && asked[b.side] > 1 && end.jet && start.jet) {
        const n = end.normal;
        const x = unit(sub(end.tangent, scale(n, dot(end.tangent, n))));
        const y = cross(n, x);
        const form = (s: Spot) => {
          const flip = dot((s.jet as NeighbourJet).normal, n) < 0 ? -1 : 1;
          const h = (d: Vec3) => flip * curvatureHeight(s.jet as NeighbourJet, sub(d, scale(s.normal as Vec3, dot(d, s.normal as Vec3))));
          const [xx, yy] = [h(x), h(y)];
          return [xx, (h(add(x, y)) - xx - yy) / 2, yy];
        };
        const [p, q] = [form(end), form(start)];
        const most = Math.max(...p.map(Math.abs), ...q.map(Math.abs), 1e-4);
        const off = Math.max(...p.map((v, k) => Math.abs(v - q[k]))) / most;
        if (off > 0.1) {
          problems.push(`their curvatures differ by ${(100 * off).toFixed(0)} %, so both sides are met with G1`);
          grades[a.side] = Math.min(1, grades[a.side]) as PatchGrade;
          grades[b.side] = Math.min(1, grades[b.side]) as PatchGrade;
        }
      }
    }
    // an edge that leaves the other neighbour's tangent plane
    for (const [s, t, g] of [
      [end, start.tangent, grades[a.side]],
      [start, end.tangent, grades[b.side]],
    ] as const) {
      if (g === 0 || !s.normal || problems.length) continue;
      const lean = Math.abs(Math.asin(Math.min(1, Math.abs(dot(s.normal, t))))) / DEG;
      if (lean > 0.5) {
        problems.push(`the next edge leaves the tangent plane by ${lean.toFixed(1)}°`);
        leave();
      }
    }
    if (problems.length) list.push({ at: end.point, why: problems.join('; ') });
  });
  return { list, drop };
}
