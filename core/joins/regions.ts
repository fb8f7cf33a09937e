import { type Body, bodyBox, connectedFaces, insideFace, massProperties, meshBody } from '../brep/index.ts';
import { boxSize, distance, type Vec3 } from '../math/index.ts';
import { cellsOf, footNear } from './cells.ts';
import { placeInFace } from './inside-body.ts';

export interface CutRegion {
  readonly faces: readonly number[];
  readonly area: number;
  /** A point on the region, well inside it. */
  readonly at: Vec3;
  readonly centre: Vec3;
}

/** Groups of faces that hang together without crossing the cut edges. */
export function cutRegions(b: Body, cut: readonly number[]): CutRegion[] {
  return connectedFaces(b, new Set(cut)).map((faces): CutRegion => {
    const m = massProperties(b, faces, true);
    const largest = faces.length > 1 ? faces.reduce((x, f) => (faceArea(b, f) > faceArea(b, x) ? f : x)) : faces[0];
    return { faces, area: m.area, at: placeInFace(b, largest).point, centre: m.areaCentre };
  });
}

const faceArea = (b: Body, f: number) => massProperties(b, [f], true).area;

type Mesh = ReturnType<typeof meshBody>;
function nearestOnFaces(mesh: Mesh, faces: readonly number[], p: Vec3): { point: Vec3; distance: number } {
  let best: { point: Vec3; distance: number } = { point: p, distance: Infinity };
  for (const f of faces) {
    const [first, count] = [mesh.faceRanges[2 * f], mesh.faceRanges[2 * f + 1]];
    for (let t = first; t < first + count; t += 3) {
      const c: [number, number, number] = [0, 0, 0];
      for (let k = 0; k < 3; k++) for (let d = 0; d < 3; d++) c[d] += mesh.positions[mesh.indices[t + k] * 3 + d] / 3;
      const dist = distance(c, p);
      if (dist < best.distance) best = { point: c, distance: dist };
    }
  }
  return best;
}

/** Index of the region nearest to each place. */
export function regionsAt(b: Body, regions: readonly CutRegion[], places: readonly Vec3[]): Set<number> {
  const size = boxSize(bodyBox(b));
  const out = new Set<number>();
  let mesh: Mesh | undefined;
  for (const p of places) {
    // a place on a surface and inside the trims says it at once
    const on = regions.findIndex((r) =>
      r.faces.some((f) => {
        const foot = footNear(cellsOf(b.faces[f].surface), p, 1e-3 * size);
        return foot && foot[2] < 1e-3 * size && insideFace(b, f)(foot[0], foot[1]);
      }),
    );
    if (on >= 0) {
      out.add(on);
      continue;
    }
    const drawn = (mesh ??= meshBody(b, { chord: Math.max(1e-6, size / 200), angle: 0.5 }));
    let best = 0;
    let least = Infinity;
    regions.forEach((r, i) => {
      const d = nearestOnFaces(drawn, r.faces, p).distance;
      if (d < least) {
        least = d;
        best = i;
      }
    });
    out.add(best);
  }
  return out;
}
