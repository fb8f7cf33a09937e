import { evaluateGrid, evaluateSurface, knotRuns, type NurbsSurface, surfaceNormal } from '../nurbs/index.ts';

/** A block of cells of a surface's grid; a leaf is one cell. */
export interface Cell {
  readonly i0: number;
  readonly i1: number;
  readonly j0: number;
  readonly j1: number;
  /** Least and largest x, y, z. */
  readonly box: Float64Array;
  /** Cone of normals: unit axis and half angle. */
  readonly axis: Float64Array;
  readonly spread: number;
  readonly kids?: readonly [Cell, Cell];
  /** Leaves: 3 x 3 places, and how far the surface may lie beyond them. */
  readonly places?: Float64Array;
  readonly sag?: number;
}
/** A surface in cells of about 0.2 rad of turning, in a tree, for finding what may meet it. */
export interface CellTree {
  readonly surface: NurbsSurface;
  readonly us: Float64Array;
  readonly vs: Float64Array;
  readonly root: Cell;
  readonly domain: readonly [number, number, number, number];
  /** Diagonal of the box, mm. */
  readonly size: number;
  /** Sides u start, u end, v start, v end that are one point. */
  readonly pole: readonly boolean[];
}
const TURNING = 0.22;
const trees = new WeakMap<NurbsSurface, CellTree>();
const jet = new Float64Array(12);

/** Division of one direction: at the knots, and finer where tangent or normal turn. */
function division(s: NurbsSurface, alongU: boolean): Float64Array {
  const { values } = knotRuns(alongU ? s.knotsU : s.knotsV, alongU ? s.degreeU : s.degreeV);
  const across = knotRuns(alongU ? s.knotsV : s.knotsU, alongU ? s.degreeV : s.degreeU).values;
  const [c, d] = [across[0], across[across.length - 1]];
  const out: number[] = [values[0]];
  const now = new Float64Array(6);
  const before = new Float64Array(6);
  for (let k = 0; k + 1 < values.length; k++) {
    let most = 0;
    for (let line = 0; line < 5; line++) {
      const w = c + ((d - c) * (line + 0.37)) / 5;
      let turn = 0;
      for (let i = 0; i <= 6; i++) {
        const t = values[k] + ((values[k + 1] - values[k]) * (i + 0.001)) / 6.002;
        evaluateSurface(s, alongU ? t : w, alongU ? w : t, 1, jet);
        directions(alongU ? 6 : 3, now);
        if (i)
          turn += Math.max(
            Math.hypot(now[0] - before[0], now[1] - before[1], now[2] - before[2]),
            Math.hypot(now[3] - before[3], now[4] - before[4], now[5] - before[5]),
          );
        before.set(now);
      }
      most = Math.max(most, turn);
    }
    const n = Math.max(1, Math.min(24, Math.ceil(most / TURNING)));
    for (let i = 1; i <= n; i++) out.push(i === n ? values[k + 1] : values[k] + ((values[k + 1] - values[k]) * i) / n);
  }
  return Float64Array.from(out);
}
/** Unit tangent (from offset `o` of the jet) and unit normal. */
function directions(o: number, out: Float64Array): void {
  const l = Math.hypot(jet[o], jet[o + 1], jet[o + 2]) || 1;
  const nx = jet[7] * jet[5] - jet[8] * jet[4];
  const ny = jet[8] * jet[3] - jet[6] * jet[5];
  const nz = jet[6] * jet[4] - jet[7] * jet[3];
  const h = Math.hypot(nx, ny, nz) || 1;
  for (let d = 0; d < 3; d++) out[d] = jet[o + d] / l;
  out[3] = nx / h;
  out[4] = ny / h;
  out[5] = nz / h;
}

/** Cells of a surface; kept for as long as the surface lives. Boxes hold sampled places widened by their sag. */
export function cellsOf(s: NurbsSurface): CellTree {
  let tree = trees.get(s);
  if (!tree) trees.set(s, (tree = grow(s)));
  return tree;
}

function grow(s: NurbsSurface): CellTree {
  const [us, vs] = [division(s, true), division(s, false)];
  if (!s.control.every(Number.isFinite) || us.length < 2 || vs.length < 2) throw new Error('a surface has numbers that are none');
  const halved = (a: Float64Array) =>
    Float64Array.from({ length: 2 * a.length - 1 }, (_, i) => (i % 2 ? (a[i >> 1] + a[(i >> 1) + 1]) / 2 : a[i >> 1]));
  const [fu, fv] = [halved(us), halved(vs)];
  const nv = fv.length;
  const points = new Float64Array(fu.length * nv * 3);
  const normals = new Float64Array(fu.length * nv * 3);
  evaluateGrid(s, fu, fv, points, normals);
  const at = (i: number, j: number) => (i * nv + j) * 3;
  for (let i = 0; i < fu.length; i++)
    for (let j = 0; j < nv; j++) {
      const o = at(i, j);
      if (!normals[o] && !normals[o + 1] && !normals[o + 2]) normals.set(surfaceNormal(s, fu[i], fv[j]), o);
    }
  const leaf = (i: number, j: number): Cell => {
    const box = Float64Array.of(Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity);
    const places = new Float64Array(27);
    const axis = new Float64Array(3);
    const corner = [at(2 * i, 2 * j), at(2 * i, 2 * j + 2), at(2 * i + 2, 2 * j), at(2 * i + 2, 2 * j + 2)];
    let sag = 0;
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) {
        const o = at(2 * i + a, 2 * j + b);
        let e = 0;
        for (let d = 0; d < 3; d++) {
          const x = points[o + d];
          places[(3 * a + b) * 3 + d] = x;
          box[d] = Math.min(box[d], x);
          box[3 + d] = Math.max(box[3 + d], x);
          axis[d] += normals[o + d];
          const flat =
            ((2 - a) * ((2 - b) * points[corner[0] + d] + b * points[corner[1] + d]) +
              a * ((2 - b) * points[corner[2] + d] + b * points[corner[3] + d])) /
            4;
          e += (x - flat) ** 2;
        }
        sag = Math.max(sag, e);
      }
    const l = Math.hypot(axis[0], axis[1], axis[2]) || 1;
    for (let d = 0; d < 3; d++) axis[d] /= l;
    let least = 1;
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) {
        const o = at(2 * i + a, 2 * j + b);
        least = Math.min(least, normals[o] * axis[0] + normals[o + 1] * axis[1] + normals[o + 2] * axis[2]);
      }
    const pad = 0.6 * Math.sqrt(sag) + 1e-7;
    for (let d = 0; d < 3; d++) {
      box[d] -= pad;
      box[3 + d] += pad;
    }
    return { i0: i, i1: i + 1, j0: j, j1: j + 1, box, axis, spread: 1.3 * Math.acos(Math.max(-1, least)) + 1e-3, places, sag: pad };
  };
  const build = (i0: number, i1: number, j0: number, j1: number): Cell => {
    if (i1 - i0 === 1 && j1 - j0 === 1) return leaf(i0, j0);
    const inU = i1 - i0 >= j1 - j0;
    const m = inU ? (i0 + i1) >> 1 : (j0 + j1) >> 1;
    const a = inU ? build(i0, m, j0, j1) : build(i0, i1, j0, m);
    const b = inU ? build(m, i1, j0, j1) : build(i0, i1, m, j1);
    return { i0, i1, j0, j1, ...around(a, b), kids: [a, b] };
  };
  const root = build(0, us.length - 1, 0, vs.length - 1);
  const size = Math.hypot(root.box[3] - root.box[0], root.box[4] - root.box[1], root.box[5] - root.box[2]);
  const isPoint = (side: number): boolean => {
    const count = side < 2 ? nv : fu.length;
    const place = (i: number) => (side === 0 ? at(0, i) : side === 1 ? at(fu.length - 1, i) : side === 2 ? at(i, 0) : at(i, nv - 1));
    for (let i = 1; i < count; i++) {
      const [o, p] = [place(i), place(0)];
      if (Math.hypot(points[o] - points[p], points[o + 1] - points[p + 1], points[o + 2] - points[p + 2]) > 1e-8 * size) return false;
    }
    return true;
  };
  return {
    surface: s,
    us,
    vs,
    root,
    domain: [us[0], us[us.length - 1], vs[0], vs[vs.length - 1]],
    size,
    pole: [0, 1, 2, 3].map(isPoint),
  };
}
/** Box and cone round those of two cells. */
function around(a: Cell, b: Cell): Pick<Cell, 'box' | 'axis' | 'spread'> {
  const box = new Float64Array(6);
  for (let d = 0; d < 3; d++) {
    box[d] = Math.min(a.box[d], b.box[d]);
    box[3 + d] = Math.max(a.box[3 + d], b.box[3 + d]);
  }
  const [x, y, z] = [0, 1, 2].map((d) => a.axis[d] + b.axis[d]);
  const l = Math.hypot(x, y, z);
  if (l < 1e-9) return { box, axis: a.axis, spread: Math.PI };
  const axis = Float64Array.of(x / l, y / l, z / l);
  const reach = (c: Cell) =>
    Math.acos(Math.max(-1, Math.min(1, c.axis[0] * axis[0] + c.axis[1] * axis[1] + c.axis[2] * axis[2]))) + c.spread;
  return { box, axis, spread: Math.max(reach(a), reach(b)) };
}

export const boxesMeet = (a: Float64Array, b: Float64Array): boolean =>
  a[0] <= b[3] && b[0] <= a[3] && a[1] <= b[4] && b[1] <= a[4] && a[2] <= b[5] && b[2] <= a[5];
const girth = (b: Float64Array) => b[3] - b[0] + b[4] - b[1] + b[5] - b[2];
/** Slabs across a normal: they tell two nearly parallel sheets apart where boxes cannot. */
function slabsApart(x: Cell, y: Cell, n: Float64Array): boolean {
  const [p, q] = [x.places as Float64Array, y.places as Float64Array];
  let a0 = Infinity;
  let a1 = -Infinity;
  let b0 = Infinity;
  let b1 = -Infinity;
  for (let i = 0; i < 27; i += 3) {
    const a = p[i] * n[0] + p[i + 1] * n[1] + p[i + 2] * n[2];
    const b = q[i] * n[0] + q[i + 1] * n[1] + q[i + 2] * n[2];
    if (a < a0) a0 = a;
    if (a > a1) a1 = a;
    if (b < b0) b0 = b;
    if (b > b1) b1 = b;
  }
  const pad = (x.sag as number) + (y.sag as number);
  return a0 > b1 + pad || b0 > a1 + pad;
}
/** Pairs of leaves that may meet. */
export function meetingCells(a: CellTree, b: CellTree): [Cell, Cell][] {
  const out: [Cell, Cell][] = [];
  const go = (x: Cell, y: Cell): void => {
    if (!boxesMeet(x.box, y.box)) return;
    if (!x.kids && !y.kids) {
      if (!slabsApart(x, y, x.axis) && !slabsApart(x, y, y.axis)) out.push([x, y]);
    } else if (x.kids && (!y.kids || girth(x.box) >= girth(y.box))) {
      go(x.kids[0], y);
      go(x.kids[1], y);
    } else if (y.kids) {
      go(x, y.kids[0]);
      go(x, y.kids[1]);
    }
  };
  go(a.root, b.root);
  return out;
}
/** Leaves whose boxes meet a box. */
export function cellsIn(tree: CellTree, box: Float64Array): Cell[] {
  const out: Cell[] = [];
  const go = (x: Cell): void => {
    if (!boxesMeet(x.box, box)) return;
    if (x.kids) x.kids.forEach(go);
    else out.push(x);
  };
  go(tree.root);
  return out;
}
/** May both cones hold parallel or opposite normals? */
export function mayBeParallel(x: Cell, y: Cell): boolean {
  const c = Math.abs(x.axis[0] * y.axis[0] + x.axis[1] * y.axis[1] + x.axis[2] * y.axis[2]);
  return Math.acos(Math.min(1, c)) < x.spread + y.spread;
}
export const middleOf = (t: CellTree, c: Cell): [number, number] => [(t.us[c.i0] + t.us[c.i1]) / 2, (t.vs[c.j0] + t.vs[c.j1]) / 2];

/** Foot of a place on a surface by Newton's method from the cells around it: u, v and the distance. Near places only. */
export function footNear(t: CellTree, x: ArrayLike<number>, reach = 1e-4): readonly [number, number, number] | undefined {
  const box = Float64Array.of(x[0] - reach, x[1] - reach, x[2] - reach, x[0] + reach, x[1] + reach, x[2] + reach);
  let best: [number, number, number] | undefined;
  for (const cell of cellsIn(t, box)) {
    let [u, v] = middleOf(t, cell);
    for (let k = 0; k < 12; k++) {
      evaluateSurface(t.surface, u, v, 1, jet);
      const E = jet[6] * jet[6] + jet[7] * jet[7] + jet[8] * jet[8];
      const F = jet[6] * jet[3] + jet[7] * jet[4] + jet[8] * jet[5];
      const G = jet[3] * jet[3] + jet[4] * jet[4] + jet[5] * jet[5];
      const D = E * G - F * F;
      if (!(D > 1e-14 * E * G)) break;
      const a = (x[0] - jet[0]) * jet[6] + (x[1] - jet[1]) * jet[7] + (x[2] - jet[2]) * jet[8];
      const b = (x[0] - jet[0]) * jet[3] + (x[1] - jet[1]) * jet[4] + (x[2] - jet[2]) * jet[5];
      const du = (a * G - b * F) / D;
      const dv = (b * E - a * F) / D;
      u = Math.min(t.domain[1], Math.max(t.domain[0], u + du));
      v = Math.min(t.domain[3], Math.max(t.domain[2], v + dv));
      if (Math.abs(du) < 1e-14 * (t.domain[1] - t.domain[0]) && Math.abs(dv) < 1e-14 * (t.domain[3] - t.domain[2])) break;
    }
    evaluateSurface(t.surface, u, v, 0, jet);
    const d = Math.hypot(jet[0] - x[0], jet[1] - x[1], jet[2] - x[2]);
    if (!best || d < best[2]) best = [u, v, d];
    if (d < 1e-9) break;
  }
  return best;
}
