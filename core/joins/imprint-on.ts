import { type Body, connectedFaces, subBody, withShells } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { type ImprintOptions, imprintBodies } from './imprint.ts';
import { combineSolids } from './split.ts';

export interface Imprinted {
  readonly ok: true;
  /** The target with its faces divided; closed parts of a solid stay solids. */
  readonly body: Body;
  /** Number of edges drawn into faces. */
  readonly edges: number;
  /** Places where a line ends inside a face: it divides nothing there and is left out. */
  readonly loose: readonly Vec3[];
  readonly touches: readonly { readonly at: Vec3; readonly gap: number }[];
  readonly off: number;
}
/** Divides faces of a body by the lines in which tools meet it, without taking it apart. Only the faces of `only`, when they are given. */
export function imprintOn(
  target: Body,
  tools: readonly Body[],
  only: ReadonlySet<string> | undefined,
  o: ImprintOptions,
): Imprinted | { readonly ok: false; readonly why: string; readonly at?: Vec3 } {
  let body: Body = target;
  let edges = 0;
  let off = 0;
  const loose: Vec3[] = [];
  const touches: { at: Vec3; gap: number }[] = [];
  for (const tool of tools) {
    const r = imprintBodies(body, tool, { ...o, skip: only ? (f) => !only.has(f.name) : undefined });
    if (r.problems.length) return { ok: false, why: r.problems[0].what, at: r.problems[0].at };
    loose.push(...r.loose);
    touches.push(...r.touches);
    off = Math.max(off, r.off);
    const own = r.parent.flatMap((p, i) => (p < r.first ? [i] : []));
    const used = new Set(own.flatMap((i) => r.body.faces[i].loops.flat().map((u) => u.edge)));
    edges += r.cut.filter((e) => used.has(e)).length;
    body = subBody(r.body, own);
  }
  if (!target.solids.length) return { ok: true, body: withShells(body), edges, loose, touches, off };
  // a solid stays one: its shells hang together as before
  const closed = connectedFaces(body).map((faces) => subBody(body, faces));
  const solid = combineSolids(closed);
  if ('why' in solid) return { ok: false, why: solid.why, at: solid.at };
  return { ok: true, body: solid, edges, loose, touches, off };
}
