import { distance, lerp, type Vec3 } from '../math/index.ts';
import { type Cage, edgeName, nameBetween, pointOf } from './cage.ts';
import { Draft, madeName } from './draft.ts';
import { areaVector, bridge, type Edited, extrudeFaces, moved, removeFaces } from './edits.ts';
import { named } from './operation-names.ts';
import { bordersOf, endOf, fanOf, isBorderVertex } from './shape.ts';
import { chainOf } from './shaping.ts';
import { refinedShape, refinedValues } from './subdivide.ts';

const no = (message: string, at: readonly number[] = []): Edited => ({ ok: false, message, at });
const built = (d: Draft): Edited => {
  const r = d.build();
  return r.ok ? { ok: true, cage: r.cage } : no(`${r.trouble.message} after that: it is not done`);
};
const cornersIn = (c: Cage, f: number): number[] => [...c.shape.corners.subarray(c.shape.faceStart[f], c.shape.faceStart[f + 1])];
const middleOf = (c: Cage, f: number): Vec3 => {
  const own = cornersIn(c, f);
  return [0, 1, 2].map((k) => own.reduce((sum, v) => sum + c.points[3 * v + k], 0) / own.length) as unknown as Vec3;
};

/**
 * A ring of quads round faces, inside them: the faces draw together by a share towards their middles. They keep their names; a face of the ring is
 * named by the edge it stands on.
 */
export function insetFaces(c: Cage, op: string, faces: readonly number[], share: number): Edited {
  if (!(share > 0 && share < 1)) return no('The share of a ring lies between 0 and 1');
  const lifted = extrudeFaces(c, op, faces, 0);
  if (!lifted.ok) return lifted;
  const n = lifted.cage;
  const old = new Set(c.vertexNames);
  const region = new Set(faces.map((f) => c.faceNames[f]));
  const own = n.faceNames.flatMap((name, f) => (region.has(name) ? [f] : []));
  const sums = new Map<number, { sum: Vec3; count: number }>();
  for (const f of own) {
    const m = middleOf(n, f);
    for (const v of cornersIn(n, f)) {
      if (old.has(n.vertexNames[v])) continue;
      const known = sums.get(v) ?? { sum: [0, 0, 0] as Vec3, count: 0 };
      sums.set(v, { sum: [known.sum[0] + m[0], known.sum[1] + m[1], known.sum[2] + m[2]], count: known.count + 1 });
    }
  }
  return moved(n, (v, p) => {
    const s = sums.get(v);
    return s && lerp(p, [s.sum[0] / s.count, s.sum[1] / s.count, s.sum[2] / s.count], share);
  });
}

/** Faces let go of the rest: they keep their names, and get vertices of their own along the border between. */
export function splitOff(c: Cage, op: string, faces: readonly number[]): Edited {
  const { shape: s } = c;
  const region = new Set(faces);
  if (!region.size) return no('Pick faces to split off');
  if (region.size >= s.faces) return no('These are all the faces there are: nothing is left to split them from');
  const d = new Draft(c);
  const copies = new Map<number, number>();
  let parted = 0;
  for (const f of region) {
    const list = cornersIn(c, f);
    d.faces[f] = list.map((v) => {
      if (!fanOf(s, v).some((h) => !region.has(s.face[h]))) return v;
      let w = copies.get(v);
      if (w === undefined) {
        w = d.vertex(pointOf(c.points, v), madeName(op, c.vertexNames[v]));
        if (c.pins[v] > 0) d.pins.set(w, c.pins[v]);
        copies.set(v, w);
        parted++;
      }
      return w;
    });
  }
  for (const f of region)
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const [a, b] = [s.corners[h], endOf(s, h)];
      const sharp = c.sharpness[s.edgeOf[h]];
      if (sharp > 0) d.setSharp(copies.get(a) ?? a, copies.get(b) ?? b, sharp);
    }
  if (!parted) return no('These faces hang together with nothing else already');
  return built(d);
}

/** Faces once more, moved by a vector; names are made of theirs. */
export function duplicateFaces(c: Cage, op: string, faces: readonly number[], by: Vec3): Edited {
  const { shape: s } = c;
  if (!faces.length) return no('Pick faces to copy');
  const d = new Draft(c);
  const copies = new Map<number, number>();
  const copy = (v: number): number => {
    let w = copies.get(v);
    if (w === undefined) {
      const p = pointOf(c.points, v);
      w = d.vertex([p[0] + by[0], p[1] + by[1], p[2] + by[2]], madeName(op, c.vertexNames[v]));
      if (c.pins[v] > 0) d.pins.set(w, c.pins[v]);
      copies.set(v, w);
    }
    return w;
  };
  for (const f of new Set(faces)) {
    d.face(cornersIn(c, f).map(copy), madeName(op, c.faceNames[f]));
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const sharp = c.sharpness[s.edgeOf[h]];
      if (sharp > 0) d.setSharp(copy(s.corners[h]), copy(endOf(s, h)), sharp);
    }
  }
  return built(d);
}

/**
 * An open cage made a wall: its faces once more on the other side, `by` mm along the normals of its vertices (negative: against them), turned
 * over, and quads along its borders.
 */
export function thicken(c: Cage, op: string, by: number): Edited {
  const { shape: s } = c;
  if (!(Math.abs(by) > 0)) return no('A wall has a thickness');
  const borders = bordersOf(s);
  if (!borders.length) return no('A cage without an open border is no wall: take faces away first');
  const normals = Array.from({ length: s.vertices }, (): [number, number, number] => [0, 0, 0]);
  for (let f = 0; f < s.faces; f++) {
    const a = areaVector(c, f);
    for (const v of cornersIn(c, f)) for (let k = 0; k < 3; k++) normals[v][k] += a[k];
  }
  const d = new Draft(c);
  const over = Array.from({ length: s.vertices }, (_, v) => {
    const l = Math.hypot(...normals[v]) || 1;
    const p = pointOf(c.points, v);
    return d.vertex([0, 1, 2].map((k) => p[k] + (by * normals[v][k]) / l) as unknown as Vec3, madeName(op, c.vertexNames[v]));
  });
  for (const [v, x] of [...d.pins]) d.pins.set(over[v], x);
  // the first layer looks outwards where the second lies behind it, and is turned over where it lies in front
  const outer = by < 0;
  for (let f = 0; f < s.faces; f++) {
    const list = cornersIn(c, f);
    if (!outer) d.faces[f] = [...list].reverse();
    const second = list.map((v) => over[v]);
    d.face(outer ? second.reverse() : second, madeName(op, c.faceNames[f]));
  }
  for (let e = 0; e < s.edges; e++) {
    const h = s.edgeHalf[e];
    if (c.sharpness[e] > 0) d.setSharp(over[s.corners[h]], over[endOf(s, h)], c.sharpness[e]);
  }
  for (const ring of borders)
    for (const h of ring) {
      const [a, b] = [s.corners[h], endOf(s, h)];
      const quad = [b, a, over[a], over[b]];
      d.face(outer ? quad : quad.reverse(), madeName(op, edgeName(c, s.edgeOf[h])));
    }
  return built(d);
}

/**
 * A row of edges slid across its faces: each vertex along the edge that leaves the row on its left (share above 0) or on its right (below 0), by that
 * share of the edge's length. Left is as the row runs from its first vertex on.
 */
export function slide(c: Cage, edges: readonly number[], share: number): Edited {
  const { shape: s } = c;
  if (!(Math.abs(share) < 1)) return no('The share of a slide lies between -1 and 1');
  const vertices = [...new Set(edges.flatMap((e) => [s.corners[s.edgeHalf[e]], endOf(s, s.edgeHalf[e])]))];
  const row = chainOf(c, vertices);
  if (!row) return no('Only edges in a row can be slid: pick a loop', vertices.slice(0, 4));
  const { chain, closed } = row;
  const own = new Set(chain);
  const to = new Map<number, Vec3>();
  for (const [i, v] of chain.entries()) {
    const [before, after] = [
      chain[i - 1] ?? (closed ? chain[chain.length - 1] : undefined),
      chain[i + 1] ?? (closed ? chain[0] : undefined),
    ];
    // round the vertex from the edge ahead, counterclockwise: what comes before the edge behind lies on the left
    const fan = fanOf(s, v);
    const spokes = fan.map((h) => endOf(s, h));
    const last = fan[fan.length - 1];
    if (isBorderVertex(s, v)) spokes.push(s.corners[s.prev[last]]);
    const ahead = after === undefined ? -1 : spokes.indexOf(after);
    const behind = before === undefined ? -1 : spokes.indexOf(before);
    const n = spokes.length;
    // counterclockwise: ahead, what is on the left, behind, what is on the right
    const open = isBorderVertex(s, v);
    const turn = (from: number, until: number): number[] => {
      const out: number[] = [];
      for (let k = 1; k < n; k++) {
        const j = from + k;
        if (j % n === until || (open && j >= n)) break;
        out.push(spokes[j % n]);
      }
      return out;
    };
    const back = (from: number): number[] => (open ? spokes.slice(0, from).reverse() : turn(from, -1).reverse());
    const near = (list: readonly number[]) => list.filter((w) => !own.has(w)).slice(0, ahead >= 0 && behind >= 0 ? undefined : 1);
    const left = near(ahead >= 0 ? turn(ahead, behind) : back(behind));
    const right = near(behind >= 0 ? turn(behind, ahead) : back(ahead));
    const side = share > 0 ? left : right;
    if (side.length === 1) to.set(v, lerp(pointOf(c.points, v), pointOf(c.points, side[0]), Math.abs(share)));
  }
  if (!to.size) return no('No edge leaves the row on that side', chain.slice(0, 4));
  return moved(c, (v) => to.get(v));
}

/** One step of refinement everywhere: the smooth surface stays exactly as it is. Vertices keep their names; a face is named by its old face and corner. */
export function refineAll(c: Cage, op: string, most: number): Edited {
  const n = c.shape.corners.length;
  if (n > most) return no(`That would be ${n} faces, and a cage has at most ${most}`);
  const { shape: s } = c;
  const vertexNames = [
    ...c.vertexNames,
    ...Array.from({ length: s.edges }, (_, e) => madeName(op, edgeName(c, e))),
    ...c.faceNames.map((f) => madeName(op, f)),
  ];
  const faceNames = Array.from(s.corners, (v, h) => madeName(op, c.faceNames[s.face[h]], c.vertexNames[v]));
  // told anew, so that edges stand in the order that their faces give
  return built(new Draft({ shape: refinedShape(s), ...refinedValues(c), vertexNames, faceNames }));
}

/**
 * Two faces taken away, and a way through between the holes: sides that lie nearest to each other are matched, `turns` goes on from there. Faces that
 * share a corner are refused.
 */
export function bridgeFaces(c: Cage, op: string, a: number, b: number, turns = 0): Edited {
  const [A, B] = [cornersIn(c, a), cornersIn(c, b)];
  if (a === b) return no('A way through stands between two faces', A);
  const shared = A.filter((v) => B.includes(v));
  if (shared.length) return no('The two faces share a corner: there is no room between them', shared);
  const open = removeFaces(c, op, [a, b]);
  if (!open.ok) return open;
  const side = (list: readonly number[], i: number) =>
    nameBetween(c.vertexNames[list[i % list.length]], c.vertexNames[list[(i + 1) % list.length]]);
  const at = (list: readonly number[], i: number) => pointOf(c.points, list[((i % list.length) + list.length) % list.length]);
  // the bridge begins at the end of the first side and runs back round its face, on the other from the start of its side on
  const steps = Math.max(A.length, B.length);
  const far = (k: number): number => {
    let sum = 0;
    for (let i = 0; i < steps; i++)
      sum += distance(at(A, 1 - Math.round((i * A.length) / steps)), at(B, k + Math.round((i * B.length) / steps))) ** 2;
    return sum;
  };
  let best = 0;
  for (let k = 1; k < B.length; k++) if (far(k) < far(best) - 1e-12) best = k;
  const edges = named(open.cage).edges;
  const [from, to] = [edges.get(side(A, 0)), edges.get(side(B, best))];
  if (from === undefined || to === undefined)
    return no('The sides of these faces belong to nothing else: there is nothing to hold the bridge', [...A, ...B]);
  return bridge(open.cage, op, from, to, turns);
}
