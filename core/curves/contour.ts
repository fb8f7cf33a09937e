import { type Body, type BodyMesh, bodyBox, meshBody } from '../brep/index.ts';
import { boxSize, type Vec3 } from '../math/index.ts';
import { closestOnCurve, type NurbsCurve } from '../nurbs/index.ts';
import { apartAtCrossings, smooth } from './contour-smooth.ts';
import { touching } from './contour-touching.ts';
import { apartAtPoles, trails } from './contour-trails.ts';

/** A number on every face of a body whose zero set is wanted. */
export interface Field {
  /** Value and its derivatives by u and v at a place of a face, written to `out`. The value should be a length (mm) or of the order of one. */
  readonly at: (face: number, u: number, v: number, out: Float64Array) => void;
  /** Values below this count as zero when a place is accepted. */
  readonly zero: number;
  /** The same from point and first derivatives (layout of `evaluateSurface` with order 1), for fields that need no more: saves an evaluation. */
  readonly fromJet?: (jet: Float64Array, out: Float64Array) => void;
  /** Branches of the zero set may cross: there the derivatives vanish too. */
  readonly crosses?: boolean;
  /** It may touch zero along a curve without changing its sign, and such a curve is wanted too. */
  readonly touches?: boolean;
  /** Value alone, where that is cheaper. */
  readonly value?: (face: number, u: number, v: number) => number;
  /** Value alone at a point of the body, for fields that hang on the point only. */
  readonly atPoint?: (x: number, y: number, z: number) => number;
}
/** A smooth curve on one face. `place` gives the exact place by the curve's own parameter (a length). */
export interface SkinCurve {
  readonly face: number;
  readonly curve: NurbsCurve;
  readonly length: number;
  readonly closed: boolean;
  readonly place: (s: number) => { readonly u: number; readonly v: number; readonly point: Vec3 };
}
export interface ContourOptions {
  /** Largest distance of the fitted curve from the exact one, mm. */
  readonly tolerance: number;
  /** Chord error of the mesh on which the zero set is looked for; features smaller than its triangles can be missed. */
  readonly chord?: number;
  /** Largest size of those triangles, mm; a fortieth of the body when not given. */
  readonly reach?: number;
  /** Only these faces. */
  readonly faces?: ReadonlySet<number>;
  /** Where this is negative the curve is left out; cuts are found to 1e-12 of the length. */
  readonly keep?: (face: number, point: Vec3, u: number, v: number) => number;
  /** The curve is split where this changes sign. */
  readonly split?: (face: number, point: Vec3, u: number, v: number) => number;
}

/**
 * Zero set of a field on the trimmed faces of a body: looked for on the body's own mesh (triangles with a change of sign), every crossing
 * solved on the surface or on the edge, then refined by Newton's method and fitted with degree 5. One curve per face and branch; use
 * `chainsOf` to put them end to end.
 */
export function contour(b: Body, field: Field, options: ContourOptions): SkinCurve[] {
  const size = Math.max(1e-6, boxSize(bodyBox(b)));
  const mesh = lookingMesh(b, options.chord ?? size / 1500, Math.min(size / 40, options.reach ?? Infinity));
  const reach = Math.min(size / 40, options.reach ?? Infinity);
  const values = new Float64Array(mesh.positions.length / 3).fill(Number.NaN);
  const raw = trails(b, mesh, field, options.faces, values).flatMap((t) => apartAtPoles(b.faces[t.face], t, size));
  const along = (field.crosses ? apartAtCrossings(b, raw, field, reach) : raw).flatMap((t) => smooth(b, t, field, size, options));
  if (!field.touches) return along;
  const beside = touching(b, mesh, field, reach, values, options.faces).flatMap((t) =>
    apartAtPoles(b.faces[t.trail.face], t.trail, size).flatMap((x) => smooth(b, x, t.field, size, options)),
  );
  // a zero set that rounding lifts over zero here and there was found already, in part
  return beside.length ? [...along.filter((c) => !beside.some((t) => liesOn(c, t))), ...beside] : along;
}

/** Does every place of a curve lie on another one? */
const liesOn = (c: SkinCurve, other: SkinCurve): boolean =>
  c.face === other.face &&
  [0.1, 0.5, 0.9].every((x) => closestOnCurve(other.curve, c.place(x * c.length).point).distance < 1e-4 * Math.max(1e-3, other.length));

/** The mesh for looking, kept with the body: many sections and projections look at the same one. */
function lookingMesh(b: Body, chord: number, longest: number): BodyMesh {
  const known = looking.get(b) ?? new Map<string, BodyMesh>();
  looking.set(b, known);
  const key = `${chord},${longest}`;
  let mesh = known.get(key);
  if (!mesh) {
    mesh = meshBody(b, { chord, angle: 0.25, longest });
    known.set(key, mesh);
  }
  return mesh;
}
const looking = new WeakMap<Body, Map<string, BodyMesh>>();
