import { solveDense } from '../math/index.ts';
import { evaluateSurface, type NurbsSurface } from '../nurbs/index.ts';
import { type Cell, type CellTree, cellsOf, mayBeParallel, meetingCells, middleOf } from './cells.ts';

/**
 * Where two surfaces meet, by marching in the four parameters at once.
 * Seeds: Newton's method from the middles of cells that may meet (from nine places where their normals may be parallel), and places known
 * beforehand. Step: the point on both tangent planes and on the plane across the curve, taken back to the parameters by the first fundamental
 * form (Barnhill & Kersey 1990; Patrikalakis & Maekawa, Shape Interrogation, ch. 5). Touches: collinear normals (Sederberg et al. 1989).
 */

/** u and v on the first surface, u and v on the second, x, y, z, and the unit tangent of the curve. */
export type Spot = Float64Array;
export const SPOT = 10;
/** How a branch ends: on a border, in itself, where branches cross, in a pole, or where it could not be followed. */
export type BranchEnd = 'border' | 'closed' | 'crossing' | 'pole' | 'touch' | 'lost';
export interface Branch {
  readonly spots: Spot[];
  readonly closed: boolean;
  readonly ends: readonly [BranchEnd, BranchEnd];
}
/** A place with one normal for both surfaces, and their distance along it (mm): zero for a touch or where branches cross. */
export interface Touch {
  readonly spot: Spot;
  readonly gap: number;
}
export interface Meeting {
  readonly branches: readonly Branch[];
  readonly touches: readonly Touch[];
  /** Places where a branch could not be followed. */
  readonly lost: readonly Spot[];
}

const A = new Float64Array(12);
const B = new Float64Array(12);
const N = new Float64Array(6);
const move = new Float64Array(2);
const matrix3 = new Float64Array(9);
const right3 = new Float64Array(3);
const clamp = (x: number, a: number, b: number) => (x < a ? a : x > b ? b : x);
const sizeAt = () => 1 + Math.abs(A[0]) + Math.abs(A[1]) + Math.abs(A[2]);
const gapNow = () => Math.hypot(A[0] - B[0], A[1] - B[1], A[2] - B[2]);

function evaluateBoth(a: NurbsSurface, b: NurbsSurface, x: Spot): void {
  evaluateSurface(a, x[0], x[1], 1, A);
  evaluateSurface(b, x[2], x[3], 1, B);
}
function unitNormal(j: Float64Array, o: number): void {
  const nx = j[7] * j[5] - j[8] * j[4];
  const ny = j[8] * j[3] - j[6] * j[5];
  const nz = j[6] * j[4] - j[7] * j[3];
  const l = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1e-300;
  N[o] = nx / l;
  N[o + 1] = ny / l;
  N[o + 2] = nz / l;
}
/** Both unit normals, and the tangent into the spot; returns the sine of the angle between the normals. */
function normalsInto(x: Spot): number {
  unitNormal(A, 0);
  unitNormal(B, 3);
  const tx = N[1] * N[5] - N[2] * N[4];
  const ty = N[2] * N[3] - N[0] * N[5];
  const tz = N[0] * N[4] - N[1] * N[3];
  const l = Math.sqrt(tx * tx + ty * ty + tz * tz);
  if (l > 0) {
    x[7] = tx / l;
    x[8] = ty / l;
    x[9] = tz / l;
  }
  return l;
}
/** Parameters that move the point of a jet by a vector, in its tangent plane; into `move`. */
function movedBy(j: Float64Array, dx: number, dy: number, dz: number): void {
  const E = j[6] * j[6] + j[7] * j[7] + j[8] * j[8];
  const F = j[6] * j[3] + j[7] * j[4] + j[8] * j[5];
  const G = j[3] * j[3] + j[4] * j[4] + j[5] * j[5];
  const D = E * G - F * F;
  const a = dx * j[6] + dy * j[7] + dz * j[8];
  const b = dx * j[3] + dy * j[4] + dz * j[5];
  if (D > 1e-14 * E * G) {
    move[0] = (a * G - b * F) / D;
    move[1] = (b * E - a * F) / D;
  } else {
    move[0] = E > G ? a / E : 0;
    move[1] = E > G ? 0 : b / G;
  }
}
const target = new Float64Array(3);
/** Point on both tangent planes and on the plane through q across t, into `target`; false where the three do not meet well. */
function threePlanes(q0: number, q1: number, q2: number, t0: number, t1: number, t2: number): boolean {
  const d1 = N[0] * A[0] + N[1] * A[1] + N[2] * A[2];
  const d2 = N[3] * B[0] + N[4] * B[1] + N[5] * B[2];
  const d3 = t0 * q0 + t1 * q1 + t2 * q2;
  const cx = N[1] * N[5] - N[2] * N[4];
  const cy = N[2] * N[3] - N[0] * N[5];
  const cz = N[0] * N[4] - N[1] * N[3];
  const det = cx * t0 + cy * t1 + cz * t2;
  if (!(Math.abs(det) > 1e-9)) return false;
  target[0] = (d1 * (N[4] * t2 - N[5] * t1) + d2 * (t1 * N[2] - t2 * N[1]) + d3 * cx) / det;
  target[1] = (d1 * (N[5] * t0 - N[3] * t2) + d2 * (t2 * N[0] - t0 * N[2]) + d3 * cy) / det;
  target[2] = (d1 * (N[3] * t1 - N[4] * t0) + d2 * (t0 * N[1] - t1 * N[0]) + d3 * cz) / det;
  return true;
}

/** Newton's method on both surfaces and the plane through q across t, from the spot and into it; returns the distance left (mm). */
export function correctSpot(a: CellTree, b: CellTree, x: Spot, q: ArrayLike<number>, t: ArrayLike<number>, rounds = 10): number {
  const [q0, q1, q2, t0, t1, t2] = [q[0], q[1], q[2], t[0], t[1], t[2]];
  let off = Infinity;
  for (let k = 0; k < rounds; k++) {
    evaluateBoth(a.surface, b.surface, x);
    const sine = normalsInto(x);
    off = gapNow() + Math.abs(t0 * (A[0] - q0) + t1 * (A[1] - q1) + t2 * (A[2] - q2));
    const size = sizeAt();
    if (off < 2e-12 * size || (k > 3 && off < 1e-11 * size) || k === rounds - 1) break;
    if (!(sine > 0) || !threePlanes(q0, q1, q2, t0, t1, t2)) return off;
    step(a, A, x, 0);
    step(b, B, x, 2);
  }
  x[4] = A[0];
  x[5] = A[1];
  x[6] = A[2];
  return off;
}
/** One side's parameters towards `target`, by at most a fifth of the surface. */
function step(s: CellTree, j: Float64Array, x: Spot, o: number): void {
  movedBy(j, target[0] - j[0], target[1] - j[1], target[2] - j[2]);
  const d = s.domain;
  for (let m = 0; m < 2; m++) {
    const most = 0.2 * (d[2 * m + 1] - d[2 * m]);
    x[o + m] = clamp(x[o + m] + clamp(move[m], -most, most), d[2 * m], d[2 * m + 1]);
  }
}
/** Nearest common point from a start that stays near its cells (others have starts of their own). */
function land(a: CellTree, b: CellTree, x: Spot, limit: Float64Array): boolean {
  for (let k = 0; k < 12; k++) {
    evaluateBoth(a.surface, b.surface, x);
    const sine = normalsInto(x);
    if (gapNow() < 1e-11 * sizeAt()) {
      x[4] = A[0];
      x[5] = A[1];
      x[6] = A[2];
      return sine > 0;
    }
    if (sine < 1e-7 || !threePlanes((A[0] + B[0]) / 2, (A[1] + B[1]) / 2, (A[2] + B[2]) / 2, x[7], x[8], x[9])) return false;
    for (let side = 0; side < 2; side++) {
      const j = side ? B : A;
      const d = (side ? b : a).domain;
      movedBy(j, target[0] - j[0], target[1] - j[1], target[2] - j[2]);
      for (let m = 0; m < 2; m++) {
        const i = 2 * side + m;
        const [low, high] = [limit[2 * i], limit[2 * i + 1]];
        const to = x[i] + move[m];
        if (!(to > low - 0.75 * (high - low) && to < high + 0.75 * (high - low))) return false;
        x[i] = clamp(to, d[2 * m], d[2 * m + 1]);
      }
    }
  }
  return false;
}
/** Common point with one of the four parameters held. */
function onBorder(a: CellTree, b: CellTree, x: Spot, held: number): boolean {
  for (let k = 0; k < 14; k++) {
    evaluateBoth(a.surface, b.surface, x);
    if (gapNow() < 1e-11 * sizeAt()) {
      normalsInto(x);
      x[4] = A[0];
      x[5] = A[1];
      x[6] = A[2];
      return true;
    }
    let c = 0;
    for (let m = 0; m < 4; m++) {
      if (m === held) continue;
      const j = m < 2 ? A : B;
      const o = m % 2 ? 3 : 6;
      for (let d = 0; d < 3; d++) matrix3[3 * d + c] = m < 2 ? j[o + d] : -j[o + d];
      c++;
    }
    for (let d = 0; d < 3; d++) right3[d] = B[d] - A[d];
    if (!solveDense(matrix3, right3, 3, 1)) return false;
    c = 0;
    for (let m = 0; m < 4; m++) if (m !== held) x[m] += right3[c++];
    if (!Number.isFinite(x[0] + x[1] + x[2] + x[3])) return false;
  }
  return false;
}

/** Sine between the normals below which a curve is not followed. */
const TANGENT = 2e-4;
/** Touches nearer than this (mm) are on both surfaces. */
export const TOUCHING = 1e-8;

/**
 * All branches of the meeting of two surfaces. `known` are spots on both (edges that pierce the other face): short pieces across corners
 * begin there. Seeds for which `skip` holds are not followed.
 */
export function meetSurfaces(
  a: NurbsSurface,
  b: NurbsSurface,
  known: readonly ArrayLike<number>[] = [],
  skip?: (x: Spot) => boolean,
): Meeting {
  const [ta, tb] = [cellsOf(a), cellsOf(b)];
  const pairs = meetingCells(ta, tb);
  const size = Math.min(ta.size, tb.size);
  const seeds: Spot[] = [];
  const touches: Touch[] = [];
  for (const [x, y] of pairs) seedsOf(ta, tb, x, y, size, seeds, touches);
  for (const k of known) {
    const x = new Float64Array(SPOT);
    for (let m = 0; m < 4; m++) {
      const d = (m < 2 ? ta : tb).domain;
      x[m] = clamp(k[m], d[2 * (m % 2)], d[2 * (m % 2) + 1]);
    }
    evaluateBoth(a, b, x);
    if (gapNow() > 1e-5) continue;
    x[4] = A[0];
    x[5] = A[1];
    x[6] = A[2];
    seeds.push(x);
  }
  loopsNear(ta, tb, touches, size, seeds);
  const crossings = touches.filter((t) => Math.abs(t.gap) < TOUCHING);
  const cell = [ta.us, ta.vs, tb.us, tb.vs].map((l) => (l[l.length - 1] - l[0]) / (l.length - 1));
  const branches: Branch[] = [];
  const lost: Spot[] = [];
  for (const seed of seeds) {
    if (skip?.(seed) || branches.some((r) => onBranch(r, seed, cell))) continue;
    evaluateBoth(a, b, seed);
    if (normalsInto(seed) < TANGENT) {
      if (!crossings.some((t) => apart(t.spot, seed) < 1e-3 * size)) lost.push(seed);
      continue;
    }
    const r = march(ta, tb, seed, size, cell, crossings);
    if (r.spots.length < 2) continue;
    branches.push(r);
    r.ends.forEach((end, k) => {
      if (end === 'lost' || end === 'touch') lost.push(r.spots[k ? r.spots.length - 1 : 0]);
    });
  }
  return { branches, touches: touches.filter((t) => Math.abs(t.gap) < 1e-5), lost };
}
const apart = (x: Spot, y: Spot) => Math.hypot(x[4] - y[4], x[5] - y[5], x[6] - y[6]);

function seedsOf(a: CellTree, b: CellTree, x: Cell, y: Cell, size: number, seeds: Spot[], touches: Touch[]): void {
  const [ua, va] = middleOf(a, x);
  const [ub, vb] = middleOf(b, y);
  const wide = [a.us[x.i1] - a.us[x.i0], a.vs[x.j1] - a.vs[x.j0], b.us[y.i1] - b.us[y.i0], b.vs[y.j1] - b.vs[y.j0]];
  const mid = [ua, va, ub, vb];
  const limit = Float64Array.from(mid.flatMap((m, i) => [m - wide[i] / 2, m + wide[i] / 2]));
  const flat = mayBeParallel(x, y);
  const shares = flat ? [-0.33, 0, 0.33] : [0];
  for (const p of shares)
    for (const q of shares) {
      const s = new Float64Array(SPOT);
      s[0] = ua + p * wide[0];
      s[1] = va + q * wide[1];
      s[2] = ub;
      s[3] = vb;
      evaluateBoth(a.surface, b.surface, s);
      // on the second surface it starts near the place on the first
      movedBy(B, A[0] - B[0], A[1] - B[1], A[2] - B[2]);
      s[2] = clamp(clamp(ub + move[0], ub - wide[2], ub + wide[2]), b.domain[0], b.domain[1]);
      s[3] = clamp(clamp(vb + move[1], vb - wide[3], vb + wide[3]), b.domain[2], b.domain[3]);
      if (land(a, b, s, limit)) seeds.push(s);
    }
  if (!flat) return;
  const t = collinear(a, b, mid, limit);
  if (
    t &&
    Math.abs(t.gap) < 1e-2 * size &&
    !touches.some((o) => apart(o.spot, t.spot) < 1e-4 * size && sameParameters(o.spot, t.spot, a, b))
  )
    touches.push(t);
}
/** Spots on both sides of a seam are two. */
const sameParameters = (x: Spot, y: Spot, a: CellTree, b: CellTree) =>
  [0, 1, 2, 3].every((m) => {
    const d = (m < 2 ? a : b).domain;
    return Math.abs(x[m] - y[m]) < 0.5 * (d[2 * (m % 2) + 1] - d[2 * (m % 2)]);
  });
/** Where the surfaces come near to each other without touching they may cross in a small loop round that place: starts for it. */
function loopsNear(a: CellTree, b: CellTree, touches: readonly Touch[], size: number, seeds: Spot[]): void {
  const whole = Float64Array.of(...a.domain, ...b.domain);
  for (const t of touches) {
    if (Math.abs(t.gap) < 1e-9) continue;
    for (let k = 0; k < 4; k++) {
      const x = t.spot.slice();
      evaluateBoth(a.surface, b.surface, x);
      const o = k < 2 ? 6 : 3;
      const speed = Math.hypot(A[o], A[o + 1], A[o + 2]) || 1;
      const by = ((k % 2 ? 1 : -1) * 0.05 * Math.sqrt(Math.abs(t.gap) * size)) / speed;
      const m = k < 2 ? 0 : 1;
      x[m] = clamp(x[m] + by, a.domain[2 * m], a.domain[2 * m + 1]);
      if (land(a, b, x, whole)) seeds.push(x);
    }
  }
}

/** Does a spot lie on a branch that was found? */
function onBranch(r: Branch, x: Spot, cell: readonly number[]): boolean {
  const s = r.spots;
  for (let i = 0; i + 1 < s.length; i++) {
    const p = s[i];
    const q = s[i + 1];
    const lx = q[4] - p[4];
    const ly = q[5] - p[5];
    const lz = q[6] - p[6];
    const l = lx * lx + ly * ly + lz * lz;
    const dx = x[4] - p[4];
    const dy = x[5] - p[5];
    const dz = x[6] - p[6];
    const k = (dx * lx + dy * ly + dz * lz) / (l || 1);
    if (k < -0.1 || k > 1.1) continue;
    const d = (dx - k * lx) ** 2 + (dy - k * ly) ** 2 + (dz - k * lz) ** 2;
    // an arc bulges from its chord by an eighth of its turn
    const turn = Math.abs(p[7] * q[7] + p[8] * q[8] + p[9] * q[9]);
    const bulge = 0.25 * Math.acos(Math.min(1, turn)) + 0.02;
    if (d > bulge * bulge * l + 1e-14) continue;
    let same = true;
    for (let m = 0; m < 4; m++)
      if (Math.abs(x[m] - (p[m] + clamp(k, 0, 1) * (q[m] - p[m]))) > 0.5 * cell[m] + 0.6 * Math.abs(q[m] - p[m])) same = false;
    if (same) return true;
  }
  return false;
}

/** A branch from a seed, followed both ways. */
function march(a: CellTree, b: CellTree, start: Spot, size: number, cell: readonly number[], crossings: readonly Touch[]): Branch {
  evaluateBoth(a.surface, b.surface, start);
  normalsInto(start);
  const first = runFrom(a, b, start, 1, size, cell, crossings);
  if (first.end === 'closed') return { spots: [start, ...first.spots], closed: true, ends: ['closed', 'closed'] };
  const second = runFrom(a, b, start, -1, size, cell, crossings);
  return { spots: [...second.spots.reverse(), start, ...first.spots], closed: false, ends: [second.end, first.end] };
}
function runFrom(
  a: CellTree,
  b: CellTree,
  start: Spot,
  sign: number,
  size: number,
  cell: readonly number[],
  crossings: readonly Touch[],
): { spots: Spot[]; end: BranchEnd } {
  const low = [a.domain[0], a.domain[2], b.domain[0], b.domain[2]];
  const high = [a.domain[1], a.domain[3], b.domain[1], b.domain[3]];
  const spots: Spot[] = [];
  let x = start;
  let dir = [sign * x[7], sign * x[8], sign * x[9]];
  let h = 0.02 * size;
  let way = sign;
  const speed = new Float64Array(4);
  for (let n = 0; n < 4000; n++) {
    evaluateBoth(a.surface, b.surface, x);
    movedBy(A, dir[0], dir[1], dir[2]);
    speed[0] = move[0];
    speed[1] = move[1];
    movedBy(B, dir[0], dir[1], dir[2]);
    speed[2] = move[0];
    speed[3] = move[1];
    for (let m = 0; m < 4; m++) h = Math.min(h, (1.5 * cell[m]) / (Math.abs(speed[m]) + 1e-300));
    const cross = crossingAhead(crossings, x, dir, h, low, high);
    if (cross) {
      const y = cross.spot.slice();
      for (let d = 0; d < 3; d++) y[7 + d] = dir[d];
      spots.push(y);
      return { spots, end: 'crossing' };
    }
    let reach = Infinity;
    let held = -1;
    for (let m = 0; m < 4; m++) {
      const room = speed[m] > 0 ? high[m] - x[m] : x[m] - low[m];
      const way = Math.abs(speed[m]) > 1e-300 ? room / Math.abs(speed[m]) : Infinity;
      if (way < reach) {
        reach = way;
        held = m;
      }
    }
    if (reach < 1e-9 * size) return { spots, end: 'border' };
    if (reach < 1.3 * h) {
      const y = x.slice();
      for (let m = 0; m < 4; m++) y[m] = x[m] + reach * speed[m];
      y[held] = speed[held] > 0 ? high[held] : low[held];
      const tree = held < 2 ? a : b;
      if (tree.pole[2 * (held % 2) + (speed[held] > 0 ? 1 : 0)]) {
        // a pole is reached only when it lies on the other surface
        if (intoPole(a, b, y, held)) {
          spots.push(y);
          return { spots, end: 'pole' };
        }
      } else if (onBorder(a, b, y, held)) {
        const inside = [0, 1, 2, 3].every((m) => y[m] >= low[m] - 1e-9 * (high[m] - low[m]) && y[m] <= high[m] + 1e-9 * (high[m] - low[m]));
        const d = apart(x, y);
        const ahead = (y[4] - x[4]) * dir[0] + (y[5] - x[5]) * dir[1] + (y[6] - x[6]) * dir[2];
        if (inside && d < 2.5 * h + 1e-9 && (ahead > 0.6 * d || d < 1e-9 * size)) {
          for (let m = 0; m < 4; m++) y[m] = clamp(y[m], low[m], high[m]);
          if (closes(start, x, y, spots.length, cell)) {
            spots.push(start);
            return { spots, end: 'closed' };
          }
          if (d > 1e-10 * size) spots.push(y);
          return { spots, end: 'border' };
        }
      }
      if (h > 1e-6 * size) h = 0.5 * Math.min(h, reach);
    }
    const y = x.slice();
    for (let m = 0; m < 4; m++) y[m] = clamp(x[m] + h * speed[m], low[m], high[m]);
    const q = [x[4] + h * dir[0], x[5] + h * dir[1], x[6] + h * dir[2]];
    const off = correctSpot(a, b, y, q, dir, 12);
    const along = y[7] * dir[0] + y[8] * dir[1] + y[9] * dir[2];
    const sine = normalsInto(y);
    const turn = Math.acos(Math.min(1, Math.abs(along)));
    // the cross product of the normals turned over: the step went over a saddle onto another arm
    const jumped = (along >= 0 ? 1 : -1) !== way;
    if (!(off < 1e-9 * (1 + size)) || Math.hypot(y[4] - q[0], y[5] - q[1], y[6] - q[2]) > 0.4 * h || turn > TURN || along === 0 || jumped) {
      h *= 0.5;
      if (h < 1e-6 * size) return { spots, end: sine < 0.02 ? 'touch' : 'lost' };
      continue;
    }
    if (closes(start, x, y, spots.length, cell)) {
      spots.push(start);
      return { spots, end: 'closed' };
    }
    spots.push(y);
    x = y;
    way = along >= 0 ? 1 : -1;
    if (sine < TANGENT) return { spots, end: 'touch' };
    dir = [way * y[7], way * y[8], way * y[9]];
    h *= turn < 0.05 ? 1.6 : turn > 0.12 ? 0.8 : 1.1;
  }
  return { spots, end: 'lost' };
}
const TURN = 0.22;
/** A place where branches cross that the next step would reach. */
function crossingAhead(
  list: readonly Touch[],
  x: Spot,
  dir: readonly number[],
  h: number,
  low: readonly number[],
  high: readonly number[],
): Touch | undefined {
  return list.find((t) => {
    const [dx, dy, dz] = [t.spot[4] - x[4], t.spot[5] - x[5], t.spot[6] - x[6]];
    const d = Math.hypot(dx, dy, dz);
    if (d > 1.2 * h || d < 1e-9) return false;
    const along = dx * dir[0] + dy * dir[1] + dz * dir[2];
    if (along < 0.98 * d) return false;
    // on the same side of a seam
    return [0, 1, 2, 3].every((m) => Math.abs(t.spot[m] - x[m]) < 0.5 * (high[m] - low[m]));
  });
}
/** Does the step from x to y pass the start again? */
function closes(start: Spot, x: Spot, y: Spot, count: number, cell: readonly number[]): boolean {
  if (count < 2) return false;
  const lx = y[4] - x[4];
  const ly = y[5] - x[5];
  const lz = y[6] - x[6];
  const l = lx * lx + ly * ly + lz * lz;
  const k = ((start[4] - x[4]) * lx + (start[5] - x[5]) * ly + (start[6] - x[6]) * lz) / l;
  if (!(k >= 0 && k <= 1)) return false;
  for (let m = 0; m < 4; m++) if (Math.abs(start[m] - (x[m] + k * (y[m] - x[m]))) > cell[m]) return false;
  return Math.hypot(start[4] - x[4] - k * lx, start[5] - x[5] - k * ly, start[6] - x[6] - k * lz) < 0.15 * Math.sqrt(l) + 1e-12;
}

/** End in a pole of the surface whose parameter is held. The free parameter there is the line that leaves it in the other's tangent plane. */
function intoPole(a: CellTree, b: CellTree, y: Spot, held: number): boolean {
  const [mine, other] = held < 2 ? [a, b] : [b, a];
  const [o, q] = held < 2 ? [0, 2] : [2, 0];
  const J = new Float64Array(12);
  const K = new Float64Array(12);
  evaluateSurface(mine.surface, y[o], y[o + 1], 1, J);
  for (let k = 0; k < 15; k++) {
    evaluateSurface(other.surface, y[q], y[q + 1], 1, K);
    movedBy(K, J[0] - K[0], J[1] - K[1], J[2] - K[2]);
    for (let m = 0; m < 2; m++) y[q + m] = clamp(y[q + m] + move[m], other.domain[2 * m], other.domain[2 * m + 1]);
  }
  evaluateSurface(other.surface, y[q], y[q + 1], 1, K);
  if (Math.hypot(J[0] - K[0], J[1] - K[1], J[2] - K[2]) > 1e-7) return false;
  const nx = K[7] * K[5] - K[8] * K[4];
  const ny = K[8] * K[3] - K[6] * K[5];
  const nz = K[6] * K[4] - K[7] * K[3];
  const m = held % 2 ? 0 : 1;
  const ray = held % 2 ? 3 : 6;
  const [low, high] = [mine.domain[2 * m], mine.domain[2 * m + 1]];
  const height = (t: number) => {
    evaluateSurface(mine.surface, m ? y[o] : t, m ? t : y[o + 1], 1, J);
    return (J[ray] * nx + J[ray + 1] * ny + J[ray + 2] * nz) / (Math.hypot(J[ray], J[ray + 1], J[ray + 2]) || 1);
  };
  let t = y[o + m];
  const e = 1e-6 * (high - low);
  for (let k = 0; k < 20; k++) {
    const slope = (height(t + e) - height(t - e)) / (2 * e);
    if (!(Math.abs(slope) > 1e-300)) break;
    const by = clamp(-height(t) / slope, -0.05 * (high - low), 0.05 * (high - low));
    t += by;
    if (Math.abs(by) < 1e-13 * (high - low)) break;
  }
  y[o + m] = clamp(t, low, high);
  evaluateSurface(mine.surface, y[o], y[o + 1], 0, J);
  for (let d = 0; d < 3; d++) y[4 + d] = J[d];
  return true;
}

const matrix4 = new Float64Array(16);
const right4 = new Float64Array(4);
/** What vanishes where both normals lie on one line: both tangents of the first across the second's normal, and the join across its tangents. */
function collinearity(a: CellTree, b: CellTree, x: ArrayLike<number>, out: Float64Array): number {
  evaluateSurface(a.surface, x[0], x[1], 1, A);
  evaluateSurface(b.surface, x[2], x[3], 1, B);
  unitNormal(B, 3);
  const [nx, ny, nz] = [N[3], N[4], N[5]];
  const [dx, dy, dz] = [A[0] - B[0], A[1] - B[1], A[2] - B[2]];
  out[0] = (A[6] * nx + A[7] * ny + A[8] * nz) / (Math.hypot(A[6], A[7], A[8]) || 1);
  out[1] = (A[3] * nx + A[4] * ny + A[5] * nz) / (Math.hypot(A[3], A[4], A[5]) || 1);
  out[2] = (dx * B[6] + dy * B[7] + dz * B[8]) / (Math.hypot(B[6], B[7], B[8]) || 1);
  out[3] = (dx * B[3] + dy * B[4] + dz * B[5]) / (Math.hypot(B[3], B[4], B[5]) || 1);
  return dx * nx + dy * ny + dz * nz;
}
/** Place with collinear normals near a start, by Newton's method with differences. */
function collinear(a: CellTree, b: CellTree, from: readonly number[], limit: Float64Array): Touch | undefined {
  const x = new Float64Array(SPOT);
  x.set(from);
  const z = new Float64Array(4);
  const f = new Float64Array(4);
  const p = new Float64Array(4);
  const bounds = [...a.domain, ...b.domain];
  const wide = [0, 1, 2, 3].map((m) => bounds[2 * m + 1] - bounds[2 * m]);
  for (let k = 0; k < 10; k++) {
    collinearity(a, b, x, f);
    for (let c = 0; c < 4; c++) {
      const e = (x[c] + 1e-6 * wide[c] > bounds[2 * c + 1] ? -1e-6 : 1e-6) * wide[c];
      z.set(x.subarray(0, 4));
      z[c] += e;
      collinearity(a, b, z, p);
      for (let r = 0; r < 4; r++) matrix4[4 * r + c] = (p[r] - f[r]) / e;
    }
    for (let r = 0; r < 4; r++) right4[r] = -f[r];
    if (!solveDense(matrix4, right4, 4, 1)) return undefined;
    let most = 0;
    for (let c = 0; c < 4; c++) {
      x[c] += right4[c];
      most = Math.max(most, Math.abs(right4[c]) / wide[c]);
      const span = limit[2 * c + 1] - limit[2 * c];
      if (!(x[c] >= limit[2 * c] - span && x[c] <= limit[2 * c + 1] + span)) return undefined;
    }
    if (most < 1e-4)
      for (let c = 0; c < 4; c++) if (x[c] < bounds[2 * c] - 1e-6 * wide[c] || x[c] > bounds[2 * c + 1] + 1e-6 * wide[c]) return undefined;
    if (most < 1e-10) {
      for (let c = 0; c < 4; c++) x[c] = clamp(x[c], bounds[2 * c], bounds[2 * c + 1]);
      const gap = collinearity(a, b, x, f);
      for (let d = 0; d < 3; d++) x[4 + d] = A[d];
      return { spot: x, gap };
    }
  }
  return undefined;
}
