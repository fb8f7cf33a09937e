import { type Body, type BodyMesh, bodyBox, faceNormal, meshBody } from '../brep/index.ts';
import { boxSize, cross, distance, dot, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { closestOnSurface, evaluateSurface } from '../nurbs/index.ts';
import { borderFoot, insideFace } from './inside-face.ts';
import { type TriangleTree, triangleTree } from './triangle-tree.ts';

export interface TriangleFoot {
  readonly triangle: number;
  readonly point: Vec3;
  /** Weights of the triangle's corners. */
  readonly weights: readonly [number, number, number];
  readonly distance: number;
}

/** Nearest place on triangles and first hits of rays, by the hierarchy of `triangle-tree.ts`. */
export class TriangleProbe {
  readonly tree: TriangleTree;
  /** Corners of the triangles in the order of the tree's leaves, nine numbers each. */
  private readonly corners: Float64Array;
  /** Where the nearest place was last time, in that order: the next is seldom far from it. */
  private last = 0;
  constructor(
    readonly positions: Float64Array,
    readonly indices: Uint32Array,
  ) {
    this.tree = triangleTree(positions, indices);
    this.corners = new Float64Array(3 * indices.length);
    this.tree.order.forEach((t, i) => {
      for (let k = 0; k < 9; k++) this.corners[9 * i + k] = positions[3 * indices[3 * t + Math.floor(k / 3)] + (k % 3)];
    });
  }
  corner(t: number, k: number): Vec3 {
    const i = 3 * this.indices[3 * t + k];
    return [this.positions[i], this.positions[i + 1], this.positions[i + 2]];
  }
  /** Square of the distance to the box of a node of the tree. */
  private gap(p: Vec3, node: number): number {
    const { boxes } = this.tree;
    let s = 0;
    for (let k = 0; k < 3; k++) {
      const d = Math.max(0, boxes[6 * node + k] - p[k], p[k] - boxes[6 * node + k + 3]);
      s += d * d;
    }
    return s;
  }
  private foot(at: number, p: Vec3, d2: number): TriangleFoot {
    const triangle = this.tree.order[at];
    return {
      triangle,
      ...footOnTriangle(p, this.corner(triangle, 0), this.corner(triangle, 1), this.corner(triangle, 2)),
      distance: Math.sqrt(d2),
    };
  }
  /** Nearest place within `most`; nothing when all is farther. */
  nearest(p: Vec3, most = Infinity): TriangleFoot | undefined {
    const { tree } = this;
    if (!this.indices.length) return undefined;
    let best = this.last;
    let least = distance2(p, this.corners, 9 * best);
    if (least >= most * most) {
      best = -1;
      least = most * most;
    }
    const stack = [0];
    while (stack.length) {
      const node = stack.pop() as number;
      if (this.gap(p, node) >= least) continue;
      if (tree.left[node] < 0) {
        for (let i = tree.first[node]; i < tree.first[node] + tree.count[node]; i++) {
          const d = distance2(p, this.corners, 9 * i);
          if (d >= least) continue;
          least = d;
          best = i;
        }
        continue;
      }
      const [l, r] = [tree.left[node], tree.right[node]];
      // the nearer box last, so that it is looked into first
      if (this.gap(p, l) < this.gap(p, r)) stack.push(r, l);
      else stack.push(l, r);
    }
    if (best < 0) return undefined;
    this.last = best;
    return this.foot(best, p, least);
  }
  /** Every triangle within `most` of a place. */
  within(p: Vec3, most: number, found: (foot: TriangleFoot) => void): void {
    const { tree } = this;
    const stack = this.indices.length ? [0] : [];
    while (stack.length) {
      const node = stack.pop() as number;
      if (this.gap(p, node) > most * most) continue;
      if (tree.left[node] >= 0) {
        stack.push(tree.left[node], tree.right[node]);
        continue;
      }
      for (let i = tree.first[node]; i < tree.first[node] + tree.count[node]; i++) {
        const d = distance2(p, this.corners, 9 * i);
        if (d <= most * most) found(this.foot(i, p, d));
      }
    }
  }
  /** Triangles a ray meets farther than `from` along it, the nearest first; at most those within `reach` of the first. */
  hits(o: Vec3, d: Vec3, from: number): { t: number; triangle: number; weights: readonly [number, number, number] }[] {
    const { tree } = this;
    const out: { t: number; triangle: number; weights: readonly [number, number, number] }[] = [];
    const inverse = d.map((x) => 1 / x);
    const stack = this.indices.length ? [0] : [];
    // a ray along the very side of the body meets it, whatever the last digit says
    const slack = 1e-12 * Math.max(...[0, 1, 2].map((k) => tree.boxes[k + 3] - tree.boxes[k] + Math.abs(o[k])));
    while (stack.length) {
      const node = stack.pop() as number;
      let [near, far] = [from, Infinity];
      for (let k = 0; k < 3; k++) {
        const [lo, hi] = [tree.boxes[6 * node + k] - slack, tree.boxes[6 * node + k + 3] + slack];
        if (d[k] === 0) {
          if (o[k] < lo || o[k] > hi) far = -1;
          continue;
        }
        const [a, b] = [(lo - o[k]) * inverse[k], (hi - o[k]) * inverse[k]];
        near = Math.max(near, Math.min(a, b));
        far = Math.min(far, Math.max(a, b));
      }
      if (near > far + 1e-9 * Math.abs(far)) continue;
      if (tree.left[node] >= 0) {
        stack.push(tree.left[node], tree.right[node]);
        continue;
      }
      for (let i = 0; i < tree.count[node]; i++) {
        const triangle = tree.order[tree.first[node] + i];
        const hit = rayTriangle(o, d, this.corner(triangle, 0), this.corner(triangle, 1), this.corner(triangle, 2));
        if (hit && hit.t > from) out.push({ triangle, ...hit });
      }
    }
    return out.sort((a, b) => a.t - b.t);
  }
}

/** Square of the distance of p to the triangle whose corners stand from `o` on: `footOnTriangle` without its vectors, since it is asked millions of times. */
function distance2(p: Vec3, c: Float64Array, o: number): number {
  const [ax, ay, az] = [c[o], c[o + 1], c[o + 2]];
  const ux = c[o + 3] - ax;
  const uy = c[o + 4] - ay;
  const uz = c[o + 5] - az;
  const vx = c[o + 6] - ax;
  const vy = c[o + 7] - ay;
  const vz = c[o + 8] - az;
  const px = p[0] - ax;
  const py = p[1] - ay;
  const pz = p[2] - az;
  const to = (s: number, t: number): number => (px - s * ux - t * vx) ** 2 + (py - s * uy - t * vy) ** 2 + (pz - s * uz - t * vz) ** 2;
  const d1 = ux * px + uy * py + uz * pz;
  const d2 = vx * px + vy * py + vz * pz;
  if (d1 <= 0 && d2 <= 0) return to(0, 0);
  const uu = ux * ux + uy * uy + uz * uz;
  const uv = ux * vx + uy * vy + uz * vz;
  const vv = vx * vx + vy * vy + vz * vz;
  const [d3, d4] = [d1 - uu, d2 - uv];
  if (d3 >= 0 && d4 <= d3) return to(1, 0);
  const vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return to(d1 / (d1 - d3 || 1), 0);
  const [d5, d6] = [d1 - uv, d2 - vv];
  if (d6 >= 0 && d5 <= d6) return to(0, 1);
  const vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return to(0, d2 / (d2 - d6 || 1));
  const va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const w = (d4 - d3) / (d4 - d3 + (d5 - d6) || 1);
    return to(1 - w, w);
  }
  const k = 1 / (va + vb + vc);
  return to(vb * k, vc * k);
}
/** Nearest place of a triangle (Ericson, Real-Time Collision Detection, 5.1.5). */
export function footOnTriangle(p: Vec3, a: Vec3, b: Vec3, c: Vec3): { point: Vec3; weights: [number, number, number] } {
  const [ab, ac, ap] = [sub(b, a), sub(c, a), sub(p, a)];
  const at = (v: number, w: number): { point: Vec3; weights: [number, number, number] } => ({
    point: [a[0] + v * ab[0] + w * ac[0], a[1] + v * ab[1] + w * ac[1], a[2] + v * ab[2] + w * ac[2]],
    weights: [1 - v - w, v, w],
  });
  const [d1, d2] = [dot(ab, ap), dot(ac, ap)];
  if (d1 <= 0 && d2 <= 0) return at(0, 0);
  const bp = sub(p, b);
  const [d3, d4] = [dot(ab, bp), dot(ac, bp)];
  if (d3 >= 0 && d4 <= d3) return at(1, 0);
  const vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return at(d1 / (d1 - d3 || 1), 0);
  const cp = sub(p, c);
  const [d5, d6] = [dot(ab, cp), dot(ac, cp)];
  if (d6 >= 0 && d5 <= d6) return at(0, 1);
  const vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return at(0, d2 / (d2 - d6 || 1));
  const va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const w = (d4 - d3) / (d4 - d3 + (d5 - d6) || 1);
    return at(1 - w, w);
  }
  const k = 1 / (va + vb + vc);
  return at(vb * k, vc * k);
}
/** Where a ray meets a triangle, its border by a hair more (Möller and Trumbore 1997). */
function rayTriangle(o: Vec3, d: Vec3, a: Vec3, b: Vec3, c: Vec3): { t: number; weights: [number, number, number] } | undefined {
  const [e, f] = [sub(b, a), sub(c, a)];
  const p = cross(d, f);
  const det = dot(e, p);
  if (Math.abs(det) < 1e-14 * length(e) * length(f)) return undefined;
  const s = sub(o, a);
  const u = dot(s, p) / det;
  const q = cross(s, e);
  const v = dot(d, q) / det;
  if (u < -1e-9 || v < -1e-9 || u + v > 1 + 1e-9) return undefined;
  return { t: dot(f, q) / det, weights: [1 - u - v, u, v] };
}

export interface SurfaceHit {
  readonly face: number;
  readonly uv: readonly [number, number];
  readonly point: Vec3;
  readonly distance: number;
}

const probes = new WeakMap<Body, SurfaceProbe>();
/** The probe of a body: made once, and kept as long as the body is. */
export function probeOf(b: Body): SurfaceProbe {
  let p = probes.get(b);
  if (!p) {
    p = new SurfaceProbe(b);
    probes.set(b, p);
  }
  return p;
}

/**
 * Nearest places and rays on the exact surfaces of a body: a mesh finds where to begin, Newton's method goes on from there. Made once for a
 * body and asked thousands of times.
 */
export class SurfaceProbe {
  readonly mesh: BodyMesh;
  readonly triangles: TriangleProbe;
  /** Diagonal of the body's box, mm. */
  readonly size: number;
  /** Chord error of the triangles, mm. */
  readonly chord: number;
  private readonly faceOfTriangle: Uint32Array;
  /** Of each corner of each triangle: how far it stands from the opposite side, mm, where that lies on the border of the face; else 0. */
  private readonly heights: Float64Array;
  /** Of each corner of each triangle that lies on the border of the face: how far it stands from the opposite side, mm; else 0. */
  private readonly tips: Float64Array;
  constructor(readonly body: Body) {
    this.size = Math.max(1e-9, boxSize(bodyBox(body)));
    this.chord = this.size / 2000;
    this.mesh = meshBody(body, { chord: this.chord, angle: 0.25 });
    this.triangles = new TriangleProbe(this.mesh.positions, this.mesh.indices);
    this.faceOfTriangle = new Uint32Array(this.mesh.indices.length / 3);
    this.heights = new Float64Array(this.mesh.indices.length);
    const sides = new Map<number, number>();
    const { indices, positions } = this.mesh;
    const side = (i: number) => {
      const t = 3 * Math.floor(i / 3);
      const [a, c] = [indices[t + ((i + 1) % 3)], indices[t + ((i + 2) % 3)]];
      return { a, c, id: a < c ? a * 4_194_304 + c : c * 4_194_304 + a };
    };
    // corner i of triangle t is number 3 t + i; its opposite side runs between the other two
    indices.forEach((_, i) => sides.set(side(i).id, (sides.get(side(i).id) ?? 0) + 1));
    const onBorder = new Set<number>();
    indices.forEach((_, i) => {
      const { a, c, id } = side(i);
      if (sides.get(id) === 1) onBorder.add(a).add(c);
    });
    this.tips = new Float64Array(this.mesh.indices.length);
    indices.forEach((node, i) => {
      const { a, c, id } = side(i);
      const border = sides.get(id) === 1;
      if (!border && !onBorder.has(node)) return;
      const at = (k: number): Vec3 => [positions[3 * k], positions[3 * k + 1], positions[3 * k + 2]];
      const along = sub(at(c), at(a));
      const height = Math.max(1e-12, length(cross(along, sub(at(node), at(a)))) / Math.max(1e-300, length(along)));
      if (border) this.heights[i] = height;
      if (onBorder.has(node)) this.tips[i] = height;
    });
    body.faces.forEach((_, f) => {
      const [first, count] = [this.mesh.faceRanges[2 * f], this.mesh.faceRanges[2 * f + 1]];
      this.faceOfTriangle.fill(f, first / 3, (first + count) / 3);
    });
  }
  private start(triangle: number, w: readonly number[]): [number, number] {
    const ids = [0, 1, 2].map((k) => this.mesh.indices[3 * triangle + k]);
    return [0, 1].map((d) => ids.reduce((s, i, k) => s + w[k] * this.mesh.uv[2 * i + d], 0)) as [number, number];
  }
  faceOf(triangle: number): number {
    return this.faceOfTriangle[triangle];
  }
  /**
   * The place of the body nearest to a point. A chord decides nothing: every face whose triangles come within two of the nearest is asked, on
   * both sides of its seam.
   */
  nearest(p: Vec3, most = Infinity): SurfaceHit | undefined {
    const rough = this.triangles.nearest(p, most + 2 * this.chord);
    if (!rough) return undefined;
    const starts = new Map<number, TriangleFoot>();
    this.triangles.within(p, rough.distance + 2 * this.chord, (foot) => {
      const [u, v] = this.start(foot.triangle, foot.weights);
      const face = this.faceOfTriangle[foot.triangle];
      const s = this.body.faces[face].surface;
      const half = (k: ArrayLike<number>, degree: number, count: number, x: number) => (x > (k[degree] + k[count]) / 2 ? 1 : 0);
      const id = 4 * face + 2 * half(s.knotsU, s.degreeU, s.countU, u) + half(s.knotsV, s.degreeV, s.countV, v);
      const known = starts.get(id);
      if (!known || foot.distance < known.distance) starts.set(id, foot);
    });
    let best: SurfaceHit | undefined;
    for (const foot of starts.values()) {
      const hit = this.footOn(foot, p);
      if (!best || hit.distance < best.distance) best = hit;
    }
    return best;
  }
  /** Does (u, v) lie in a triangle, clear of the border of its face? */
  private well(triangle: number, u: number, v: number): boolean {
    const [a, b, c] = [0, 1, 2].map((k) => 2 * this.mesh.indices[3 * triangle + k]);
    const { uv } = this.mesh;
    const [x0, y0] = [uv[a], uv[a + 1]];
    const [x1, y1, x2, y2] = [uv[b] - x0, uv[b + 1] - y0, uv[c] - x0, uv[c + 1] - y0];
    const det = x1 * y2 - x2 * y1;
    if (det === 0) return false;
    const [x, y] = [u - x0, v - y0];
    const q = (x * y2 - x2 * y) / det;
    const r = (x1 * y - x * y1) / det;
    const touches = [0, 1, 2].some((k) => this.tips[3 * triangle + k] > 0);
    return [1 - q - r, q, r].every((w, k) => {
      const [h, tip] = [this.heights[3 * triangle + k], this.tips[3 * triangle + k]];
      if (tip && (1 - w) * tip <= 4 * this.chord) return false;
      return h ? w * h > 4 * this.chord : w > (touches ? 0 : -0.1);
    });
  }
  private footOn(rough: TriangleFoot, p: Vec3): SurfaceHit {
    const face = this.faceOfTriangle[rough.triangle];
    const foot = closestOnSurface(this.body.faces[face].surface, p, this.start(rough.triangle, rough.weights), true);
    // beside the border the foot on the surface may lie outside the face
    const beside = !this.well(rough.triangle, foot.u, foot.v);
    const strayed = distance(foot.point, rough.point) > 20 * this.chord;
    if (beside || strayed) {
      // far from where a surface bends, many places are nearly as near: the foot may lie well beside the mesh's
      const inside =
        foot.distance < rough.distance + 2 * this.chord && insideFace(this.body, face, foot.u, foot.v, foot.point, this.size / 100);
      const border = borderFoot(this.body, face, p);
      if (!inside && border) {
        const on = closestOnSurface(this.body.faces[face].surface, border.point, this.start(rough.triangle, rough.weights));
        return { face, uv: [on.u, on.v], point: border.point, distance: border.distance };
      }
    }
    return { face, uv: [foot.u, foot.v], point: foot.point, distance: foot.distance };
  }
  /** The first place a ray meets farther than `from` mm along it; `d` is a unit direction. */
  first(o: Vec3, d: Vec3, from: number): SurfaceHit | undefined {
    for (const h of this.triangles.hits(o, d, Math.max(0, from - 2 * this.chord))) {
      const face = this.faceOfTriangle[h.triangle];
      const hit = this.settle(face, this.start(h.triangle, h.weights), o, d);
      if (hit && hit.distance > from && Math.abs(hit.distance - h.t) < 50 * this.chord) return hit;
    }
    return undefined;
  }
  /** Newton's method for S(u, v) = o + t d, in the two directions square to the ray. */
  private settle(face: number, start: readonly [number, number], o: Vec3, d: Vec3): SurfaceHit | undefined {
    const s = this.body.faces[face].surface;
    const side = Math.abs(d[0]) < 0.6 ? unit(cross(d, [1, 0, 0])) : unit(cross(d, [0, 1, 0]));
    const up = cross(d, side);
    let [u, v] = start;
    const [ua, ub, va, vb] = [s.knotsU[s.degreeU], s.knotsU[s.countU], s.knotsV[s.degreeV], s.knotsV[s.countV]];
    const jet = new Float64Array(12);
    for (let k = 0; k < 20; k++) {
      evaluateSurface(s, u, v, 1, jet);
      const r: Vec3 = [o[0] - jet[0], o[1] - jet[1], o[2] - jet[2]];
      const [x, y] = [dot(r, side), dot(r, up)];
      if (x * x + y * y < 1e-24 * this.size * this.size) break;
      const at = (i: number): Vec3 => [jet[i], jet[i + 1], jet[i + 2]];
      const [a, b, c, e] = [dot(at(6), side), dot(at(3), side), dot(at(6), up), dot(at(3), up)];
      const det = a * e - b * c;
      if (!(Math.abs(det) > 1e-14 * length(at(6)) * length(at(3)))) break;
      u = Math.min(ub, Math.max(ua, u + (x * e - y * b) / det));
      v = Math.min(vb, Math.max(va, v + (a * y - c * x) / det));
    }
    evaluateSurface(s, u, v, 0, jet);
    const point: Vec3 = [jet[0], jet[1], jet[2]];
    const r = sub(point, o);
    const t = dot(r, d);
    if (length(sub(r, scale(d, t))) > 1e-6 * this.size) return undefined;
    return { face, uv: [u, v], point, distance: t };
  }
  normal(h: { readonly face: number; readonly uv: readonly [number, number] }): Vec3 {
    return faceNormal(this.body.faces[h.face], h.uv[0], h.uv[1]);
  }
}
