import { type Body, type BodyMesh, bodyBox, meshBody } from '../brep/index.ts';
import { type Box, boxSize, cross, distance, dot, length, scale, sub, type Vec3 } from '../math/index.ts';
import { closestOnSurface, surfaceNormal } from '../nurbs/index.ts';
import { borderFoot, insideFace } from './inside-face.ts';
import { insideBox, selfPairs, triangleCrossing, triangleTree, windingNumber } from './triangle-tree.ts';

export interface Crossing {
  readonly faces: readonly [number, number];
  readonly at: Vec3;
}
export interface Intrusion {
  /** `doubled`: two faces lie on each other over an area. `crossing`: they run through each other. */
  readonly kind: 'crossing' | 'doubled';
  readonly faces: readonly [number, number];
  readonly at: Vec3;
}

const checkMeshes = new WeakMap<Body, BodyMesh>();
/** The mesh that validity is looked for on, made once a body. */
export function checkMesh(b: Body): BodyMesh {
  let m = checkMeshes.get(b);
  if (!m) {
    const size = Math.max(1e-9, boxSize(bodyBox(b)));
    m = meshBody(b, { chord: size / 800, angle: 0.35 });
    checkMeshes.set(b, m);
  }
  return m;
}

/** Milliseconds after which no further candidates are looked at: what was found by then is told. */
const BUDGET = 6000;
const MOST_FOUND = 40;

/**
 * Faces that run through each other: candidates from a bounding hierarchy over the mesh, each settled on the exact surfaces by Newton, and
 * counted only where the place lies inside both faces and off their borders by more than ten tolerances.
 */
export function findCrossings(b: Body, tolerance: number): { found: Intrusion[]; complete: boolean } {
  const mesh = checkMesh(b);
  const size = Math.max(1e-9, boxSize(bodyBox(b)));
  const { positions, indices, shared } = mesh;
  const faceOf = facesOfTriangles(mesh, b.faces.length);
  const corner = (t: number, i: number): Vec3 => [
    positions[3 * indices[3 * t + i]],
    positions[3 * indices[3 * t + i] + 1],
    positions[3 * indices[3 * t + i] + 2],
  ];
  const triangle = (t: number): Vec3[] => [corner(t, 0), corner(t, 1), corner(t, 2)];
  const found = new Map<string, Intrusion>();
  const tries = new Map<string, number>();
  const start = performance.now();
  let complete = true;
  selfPairs(triangleTree(positions, indices), (s, t) => {
    const [i, j] = [faceOf[s], faceOf[t]];
    if (i === j) return false;
    const key = i < j ? `${i},${j}` : `${j},${i}`;
    if (found.has(key) || (tries.get(key) ?? 0) > 24) return false;
    for (let x = 0; x < 3; x++) for (let y = 0; y < 3; y++) if (shared[indices[3 * s + x]] === shared[indices[3 * t + y]]) return false;
    const segment = triangleCrossing(triangle(s), triangle(t));
    if (!segment) return false;
    tries.set(key, (tries.get(key) ?? 0) + 1);
    const at = settle(
      b,
      i,
      j,
      scale([segment[0][0] + segment[1][0], segment[0][1] + segment[1][1], segment[0][2] + segment[1][2]], 0.5),
      tolerance,
      size,
    );
    if (at) found.set(key, { kind: 'crossing', faces: i < j ? [i, j] : [j, i], at });
    complete = performance.now() - start < BUDGET;
    return !complete || found.size >= MOST_FOUND;
  });
  return { found: [...found.values()], complete };
}
function facesOfTriangles(mesh: BodyMesh, faces: number): Uint32Array {
  const out = new Uint32Array(mesh.indices.length / 3);
  for (let f = 0; f < faces; f++) out.fill(f, mesh.faceRanges[2 * f] / 3, (mesh.faceRanges[2 * f] + mesh.faceRanges[2 * f + 1]) / 3);
  return out;
}

/** A place on both surfaces near `m`, when it lies inside both faces and away from their borders; undefined otherwise. */
function settle(b: Body, i: number, j: number, m: Vec3, tolerance: number, size: number): Vec3 | undefined {
  let p = m;
  const [f, g] = [b.faces[i], b.faces[j]];
  let a = closestOnSurface(f.surface, p);
  let c = closestOnSurface(g.surface, p);
  for (let k = 0; k < 16; k++) {
    a = closestOnSurface(f.surface, p, [a.u, a.v]);
    c = closestOnSurface(g.surface, p, [c.u, c.v]);
    if (a.distance + c.distance < 1e-3 * tolerance) break;
    const [n, o] = [surfaceNormal(f.surface, a.u, a.v), surfaceNormal(g.surface, c.u, c.v)];
    const d = cross(n, o);
    const det = dot(d, d);
    if (det < 1e-6) return undefined;
    const [r, s] = [dot(n, sub(a.point, p)), dot(o, sub(c.point, p))];
    const [x, y] = [cross(o, d), cross(d, n)];
    p = [0, 1, 2].map((q) => p[q] + (r * x[q] + s * y[q]) / det) as unknown as Vec3;
    if (distance(p, m) > 0.1 * size) return undefined;
  }
  if (a.distance + c.distance > tolerance) return undefined;
  const margin = 10 * tolerance;
  for (const [face, foot] of [
    [i, a],
    [j, c],
  ] as const) {
    const border = borderFoot(b, face, p);
    if (border && border.distance < margin) return undefined;
    if (!insideFace(b, face, foot.u, foot.v, p, size / 100)) return undefined;
  }
  return p;
}

/** Faces that lie on each other over an area: places inside one face that lie on another, inside it, with the same tangent plane. */
export function findDoubled(b: Body, tolerance: number): Intrusion[] {
  const mesh = checkMesh(b);
  const size = Math.max(1e-9, boxSize(bodyBox(b)));
  const boxes = b.faces.map((_, f) => rangeBox(mesh, f));
  const found: Intrusion[] = [];
  const done = new Set<string>();
  for (let i = 0; i < b.faces.length; i++)
    for (const p of samplesOf(mesh, i)) {
      const f = b.faces[i];
      const own = closestOnSurface(f.surface, p);
      for (let j = 0; j < b.faces.length; j++) {
        const key = i < j ? `${i},${j}` : `${j},${i}`;
        if (i === j || done.has(key) || !insideBox(boxes[j], own.point, 0.004 * size)) continue;
        const other = closestOnSurface(b.faces[j].surface, own.point);
        if (other.distance > 5 * tolerance) continue;
        const n = surfaceNormal(f.surface, own.u, own.v);
        if (length(cross(n, surfaceNormal(b.faces[j].surface, other.u, other.v))) > 1e-3) continue;
        const margin = 10 * tolerance;
        const clear = [i, j].every((k) => (borderFoot(b, k, own.point)?.distance ?? Infinity) > margin);
        if (!clear || !insideFace(b, i, own.u, own.v, own.point, size / 100) || !insideFace(b, j, other.u, other.v, own.point, size / 100))
          continue;
        done.add(key);
        found.push({ kind: 'doubled', faces: i < j ? [i, j] : [j, i], at: own.point });
      }
    }
  return found;
}
function rangeBox(mesh: BodyMesh, f: number): Box {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let k = mesh.faceRanges[2 * f]; k < mesh.faceRanges[2 * f] + mesh.faceRanges[2 * f + 1]; k++)
    for (let x = 0; x < 3; x++) {
      const v = mesh.positions[3 * mesh.indices[k] + x];
      if (v < min[x]) min[x] = v;
      if (v > max[x]) max[x] = v;
    }
  return { min: min as unknown as Vec3, max: max as unknown as Vec3 };
}
/** Middles of the largest triangles of a face and of some others. */
function samplesOf(mesh: BodyMesh, f: number): Vec3[] {
  const list: { at: Vec3; area: number }[] = [];
  for (let k = mesh.faceRanges[2 * f]; k < mesh.faceRanges[2 * f] + mesh.faceRanges[2 * f + 1]; k += 3) {
    const c = [0, 1, 2].map((i): Vec3 => {
      const n = mesh.indices[k + i];
      return [mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2]];
    });
    list.push({
      at: [0, 1, 2].map((x) => (c[0][x] + c[1][x] + c[2][x]) / 3) as unknown as Vec3,
      area: length(cross(sub(c[1], c[0]), sub(c[2], c[0]))),
    });
  }
  list.sort((a, b) => b.area - a.area);
  return list
    .filter((_, i) => i < 4 || i % Math.max(1, Math.floor(list.length / 4)) === 0)
    .slice(0, 9)
    .map((x) => x.at);
}

export interface Nesting {
  /** Solids that do not wind once round their own inside, by number, with a place. */
  readonly wrong: readonly { readonly solid: number; readonly at: Vec3; readonly winding: number }[];
  /** Pairs of solids that fill the same space. */
  readonly shared: readonly { readonly solids: readonly [number, number]; readonly at: Vec3 }[];
}
/** Winding numbers beside each shell of each solid: one just inside, none just outside; and whether the inside of one lies in another. */
export function checkNesting(b: Body): Nesting {
  const mesh = checkMesh(b);
  const size = boxSize(bodyBox(b));
  const step = 1e-5 * size;
  const around = (solid: number, p: Vec3): number =>
    b.solids[solid].reduce(
      (w, s) =>
        b.shells[s].faces.reduce(
          (x, f) => x + windingNumber(mesh.positions, mesh.indices, p, mesh.faceRanges[2 * f], mesh.faceRanges[2 * f + 1]),
          w,
        ),
      0,
    );
  const wrong: { solid: number; at: Vec3; winding: number }[] = [];
  const shared: { solids: [number, number]; at: Vec3 }[] = [];
  b.solids.forEach((shells, solid) => {
    for (const s of shells)
      for (const f of b.shells[s].faces.slice(0, 3)) {
        const place = beside(mesh, f);
        if (!place) continue;
        const shift = (by: number) => [0, 1, 2].map((k) => place.at[k] + by * place.normal[k]) as unknown as Vec3;
        const [inner, outer] = [around(solid, shift(-step)), around(solid, shift(step))];
        if (Math.abs(inner - 1) > 0.02 || Math.abs(outer) > 0.02) {
          wrong.push({ solid, at: place.at, winding: Math.abs(inner - 1) > 0.02 ? inner : outer });
          return;
        }
        b.solids.forEach((_, other) => {
          if (
            other !== solid &&
            !shared.some((x) => x.solids.includes(solid) && x.solids.includes(other)) &&
            around(other, shift(-step)) > 0.5
          )
            shared.push({ solids: [solid, other], at: place.at });
        });
      }
  });
  return { wrong, shared };
}
/** Middle and outward normal of the largest triangle of a face. */
function beside(mesh: BodyMesh, f: number): { at: Vec3; normal: Vec3 } | undefined {
  let best: { at: Vec3; normal: Vec3 } | undefined;
  let most = 0;
  for (let k = mesh.faceRanges[2 * f]; k < mesh.faceRanges[2 * f] + mesh.faceRanges[2 * f + 1]; k += 3) {
    const c = [0, 1, 2].map((i): Vec3 => {
      const n = mesh.indices[k + i];
      return [mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2]];
    });
    const n = cross(sub(c[1], c[0]), sub(c[2], c[0]));
    const area = length(n);
    if (area > most) {
      most = area;
      best = { at: [0, 1, 2].map((x) => (c[0][x] + c[1][x] + c[2][x]) / 3) as unknown as Vec3, normal: scale(n, 1 / area) };
    }
  }
  return best;
}
