import { cross, type Vec3 } from '../math/index.ts';
import { pointOf } from './cage.ts';
import { fanOf } from './shape.ts';
import { type Refinable, sharperNext } from './subdivide.ts';

/** Where a vertex goes when it is refined without end, and the outward normal there. */
export interface Limit {
  readonly point: Vec3;
  /** Unit normal of every sector between sharp edges, in the order of the faces round the vertex; one for a smooth vertex. */
  readonly normals: readonly Vec3[];
  /** Sector of every face round the vertex, in the order of `fanOf`. */
  readonly sectorOf: readonly number[];
}

/** One vertex with what stands round it: the ends of its edges, and the far corners of its faces (quads). */
interface Ring {
  readonly closed: boolean;
  v: Float64Array;
  readonly ends: Float64Array[];
  readonly far: Float64Array[];
  /** Of every edge; a border is full. */
  readonly sharp: number[];
  pin: number;
}
const STEPS = 40;

/**
 * The limit of one vertex: one step from the cage's own faces (which may have any number of corners), more while edges or the vertex keep some
 * but not all of their sharpness, then the limit masks. Smooth: Halstead, Kass and DeRose (1993). Crease and border: that of the cubic, its
 * tangent across by the eigenvector of a fan of twice as many faces. A crease that ends here (a dart) has no closed mask: it is refined on.
 */
export function vertexLimit(c: Refinable, v: number): Limit {
  const fan = fanOf(c.shape, v);
  if (!fan.length) return { point: pointOf(c.points, v), normals: [[0, 0, 1]], sectorOf: [] };
  const ring = firstStep(c, v, fan);
  while (ring.sharp.some((s) => s > 0 && s < Infinity) || (ring.pin > 0 && ring.pin < Infinity)) step(ring);
  const n = ring.far.length;
  const full = ring.sharp.flatMap((s, i) => (s > 0 ? [i] : []));
  const held = ring.pin > 0 || full.length > 2 || (full.length === 2 && !ring.closed && n === 1);
  if (full.length === 1 || (held && full.length < 2)) return onward(ring, n);
  if (!full.length) {
    const point = sum(
      ring,
      n * n,
      () => 4,
      () => 1,
      1 / (n * (n + 5)),
    );
    const [a, b] = [0, 1].map((k) => smoothTangent(ring, n, k));
    return { point, normals: [unitOf(cross(a, b))], sectorOf: Array(n).fill(0) };
  }
  const [first, last] = [full[0], full[full.length - 1]];
  const [p, q] = ring.closed ? [ring.ends[first], ring.ends[full[1] ?? last]] : [ring.ends[0], ring.ends[ring.ends.length - 1]];
  const at = (k: number) => (held ? ring.v[k] : (4 * ring.v[k] + p[k] + q[k]) / 6);
  const point: Vec3 = [at(0), at(1), at(2)];
  const sectorOf = Array<number>(n).fill(0);
  const normals: Vec3[] = [];
  const spokes = ring.ends.length;
  full.forEach((from, i) => {
    const to = full[i + 1] ?? (ring.closed ? full[0] + spokes : undefined);
    if (to === undefined) return;
    for (let k = from; k < to; k++) sectorOf[k % n] = normals.length;
    normals.push(sectorNormal(ring, from, to - from, held));
  });
  return { point, normals, sectorOf };
}

/** A ring after the first step, taken from the cage itself. */
function firstStep(c: Refinable, v: number, fan: readonly number[]): Ring {
  const { shape: s, points } = c;
  const closed = s.twin[s.out[v]] >= 0;
  const here = Float64Array.from(pointOf(points, v));
  const middles = fan.map((h) => {
    const f = s.face[h];
    const [a, b] = [s.faceStart[f], s.faceStart[f + 1]];
    const m = new Float64Array(3);
    for (let i = a; i < b; i++) for (let k = 0; k < 3; k++) m[k] += points[3 * s.corners[i] + k] / (b - a);
    return m;
  });
  const halves = [...fan, ...(closed ? [] : [s.prev[fan[fan.length - 1]]])];
  const ends = halves.map((h, i) => Float64Array.from(pointOf(points, i < fan.length ? s.corners[s.next[h]] : s.corners[h])));
  const sharp = halves.map((h) => (s.twin[h] < 0 ? Infinity : c.sharpness[s.edgeOf[h]]));
  const ring: Ring = { closed, v: here, ends, far: middles, sharp, pin: c.pins[v] };
  stepFrom(ring, middles);
  return ring;
}
/** One step of refinement of a ring of quads. */
function step(r: Ring): void {
  const n = r.far.length;
  const middles = r.far.map((f, i) => {
    const [a, b] = [r.ends[i], r.ends[(i + 1) % r.ends.length]];
    const m = new Float64Array(3);
    for (let k = 0; k < 3; k++) m[k] = (r.v[k] + a[k] + f[k] + b[k]) / 4;
    return m;
  });
  for (let i = 0; i < n; i++) r.far[i] = middles[i];
  stepFrom(r, middles);
}
function stepFrom(r: Ring, middles: readonly Float64Array[]): void {
  const n = middles.length;
  const { v, ends, sharp, closed } = r;
  const moved = ends.map((e, i) => {
    const w = Math.min(1, sharp[i]);
    const [f, g] = closed ? [middles[(i + n - 1) % n], middles[i]] : [middles[Math.max(0, i - 1)], middles[Math.min(n - 1, i)]];
    const out = new Float64Array(3);
    for (let k = 0; k < 3; k++) out[k] = (w * (v[k] + e[k])) / 2 + (w < 1 ? ((1 - w) * (v[k] + e[k] + f[k] + g[k])) / 4 : 0);
    return out;
  });
  const marked = sharp.flatMap((s, i) => (s > 0 ? [i] : []));
  const mean = marked.reduce((s, i) => s + sharp[i], 0) / Math.max(1, marked.length);
  const weight = marked.length < 2 ? 0 : Math.min(1, mean);
  const pinned = Math.min(1, r.pin);
  const corner = marked.length > 2 || (marked.length === 2 && !closed && n === 1);
  const at = new Float64Array(3);
  for (let k = 0; k < 3; k++) {
    let smooth = 0;
    if (weight < 1) {
      let [e, f] = [0, 0];
      for (const x of ends) e += x[k];
      for (const x of middles) f += x[k];
      smooth = ((n - 2) / n) * v[k] + (e + f) / (n * n);
    }
    const crease = marked.length < 2 ? 0 : corner ? v[k] : 0.75 * v[k] + 0.125 * (ends[marked[0]][k] + ends[marked[1]][k]);
    at[k] = pinned * v[k] + (1 - pinned) * (weight * crease + (1 - weight) * smooth);
  }
  r.v = at;
  for (let i = 0; i < ends.length; i++) {
    ends[i] = moved[i];
    sharp[i] = sharp[i] === Infinity ? Infinity : sharperNext(sharp[i]);
  }
  r.pin = r.pin === Infinity ? Infinity : sharperNext(r.pin);
}

function sum(r: Ring, ofV: number, ofEnd: (i: number) => number, ofFar: (i: number) => number, scale: number): Vec3 {
  const at = (k: number) => {
    let s = ofV * r.v[k];
    for (let i = 0; i < r.ends.length; i++) s += ofEnd(i) * r.ends[i][k];
    for (let i = 0; i < r.far.length; i++) s += ofFar(i) * r.far[i][k];
    return s * scale;
  };
  return [at(0), at(1), at(2)];
}
/** Weight of the edge ends against the far corners in the tangents of a smooth vertex. */
export const spokeWeight = (n: number): number => {
  const c = Math.cos((2 * Math.PI) / n);
  return 1 + c + Math.cos(Math.PI / n) * Math.sqrt(2 * (9 + c));
};
function smoothTangent(r: Ring, n: number, quarter: number): Vec3 {
  const A = spokeWeight(n);
  const wave = (i: number) => (quarter ? Math.sin((2 * Math.PI * i) / n) : Math.cos((2 * Math.PI * i) / n));
  return sum(
    r,
    0,
    (i) => A * wave(i),
    (i) => wave(i) + wave(i + 1),
    1,
  );
}
/** Second largest eigenvalue of a smooth vertex of n faces. */
export function subdominant(n: number): number {
  const c = Math.cos((2 * Math.PI) / n);
  return (5 + c + Math.sqrt((c + 9) * (c + 1))) / 16;
}

/** Normal of the sector of `k` faces from edge `from` on, both its outer edges full. */
function sectorNormal(r: Ring, from: number, k: number, held: boolean): Vec3 {
  const [m, n] = [r.ends.length, r.far.length];
  const end = (i: number) => r.ends[(from + i) % m];
  const far = (i: number) => r.far[(from + i) % n];
  const less = (a: Float64Array, b: Float64Array): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
  const [start, stop] = [less(end(0), r.v), less(end(k), r.v)];
  if (held) {
    const normal = cross(start, stop);
    const flat = Math.hypot(...normal) <= 1e-9 * Math.hypot(...start) * Math.hypot(...stop);
    // edges in one line: what stands between them tells the side
    return unitOf(flat ? cross(start, across(r.v, end, far, k)) : convex(normal, start, across(r.v, end, far, k)));
  }
  return unitOf(cross(less(end(0), end(k)), across(r.v, end, far, k)));
}
/** A sector that opens by more than half a turn has its normal on the other side of its edges' product. */
const convex = (normal: Vec3, start: Vec3, inside: Vec3): Vec3 => {
  const through = cross(start, inside);
  return normal[0] * through[0] + normal[1] * through[1] + normal[2] * through[2] < 0 ? [-normal[0], -normal[1], -normal[2]] : normal;
};
/**
 * Direction into a sector from its crease: the left eigenvector of the fan's refinement whose eigenvalue is that of a smooth vertex of 2k faces,
 * A sin(i pi/k) on the edges inside and sin(i pi/k) + sin((i+1) pi/k) on the far corners; what the two outer edges and the vertex have follows
 * from its equations. A sector of one face is squeezed flat there: its far corner tells the way, drawn on by two steps.
 */
function across(v: Float64Array, end: (i: number) => Float64Array, far: (i: number) => Float64Array, k: number): Vec3 {
  const out: [number, number, number] = [0, 0, 0];
  const put = (w: number, p: Float64Array) => {
    for (let d = 0; d < 3; d++) out[d] += w * p[d];
  };
  if (k === 1) {
    put(1, far(0));
    put(-1, v);
    for (const e of [end(0), end(1)]) {
      put(1, e);
      put(-1, v);
    }
    return out;
  }
  const t = Math.PI / k;
  const A = spokeWeight(2 * k);
  const l = subdominant(2 * k);
  const total = 1 / Math.tan(t / 2);
  // (l - 1/2) a - b/8 = p,  -a + (l - 3/4) b = q
  const [p, q] = [Math.sin(t) * (A / 16 + 0.25), ((3 * A) / 8 + 0.5) * total];
  const det = (l - 0.5) * (l - 0.75) - 0.125;
  const a = (p * (l - 0.75) + q / 8) / det;
  const b = ((l - 0.5) * q + p) / det;
  put(b, v);
  put(a, end(0));
  put(a, end(k));
  for (let i = 1; i < k; i++) put(A * Math.sin(i * t), end(i));
  for (let i = 0; i < k; i++) put(Math.sin(i * t) + Math.sin((i + 1) * t), far(i));
  return out;
}
/** Refined on until it stands: for what has no mask. */
function onward(r: Ring, n: number): Limit {
  const still: Ring = { ...r, v: r.v.slice(), ends: r.ends.map((e) => e.slice()), far: r.far.map((e) => e.slice()), sharp: [...r.sharp] };
  for (let i = 0; i < 2 * STEPS; i++) step(still);
  for (let i = 0; i < STEPS; i++) {
    step(r);
    // kept in size about the vertex, or the directions drown in rounding
    for (const list of [r.ends, r.far]) for (const p of list) for (let k = 0; k < 3; k++) p[k] = r.v[k] + 1.9 * (p[k] - r.v[k]);
  }
  const normal: [number, number, number] = [0, 0, 0];
  const m = r.ends.length;
  for (let i = 0; i < n; i++) {
    const [a, b] = [r.ends[i], r.ends[(i + 1) % m]];
    const x = cross([a[0] - r.v[0], a[1] - r.v[1], a[2] - r.v[2]], [b[0] - r.v[0], b[1] - r.v[1], b[2] - r.v[2]]);
    for (let k = 0; k < 3; k++) normal[k] += x[k];
  }
  return { point: [still.v[0], still.v[1], still.v[2]], normals: [unitOf(normal)], sectorOf: Array(n).fill(0) };
}
function unitOf(v: readonly number[]): Vec3 {
  const l = Math.hypot(v[0], v[1], v[2]);
  return l > 0 ? [v[0] / l, v[1] / l, v[2] / l] : [0, 0, 1];
}
