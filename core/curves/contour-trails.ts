import { type Body, type BodyMesh, type Face, topologyOf, useUV } from '../brep/index.ts';
import { distance, rootBetween, type Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';

import type { Field } from './contour.ts';

const jet = new Float64Array(12);

export interface Crossing {
  readonly u: number;
  readonly v: number;
}
export interface Trail {
  readonly face: number;
  readonly places: Crossing[];
  readonly closed: boolean;
}

/**
 * A trail through a pole jumps in (u, v) and not in space: it becomes several, whose ends at the pole take the collapsed parameter of their
 * neighbour (there all its values are one point). Places that repeat, as where the zero set runs along nodes of the mesh, are one.
 */
export function apartAtPoles(f: Face, t: Trail, size: number): Trail[] {
  const near = 1e-9 * size;
  const at = t.places.map((p): { p: Crossing; point: Vec3; pole: boolean } => {
    evaluateSurface(f.surface, p.u, p.v, 1, jet);
    const pole = Math.min(Math.hypot(jet[6], jet[7], jet[8]), Math.hypot(jet[3], jet[4], jet[5])) < near;
    return { p, point: [jet[0], jet[1], jet[2]], pole };
  });
  const same = (a: (typeof at)[number], b: (typeof at)[number]) =>
    distance(a.point, b.point) < near && (a.pole || apart(f, a.p, b.p) < 1e-6);
  const list = at.filter((x, i) => i === 0 || !same(x, at[i - 1]));
  if (t.closed) while (list.length > 1 && same(list[0], list[list.length - 1])) list.pop();
  const first = list.findIndex((x, i) => x.pole && (t.closed || (i > 0 && i + 1 < list.length)));
  if (first < 0) return whole(f, { ...t, places: list.map((x) => x.p) }, size);
  const order = t.closed ? [...list.slice(first), ...list.slice(0, first + 1)] : list;
  const out: Trail[] = [];
  let run: Crossing[] = [];
  order.forEach((x, i) => {
    run.push(x.p);
    if (i > 0 && (x.pole || i + 1 === order.length)) {
      out.push(...whole(f, { face: t.face, closed: false, places: run }, size));
      run = [x.p];
    }
  });
  return out;
}
const apart = ({ surface: { knotsU, knotsV } }: Face, a: Crossing, b: Crossing): number =>
  Math.abs(a.u - b.u) / (knotsU[knotsU.length - 1] - knotsU[0]) + Math.abs(a.v - b.v) / (knotsV[knotsV.length - 1] - knotsV[0]);

/** A trail with its ends at poles mended; none when nothing is left of it. */
function whole(f: Face, t: Trail, size: number): Trail[] {
  const places = [...t.places];
  const last = places.length - 1;
  if (last < 1) return [];
  if (!t.closed) {
    places[0] = atPole(f, places[0], places[1], size);
    places[last] = atPole(f, places[last], places[last - 1], size);
  }
  return [{ ...t, places }];
}
/** At a pole all values of the collapsed parameter are one point: an end there takes the value that its neighbour has. */
function atPole(f: Face, p: Crossing, neighbour: Crossing, size: number): Crossing {
  evaluateSurface(f.surface, p.u, p.v, 1, jet);
  if (Math.hypot(jet[6], jet[7], jet[8]) < 1e-9 * size) return { u: neighbour.u, v: p.v };
  if (Math.hypot(jet[3], jet[4], jet[5]) < 1e-9 * size) return { u: p.u, v: neighbour.v };
  return p;
}

/** What is the same for every field that is looked for on a mesh. */
interface Looks {
  /** Intervals of edges by the pair of shared points that bounds them. */
  readonly stretch: ReadonlyMap<string, { edge: number; a: number; b: number }>;
  /** Triangles of each face, node by node, and sides that only one of them has. */
  readonly faces: readonly { readonly triangles: Uint32Array; readonly border: ReadonlySet<string> }[];
}
const looks = new WeakMap<BodyMesh, Looks>();
function looksOf(b: Body, mesh: BodyMesh): Looks {
  const known = looks.get(mesh);
  if (known) return known;
  const stretch = new Map<string, { edge: number; a: number; b: number }>();
  b.edges.forEach((e, i) => {
    const [first, count] = [mesh.edgeRanges[2 * i], mesh.edgeRanges[2 * i + 1]];
    if (e.degenerate) return;
    for (let k = first; k + 1 < first + count; k++)
      stretch.set(pair(mesh.edgeShared[k], mesh.edgeShared[k + 1]), { edge: i, a: mesh.edgeAt[k], b: mesh.edgeAt[k + 1] });
  });
  const faces = b.faces.map((_, face) => {
    const [first, count] = [mesh.faceRanges[2 * face], mesh.faceRanges[2 * face + 1]];
    const list = Array.from(mesh.indices.subarray(first, first + count));
    for (let t = 0; t < mesh.collapsed.length; t += 4)
      if (mesh.collapsed[t] === face) list.push(mesh.collapsed[t + 1], mesh.collapsed[t + 2], mesh.collapsed[t + 3]);
    const border = new Set<string>();
    for (let t = 0; t < list.length; t += 3)
      for (let k = 0; k < 3; k++) {
        const key = pair(list[t + k], list[t + ((k + 1) % 3)]);
        if (!border.delete(key)) border.add(key);
      }
    return { triangles: Uint32Array.from(list), border };
  });
  const made = { stretch, faces };
  looks.set(mesh, made);
  return made;
}

/** The value of a field alone. */
function soleValue(field: Field, face: number, u: number, v: number): number {
  if (field.value) return field.value(face, u, v);
  field.at(face, u, v, probe);
  return probe[0];
}

/** Trails of the zero set over a mesh. `values` takes the field's values at the nodes that were looked at. */
export function trails(b: Body, mesh: BodyMesh, field: Field, only?: ReadonlySet<number>, values?: Float64Array): Trail[] {
  const out: Trail[] = [];
  const { stretch, faces } = looksOf(b, mesh);
  // 0 is not known yet; nodes that lie on the zero set count as one side, whatever rounding says
  const sign = new Int8Array(mesh.positions.length / 3);
  b.faces.forEach((f, face) => {
    if (only && !only.has(face)) return;
    const { triangles, border: open } = faces[face];
    const signOf = (n: number): number => {
      if (sign[n]) return sign[n];
      const value = field.atPoint
        ? field.atPoint(mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2])
        : soleValue(field, face, mesh.uv[2 * n], mesh.uv[2 * n + 1]);
      if (values) values[n] = value;
      return (sign[n] = value >= -ON_NODE ? 1 : -1);
    };
    const places = new Map<string, Crossing | undefined>();
    const links = new Map<string, string[]>();
    const border = new Set<string>();
    for (let t = 0; t < triangles.length; t += 3) {
      const n = [triangles[t], triangles[t + 1], triangles[t + 2]];
      if (signOf(n[0]) === signOf(n[1]) && signOf(n[1]) === signOf(n[2])) continue;
      const ends: string[] = [];
      for (let k = 0; k < 3; k++) {
        const [a, c] = [n[k], n[(k + 1) % 3]];
        if (signOf(a) === signOf(c)) continue;
        const key = pair(a, c);
        if (!places.has(key)) {
          const on = open.has(key) ? stretch.get(pair(mesh.shared[a], mesh.shared[c])) : undefined;
          if (on) border.add(key);
          places.set(key, (on && onEdge(b, f, face, on, field, mesh, a)) ?? between(field, face, mesh, a, c));
        }
        ends.push(key);
      }
      if (ends.length === 2) {
        links.set(ends[0], [...(links.get(ends[0]) ?? []), ends[1]]);
        links.set(ends[1], [...(links.get(ends[1]) ?? []), ends[0]]);
      }
    }
    const done = new Set<string>();
    const walk = (start: string) => {
      const list = [start];
      done.add(start);
      let at = start;
      for (;;) {
        const next = (links.get(at) ?? []).find((k) => !done.has(k));
        if (next === undefined) break;
        done.add(next);
        list.push(next);
        at = next;
      }
      const closed = list.length > 2 && (links.get(at) ?? []).includes(start) && !border.has(start);
      const good = list.map((k) => places.get(k)).filter((p): p is Crossing => !!p);
      if (good.length > 1) out.push({ face, places: good, closed: closed && good.length === list.length });
    };
    for (const k of links.keys()) if (!done.has(k) && (links.get(k) ?? []).length === 1) walk(k);
    for (const k of links.keys()) if (!done.has(k)) walk(k);
  });
  return out;
}
const pair = (a: number, c: number) => (a < c ? `${a},${c}` : `${c},${a}`);

/** A node this near to the zero set lies on it. */
const ON_NODE = 1e-11;
const probe = new Float64Array(3);
const root = (g: (x: number) => number, enough = 0): number => rootBetween(g, 0, 1, enough, ON_NODE);
function between(field: Field, face: number, mesh: BodyMesh, a: number, c: number): Crossing | undefined {
  const [ua, va, uc, vc] = [mesh.uv[2 * a], mesh.uv[2 * a + 1], mesh.uv[2 * c], mesh.uv[2 * c + 1]];
  const g = (x: number) => soleValue(field, face, ua + (uc - ua) * x, va + (vc - va) * x);
  // inside a face the place is only a start: it is settled later
  const x = root(g, 0.5 * field.zero);
  return Math.abs(g(x)) < field.zero ? { u: ua + (uc - ua) * x, v: va + (vc - va) * x } : undefined;
}
function onEdge(
  b: Body,
  f: Face,
  face: number,
  on: { edge: number; a: number; b: number },
  field: Field,
  mesh: BodyMesh,
  node: number,
): Crossing | undefined {
  for (const { face: k, use } of topologyOf(b).uses[on.edge]) {
    if (k !== face) continue;
    // a seam is used twice by its face: the use that passes through the node is meant
    const here = [on.a, on.b].some((t) => {
      const [u, v] = useUV(f, use, t);
      return Math.abs(u - mesh.uv[2 * node]) + Math.abs(v - mesh.uv[2 * node + 1]) < 1e-6 * (1 + Math.abs(u) + Math.abs(v));
    });
    if (!here) continue;
    const g = (x: number) => {
      return soleValue(field, face, ...useUV(f, use, on.a + (on.b - on.a) * x));
    };
    if (g(0) * g(1) > 0 && Math.min(Math.abs(g(0)), Math.abs(g(1))) > ON_NODE) continue;
    const x = root(g);
    if (Math.abs(g(x)) > field.zero) continue;
    const [u, v] = useUV(f, use, on.a + (on.b - on.a) * x);
    return { u, v };
  }
  return undefined;
}
