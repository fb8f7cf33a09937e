import { curvatureHeight, flowHeight, type NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, DEG, dot, length, scale, sub, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  domainU,
  evaluateNet,
  evaluateSurface,
  findSpan,
  greville,
  insertSurfaceKnots,
  interpolateInSpace,
  knotRuns,
  type Net,
  type NurbsSurface,
  normalCurvature,
  reverseU,
  surfaceJet,
  transpose,
} from '../nurbs/index.ts';

/** What lies behind a side of a surface: at a point of the border, with the border's tangent. */
export type BehindSide = (p: Vec3, tangent: Vec3) => NeighbourJet;
export type Side = 'u0' | 'u1' | 'v0' | 'v1';

/** Turns the surface so that a side becomes u0, and back. */
export function sideFirst(s: NurbsSurface, side: Side): { surface: NurbsSurface; back: (s: NurbsSurface) => NurbsSurface } {
  const t = side[0] === 'v' ? transpose(s) : s;
  const r = side[1] === '1' ? reverseU(t) : t;
  return {
    surface: r,
    back: (x) => {
      const y = side[1] === '1' ? reverseU(x) : x;
      return side[0] === 'v' ? transpose(y) : y;
    },
  };
}
const jet3 = new Float64Array(48);
/** By how many percent the change of curvature along u differs from the neighbour's, as the proof tells it. */
function flowMissed(s: NurbsSurface, u: number, v: number, j: ReturnType<BehindSide>): number {
  evaluateSurface(s, u, v, 3, jet3);
  const at = (k: number): Vec3 => [jet3[3 * k], jet3[3 * k + 1], jet3[3 * k + 2]];
  const [d1, d2, d3] = [at(4), at(8), at(12)];
  const speed = length(d1) ** 3;
  const [want, have] = [flowHeight(j, d1, d2) / speed, dot(j.normal, d3) / speed];
  return (200 * Math.abs(want - have)) / Math.max(Math.abs(want) + Math.abs(have), 1 / Math.max(1e-6, length(d1)) ** 2);
}
/** Spans along u = start (their middles) where a border misses its neighbour by more than the aims (degrees, percent). */
export function missedAlong(
  s: NurbsSurface,
  behind: BehindSide,
  grade: 1 | 2 | 3,
  aim: { readonly kink: number; readonly step: number },
): number[] {
  const u = domainU(s)[0];
  const { values } = knotRuns(s.knotsV, s.degreeV);
  const bad: number[] = [];
  for (let i = 0; i + 1 < values.length; i++)
    for (const k of [0.12, 0.37, 0.63, 0.88]) {
      const t = values[i] + k * (values[i + 1] - values[i]);
      const mine = surfaceJet(s, u, t);
      const j = behind(mine.point, mine.v);
      const flip = dot(mine.normal, j.normal) < 0 ? -1 : 1;
      let missed = angleBetween(mine.normal, scale(j.normal, flip)) / DEG > aim.kink;
      if (grade >= 2 && !missed) {
        const want = curvatureHeight(j, mine.u) / dot(mine.u, mine.u);
        const have = flip * normalCurvature(mine, mine.u);
        missed = (200 * Math.abs(want - have)) / Math.max(Math.abs(want) + Math.abs(have), 1 / Math.max(1e-6, length(mine.u))) > aim.step;
      }
      if (grade >= 3 && !missed) missed = flowMissed(s, u, t, j) > 3 * aim.step;
      if (missed) {
        bad.push((values[i] + values[i + 1]) / 2);
        break;
      }
    }
  return bad;
}

export interface SideMatch {
  readonly surface: NurbsSurface;
  /** Largest way a control point moved, mm. */
  readonly moved: number;
}
/**
 * Makes a polynomial surface leave a border as its neighbour arrives: of the first rows of derivatives only the part along the neighbour's
 * normal is changed, the border itself stays and so do the rows on the far side. Knots are added along the border where tangents or
 * curvatures miss between the rows' places.
 */
export function matchSide(
  given: NurbsSurface,
  side: Side,
  behind: BehindSide,
  grade: 1 | 2 | 3,
  keptRows: number,
  aim = { kink: 0.004, step: 0.3 },
  most = 140,
): SideMatch {
  const turned = sideFirst(given, side);
  let s = turned.surface;
  while (s.countU < grade + 1 + keptRows) {
    const { values } = knotRuns(s.knotsU, s.degreeU);
    let w = 0;
    for (let i = 1; i + 1 < values.length; i++) if (values[i + 1] - values[i] > values[w + 1] - values[w]) w = i;
    s = insertSurfaceKnots(s, [(values[w] + values[w + 1]) / 2], []);
  }
  let out = s;
  let moved = 0;
  for (let round = 0; round < 7; round++) {
    const r = lay(s, behind, grade);
    out = r.surface;
    moved = r.moved;
    const bad = missedAlong(out, behind, grade, aim);
    if (!bad.length || s.countV + bad.length > most) break;
    s = insertSurfaceKnots(s, [], bad);
  }
  return { surface: turned.back(out), moved };
}
const four = new Float64Array(4);
function lay(s: NurbsSurface, behind: BehindSide, grade: 1 | 2 | 3): SideMatch {
  const stride = s.countV * 4;
  const u0 = domainU(s)[0];
  const span = findSpan(s.knotsU, s.degreeU, u0);
  const b = new Float64Array(4 * (s.degreeU + 1));
  basisDerivatives(s.knotsU, s.degreeU, span, u0, grade, b);
  const c = (k: number, j: number) => b[k * (s.degreeU + 1) + j];
  const row = (j: number) => s.control.subarray(j * stride, (j + 1) * stride);
  const along = (data: Float64Array): Net => ({ degree: s.degreeV, knots: s.knotsV, data, stride: 4 });
  const value = (n: Net, t: number): Vec3 => {
    evaluateNet(n, t, four);
    return [four[0], four[1], four[2]];
  };
  const at = greville(s.knotsV, s.degreeV);
  const first = along(row(0));
  const h = 1e-6 * (s.knotsV[s.knotsV.length - 1] - s.knotsV[0]);
  const jets = Array.from(at, (t) => {
    const p = value(first, t);
    const tangent = sub(value(first, Math.min(s.knotsV[s.knotsV.length - 1], t + h)), value(first, Math.max(s.knotsV[0], t - h)));
    return behind(p, tangent);
  });
  const control = new Float64Array(s.control);
  const rows: Float64Array[] = [new Float64Array(row(0))];
  const laid: Net[] = [];
  let moved = 0;
  for (let k = 1; k <= grade; k++) {
    // the k-th derivative as it is with the rows before it replaced
    const before = new Float64Array(stride);
    for (let j = 0; j <= k; j++) {
      const r = j < k ? rows[j] : row(j);
      for (let i = 0; i < stride; i++) before[i] += c(k, j) * r[i];
    }
    const now = along(before);
    const flat = new Float64Array(at.length * 4);
    at.forEach((t, n) => {
      const j = jets[n];
      const d = value(now, t);
      const height = k === 1 ? 0 : k === 2 ? curvatureHeight(j, value(laid[0], t)) : flowHeight(j, value(laid[0], t), value(laid[1], t));
      flat.set(add(d, scale(j.normal, height - dot(d, j.normal))), 4 * n);
    });
    const net = interpolateInSpace(s.degreeV, s.knotsV, at, flat, 4);
    if (!net) throw new Error('the border cannot be matched');
    laid.push(net);
    const next = new Float64Array(stride);
    for (let i = 0; i < stride; i++) {
      let x = net.data[i];
      for (let j = 0; j < k; j++) x -= c(k, j) * rows[j][i];
      next[i] = i % 4 === 3 ? 1 : x / c(k, k);
    }
    for (let i = 0; i < stride; i += 4)
      moved = Math.max(moved, Math.hypot(next[i] - row(k)[i], next[i + 1] - row(k)[i + 1], next[i + 2] - row(k)[i + 2]));
    rows.push(next);
    control.set(next, k * stride);
  }
  return { surface: { ...s, control }, moved };
}
