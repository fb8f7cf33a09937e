import type { Body, BodyMesh } from '../brep/index.ts';
import { shadeAt } from '../brep/shading.ts';
import { boxOf, boxSize } from '../math/index.ts';
import { type MapField, mapPlace, rangeOf } from './maps.ts';

/** Triangles that lie where those of the mesh they were made from lie, with a value at every node; NaN where there is none. */
export interface MapMesh {
  readonly positions: Float64Array;
  readonly normals: Float64Array;
  readonly bend: Float64Array;
  readonly indices: Uint32Array;
  readonly values: Float64Array;
  /** 1 where the mould is held. */
  readonly undercut: Uint8Array;
  /** Does linear interpolation keep to the wanted share of the range everywhere it was tested? Not where the map jumps. */
  readonly settled: boolean;
}
export interface MapMeshOptions {
  /** Largest difference between interpolated and exact values, as a share of the range. */
  readonly share?: number;
  /** Nodes at most. */
  readonly most?: number;
  /** Called every few milliseconds; may wait, and may throw to end the work. */
  readonly pause?: (done: number) => Promise<void> | void;
}

const DEEPEST = 5;
/** Where a map jumps no splitting brings it nearer: so much makes the jump narrow enough to look like one. */
const JUMP = 2;
/**
 * A mesh whose triangles are split until the map, interpolated between its nodes, keeps to a share of its range at the middles of all sides.
 * New nodes lie on the flat triangles, so that nothing of the picture moves; their values and normals are those of the exact surface above
 * them. Sides are split on both of their triangles (red-green refinement: Bank, Sherman and Weiser 1983), so that no colours crack.
 */
export async function mapMesh(body: Body, mesh: BodyMesh, field: MapField, options: MapMeshOptions = {}): Promise<MapMesh> {
  const { share = 0.005, most = 120_000, pause } = options;
  const positions = [...mesh.positions];
  const normals = [...mesh.normals];
  const uv = [...mesh.uv];
  const bend = [...mesh.bend];
  const bent = mesh.bend.length > 0;
  const values: number[] = [];
  const undercut: number[] = [];
  const total = mesh.positions.length / 3;
  let last = performance.now();
  let done = 0;
  const rest = async () => {
    done++;
    if (!pause || performance.now() - last < 12) return;
    await pause(Math.min(0.99, done / (4 * total)));
    last = performance.now();
  };
  const nodesOf = body.faces.map((_, f) => {
    const [first, count] = [mesh.faceRanges[2 * f], mesh.faceRanges[2 * f + 1]];
    return { first, count, nodes: new Set(mesh.indices.subarray(first, first + count)) };
  });
  for (const [f, { nodes }] of nodesOf.entries())
    for (const i of nodes) {
      const at = mapPlace(body.faces[f], uv[2 * i], uv[2 * i + 1]);
      values[i] = field.value(at);
      undercut[i] = field.undercut?.(at) ? 1 : 0;
      await rest();
    }
  const key = (a: number, b: number) => (a < b ? a * 4_194_304 + b : b * 4_194_304 + a);
  const shade = new Float64Array(12);
  const probed = { value: 0, held: 0 };
  /** Splits the sides of one face's triangles that `splits` asks for, in rounds; `sides` remembers those looked at. */
  const refine = async (
    f: number,
    from: number[],
    skips: (a: number, b: number) => boolean,
    splits: (a: number, b: number, depth: number) => boolean,
  ): Promise<number[]> => {
    const face = body.faces[f];
    const sign = face.reversed ? -1 : 1;
    /** Middle of a side: its node once it is split, 0 where it need not be. */
    const middles = new Map<number, number>();
    let tris = from;
    for (let depth = 0; ; depth++) {
      let split = false;
      for (let t = 0; t < tris.length; t += 3)
        for (let k = 0; k < 3; k++) {
          const [a, b] = [tris[t + k], tris[t + ((k + 1) % 3)]];
          const id = key(a, b);
          if (middles.has(id)) continue;
          if (skips(a, b)) {
            middles.set(id, 0);
            continue;
          }
          const [u, v] = [(uv[2 * a] + uv[2 * b]) / 2, (uv[2 * a + 1] + uv[2 * b + 1]) / 2];
          const at = mapPlace(face, u, v);
          probed.value = field.value(at);
          probed.held = field.undercut?.(at) ? 1 : 0;
          await rest();
          if (!splits(a, b, depth)) {
            middles.set(id, 0);
            continue;
          }
          const node = positions.length / 3;
          middles.set(id, node);
          split = true;
          for (let x = 0; x < 3; x++) positions.push((positions[3 * a + x] + positions[3 * b + x]) / 2);
          normals.push(...at.n);
          uv.push(u, v);
          if (bent) {
            shadeAt(face.surface, u, v, shade);
            for (let x = 3; x < 9; x++) bend.push(sign * shade[x]);
          }
          values[node] = probed.value;
          undercut[node] = probed.held;
        }
      if (!split) return tris;
      tris = divided(tris, (a, b) => middles.get(key(a, b)) || 0);
    }
  };
  // flat faces have hardly a triangle: first everything is brought to a size at which a map can be seen at all
  const reach = boxSize(boxOf(mesh.positions)) / 40;
  const long = (a: number, b: number) =>
    Math.hypot(...[0, 1, 2].map((x) => positions[3 * a + x] - positions[3 * b + x])) > reach && values.length < most;
  const faces: number[][] = [];
  for (const [f, { first, count }] of nodesOf.entries()) {
    const all = [...mesh.indices.subarray(first, first + count)];
    faces[f] = await refine(
      f,
      all,
      (a, b) => !long(a, b),
      () => true,
    );
  }
  const range = rangeOf(values, 0.01);
  const width = range ? range.high - range.low : 0;
  // what is the same everywhere differs by its rounding only: nothing is told of that
  const allowed = range ? Math.max(1e-7 * Math.max(Math.abs(range.low), Math.abs(range.high)), 0.5 * share * width) : Infinity;
  // what is bent so that a share of the range means nothing (a pole, an edge of no radius) is left at its ends
  const clip = (x: number) => (range ? Math.min(range.high + width, Math.max(range.low - width, x)) : x);
  const same = (a: number, b: number) =>
    !!field.slow &&
    undercut[a] === undercut[b] &&
    (Number.isNaN(values[a]) ? Number.isNaN(values[b]) : Math.abs(values[a] - values[b]) <= allowed);
  let settled = true;
  const indices: number[] = [];
  for (const [f, tris] of faces.entries()) {
    const fine = await refine(f, tris, same, (a, b, depth) => {
      const { value, held } = probed;
      const there = Number.isFinite(value);
      const jumps =
        there !== Number.isFinite(values[a]) ||
        there !== Number.isFinite(values[b]) ||
        undercut[a] !== undercut[b] ||
        held !== undercut[a] ||
        Math.abs(clip(values[a]) - clip(values[b])) > Math.max(0.2 * width, allowed);
      if (!jumps && !(there && !(Math.abs(clip(value) - (clip(values[a]) + clip(values[b])) / 2) <= allowed))) return false;
      if (depth < (jumps ? JUMP : DEEPEST) && values.length < most) return true;
      settled = false;
      return false;
    });
    for (const i of fine) indices.push(i);
  }
  return {
    positions: Float64Array.from(positions),
    normals: Float64Array.from(normals),
    bend: Float64Array.from(bend),
    indices: Uint32Array.from(indices),
    values: Float64Array.from({ length: positions.length / 3 }, (_, i) => values[i] ?? Number.NaN),
    undercut: Uint8Array.from({ length: positions.length / 3 }, (_, i) => undercut[i] ?? 0),
    settled,
  };
}

/** Triangles with those of their sides split that have a middle. */
function divided(tris: readonly number[], middle: (a: number, b: number) => number): number[] {
  const next: number[] = [];
  for (let t = 0; t < tris.length; t += 3) {
    const c = [tris[t], tris[t + 1], tris[t + 2]];
    const m = [0, 1, 2].map((k) => middle(c[k], c[(k + 1) % 3]));
    const n = m.filter(Boolean).length;
    if (n === 0) next.push(...c);
    else if (n === 3) next.push(c[0], m[0], m[2], m[0], c[1], m[1], m[2], m[1], c[2], m[0], m[1], m[2]);
    else {
      // turned so that the first side is split, and with two the second as well
      const r = n === 1 ? m.findIndex(Boolean) : ([0, 1, 2].find((k) => m[k] && m[(k + 1) % 3]) ?? 0);
      const [p, q, s] = [c[r], c[(r + 1) % 3], c[(r + 2) % 3]];
      const [x, y] = [m[r], m[(r + 1) % 3]];
      if (n === 1) next.push(p, x, s, x, q, s);
      else next.push(x, q, y, p, x, y, p, y, s);
    }
  }
  return next;
}
