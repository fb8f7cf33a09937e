import type { Border, NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, dot, type Frame, scale, sub, unit, type Vec3 } from '../math/index.ts';
import type { Net, NurbsSurface } from '../nurbs/index.ts';

export type BlendGrade = 0 | 1 | 2 | 3;
export interface BlendSide {
  readonly border: Border;
  readonly grade: BlendGrade;
  /** Handle as a share of the way across (1 is neutral), by share along the blend. */
  readonly reach: (along: number) => number;
}
/** How the blend ends at its first or last cross section. */
export type BlendEnd =
  | {
      readonly kind: 'free';
      /** Directions out of the neighbours in which the end leaves the first and the second border; square to them when left out. */
      readonly leave?: readonly [Vec3 | undefined, Vec3 | undefined];
    }
  /** The end lies in the plane and runs square into it, so that its mirror image goes on smoothly. */
  | { readonly kind: 'mirror'; readonly plane: Frame };
export interface BlendAims {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
}
export interface BlendResult {
  /** u runs from the first border to the second, v along them. */
  readonly surface: NurbsSurface;
  readonly closed: boolean;
  /** Is the border met by construction, or fitted. */
  readonly exact: readonly [boolean, boolean];
  /** Where a place of the blend (v over 0..1) lies on each border, by share of its length. */
  readonly share: readonly [(v: number) => number, (v: number) => number];
  /** Handles at a share along, in space: where from, which way, how long for a reach of one. */
  readonly handle: (side: 0 | 1, v: number) => { readonly from: Vec3; readonly direction: Vec3; readonly rate: number };
  /** Starts and directions found, for handles of the second border. */
  readonly lined: { readonly first: number; readonly start: number; readonly reversed: boolean };
  readonly passes: number;
}
export type BlendOutcome =
  | { readonly ok: true; readonly result: BlendResult }
  | { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };

/** A side as the blend runs along it. */
export interface Run {
  readonly side: BlendSide;
  /** Share of the border at a place of the blend. */
  readonly share: (t: number) => number;
  readonly backwards: boolean;
  /** Length of the first derivative at a reach of one. */
  handle: (t: number) => number;
  /** Angle by which the way out leans from square, towards increasing t (radians). */
  lean: (t: number) => number;
  /** Homogeneous control rows when the border is met exactly. */
  exact?: readonly Net[];
}
export const placeOn = (r: Run, t: number) => {
  const p = r.side.border.place(r.share(t));
  return r.backwards ? { ...p, tangent: scale(p.tangent, -1) } : p;
};
/** Angle between the tangents on both sides of a place. */
export function cornerAt(r: Run, t: number): number {
  const h = 1e-6;
  return angleBetween(placeOn(r, Math.max(0, t - h)).tangent, placeOn(r, Math.min(1, t + h)).tangent);
}
/** Unit direction out of the face behind the border, leaning by the run's angle. */
export function wayOut(r: Run, j: NeighbourJet, tangent: Vec3, t: number): Vec3 {
  const l = r.lean(t);
  if (l === 0) return j.away;
  const n = j.normal;
  const along = unit(sub(tangent, scale(n, dot(tangent, n))));
  return unit(add(scale(j.away, Math.cos(l)), scale(along, Math.sin(l))));
}
/** Where a rising function reaches a value. */
export function inverseOf(f: (t: number) => number, s: number, from = 0, to = 1): number {
  let [low, high] = [from, to];
  for (let k = 0; k < 60; k++) {
    const m = (low + high) / 2;
    if (f(m) < s) low = m;
    else high = m;
  }
  return (low + high) / 2;
}
