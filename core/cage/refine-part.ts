import type { Vec3 } from '../math/index.ts';
import { TriangleProbe } from '../proof/surface-probe.ts';
import { type Cage, edgeName, FULL, pointOf } from './cage.ts';
import { Draft, madeName } from './draft.ts';
import type { Edited } from './edits.ts';
import { fitOnto, type Nearest } from './fitting.ts';
import { named } from './operation-names.ts';
import { cornersOf, endOf, fanOf } from './shape.ts';
import { smoothMesh } from './smooth.ts';
import { refinedPoints, sharperNext } from './subdivide.ts';

/** Steps of refinement of what the smooth surface was before, as triangles that are measured against. */
const BEFORE = 5;
const MOST = 400_000;
/** Rounds in which the vertices near the part are brought back to where the surface was. */
const ROUNDS = 25;

/**
 * Faces refined, the others not: each becomes quads about its middle, and the faces beside them get corners in their sides (T-junctions). The smooth
 * surface cannot stay exactly: the vertices of the part are laid back onto what it was, and `off` tells how far it stands off it at most, mm.
 */
export function refinePart(c: Cage, op: string, faces: readonly number[], most: number): Edited & { readonly off?: number } {
  const { shape: s } = c;
  const region = new Set(faces);
  const made = [...region].reduce((n, f) => n + cornersOf(s, f), 0);
  if (s.faces + made > most) return { ok: false, message: `That would be ${s.faces + made} faces, and a cage has at most ${most}`, at: [] };
  const fine = refinedPoints(c);
  const at = (i: number): Vec3 => [fine[3 * i], fine[3 * i + 1], fine[3 * i + 2]];
  const d = new Draft(c);
  const edges = new Set<number>();
  for (const f of region) for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) edges.add(s.edgeOf[h]);
  const middle = new Map<number, number>();
  const moved = new Set<string>();
  for (const e of edges) {
    const h = s.edgeHalf[e];
    const t = s.twin[h];
    const [a, b] = [s.corners[h], endOf(s, h)];
    const sides = t < 0 ? [s.face[h]] : [s.face[h], s.face[t]];
    const [p, q] = [pointOf(c.points, a), pointOf(c.points, b)];
    const inside = sides.every((f) => region.has(f));
    const v = d.vertex(
      inside ? at(s.vertices + e) : ([0, 1, 2].map((k) => (p[k] + q[k]) / 2) as unknown as Vec3),
      madeName(op, edgeName(c, e)),
    );
    moved.add(d.vertexNames[v]);
    d.split(sides, a, b, v);
    const sharp = c.sharpness[e];
    if (inside && sharp > 0 && sharp < FULL) for (const w of [a, b]) d.setSharp(v, w, sharperNext(sharp));
    middle.set(e, v);
  }
  for (const f of region) {
    const centre = d.vertex(at(s.vertices + s.edges + f), madeName(op, c.faceNames[f]));
    moved.add(d.vertexNames[centre]);
    d.drop(f);
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const v = s.corners[h];
      d.face(
        [v, middle.get(s.edgeOf[h]) as number, centre, middle.get(s.edgeOf[s.prev[h]]) as number],
        madeName(op, c.faceNames[f], c.vertexNames[v]),
      );
      moved.add(c.vertexNames[v]);
      if (fanOf(s, v).every((g) => region.has(s.face[g]))) d.points[v] = at(v);
    }
  }
  const built = d.build();
  if (!built.ok) return { ok: false, message: `${built.trouble.message} after that: it is not done`, at: [] };
  const steps = Math.max(2, Math.min(BEFORE, 1 + Math.floor(Math.log(MOST / Math.max(1, s.corners.length)) / Math.log(4))));
  const old = smoothMesh({ ...c, shape: { ...s } }, steps);
  const probe = new TriangleProbe(old.positions, old.indices);
  const nearest: Nearest = (p) => probe.nearest(p);
  const by = named(built.cage).vertices;
  const only = new Set([...moved].flatMap((n) => by.get(n) ?? []));
  const fitted = fitOnto(built.cage, nearest, { within: 0, rounds: ROUNDS, even: 0, holdBorders: false, only });
  return { ok: true, cage: fitted.cage, off: fitted.most };
}
