import { add, anyPerpendicular, cross, distance, dot, type Frame, length, scale, solveDense, sub, unit, type Vec3 } from '../math/index.ts';

/** A triangle mesh with what regions need: neighbours over edges, and normals calmed of noise. Built once a mesh. */
export interface ScanMesh {
  readonly positions: Float64Array;
  readonly indices: Uint32Array;
  /** Triangle across each edge (3t, 3t+1, 3t+2), or -1. */
  readonly across: Int32Array;
  /** Unit normals of triangles, averaged a few times with their neighbours. */
  readonly normals: Float32Array;
  readonly centres: Float32Array;
  /** Mean edge length (mm). */
  readonly edge: number;
}
interface Mesh {
  readonly positions: Float64Array;
  readonly indices: Uint32Array;
}
const cache = new WeakMap<Mesh, ScanMesh>();
const CALM = 4;

/** Neighbours, centres and calmed normals of a mesh; open addressing over typed arrays, for a million triangles in about a second. */
export function scanMesh(m: Mesh): ScanMesh {
  const kept = cache.get(m);
  if (kept) return kept;
  const { positions, indices } = m;
  const t = indices.length / 3;
  const across = new Int32Array(3 * t).fill(-1);
  let size = 1;
  while (size < 4 * t) size *= 2;
  const keyA = new Uint32Array(size);
  const keyB = new Uint32Array(size);
  const edgeAt = new Int32Array(size).fill(-1);
  const mask = size - 1;
  let total = 0;
  for (let e = 0; e < 3 * t; e++) {
    const k = e - (e % 3);
    const p = indices[e];
    const q = indices[k + ((e + 1) % 3)];
    const [a, b] = p < q ? [p, q] : [q, p];
    let h = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca77)) & mask;
    for (;;) {
      const o = edgeAt[h];
      if (o === -1) {
        edgeAt[h] = e;
        keyA[h] = a;
        keyB[h] = b;
        break;
      }
      if (keyA[h] === a && keyB[h] === b) {
        if (o >= 0 && across[o] < 0) {
          across[o] = (e / 3) | 0;
          across[e] = (o / 3) | 0;
        }
        break;
      }
      h = (h + 1) & mask;
    }
    if (e < 3000)
      total += Math.hypot(
        positions[3 * p] - positions[3 * q],
        positions[3 * p + 1] - positions[3 * q + 1],
        positions[3 * p + 2] - positions[3 * q + 2],
      );
  }
  const centres = new Float32Array(3 * t);
  let normals = new Float32Array(3 * t);
  for (let k = 0; k < t; k++) {
    const [a, b, c] = [3 * indices[3 * k], 3 * indices[3 * k + 1], 3 * indices[3 * k + 2]];
    const [ux, uy, uz] = [positions[b] - positions[a], positions[b + 1] - positions[a + 1], positions[b + 2] - positions[a + 2]];
    const [vx, vy, vz] = [positions[c] - positions[a], positions[c + 1] - positions[a + 1], positions[c + 2] - positions[a + 2]];
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const l = Math.hypot(x, y, z) || 1;
    normals[3 * k] = x / l;
    normals[3 * k + 1] = y / l;
    normals[3 * k + 2] = z / l;
    for (let d = 0; d < 3; d++) centres[3 * k + d] = (positions[a + d] + positions[b + d] + positions[c + d]) / 3;
  }
  for (let pass = 0; pass < CALM; pass++) {
    const next = new Float32Array(3 * t);
    for (let k = 0; k < t; k++) {
      let [x, y, z] = [normals[3 * k], normals[3 * k + 1], normals[3 * k + 2]];
      for (let e = 0; e < 3; e++) {
        const o = across[3 * k + e];
        if (o < 0) continue;
        // sharp edges stay sharp
        if (normals[3 * o] * normals[3 * k] + normals[3 * o + 1] * normals[3 * k + 1] + normals[3 * o + 2] * normals[3 * k + 2] < 0.5)
          continue;
        x += normals[3 * o];
        y += normals[3 * o + 1];
        z += normals[3 * o + 2];
      }
      const l = Math.hypot(x, y, z) || 1;
      next[3 * k] = x / l;
      next[3 * k + 1] = y / l;
      next[3 * k + 2] = z / l;
    }
    normals = next;
  }
  const made: ScanMesh = { positions, indices, across, normals, centres, edge: total / Math.max(1, Math.min(3 * t, 3000)) };
  cache.set(m, made);
  return made;
}

/** Triangle whose centre is nearest to a point. */
export function triangleNear(m: ScanMesh, p: Vec3): number {
  let best = { d: Infinity, k: 0 };
  for (let k = 0; k < m.centres.length / 3; k++) {
    const d = (m.centres[3 * k] - p[0]) ** 2 + (m.centres[3 * k + 1] - p[1]) ** 2 + (m.centres[3 * k + 2] - p[2]) ** 2;
    if (d < best.d) best = { d, k };
  }
  return best.k;
}
const flood = (m: ScanMesh, seeds: readonly number[], takes: (from: number, to: number) => boolean): Uint32Array => {
  const seen = new Uint8Array(m.indices.length / 3);
  const list: number[] = [];
  for (const s of seeds)
    if (!seen[s]) {
      seen[s] = 1;
      list.push(s);
    }
  for (let i = 0; i < list.length; i++)
    for (let e = 0; e < 3; e++) {
      const o = m.across[3 * list[i] + e];
      if (o < 0 || seen[o] || !takes(list[i], o)) continue;
      seen[o] = 1;
      list.push(o);
    }
  return Uint32Array.from(list);
};
/** Triangles reached from the seeds over edges where the calmed normals turn by less than `angle` degrees a step of about an edge. */
export function regionByNormal(m: ScanMesh, seeds: readonly Vec3[], angle: number): Uint32Array {
  const least = Math.cos((angle * Math.PI) / 180);
  const n = m.normals;
  return flood(
    m,
    seeds.map((p) => triangleNear(m, p)),
    (a, b) => n[3 * a] * n[3 * b] + n[3 * a + 1] * n[3 * b + 1] + n[3 * a + 2] * n[3 * b + 2] > least,
  );
}
/** Triangles within a radius of painted places, connected to the one nearest to each. */
export function regionByPaint(m: ScanMesh, places: readonly Vec3[], radius: number): Uint32Array {
  const near = (k: number) => {
    const c: Vec3 = [m.centres[3 * k], m.centres[3 * k + 1], m.centres[3 * k + 2]];
    return places.some((p) => distance(p, c) <= radius);
  };
  return flood(
    m,
    places.map((p) => triangleNear(m, p)),
    (_, b) => near(b),
  );
}
/** Triangles inside a closed loop seen square to its plane, connected to the one nearest to the loop's middle. */
export function regionByLoop(m: ScanMesh, loop: readonly Vec3[], frame: Frame): Uint32Array {
  const flat = loop.map((p) => {
    const d = sub(p, frame.origin);
    return [dot(d, frame.x), dot(d, frame.y)] as const;
  });
  const inside = (k: number) => {
    const d: Vec3 = [m.centres[3 * k] - frame.origin[0], m.centres[3 * k + 1] - frame.origin[1], m.centres[3 * k + 2] - frame.origin[2]];
    const [x, y] = [dot(d, frame.x), dot(d, frame.y)];
    let odd = false;
    for (let i = 0, j = flat.length - 1; i < flat.length; j = i++)
      if (flat[i][1] > y !== flat[j][1] > y && x < ((flat[j][0] - flat[i][0]) * (y - flat[i][1])) / (flat[j][1] - flat[i][1]) + flat[i][0])
        odd = !odd;
    return odd;
  };
  // among the triangles inside, the one nearest to the loop itself: the side that was drawn on
  const middle = scale(loop.reduce(add, [0, 0, 0] as Vec3), 1 / loop.length);
  let best = { d: Infinity, k: -1 };
  for (let k = 0; k < m.centres.length / 3; k++) {
    if (!inside(k)) continue;
    const d = distance([m.centres[3 * k], m.centres[3 * k + 1], m.centres[3 * k + 2]], middle);
    if (d < best.d) best = { d, k };
  }
  return best.k < 0 ? new Uint32Array() : flood(m, [best.k], (_, b) => inside(b));
}

/** Points and normals of a region, at most `most` of them spread evenly, one for each of its corners. */
export function regionPoints(m: ScanMesh, region: Uint32Array, most = 20_000): { points: Vec3[]; normals: Vec3[] } {
  const sums = new Map<number, [number, number, number]>();
  for (const k of region)
    for (let e = 0; e < 3; e++) {
      const v = m.indices[3 * k + e];
      const s = sums.get(v) ?? [0, 0, 0];
      for (let d = 0; d < 3; d++) s[d] += m.normals[3 * k + d];
      sums.set(v, s);
    }
  const step = Math.max(1, Math.ceil(sums.size / most));
  const points: Vec3[] = [];
  const normals: Vec3[] = [];
  let i = 0;
  for (const [v, s] of sums) {
    if (i++ % step) continue;
    points.push([m.positions[3 * v], m.positions[3 * v + 1], m.positions[3 * v + 2]]);
    normals.push(length(s as unknown as Vec3) > 1e-12 ? unit(s as unknown as Vec3) : [0, 0, 1]);
  }
  return { points, normals };
}
/**
 * Noise of a scan (mm): the median, over many places, of how far corners lie from the best quadric through those within three triangles of a
 * place, corrected for the six numbers of the quadric. Shape up to second order does not count.
 */
export function noiseOf(m: ScanMesh, region: Uint32Array): number {
  const sigmas: number[] = [];
  const step = Math.max(1, Math.floor(region.length / 500));
  for (let i = 0; i < region.length; i += step) {
    const ring = [region[i]];
    const seen = new Set(ring);
    for (let from = 0, depth = 0; depth < 3; depth++) {
      const end = ring.length;
      for (; from < end; from++)
        for (let e = 0; e < 3; e++) {
          const o = m.across[3 * ring[from] + e];
          if (o < 0 || seen.has(o)) continue;
          seen.add(o);
          ring.push(o);
        }
    }
    const corners = new Set(ring.flatMap((t) => [m.indices[3 * t], m.indices[3 * t + 1], m.indices[3 * t + 2]]));
    if (corners.size < 10) continue;
    const k = region[i];
    const z: Vec3 = unit([m.normals[3 * k], m.normals[3 * k + 1], m.normals[3 * k + 2]]);
    const x = anyPerpendicular(z);
    const y = cross(z, x);
    const c: Vec3 = [m.centres[3 * k], m.centres[3 * k + 1], m.centres[3 * k + 2]];
    const A = new Float64Array(36);
    const B = new Float64Array(6);
    const rows: [number[], number][] = [];
    for (const v of corners) {
      const d: Vec3 = [m.positions[3 * v] - c[0], m.positions[3 * v + 1] - c[1], m.positions[3 * v + 2] - c[2]];
      const [a, b] = [dot(d, x) / m.edge, dot(d, y) / m.edge];
      const r = [1, a, b, a * a, a * b, b * b];
      const h = dot(d, z);
      rows.push([r, h]);
      for (let p = 0; p < 6; p++) {
        for (let q = 0; q < 6; q++) A[6 * p + q] += r[p] * r[q];
        B[p] += r[p] * h;
      }
    }
    if (!solveDense(A, B, 6, 1)) continue;
    const sum = rows.reduce((s, [r, h]) => s + (h - r.reduce((w, f, p) => w + f * B[p], 0)) ** 2, 0);
    sigmas.push(Math.sqrt(sum / (corners.size - 6)));
  }
  if (!sigmas.length) return 0;
  sigmas.sort((a, b) => a - b);
  return sigmas[sigmas.length >> 1];
}
/** Border corners of a region, as closed loops in running order, the longest first. */
export function regionBorders(m: ScanMesh, region: Uint32Array): Vec3[][] {
  const inside = new Uint8Array(m.indices.length / 3);
  for (const k of region) inside[k] = 1;
  const next = new Map<number, number>();
  for (const k of region)
    for (let e = 0; e < 3; e++) {
      const o = m.across[3 * k + e];
      if (o >= 0 && inside[o]) continue;
      next.set(m.indices[3 * k + e], m.indices[3 * k + ((e + 1) % 3)]);
    }
  const loops: Vec3[][] = [];
  while (next.size) {
    const [start] = next.keys();
    const loop: Vec3[] = [];
    let v: number | undefined = start;
    while (v !== undefined) {
      const after: number | undefined = next.get(v);
      next.delete(v);
      loop.push([m.positions[3 * v], m.positions[3 * v + 1], m.positions[3 * v + 2]]);
      if (after === start) break;
      v = after;
    }
    if (loop.length > 2) loops.push(loop);
  }
  return loops.sort((a, b) => b.length - a.length);
}
