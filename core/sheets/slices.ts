import { type Body, extentsOf } from '../brep/index.ts';
import { planeSection } from '../curves/index.ts';
import { add, type Frame, scale, toLocal } from '../math/index.ts';
import { displayParameters, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { type Flat, type Region, regionsOf } from './region.ts';

/** A section of a body, in the coordinates of its own plane. */
export interface Slice {
  readonly frame: Frame;
  /** Way along the direction from the first place of the body, mm; along the curve where there is one. */
  readonly offset: number;
  readonly loops: readonly (readonly Flat[])[];
  readonly regions: readonly Region[];
  /** Chains of the section that do not close: the body is open there. */
  readonly open: number;
}
/** Chord error of the outlines, mm: well within what a cutter can hold. */
export const CHORD = 0.004;

/** The section of a body by a plane as closed polygons. Material is what an odd number of loops encloses. */
export function sliceAt(b: Body, frame: Frame, offset: number): Slice {
  const loops: Flat[][] = [];
  let open = 0;
  for (const chain of planeSection(b, frame, 1e-4).chains) {
    if (!chain.closed) {
      open++;
      continue;
    }
    const loop: Flat[] = [];
    for (const c of chain.curves) {
      const ps = pointsOf(c, frame);
      loop.push(...ps.slice(0, -1));
    }
    if (loop.length > 2) loops.push(loop);
  }
  return { frame, offset, loops, regions: regionsOf(loops), open };
}
const pointsOf = (c: NurbsCurve, frame: Frame): Flat[] =>
  displayParameters(c, CHORD, 0.3).map((t) => {
    const q = toLocal(frame, pointAt(c, t));
    return [q[0], q[1]];
  });

/** Extent of a body along a direction, from a frame's origin. */
export function reachAlong(b: Body, frame: Frame): { low: number; high: number } {
  const {
    low: [low],
    high: [high],
  } = extentsOf(b, [frame.z]);
  const o = frame.origin[0] * frame.z[0] + frame.origin[1] * frame.z[1] + frame.origin[2] * frame.z[2];
  return { low: low - o, high: high - o };
}
/** Sections in the middles of `count` equal layers of a body. */
export function layersOf(b: Body, frame: Frame, count: number): { slices: Slice[]; step: number } {
  const { low, high } = reachAlong(b, frame);
  const step = (high - low) / count;
  const slices = Array.from({ length: count }, (_, k) => {
    const offset = low + (k + 0.5) * step;
    return sliceAt(b, { ...frame, origin: add(frame.origin, scale(frame.z, offset)) }, offset);
  });
  return { slices, step };
}
