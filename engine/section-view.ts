import { type Body, bodyBox } from '@ample-skin/core/brep';
import { boxSize, type Vec3 } from '@ample-skin/core/math';
import { type Comb, combOf } from '@ample-skin/core/proof';
import { cutFace, sectionFrame } from '@ample-skin/core/sheets';

/** What a plane cuts of a piece, flat for the view. */
export interface SectionView {
  readonly piece: string;
  readonly origin: Vec3;
  readonly lines: readonly Float32Array[];
  readonly positions: Float32Array;
  readonly indices: Uint32Array;
  readonly area: number;
  readonly length: number;
  readonly open: number;
  readonly combs: readonly Comb[];
}

export function sectionView(piece: string, b: Body, origin: Vec3, normal: Vec3, comb: boolean): SectionView | undefined {
  const frame = sectionFrame(origin, normal);
  const cut = cutFace(b, frame, boxSize(bodyBox(b)) / 4000);
  if (!cut.lines.length) return undefined;
  const single = (a: Float64Array) => Float32Array.from(a, (x, i) => x - origin[i % 3]);
  return {
    piece,
    origin,
    lines: cut.lines.map(single),
    positions: single(cut.positions),
    indices: cut.indices,
    area: cut.area,
    length: cut.length,
    open: cut.open,
    combs: comb ? cut.chains.map((c) => combOf(c, 12)) : [],
  };
}
export const sectionBuffers = (list: readonly SectionView[]): ArrayBuffer[] =>
  list.flatMap((v) => [...v.lines, v.positions, v.indices].map((a) => a.buffer as ArrayBuffer));
