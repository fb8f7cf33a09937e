import {
  cross,
  dot,
  type Frame,
  length,
  scale,
  smallestEigenvector,
  solveDense,
  sub,
  symmetric3,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import { evaluateSurface, type NurbsSurface } from '../nurbs/index.ts';

/**
 * What a patch is built over: a chart (x, y, z) -> B(x, y) + z D(x, y). A plane for openings seen square on, a ball or ellipsoid for those
 * that turn far, two splines for all others. Derivatives up to the third, at 10 places: 1, x, y, xx, xy, yy, xxx, xxy, xyy, yyy.
 */
export interface Base {
  readonly kind: 'plane' | 'central' | 'spline';
  /** Ten derivatives of B (30 numbers), then ten of D (30). */
  at(x: number, y: number, out: Float64Array): void;
  /** Chart coordinates of a point; `near` where to begin. */
  inverse(p: Vec3, near?: readonly [number, number]): Vec3 | undefined;
  /** Weight of the rational form at (x, y): the patch times this is (nearly) polynomial. */
  weight(x: number, y: number): number;
  readonly rational: boolean;
  /** The chart's own length unit at its middle, mm for one of x. */
  readonly scale: number;
}
/** The ten derivatives up to the third: how often by x, how often by y. */
export const ORDERS = [
  [0, 0],
  [1, 0],
  [0, 1],
  [2, 0],
  [1, 1],
  [0, 2],
  [3, 0],
  [2, 1],
  [1, 2],
  [0, 3],
] as const;

export function planeBase(f: Frame): Base {
  return {
    kind: 'plane',
    rational: false,
    scale: 1,
    weight: () => 1,
    at(x, y, out) {
      out.fill(0);
      for (let d = 0; d < 3; d++) {
        out[d] = f.origin[d] + x * f.x[d] + y * f.y[d];
        out[3 + d] = f.x[d];
        out[6 + d] = f.y[d];
        out[30 + d] = f.z[d];
      }
    },
    inverse: (p) => toLocal(f, p),
  };
}

/** A ball or ellipsoid: centre, and the map of the unit ball (columns x, y, z; z towards the middle of the opening). */
export interface Quadric {
  readonly centre: Vec3;
  readonly axes: readonly [Vec3, Vec3, Vec3];
}
/** Stereographic chart of a quadric from the pole opposite its z; one of x is one mm at that pole of a ball of the radius `R`. */
export function centralBase(q: Quadric, R: number): Base {
  const { centre: c, axes } = q;
  const num = new Float64Array(60);
  const w = new Float64Array(10);
  const inverse = inverse3(axes);
  return {
    kind: 'central',
    rational: true,
    scale: 1,
    weight: (x, y) => 1 + (x * x + y * y) / (4 * R * R),
    at(x, y, out) {
      const k = 1 / (4 * R * R);
      // homogeneous: s w = (x / R, y / R, 1 - rho), w = 1 + rho, rho = (x² + y²) / 4R²
      const rho = (x * x + y * y) * k;
      w.fill(0);
      w[0] = 1 + rho;
      w[1] = 2 * x * k;
      w[2] = 2 * y * k;
      w[3] = w[5] = 2 * k;
      num.fill(0);
      const put = (o: number, a: number, b: number, e: number) => {
        for (let d = 0; d < 3; d++) num[3 * o + d] = axes[0][d] * a + axes[1][d] * b + axes[2][d] * e;
      };
      put(0, x / R, y / R, 1 - rho);
      put(1, 1 / R, 0, -2 * x * k);
      put(2, 0, 1 / R, -2 * y * k);
      put(3, 0, 0, -2 * k);
      put(5, 0, 0, -2 * k);
      quotient(num, w, out);
      // D = M s / R, B = c + M s
      for (let i = 0; i < 30; i++) out[30 + i] = out[i] / R;
      for (let d = 0; d < 3; d++) out[d] += c[d];
    },
    inverse(p) {
      const r = sub(p, c);
      const s: Vec3 = [dot(inverse[0], r), dot(inverse[1], r), dot(inverse[2], r)];
      const l = length(s);
      if (!(l > 1e-12) || !(1 + s[2] / l > 1e-9)) return undefined;
      // x = 2R s_x / (1 + s_z)
      const f = (2 * R) / (1 + s[2] / l) / l;
      return [s[0] * f, s[1] * f, R * (l - 1)];
    },
  };
}
/** Derivatives of num / w up to the third, three coordinates. */
function quotient(num: Float64Array, w: Float64Array, out: Float64Array): void {
  const index = (i: number, j: number) => {
    const n = i + j;
    return (n * (n + 1)) / 2 + j;
  };
  const binomial = (n: number, k: number) => (k === 0 || k === n ? 1 : n === 2 ? 2 : 3);
  ORDERS.forEach(([i, j], o) => {
    for (let d = 0; d < 3; d++) {
      let v = num[3 * o + d];
      for (let a = 0; a <= i; a++)
        for (let b = 0; b <= j; b++) {
          if (a + b === 0) continue;
          const wk = w[index(a, b)];
          if (wk !== 0) v -= binomial(i, a) * binomial(j, b) * wk * out[3 * index(i - a, j - b) + d];
        }
      out[3 * o + d] = v / w[0];
    }
  });
}
/** Rows of the inverse of the matrix with the given columns. */
function inverse3(m: readonly [Vec3, Vec3, Vec3]): readonly [Vec3, Vec3, Vec3] {
  const det = dot(m[0], cross(m[1], m[2]));
  return [scale(cross(m[1], m[2]), 1 / det), scale(cross(m[2], m[0]), 1 / det), scale(cross(m[0], m[1]), 1 / det)];
}

/** Two polynomial surfaces over one range: the base and its directions. */
export function splineBase(base: NurbsSurface, directions: NurbsSurface, size: number): Base {
  const jet = new Float64Array(48);
  const fill = (s: NurbsSurface, x: number, y: number, out: Float64Array, at: number) => {
    evaluateSurface(s, x, y, 3, jet);
    ORDERS.forEach(([i, j], o) => {
      for (let d = 0; d < 3; d++) out[at + 3 * o + d] = jet[3 * (4 * i + j) + d];
    });
  };
  const own = new Float64Array(60);
  const base60 = (x: number, y: number, out: Float64Array) => {
    fill(base, x, y, out, 0);
    fill(directions, x, y, out, 30);
  };
  const [x0, x1] = [base.knotsU[0], base.knotsU[base.knotsU.length - 1]];
  const [y0, y1] = [base.knotsV[0], base.knotsV[base.knotsV.length - 1]];
  return {
    kind: 'spline',
    rational: false,
    scale: size,
    weight: () => 1,
    at: base60,
    inverse(p, near) {
      if (!near) return undefined;
      let [x, y, z] = [near[0], near[1], 0];
      for (let k = 0; k < 25; k++) {
        base60(x, y, own);
        const r = [0, 1, 2].map((d) => p[d] - own[d] - z * own[30 + d]);
        const A = new Float64Array(9);
        for (let d = 0; d < 3; d++) {
          A[3 * d] = own[3 + d] + z * own[33 + d];
          A[3 * d + 1] = own[6 + d] + z * own[36 + d];
          A[3 * d + 2] = own[30 + d];
        }
        const B = Float64Array.from(r);
        if (!solveDense(A, B, 3, 1)) return undefined;
        x = Math.min(x1, Math.max(x0, x + B[0]));
        y = Math.min(y1, Math.max(y0, y + B[1]));
        z += B[2];
        if (Math.abs(B[0]) + Math.abs(B[1]) < 1e-14 * (x1 - x0 + y1 - y0) && Math.abs(B[2]) < 1e-13) return [x, y, z];
      }
      base60(x, y, own);
      const off = Math.hypot(...[0, 1, 2].map((d) => p[d] - own[d] - z * own[30 + d]));
      return off < 1e-9 ? [x, y, z] : undefined;
    },
  };
}

/** The ball that points with normals lie on best: sum |P - s n - c|² (linear). `spread`: largest miss of place (mm) and of normal. */
export function ballThrough(points: readonly Vec3[], normals: readonly Vec3[]): { centre: Vec3; radius: number; miss: number } | undefined {
  const A = new Float64Array(16);
  const B = new Float64Array(4);
  points.forEach((p, i) => {
    const n = normals[i];
    for (let d = 0; d < 3; d++) {
      A[4 * d + d] += 1;
      A[4 * d + 3] += n[d];
      A[12 + d] += n[d];
      B[d] += p[d];
    }
    A[15] += 1;
    B[3] += dot(p, n);
  });
  if (!solveDense(A, B, 4, 1)) return undefined;
  const centre: Vec3 = [B[0], B[1], B[2]];
  if (!Number.isFinite(B[3]) || Math.abs(B[3]) < 1e-9) return undefined;
  const miss = points.reduce((m, p, i) => Math.max(m, length(sub(sub(p, scale(normals[i], B[3])), centre))), 0);
  return { centre, radius: B[3], miss };
}
/** Axes of a ball with z towards a direction. */
export function ballAxes(radius: number, towards: Vec3): readonly [Vec3, Vec3, Vec3] {
  const z = unit(towards);
  const x = unit(Math.abs(z[0]) < 0.8 ? cross([1, 0, 0], z) : cross([0, 1, 0], z));
  return [scale(x, radius), scale(cross(z, x), radius), scale(z, radius)];
}

/**
 * The ellipsoid that passes through points square to normals: the quadric x'Ax + b'x = 1 in coordinates about a centre, least squares on
 * places and tangents. Undefined when what fits best is no ellipsoid.
 */
export function ellipsoidThrough(
  points: readonly Vec3[],
  normals: readonly Vec3[],
): { quadric: Quadric; miss: number; lean: number } | undefined {
  const middle = scale(
    points.reduce<Vec3>((s, p) => [s[0] + p[0], s[1] + p[1], s[2] + p[2]], [0, 0, 0]),
    1 / points.length,
  );
  const size = Math.max(...points.map((p) => length(sub(p, middle)))) || 1;
  // unknowns: xx yy zz xy xz yz x y z 1, smallest eigenvector of the normal matrix
  const M = Array.from({ length: 10 }, () => new Float64Array(10));
  const add = (row: readonly number[]) => {
    for (let i = 0; i < 10; i++) for (let j = 0; j < 10; j++) M[i][j] += row[i] * row[j];
  };
  points.forEach((p, i) => {
    const [x, y, z] = scale(sub(p, middle), 1 / size);
    add([x * x, y * y, z * z, x * y, x * z, y * z, x, y, z, 1]);
    const n = normals[i];
    const t = unit(Math.abs(n[0]) < 0.8 ? cross([1, 0, 0], n) : cross([0, 1, 0], n));
    for (const d of [t, cross(n, t)]) {
      // d . gradient = 0
      add([2 * x * d[0], 2 * y * d[1], 2 * z * d[2], y * d[0] + x * d[1], z * d[0] + x * d[2], z * d[1] + y * d[2], d[0], d[1], d[2], 0]);
    }
  });
  const q = smallestEigenvector(M);
  const A = [
    [q[0], q[3] / 2, q[4] / 2],
    [q[3] / 2, q[1], q[5] / 2],
    [q[4] / 2, q[5] / 2, q[2]],
  ];
  const rhs = Float64Array.of(-q[6] / 2, -q[7] / 2, -q[8] / 2);
  if (!solveDense(Float64Array.from(A.flat()), rhs, 3, 1)) return undefined;
  const c: Vec3 = [rhs[0], rhs[1], rhs[2]];
  const k = q[9] + (q[6] * c[0] + q[7] * c[1] + q[8] * c[2]) / 2;
  // (x - c)' A (x - c) = -k
  const { values, axes: vectors } = symmetric3(A.map((r) => r.map((x) => x / -k)));
  if (values.some((v) => !(v > 1e-6))) return undefined;
  const axes = vectors.map((v, i) => scale(v, size / Math.sqrt(values[i]))) as [Vec3, Vec3, Vec3];
  const quadric: Quadric = { centre: [middle[0] + size * c[0], middle[1] + size * c[1], middle[2] + size * c[2]], axes };
  const inverse = inverse3(axes);
  let [miss, lean] = [0, 0];
  points.forEach((p, i) => {
    const r = sub(p, quadric.centre);
    const s = inverse.map((row) => dot(row, r));
    const l = Math.hypot(...s);
    miss = Math.max(miss, (length(r) * Math.abs(l - 1)) / l);
    const g: Vec3 = [0, 1, 2].map((d) => inverse[0][d] * s[0] + inverse[1][d] * s[1] + inverse[2][d] * s[2]) as unknown as Vec3;
    lean = Math.max(lean, length(cross(unit(g), normals[i])));
  });
  return { quadric, miss, lean };
}
