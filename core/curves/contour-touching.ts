import type { Body, BodyMesh } from '../brep/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import type { Field } from './contour.ts';
import { type Trail, trails } from './contour-trails.ts';

const value = new Float64Array(3);
const jet = new Float64Array(12);

/**
 * Where a field touches zero along a curve without changing its sign (a plane on the top circle of a torus): there both derivatives vanish,
 * and the one that changes across the curve is followed instead. Returns trails and, for each, the field whose zero set they are.
 */
export function touching(
  b: Body,
  mesh: BodyMesh,
  field: Field,
  reach: number,
  values: Float64Array,
  only?: ReadonlySet<number>,
): { trail: Trail; field: Field }[] {
  const faces = b.faces.map((_, i) => i).filter((i) => (!only || only.has(i)) && mayTouch(b, mesh, field, i, reach, values));
  if (!faces.length) return [];
  const out: { trail: Trail; field: Field }[] = [];
  for (const k of [0, 1] as const) {
    const slope = slopeField(b, field, k);
    for (const trail of trails(b, mesh, slope, new Set(faces)))
      for (const part of zeroRuns(field, trail)) {
        const p = part.places[part.places.length >> 1];
        // both slopes vanish along an oblique curve: the steeper one is taken
        const [own, other] = [k, 1 - k].map((j) => {
          slopeField(b, field, j as 0 | 1).at(trail.face, p.u, p.v, value);
          const { wide } = rangesOf(b, trail.face);
          return Math.hypot(value[1] * wide[0], value[2] * wide[1]);
        });
        if (k === 0 ? own >= other : own > other) out.push({ trail: part, field: slope });
      }
  }
  return out;
}

/** Nodes near zero (by the values known) where the field is nearly level: without them nothing touches. */
function mayTouch(b: Body, mesh: BodyMesh, field: Field, face: number, reach: number, values: Float64Array): boolean {
  const { surface } = b.faces[face];
  const nodes = new Set(mesh.indices.subarray(mesh.faceRanges[2 * face], mesh.faceRanges[2 * face] + mesh.faceRanges[2 * face + 1]));
  for (const n of nodes) {
    if (!(Math.abs(values[n]) <= 0.15 * reach)) continue;
    field.at(face, mesh.uv[2 * n], mesh.uv[2 * n + 1], value);
    evaluateSurface(surface, mesh.uv[2 * n], mesh.uv[2 * n + 1], 1, jet);
    const level = (d: number, o: number) => Math.abs(d) <= 0.3 * Math.hypot(jet[o], jet[o + 1], jet[o + 2]);
    if (level(value[1], 6) && level(value[2], 3)) return true;
  }
  return false;
}

const rangesOf = (b: Body, face: number) => {
  const { knotsU, knotsV } = b.faces[face].surface;
  return { wide: [knotsU[knotsU.length - 1] - knotsU[0], knotsV[knotsV.length - 1] - knotsV[0]] as const };
};
/** A derivative of a field, times the range of its parameter (so that it stays a length); its own derivatives by central differences. */
function slopeField(b: Body, field: Field, k: 0 | 1): Field {
  const near = new Float64Array(3);
  const slope = (face: number, u: number, v: number): number => {
    field.at(face, u, v, near);
    return near[1 + k] * rangesOf(b, face).wide[k];
  };
  return {
    zero: 1e-8,
    value: slope,
    at(face, u, v, out) {
      const { wide } = rangesOf(b, face);
      const [hu, hv] = [1e-5 * wide[0], 1e-5 * wide[1]];
      out[0] = slope(face, u, v);
      out[1] = (slope(face, u + hu, v) - slope(face, u - hu, v)) / (2 * hu);
      out[2] = (slope(face, u, v + hv) - slope(face, u, v - hv)) / (2 * hv);
    },
  };
}

/** The stretches of a trail along which the field itself is zero. */
function zeroRuns(field: Field, t: Trail): Trail[] {
  const zero = t.places.map((p) => {
    field.at(t.face, p.u, p.v, value);
    return Math.abs(value[0]) <= 10 * field.zero;
  });
  if (zero.every(Boolean)) return [t];
  const out: Trail[] = [];
  let from = -1;
  for (let i = 0; i <= zero.length; i++) {
    if (zero[i] && from < 0) from = i;
    if (!zero[i] && from >= 0) {
      if (i - from > 4) out.push({ face: t.face, closed: false, places: t.places.slice(from, i) });
      from = -1;
    }
  }
  return out;
}
