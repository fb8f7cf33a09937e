import type { Body } from '../brep/index.ts';
import type { NurbsCurve } from '../nurbs/index.ts';
import type { TriangleMesh } from './mesh.ts';

/** A piece on its way out: surfaces, triangles or curves with what is said of it. Lengths in mm. */
export interface OutPart {
  readonly name: string;
  /** Groups it stands in, the outermost first. */
  readonly path?: readonly string[];
  /** sRGB hex of the whole piece; faces with a colour of their own keep it. */
  readonly colour?: string;
  readonly body?: Body;
  readonly mesh?: TriangleMesh;
  readonly curves?: readonly NurbsCurve[];
}

/** Parts by the groups they stand in: each level its own parts by index, then its groups, all in the order of the parts. */
export interface OutGroup {
  readonly name: string;
  readonly parts: number[];
  readonly groups: OutGroup[];
}
export function groupsOf(parts: readonly Pick<OutPart, 'path'>[]): OutGroup {
  const root: OutGroup = { name: '', parts: [], groups: [] };
  parts.forEach((p, i) => {
    let at = root;
    for (const name of p.path ?? []) {
      let next = at.groups.find((g) => g.name === name);
      if (!next) at.groups.push((next = { name, parts: [], groups: [] }));
      at = next;
    }
    at.parts.push(i);
  });
  return root;
}
