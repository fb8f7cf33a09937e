import { cross, type Vec3 } from '../math/index.ts';
import { type Cage, edgeName, pointOf, withPoints } from './cage.ts';
import { Draft, madeName } from './draft.ts';
import { edgeRing } from './select.ts';
import { bordersOf, cornersOf, edgeBetween, endOf, fanOf, isBorderEdge } from './shape.ts';

/** What an edit makes, or why it cannot: a sentence, and the vertices where it is. */
export type Edited =
  | { readonly ok: true; readonly cage: Cage }
  | { readonly ok: false; readonly message: string; readonly at: readonly number[] };
const no = (message: string, at: readonly number[] = []): Edited => ({ ok: false, message, at });
const built = (d: Draft): Edited => {
  const r = d.build();
  return r.ok ? { ok: true, cage: r.cage } : no(`${r.trouble.message} after that: it is not done`, []);
};
const mix = (a: Vec3, b: Vec3, t: number): Vec3 => [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])];

/** Vertices in other places; names, faces and sharpness stay. */
export function moved(c: Cage, to: (v: number, at: Vec3) => Vec3 | undefined): Edited {
  const points = c.points.slice();
  for (let v = 0; v < c.shape.vertices; v++) {
    const p = to(v, pointOf(c.points, v));
    if (!p) continue;
    if (!p.every(Number.isFinite)) return no('A vertex would go where no number tells its place', [v]);
    points.set(p, 3 * v);
  }
  return { ok: true, cage: withPoints(c, points) };
}

/** Area vector of a face: its length is the area, its way the outward normal (Newell). */
export function areaVector(c: Cage, f: number): Vec3 {
  const n: [number, number, number] = [0, 0, 0];
  for (let h = c.shape.faceStart[f]; h < c.shape.faceStart[f + 1]; h++) {
    const [p, q] = [pointOf(c.points, c.shape.corners[h]), pointOf(c.points, endOf(c.shape, h))];
    const x = cross(p, q);
    for (let k = 0; k < 3; k++) n[k] += x[k] / 2;
  }
  return n;
}
/** Unit normals of vertices as the given faces have them, by their areas. */
function normalsOver(c: Cage, faces: Iterable<number>): Map<number, Vec3> {
  const sums = new Map<number, [number, number, number]>();
  for (const f of faces) {
    const a = areaVector(c, f);
    for (let h = c.shape.faceStart[f]; h < c.shape.faceStart[f + 1]; h++) {
      const v = c.shape.corners[h];
      const s = sums.get(v) ?? [0, 0, 0];
      for (let k = 0; k < 3; k++) s[k] += a[k];
      sums.set(v, s);
    }
  }
  return new Map(
    [...sums].map(([v, s]) => {
      const l = Math.hypot(...s) || 1;
      return [v, [s[0] / l, s[1] / l, s[2] / l]] as const;
    }),
  );
}

/**
 * Faces lifted off by `by` mm along their normals (negative: pushed in), walls of quads round them. The lifted faces keep their names; a wall is
 * named by the edge it stands on, a lifted vertex by the one it came from.
 */
export function extrudeFaces(c: Cage, op: string, faces: readonly number[], by: number): Edited {
  const { shape: s } = c;
  const region = new Set(faces);
  if (!region.size) return no('Pick faces to extrude');
  const inside = (h: number) => h >= 0 && region.has(s.face[h]);
  const normals = normalsOver(c, region);
  const d = new Draft(c);
  const lifted = (v: number): Vec3 => {
    const [p, n] = [pointOf(c.points, v), normals.get(v) as Vec3];
    return [p[0] + by * n[0], p[1] + by * n[1], p[2] + by * n[2]];
  };
  // corners of the region at a vertex that hang together get one lifted vertex
  const above = new Map<number, number>();
  let walls = 0;
  const done = new Set<number>();
  for (const f of region)
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const v = s.corners[h];
      if (done.has(h)) continue;
      // back to the first corner of this part of the fan
      let first = h;
      let whole = false;
      for (let t = s.twin[first]; inside(t); t = s.twin[first]) {
        first = s.next[t];
        if (first === h) {
          whole = true;
          break;
        }
      }
      const part: number[] = [];
      for (let g = first; ; ) {
        part.push(g);
        done.add(g);
        const t = s.twin[s.prev[g]];
        if (!inside(t) || t === first) break;
        g = t;
      }
      if (whole) {
        d.points[v] = lifted(v);
        continue;
      }
      const made = d.vertex(lifted(v), madeName(op, c.vertexNames[v]));
      if (c.pins[v] > 0) d.pins.set(made, c.pins[v]);
      for (const g of part) above.set(g, made);
    }
  for (const f of region)
    d.faces[f] = Array.from({ length: cornersOf(s, f) }, (_, k) => above.get(s.faceStart[f] + k) ?? s.corners[s.faceStart[f] + k]);
  for (const f of region)
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const [a, b] = [s.corners[h], endOf(s, h)];
      const [a2, b2] = [above.get(h) ?? a, above.get(s.next[h]) ?? b];
      const sharp = c.sharpness[s.edgeOf[h]];
      if (sharp > 0 && (a2 !== a || b2 !== b)) d.setSharp(a2, b2, sharp);
      if (inside(s.twin[h])) continue;
      walls++;
      d.face([a, b, b2, a2], madeName(op, edgeName(c, s.edgeOf[h])));
    }
  if (!walls) return no('These faces have no border to stand walls on: they are all there are');
  return built(d);
}

/** Border edges drawn out by a vector, a quad at each. */
export function extrudeEdges(c: Cage, op: string, edges: readonly number[], by: Vec3): Edited {
  const { shape: s } = c;
  const inner = edges.find((e) => !isBorderEdge(s, e));
  if (inner !== undefined) return no('Only border edges can be drawn out: extrude faces inside', [s.corners[s.edgeHalf[inner]]]);
  if (!edges.length) return no('Pick border edges to draw out');
  const d = new Draft(c);
  const copy = new Map<number, number>();
  const over = (v: number): number => {
    let w = copy.get(v);
    if (w === undefined) {
      const p = pointOf(c.points, v);
      copy.set(v, (w = d.vertex([p[0] + by[0], p[1] + by[1], p[2] + by[2]], madeName(op, c.vertexNames[v]))));
    }
    return w;
  };
  for (const e of new Set(edges)) {
    const h = s.edgeHalf[e];
    const [a, b] = [s.corners[h], endOf(s, h)];
    d.face([b, a, over(a), over(b)], madeName(op, edgeName(c, e)));
  }
  return built(d);
}

/**
 * Loops across the ring of quads through an edge, at shares of its length; where the ring comes to a face that is no quad, the face gets a
 * corner more. The ring's faces keep their names on the near side of the first loop.
 */
export function insertLoops(c: Cage, op: string, edge: number, shares: readonly number[]): Edited {
  const { shape: s } = c;
  const at = [...new Set(shares)].sort((a, b) => a - b);
  if (!at.length || at.some((t) => !(t > 0 && t < 1))) return no('A loop stands between the ends of its edge: shares lie between 0 and 1');
  const { halves } = edgeRing(s, edge);
  const start = s.edgeHalf[edge];
  const k0 = halves.indexOf(start);
  // every edge of the ring from its near end to its far end
  const sides = halves.map((h, i): [number, number] => {
    const [a, b] = [s.corners[h], endOf(s, h)];
    return i > k0 ? [b, a] : [a, b];
  });
  const d = new Draft(c);
  const made = sides.map(([near, far], i) =>
    at.map((t, k) =>
      d.vertex(
        mix(pointOf(c.points, near), pointOf(c.points, far), t),
        madeName(at.length > 1 ? `${op}.${k + 1}` : op, edgeName(c, s.edgeOf[halves[i]])),
      ),
    ),
  );
  const quads = new Map<number, [number, number]>();
  const ends: { face: number; side: number }[] = [];
  sides.forEach((_, i) => {
    for (const h of [halves[i], s.twin[halves[i]]]) {
      if (h < 0) continue;
      const f = s.face[h];
      if (cornersOf(s, f) !== 4) ends.push({ face: f, side: i });
      else {
        const known = quads.get(f);
        if (!known) quads.set(f, [i, -1]);
        else if (known[1] < 0 && known[0] !== i) quads.set(f, [known[0], i]);
        else if (known[0] !== i) quads.set(f, [-2, -2]);
      }
    }
  });
  for (const [f, [a, b]] of quads)
    if (a < 0 || b < 0) return no('The ring of this edge crosses itself: insert connections face by face', [s.corners[s.faceStart[f]]]);
  for (const [f, [i, j]] of quads) {
    const A = [sides[i][0], ...made[i], sides[i][1]];
    const B = [sides[j][0], ...made[j], sides[j][1]];
    const list = d.faces[f] as number[];
    const k = list.indexOf(A[0]);
    const along = list[(k + 1) % 4] === A[A.length - 1];
    d.drop(f);
    for (let n = 0; n + 1 < A.length; n++) {
      const quad = [A[n], A[n + 1], B[n + 1], B[n]];
      d.face(along ? quad : quad.reverse(), n ? madeName(at.length > 1 ? `${op}.${n}` : op, c.faceNames[f]) : c.faceNames[f]);
    }
  }
  sides.forEach(([near, far], i) => {
    const sharp = d.sharpOf(near, far);
    d.setSharp(near, far, 0);
    const row = [near, ...made[i], far];
    for (let n = 0; n + 1 < row.length; n++) d.setSharp(row[n], row[n + 1], sharp);
  });
  for (const { face, side } of ends) {
    const list = d.faces[face];
    if (!list) continue;
    const [near, far] = sides[side];
    const k = list.findIndex(
      (v, n) => (v === near && list[(n + 1) % list.length] === far) || (v === far && list[(n + 1) % list.length] === near),
    );
    if (k >= 0) list.splice(k + 1, 0, ...(list[k] === near ? made[side] : [...made[side]].reverse()));
  }
  return built(d);
}

/** A new edge between two vertices of one face, which becomes two. */
export function connect(c: Cage, op: string, v: number, w: number): Edited {
  const { shape: s } = c;
  if (edgeBetween(s, v, w) >= 0) return no('An edge runs between these two already', [v, w]);
  const common = fanOf(s, v).find((h) => {
    const f = s.face[h];
    for (let g = s.faceStart[f]; g < s.faceStart[f + 1]; g++) if (s.corners[g] === w) return true;
    return false;
  });
  if (common === undefined) return no('These two do not stand at one face: connect them face by face', [v, w]);
  const f = s.face[common];
  const d = new Draft(c);
  const list = d.faces[f] as number[];
  const [i, j] = [list.indexOf(v), list.indexOf(w)].sort((a, b) => a - b);
  d.faces[f] = [...list.slice(0, i + 1), ...list.slice(j)];
  d.face(list.slice(i, j + 1), madeName(op, c.faceNames[f]));
  return built(d);
}

/** Faces taken away; where what is left would hang together in a point only, the point is parted. */
export function removeFaces(c: Cage, op: string, faces: readonly number[]): Edited {
  const gone = new Set(faces);
  if (gone.size >= c.shape.faces) return no('That would leave nothing of the cage');
  const { shape: s } = c;
  const d = new Draft(c);
  for (const f of gone) d.drop(f);
  // parts of the fan that are left at a vertex
  for (let v = 0; v < s.vertices; v++) {
    const fan = fanOf(s, v);
    const left = fan.filter((h) => !gone.has(s.face[h]));
    if (!left.length || left.length === fan.length) continue;
    const parts: number[][] = [];
    for (const h of left) {
      const before = s.twin[h] >= 0 ? s.next[s.twin[h]] : -1;
      const own = parts.find((p) => p.includes(before)) ?? parts.find((p) => p.some((g) => s.twin[s.prev[h]] === g));
      if (own) own.push(h);
      else parts.push([h]);
    }
    // the first and the last may be one over the start of the fan
    for (let k = 1; k < parts.length; k++)
      if (parts[k].some((h) => parts[0].includes(s.twin[s.prev[h]]) || (s.twin[h] >= 0 && parts[0].includes(s.next[s.twin[h]])))) {
        parts[0].push(...parts[k]);
        parts.splice(k--, 1);
      }
    for (const part of parts.slice(1)) {
      const copy = d.vertex(pointOf(c.points, v), madeName(op, c.vertexNames[v]));
      for (const h of part) {
        const list = d.faces[s.face[h]] as number[];
        const [a, b] = [s.corners[s.prev[h]], endOf(s, h)];
        for (const end of [a, b]) d.setSharp(copy, end, d.sharpOf(v, end));
        list[list.indexOf(v)] = copy;
      }
    }
  }
  return built(d);
}

/** Edges taken away, the faces on both sides become one; vertices with two edges left inside go too when `heal`. */
export function dissolveEdges(c: Cage, edges: readonly number[], heal = true): Edited {
  const { shape: s } = c;
  const gone = new Set(edges);
  if (!gone.size) return no('Pick edges to dissolve');
  for (const e of gone)
    if (isBorderEdge(s, e)) return no('A border edge has a face on one side only: take the face away', [s.corners[s.edgeHalf[e]]]);
  const group = Int32Array.from({ length: s.faces }, (_, i) => i);
  const find = (f: number): number => {
    let g = f;
    while (group[g] !== g) g = group[g] = group[group[g]];
    return g;
  };
  for (const e of gone) {
    const h = s.edgeHalf[e];
    const [a, b] = [find(s.face[h]), find(s.face[s.twin[h]])];
    group[Math.max(a, b)] = Math.min(a, b);
  }
  const members = new Map<number, number[]>();
  for (let f = 0; f < s.faces; f++) members.set(find(f), [...(members.get(find(f)) ?? []), f]);
  const d = new Draft(c);
  const loose = new Set<number>();
  for (const [head, list] of members) {
    if (list.length === 1) continue;
    const after = new Map<number, number>();
    for (const f of list)
      for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
        if (gone.has(s.edgeOf[h])) continue;
        if (after.has(s.corners[h])) return no('What is left would be a face that touches itself', [s.corners[h]]);
        after.set(s.corners[h], endOf(s, h));
      }
    const [first] = after.keys();
    if (first === undefined) return no('Nothing would be left to bound the face');
    const ring: number[] = [];
    for (let v = first; ring.length <= after.size; ) {
      ring.push(v);
      v = after.get(v) as number;
      if (v === undefined) return no('What is left would be a face with a gap in its border', [ring[ring.length - 1]]);
      if (v === first) break;
    }
    if (ring.length !== after.size) return no('What is left would be a face with a hole in it: connect across it first', [first]);
    for (const f of list) d.drop(f);
    d.faces[head] = ring;
    for (const v of ring) loose.add(v);
  }
  if (heal)
    for (const v of loose) {
      const holders = d.faces.flatMap((f, i) => (f?.includes(v) ? [i] : []));
      const ends = new Set(holders.flatMap((i) => around(d.faces[i] as number[], v)));
      // two edges, two faces: the vertex only stands in the way; three corners have to be left
      if (ends.size !== 2 || holders.length !== 2 || holders.some((i) => (d.faces[i] as number[]).length < 4)) continue;
      const [a, b] = [...ends];
      const sharp = Math.min(d.sharpOf(a, v), d.sharpOf(v, b));
      for (const i of holders) d.faces[i] = (d.faces[i] as number[]).filter((x) => x !== v);
      d.setSharp(a, b, sharp);
    }
  return built(d);
}
const around = (list: readonly number[], v: number): number[] => {
  const i = list.indexOf(v);
  return [list[(i + list.length - 1) % list.length], list[(i + 1) % list.length]];
};
/** Vertices taken away with their edges, the faces round each become one. */
export function dissolveVertices(c: Cage, vertices: readonly number[]): Edited {
  const border = vertices.find((v) => fanOf(c.shape, v).some((h) => c.shape.twin[h] < 0 || c.shape.twin[c.shape.prev[h]] < 0));
  if (border !== undefined) return no('A border vertex cannot be dissolved: weld it to its neighbour, or take its faces away', [border]);
  return dissolveEdges(
    c,
    vertices.flatMap((v) => fanOf(c.shape, v).map((h) => c.shape.edgeOf[h])),
  );
}

/** A border closed by one face. */
export function fillBorder(c: Cage, op: string, edge: number): Edited {
  const { shape: s } = c;
  const ring = bordersOf(s).find((r) => r.some((h) => s.edgeOf[h] === edge));
  if (!ring) return no('Only a border can be filled: pick one of its edges', [s.corners[s.edgeHalf[edge]]]);
  const d = new Draft(c);
  d.face(ring.map((h) => s.corners[h]).reverse(), madeName(op, edgeName(c, edge)));
  return built(d);
}

/** Vertices made one, in their middle or in the place of the first; faces that lose their third corner go. */
export function weld(c: Cage, groups: readonly (readonly number[])[], place: 'middle' | 'first' = 'middle'): Edited {
  const d = new Draft(c);
  const to = new Map<number, number>();
  for (const g of groups) {
    if (g.length < 2) continue;
    if (g.some((v) => to.has(v))) return no('A vertex is to be welded to two others', [...g]);
    for (const v of g) to.set(v, g[0]);
    if (place === 'middle')
      d.points[g[0]] = [0, 1, 2].map((k) => g.reduce((s, v) => s + c.points[3 * v + k], 0) / g.length) as unknown as Vec3;
  }
  if (!to.size) return no('Pick at least two vertices to weld');
  d.faces.forEach((f, i) => {
    if (!f) return;
    const list = f.map((v) => to.get(v) ?? v);
    const kept = list.filter((v, k) => v !== list[(k + list.length - 1) % list.length]);
    if (kept.length < 3) d.drop(i);
    else d.faces[i] = kept;
  });
  for (let e = 0; e < c.shape.edges; e++) {
    const h = c.shape.edgeHalf[e];
    const [a, b] = [c.shape.corners[h], endOf(c.shape, h)];
    const [p, q] = [to.get(a) ?? a, to.get(b) ?? b];
    if ((p !== a || q !== b) && p !== q) d.setSharp(p, q, Math.max(d.sharpOf(p, q), c.sharpness[e]));
  }
  return built(d);
}

/** Two borders joined by quads, turned against each other by some vertices; where one has more vertices, triangles take up the rest. */
export function bridge(c: Cage, op: string, edgeA: number, edgeB: number, turns = 0): Edited {
  const { shape: s } = c;
  const rings = bordersOf(s);
  const of = (e: number) => rings.find((r) => r.some((h) => s.edgeOf[h] === e));
  const [a, b] = [of(edgeA), of(edgeB)];
  if (!a || !b) return no('Bridges stand between two borders: pick an edge of each');
  if (a === b) return no('Both edges are of one border: fill it, or connect across it');
  const A = from(
    a.map((h) => s.corners[h]),
    s.corners[s.edgeHalf[edgeA]],
  );
  // the other border is run the other way, so that both faces see the bridge from their side
  const B = from([...b.map((h) => s.corners[h])].reverse(), endOf(s, s.edgeHalf[edgeB]));
  const [n, m] = [A.length, B.length];
  const d = new Draft(c);
  const at = (k: number) => A[k % n];
  const bt = (k: number) => B[(((k + turns) % m) + m) % m];
  let [i, j] = [0, 0];
  while (i < n || j < m) {
    const name = madeName(op, c.vertexNames[at(i)], c.vertexNames[bt(j)]);
    // whichever lags behind goes on; both where they are level
    const [x, y] = [(i + 1) / n, (j + 1) / m];
    const both = i < n && j < m && Math.abs(x - y) < 0.5 / Math.max(n, m) + 1e-12;
    const goA = both || (i < n && (j >= m || x < y));
    const goB = both || !goA;
    const face = [at(i + (goA ? 1 : 0)), at(i), bt(j), bt(j + (goB ? 1 : 0))].filter(
      (v, k, list) => v !== list[(k + list.length - 1) % list.length],
    );
    d.face(face, name);
    if (goA) i++;
    if (goB) j++;
  }
  return built(d);
}
const from = (ring: readonly number[], v: number): number[] => {
  const k = Math.max(0, ring.indexOf(v));
  return [...ring.slice(k), ...ring.slice(0, k)];
};

/** Edges made as sharp as told, 0 to 10 or full. */
export function crease(c: Cage, edges: readonly number[], sharpness: number): Edited {
  if (!(sharpness >= 0)) return no('Sharpness runs from 0 to 10, or is full');
  const out = c.sharpness.slice();
  for (const e of edges) out[e] = sharpness;
  return { ok: true, cage: { ...c, sharpness: out } };
}
/** Vertices held as firmly as told. */
export function pin(c: Cage, vertices: readonly number[], sharpness: number): Edited {
  if (!(sharpness >= 0)) return no('Sharpness runs from 0 to 10, or is full');
  const out = c.pins.slice();
  for (const v of vertices) out[v] = sharpness;
  return { ok: true, cage: { ...c, pins: out } };
}
