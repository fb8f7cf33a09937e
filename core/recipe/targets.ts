import type { Model } from './model.ts';

/** How a seam lies: of two faces smoothly or at a corner, or of one closed face with itself. */
export type SeamKind = 'smooth' | 'sharp' | 'own';
/** Kink beyond which a seam counts as a corner of the design, degrees. */
const CORNER = 5;
export const seamKind = (faces: readonly [number, number], kink: number): SeamKind =>
  faces[0] === faces[1] ? 'own' : kink > CORNER ? 'sharp' : 'smooth';
export type SeamTarget = Model['targets'][string];
/** Keys of targets that hold for many seams: for a kind of seam anywhere in the model, or for the seams of a group of pieces. */
export const kindTarget = (kind: SeamKind): string => `kind:${kind}`;
export const groupTarget = (group: string): string => `group:${group}`;

export interface SettledTarget {
  /** Undefined when the seam is free. */
  readonly target?: Exclude<SeamTarget, 'free'>;
  /** Where it was set; `none` when nowhere. */
  readonly from: 'seam' | 'group' | 'kind' | 'none';
}
/** The continuity a seam has to have: its own target, else that of its group, else that of its kind. `free` ends the search. */
export function targetOf(
  { targets, pieces }: Pick<Model, 'targets' | 'pieces'>,
  seam: string,
  piece: string,
  kind: SeamKind,
): SettledTarget {
  const group = pieces[piece]?.group;
  const places = [['seam', seam], ...(group ? [['group', groupTarget(group)] as const] : []), ['kind', kindTarget(kind)]] as const;
  for (const [from, key] of places) {
    const t = targets[key];
    if (t) return t === 'free' ? { from } : { target: t, from };
  }
  return { from: 'none' };
}
