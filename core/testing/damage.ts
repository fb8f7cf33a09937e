import { type Body, combineBodies, type Face, renameFaces, subBody, topologyOf, transformBody, withShells } from '../brep/index.ts';
import { scale, translation, unit, type Vec3 } from '../math/index.ts';
import { anyDirection, type Random } from './random-bodies.ts';

export type Damage = 'removed' | 'moved' | 'doubled' | 'flipped';
export const DAMAGES: readonly Damage[] = ['removed', 'moved', 'doubled', 'flipped'];

/** A solid as loose faces with one fault on one face; `face` is the one chosen. */
export function damaged(b: Body, kind: Damage, face: number, random: Random, by = 0.05): Body {
  const one = (i: number): Body => subBody(b, [i]);
  const parts = b.faces.map((_, i) => one(i));
  if (kind === 'removed') parts.splice(face, 1);
  if (kind === 'moved') {
    const way = scale(unit(anyDirection(random) as Vec3), by);
    parts[face] = transformBody(parts[face], translation(way));
  }
  if (kind === 'doubled') parts.push(renameFaces(one(face), (n) => `${n} again`));
  if (kind === 'flipped') parts[face] = { ...parts[face], faces: parts[face].faces.map((f): Face => ({ ...f, reversed: !f.reversed })) };
  return withShells({ ...combineBodies(parts), solids: [] });
}
/** Faces whose removal leaves a flat opening. */
export function flatFaces(b: Body): number[] {
  return b.faces
    .flatMap((f, i) => (f.record?.type === 1 || (f.surface.degreeU === 1 && f.surface.degreeV === 1) ? [i] : []))
    .filter((i) => topologyOf(subBody(b, [i])).rims.length > 0);
}
