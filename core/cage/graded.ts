/**
 * A face at a pole as one bicubic spline whose knots halve towards the pole: exact outside the innermost cell. For sectors that no cap fits: a
 * smooth crease with a single face on one side (its corner opens by half a turn, so that both sides of the face run in one line), corners that are
 * held, and creases that end. Coefficients are blossoms of the polynomial pieces that refinement makes regular, each taken from the last span of its
 * support (Ramshaw 1989); the one at the pole is its limit.
 */
import type { Vec3 } from '../math/index.ts';
import { makeSurface, type NurbsSurface } from '../nurbs/index.ts';
import { netOfFace } from './face-net.ts';
import { vertexLimit } from './limit.ts';
import { fanOf, makeShape } from './shape.ts';
import { type Refinable, refine } from './subdivide.ts';

/** Halvings towards the pole. */
const HALVINGS = 6;
/** Rings of faces round the pole that are kept while it is refined. */
const RINGS = 3;

/** The faces within some rings of a vertex, with what became of the given half-edges. */
function cropped(c: Refinable, v: number, halves: readonly number[]): { part: Refinable; v: number; halves: number[] } {
  const { shape: s } = c;
  const faces = new Set<number>();
  let front = new Set([v]);
  for (let k = 0; k < RINGS; k++) {
    const next = new Set<number>();
    for (const w of front)
      for (const h of fanOf(s, w)) {
        if (faces.has(s.face[h])) continue;
        faces.add(s.face[h]);
        for (let g = s.faceStart[s.face[h]]; g < s.faceStart[s.face[h] + 1]; g++) next.add(s.corners[g]);
      }
    front = next;
  }
  const list = [...faces].sort((a, b) => a - b);
  const place = new Map<number, number>();
  const corners: number[] = [];
  const start = [0];
  const half = new Map<number, number>();
  for (const f of list) {
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      half.set(h, corners.length);
      const w = s.corners[h];
      if (!place.has(w)) place.set(w, place.size);
      corners.push(place.get(w) as number);
    }
    start.push(corners.length);
  }
  const made = makeShape(place.size, Uint32Array.from(start), Uint32Array.from(corners));
  // round a vertex faces hang together by their sides
  if (!made.ok) throw new Error(made.trouble.message);
  const points = new Float64Array(3 * place.size);
  const pins = new Float64Array(place.size);
  for (const [w, i] of place) {
    points.set(c.points.subarray(3 * w, 3 * w + 3), 3 * i);
    pins[i] = c.pins[w];
  }
  const sharpness = new Float64Array(made.shape.edges);
  for (const [h, i] of half) sharpness[made.shape.edgeOf[i]] = c.sharpness[s.edgeOf[h]];
  return {
    part: { shape: made.shape, points, sharpness, pins },
    v: place.get(v) as number,
    halves: halves.map((h) => half.get(h) as number),
  };
}

/** The blossom of a uniform cubic piece on [0, 1] at three places, for one row of four coefficients. */
function blossom(p: readonly Vec3[], args: readonly number[]): Vec3 {
  let list = [...p];
  for (let r = 1; r <= 3; r++) {
    const t = args[r - 1];
    list = list.slice(1).map((q, i) => {
      // knots of the piece are -2 to 3; coefficient i of round r spans from i + r - 3 to i + 1
      const [a, b] = [i + r - 3, i + 1];
      const w = (t - a) / (b - a);
      return [0, 1, 2].map((k) => (1 - w) * list[i][k] + w * q[k]) as unknown as Vec3;
    });
  }
  return list[0];
}

/** The faces of some half-edges that start at v, each as a graded spline on [0, 1] x [0, 1] with the pole at (0, 0) and u along its half-edge. */
export function gradedFaces(c: Refinable, v: number, halves: readonly number[]): NurbsSurface[] {
  const K = HALVINGS;
  const pole = vertexLimit(c, v).point;
  // for each face and each level: the nets of the three cells of the layer, beside, across and over
  const layers: Vec3[][][][][] = halves.map(() => []);
  let now = cropped(c, v, halves);
  for (let l = 1; l <= K; l++) {
    const fine = refine(now.part);
    const { shape: s } = now.part;
    now.halves.forEach((h, i) => {
      const [n1, n2, n3] = [s.next[h], s.next[s.next[h]], s.prev[h]];
      layers[i].push([netOfFace(fine, 4 * n1 + 3), netOfFace(fine, 4 * n2 + 2), netOfFace(fine, 4 * n3 + 1)]);
    });
    if (l < K)
      now = cropped(
        fine,
        now.v,
        now.halves.map((h) => 4 * h),
      );
  }
  const breaks = [0, ...Array.from({ length: K + 1 }, (_, i) => 2 ** (i - K))];
  const knots = [0, 0, 0, ...breaks, 1, 1, 1];
  const n = K + 4;
  return halves.map((_, f) => {
    const points = Array.from({ length: n }, (_, i) =>
      Array.from({ length: n }, (_, j): Vec3 => {
        const [s, t] = [Math.min(i, K), Math.min(j, K)];
        const big = Math.max(s, t);
        if (big === 0) return pole;
        const level = K - big + 1;
        const size = 2 ** -level;
        const cell = layers[f][level - 1][s === t ? 1 : s > t ? 0 : 2];
        const [u0, v0] = [s >= t ? size : 0, t >= s ? size : 0];
        const us = [1, 2, 3].map((k) => (knots[i + k] - u0) / size);
        const vs = [1, 2, 3].map((k) => (knots[j + k] - v0) / size);
        return blossom(
          cell.map((row) => blossom(row, vs)),
          us,
        );
      }),
    );
    return makeSurface(3, 3, points, knots, knots);
  });
}
