import type { Box, Vec3 } from '../math/index.ts';

/** Bounding hierarchy over triangles. Node k has box 6k..6k+5 (min, max); leaves list triangles first..first+count in `order`. */
export interface TriangleTree {
  readonly boxes: Float64Array;
  /** Left child, or -1 for a leaf; the right child follows the left subtree at `right`. */
  readonly left: Int32Array;
  readonly right: Int32Array;
  readonly first: Int32Array;
  readonly count: Int32Array;
  readonly order: Uint32Array;
}
const LEAF = 4;

/** Builds the hierarchy by splitting at the middle of the longest side. */
export function triangleTree(positions: ArrayLike<number>, indices: ArrayLike<number>): TriangleTree {
  const n = indices.length / 3;
  const centres = new Float64Array(3 * n);
  for (let t = 0; t < n; t++)
    for (let k = 0; k < 3; k++)
      centres[3 * t + k] =
        (positions[3 * indices[3 * t] + k] + positions[3 * indices[3 * t + 1] + k] + positions[3 * indices[3 * t + 2] + k]) / 3;
  const order = Uint32Array.from({ length: n }, (_, i) => i);
  const size = Math.max(1, 2 * n);
  const tree = {
    boxes: new Float64Array(6 * size),
    left: new Int32Array(size).fill(-1),
    right: new Int32Array(size).fill(-1),
    first: new Int32Array(size),
    count: new Int32Array(size),
    order,
  };
  let used = 0;
  const build = (from: number, to: number): number => {
    const node = used++;
    const b = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
    for (let i = from; i < to; i++)
      for (let c = 0; c < 3; c++)
        for (let k = 0; k < 3; k++) {
          const x = positions[3 * indices[3 * order[i] + c] + k];
          if (x < b[k]) b[k] = x;
          if (x > b[k + 3]) b[k + 3] = x;
        }
    tree.boxes.set(b, 6 * node);
    tree.first[node] = from;
    tree.count[node] = to - from;
    if (to - from <= LEAF) return node;
    const axis = [0, 1, 2].reduce((a, k) => (b[k + 3] - b[k] > b[a + 3] - b[a] ? k : a), 0);
    const part = order.subarray(from, to);
    part.sort((x, y) => centres[3 * x + axis] - centres[3 * y + axis]);
    const middle = (from + to) >> 1;
    tree.left[node] = build(from, middle);
    tree.right[node] = build(middle, to);
    return node;
  };
  if (n) build(0, n);
  return tree;
}

/** Calls back with every pair of triangles whose boxes meet, within one tree; stops when told true. */
export function selfPairs(tree: TriangleTree, visit: (a: number, b: number) => boolean): void {
  if (!tree.count[0]) return;
  const apart = (p: number, q: number): boolean => {
    for (let k = 0; k < 3; k++)
      if (tree.boxes[6 * p + k] > tree.boxes[6 * q + k + 3] || tree.boxes[6 * q + k] > tree.boxes[6 * p + k + 3]) return true;
    return false;
  };
  const stack: [number, number][] = [[0, 0]];
  while (stack.length) {
    const [p, q] = stack.pop() as [number, number];
    if (p !== q && apart(p, q)) continue;
    const [leafP, leafQ] = [tree.left[p] < 0, tree.left[q] < 0];
    if (leafP && leafQ) {
      for (let i = 0; i < tree.count[p]; i++)
        for (let j = p === q ? i + 1 : 0; j < tree.count[q]; j++)
          if (visit(tree.order[tree.first[p] + i], tree.order[tree.first[q] + j])) return;
    } else if (p === q) stack.push([tree.left[p], tree.left[p]], [tree.right[p], tree.right[p]], [tree.left[p], tree.right[p]]);
    else if (leafQ || (!leafP && tree.count[p] >= tree.count[q])) stack.push([tree.left[p], q], [tree.right[p], q]);
    else stack.push([p, tree.left[q]], [p, tree.right[q]]);
  }
}

/** Segment in which two triangles cross, or undefined (Möller 1997; triangles in one plane do not count). */
export function triangleCrossing(a: readonly Vec3[], b: readonly Vec3[]): [Vec3, Vec3] | undefined {
  const side = (p: readonly Vec3[], q: readonly Vec3[]): { n: Vec3; d: number[] } => {
    const u = [0, 1, 2].map((k) => p[1][k] - p[0][k]);
    const v = [0, 1, 2].map((k) => p[2][k] - p[0][k]);
    const n: Vec3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    return { n, d: q.map((x) => n[0] * (x[0] - p[0][0]) + n[1] * (x[1] - p[0][1]) + n[2] * (x[2] - p[0][2])) };
  };
  const one = (d: readonly number[]) => d.every((x) => x > 0) || d.every((x) => x < 0);
  const sb = side(a, b);
  if (one(sb.d)) return undefined;
  const sa = side(b, a);
  if (one(sa.d)) return undefined;
  const line: Vec3 = [sa.n[1] * sb.n[2] - sa.n[2] * sb.n[1], sa.n[2] * sb.n[0] - sa.n[0] * sb.n[2], sa.n[0] * sb.n[1] - sa.n[1] * sb.n[0]];
  const size = Math.hypot(...line);
  if (size < 1e-9 * Math.hypot(...sa.n) * Math.hypot(...sb.n)) return undefined;
  const cut = (p: readonly Vec3[], d: readonly number[]): { at: Vec3; t: number }[] => {
    const out: { at: Vec3; t: number }[] = [];
    for (let i = 0; i < 3; i++) {
      const [x, y] = [d[i], d[(i + 1) % 3]];
      if (x === y || x > 0 === y > 0) continue;
      const s = x / (x - y);
      const at = [0, 1, 2].map((k) => p[i][k] + s * (p[(i + 1) % 3][k] - p[i][k])) as unknown as Vec3;
      out.push({ at, t: (line[0] * at[0] + line[1] * at[1] + line[2] * at[2]) / size });
    }
    return out.sort((u, v) => u.t - v.t);
  };
  const [p, q] = [cut(a, sa.d), cut(b, sb.d)];
  if (p.length < 2 || q.length < 2) return undefined;
  const from = p[0].t > q[0].t ? p[0] : q[0];
  const to = p[1].t < q[1].t ? p[1] : q[1];
  return to.t - from.t > 0 ? [from.at, to.at] : undefined;
}

/** How often the triangles wind round a place: 1 inside an outward closed mesh, 0 outside (sum of solid angles, van Oosterom & Strackee 1983). */
export function windingNumber(positions: ArrayLike<number>, indices: ArrayLike<number>, p: Vec3, from = 0, count = indices.length): number {
  let sum = 0;
  for (let t = from; t < from + count; t += 3) {
    const c: number[][] = [0, 1, 2].map((i) => [0, 1, 2].map((k) => positions[3 * indices[t + i] + k] - p[k]));
    const [a, b, d] = c;
    const [la, lb, ld] = c.map((x) => Math.hypot(x[0], x[1], x[2]));
    const det = a[0] * (b[1] * d[2] - b[2] * d[1]) - a[1] * (b[0] * d[2] - b[2] * d[0]) + a[2] * (b[0] * d[1] - b[1] * d[0]);
    const dot = (x: number[], y: number[]) => x[0] * y[0] + x[1] * y[1] + x[2] * y[2];
    sum += 2 * Math.atan2(det, la * lb * ld + dot(a, b) * ld + dot(b, d) * la + dot(d, a) * lb);
  }
  return sum / (4 * Math.PI);
}
export const insideBox = (b: Box, p: Vec3, by: number): boolean => [0, 1, 2].every((k) => p[k] >= b.min[k] - by && p[k] <= b.max[k] + by);
