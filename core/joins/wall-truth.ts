import { type Body, insideFace, usedRange } from '../brep/index.ts';
import { dot, sub, type Vec3 } from '../math/index.ts';
import { closestOnSurface, surfaceNormal, surfacePoint } from '../nurbs/index.ts';

export interface WallTruth {
  /** Largest difference between a measured thickness and the one asked, mm. */
  readonly off: number;
  readonly at: Vec3;
  readonly places: number;
}
/**
 * Thickness of a wall at scattered places of the faces that were offset (those called `name.inner` or `name.outer` after the face `name`): the
 * nearest distance to that face's surface, beside what was asked of it. The construction is not used: the foot is looked for anew.
 */
export function measureWalls(outer: Body, made: Body, wallOf: (face: number) => number, count = 100): WallTruth {
  const pairs = made.faces.flatMap((f, i) => {
    const host = outer.faces.findIndex((o) =>
      ['inner', 'outer'].some((side) => f.name === `${o.name}.${side}` || f.name.startsWith(`${o.name}.${side}.`)),
    );
    return host >= 0 && wallOf(host) > 0 ? [{ face: i, host }] : [];
  });
  let worst: WallTruth = { off: 0, at: [0, 0, 0], places: 0 };
  const each = Math.max(8, Math.ceil(count / Math.max(1, pairs.length)));
  let places = 0;
  for (const { face, host } of pairs) {
    const f = made.faces[face];
    const inside = insideFace(made, face);
    const [u0, u1, v0, v1] = usedRange(f, made);
    let found = 0;
    // places spread evenly by the plastic number (Roberts 2018)
    for (let k = 1; k < 20 * each && found < each; k++) {
      const [u, v] = [u0 + (u1 - u0) * ((k * 0.7548776662466927) % 1), v0 + (v1 - v0) * ((k * 0.5698402909980532) % 1)];
      if (!inside(u, v)) continue;
      const p = surfacePoint(f.surface, u, v);
      const foot = closestOnSurface(outer.faces[host].surface, p);
      // in corners the wall goes on beyond the end of the surface it was offset from: the foot there is no foot of a perpendicular
      const n = surfaceNormal(outer.faces[host].surface, foot.u, foot.v);
      if (Math.abs(dot(sub(p, foot.point), n)) < (1 - 1e-6) * foot.distance) continue;
      found++;
      const off = Math.abs(foot.distance - wallOf(host));
      if (!(off <= worst.off)) worst = { off, at: p, places: 0 };
    }
    places += found;
  }
  return { ...worst, places };
}
