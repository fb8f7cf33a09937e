import { digestNumbers } from '../math/hash.ts';
import { changeBetween, gaussRule, type Vec3 } from '../math/index.ts';
import { basisDerivatives, findSpan, knotRuns } from '../nurbs/index.ts';
import { type Body, type Face, traceBreaks, traceTangent, useUV } from './body.ts';
import { toRational, turnSlope } from './chart.ts';

export interface MassProperties {
  /** mm² */
  readonly area: number;
  /** mm³; positive when faces look outwards. Meaningful for closed bodies only. */
  readonly volume: number;
  readonly centre: Vec3;
  /** Centre of the surface. */
  readonly areaCentre: Vec3;
  /** Integral of the outward unit normal; zero for closed bodies. */
  readonly vectorArea: Vec3;
}

/**
 * Exact area, volume and centres by Green's theorem on each face: the integral over the trimmed domain becomes a closed integral of
 * F(u, v) dv, F being the inner Gauss integral in u from the edge of the domain, split at every knot. Doubled until two results agree to
 * 1e-10, with `quick` to 1e-6 (for decisions only).
 */
export function massProperties(b: Body, faces: readonly number[] = b.faces.map((_, i) => i), quick = false): MassProperties {
  const sum = new Float64Array(VALUES);
  for (const i of faces) {
    const part = faceIntegrals(b, b.faces[i], quick);
    for (let k = 0; k < VALUES; k++) sum[k] += part[k];
  }
  const [area, volume] = sum;
  return {
    area,
    volume,
    centre: Math.abs(volume) > 1e-12 ? [sum[2] / volume, sum[3] / volume, sum[4] / volume] : [0, 0, 0],
    areaCentre: area > 0 ? [sum[5] / area, sum[6] / area, sum[7] / area] : [0, 0, 0],
    vectorArea: [sum[8], sum[9], sum[10]],
  };
}

/** area, volume, first moments of volume x3, first moments of area x3, vector area x3 */
const VALUES = 11;

function faceIntegrals(b: Body, f: Face, quick: boolean): Float64Array {
  // a quick value never comes from an exact one: the same call must give the same number whatever was asked before
  if (!quick) return oriented(f, exact, () => recall(b, f) ?? remember(b, f, settled(b, f, 6, 9, 1e-10)));
  return oriented(f, rough, () => settled(b, f, 5, 8, 1e-6));
}

/** Integrals of a face turned over differ in sign only, and it shares its loops with the face it was made from: kept by loops. */
function oriented(f: Face, kept: WeakMap<Face['loops'], Kept>, compute: () => Float64Array): Float64Array {
  const found = kept.get(f.loops);
  if (!found || found.surface !== f.surface) {
    const value = compute();
    kept.set(f.loops, { surface: f.surface, reversed: f.reversed, value });
    return value;
  }
  if (found.reversed === f.reversed) return found.value;
  return found.value.map((x, k) => (FLUXES.includes(k) ? -x : x));
}
interface Kept {
  readonly surface: Face['surface'];
  readonly reversed: boolean;
  readonly value: Float64Array;
}
/** Places of the integrals that change sign with the outside. */
const FLUXES = [1, 2, 3, 4, 8, 9, 10];

/** Integrals with ever more nodes until two results agree. */
function settled(b: Body, f: Face, first: number, second: number, relative: number): Float64Array {
  let previous = integrateFace(b, f, first, 1);
  for (const [order, cells] of [
    [second, 1],
    [12, 2],
    [12, 4],
    [12, 8],
  ] as const) {
    const next = integrateFace(b, f, order, cells);
    const done = [0, 1].every((k) => Math.abs(next[k] - previous[k]) <= relative * (Math.abs(next[k]) + Math.abs(next[0])) + 1e-14);
    previous = next;
    if (done) break;
  }
  return previous;
}

const jet = new Float64Array(12);
const basis = new Float64Array(64);
const exact = new WeakMap<Face['loops'], Kept>();
const rough = new WeakMap<Face['loops'], Kept>();
/** Results by the content of a face: a face that comes back unchanged from the kernel is a new object with the same numbers. */
const byContent = new Map<string, Float64Array>();
const CONTENT_LIMIT = 4000;

const recall = (b: Body, f: Face): Float64Array | undefined => byContent.get(contentKey(b, f));
function remember(b: Body, f: Face, value: Float64Array): Float64Array {
  if (byContent.size >= CONTENT_LIMIT) byContent.delete(byContent.keys().next().value as string);
  byContent.set(contentKey(b, f), value);
  return value;
}
/** Digest of all numbers that the integral depends on. */
function contentKey(b: Body, f: Face): string {
  const turn = (t?: ArrayLike<number>) => t ?? [];
  return digestNumbers([
    [f.surface.degreeU, f.surface.degreeV, f.reversed ? 1 : 0],
    f.surface.knotsU,
    f.surface.knotsV,
    f.surface.control,
    turn(f.turnU),
    turn(f.turnV),
    ...f.loops.flatMap((loop) => [
      [loop.length],
      ...loop.flatMap(({ reversed, pcurve, edge }) => [
        [reversed ? 1 : 0, pcurve.curve.degree, ...b.edges[edge].range],
        pcurve.curve.knots,
        pcurve.curve.control,
        turn(pcurve.turn),
      ]),
    ]),
  ]);
}

function integrateFace(b: Body, f: Face, order: number, cells: number): Float64Array {
  const s = f.surface;
  const out = new Float64Array(VALUES);
  const line = new Float64Array(VALUES);
  const { nodes, weights } = gaussRule(order);
  const ku = knotRuns(s.knotsU, s.degreeU).values;
  const kv = knotRuns(s.knotsV, s.degreeV).values;
  const sign = f.reversed ? -1 : 1;

  // the surface along u at fixed v: control rows contracted with the basis in v, then one short sum per point
  const { degreeU: p, degreeV: q, countU, countV, control } = s;
  const row = new Float64Array(countU * 8);
  const contract = (v: number) => {
    const span = findSpan(s.knotsV, q, v);
    basisDerivatives(s.knotsV, q, span, v, 1, basis);
    for (let k = 0; k < countU; k++) {
      const o = k * 8;
      for (let d = 0; d < 8; d++) row[o + d] = 0;
      for (let m = 0; m <= q; m++) {
        const c = (k * countV + span - q + m) * 4;
        const n0 = basis[m];
        const n1 = basis[q + 1 + m];
        for (let d = 0; d < 4; d++) {
          row[o + d] += n0 * control[c + d];
          row[o + 4 + d] += n1 * control[c + d];
        }
      }
    }
  };
  const node = (span: number, values: Float64Array, at: number, weight: number) => {
    for (let d = 0; d < 12; d++) jet[d] = 0;
    for (let k = 0; k <= p; k++) {
      const o = (span - p + k) * 8;
      const n0 = values[at + k];
      const n1 = values[at + p + 1 + k];
      for (let d = 0; d < 4; d++) {
        jet[d] += n0 * row[o + d];
        jet[4 + d] += n1 * row[o + d];
        jet[8 + d] += n0 * row[o + 4 + d];
      }
    }
    const w = jet[3];
    const [x, y, z] = [jet[0] / w, jet[1] / w, jet[2] / w];
    const [ux, uy, uz] = [(jet[4] - jet[7] * x) / w, (jet[5] - jet[7] * y) / w, (jet[6] - jet[7] * z) / w];
    const [vx, vy, vz] = [(jet[8] - jet[11] * x) / w, (jet[9] - jet[11] * y) / w, (jet[10] - jet[11] * z) / w];
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    const area = Math.sqrt(nx * nx + ny * ny + nz * nz) * weight;
    const flux = (x * nx + y * ny + z * nz) * weight;
    line[0] += area;
    line[1] += flux / 3;
    line[2] += (x * flux) / 4;
    line[3] += (y * flux) / 4;
    line[4] += (z * flux) / 4;
    line[5] += x * area;
    line[6] += y * area;
    line[7] += z * area;
    line[8] += nx * weight;
    line[9] += ny * weight;
    line[10] += nz * weight;
  };
  // nodes of whole spans are the same for every v
  const stride = 2 * (p + 1);
  const perSpan = cells * order;
  const table = new Float64Array((ku.length - 1) * perSpan * stride);
  const tableSpan = new Int32Array(ku.length - 1);
  for (let c = 0; c + 1 < ku.length; c++) {
    const h = (ku[c + 1] - ku[c]) / (2 * cells);
    tableSpan[c] = findSpan(s.knotsU, p, (ku[c] + ku[c + 1]) / 2);
    for (let g = 0; g < perSpan; g++) {
      const u = ku[c] + 2 * h * Math.floor(g / order) + h * (1 + nodes[g % order]);
      basisDerivatives(s.knotsU, p, tableSpan[c], u, 1, basis);
      table.set(basis.subarray(0, stride), (c * perSpan + g) * stride);
    }
  }
  // inner integral from the domain edge to u, at fixed v
  const inner = (u: number, v: number) => {
    line.fill(0);
    contract(v);
    let c = 0;
    for (; c + 1 < ku.length && ku[c + 1] <= u; c++) {
      const h = (ku[c + 1] - ku[c]) / (2 * cells);
      for (let g = 0; g < perSpan; g++) node(tableSpan[c], table, (c * perSpan + g) * stride, weights[g % order] * h);
    }
    const from = ku[Math.min(c, ku.length - 1)];
    const h = (u - from) / (2 * cells);
    if (h === 0) return;
    const span = findSpan(s.knotsU, p, (from + u) / 2);
    for (let g = 0; g < perSpan; g++) {
      basisDerivatives(s.knotsU, p, span, from + 2 * h * Math.floor(g / order) + h * (1 + nodes[g % order]), 1, basis);
      node(span, basis, 0, weights[g % order] * h);
    }
  };

  for (const loop of f.loops)
    for (const use of loop) {
      const e = b.edges[use.edge];
      const [a, z] = e.range;
      const chart = (t: number) => {
        const [p, d] = traceTangent(use.pcurve, t);
        return { u: toRational(f.turnU, p[0]), v: toRational(f.turnV, p[1]), dv: d[1] * turnSlope(f.turnV, p[1]) };
      };
      let breaks = [...new Set([...traceBreaks(use.pcurve, a, z), ...traceBreaks(e, a, z)])].sort((x, y) => x - y);
      breaks = splitAtKnots(f, use, breaks, ku, kv);
      for (let i = 0; i + 1 < breaks.length; i++)
        for (let c = 0; c < cells; c++) {
          const t0 = breaks[i] + ((breaks[i + 1] - breaks[i]) * c) / cells;
          const t1 = breaks[i] + ((breaks[i + 1] - breaks[i]) * (c + 1)) / cells;
          const h = (t1 - t0) / 2;
          if (!(h > 0)) continue;
          for (let g = 0; g < order; g++) {
            const p = chart(t0 + h * (1 + nodes[g]));
            if (Math.abs(p.dv) < 1e-300) continue;
            inner(p.u, p.v);
            const w = weights[g] * h * p.dv * (use.reversed ? -1 : 1);
            for (let k = 0; k < VALUES; k++) out[k] += w * line[k];
          }
        }
    }
  // areas count positive whichever way the loops run in the chart
  const turn = out[0] < 0 ? -1 : 1;
  for (const k of [0, 5, 6, 7]) out[k] *= turn;
  for (const k of FLUXES) out[k] *= sign;
  return out;
}

/** Adds parameters where the pcurve crosses knot lines of the surface. */
function splitAtKnots(
  f: Face,
  use: Parameters<typeof useUV>[1],
  breaks: readonly number[],
  ku: readonly number[],
  kv: readonly number[],
): number[] {
  const out: number[] = [breaks[0]];
  const iu = ku.slice(1, -1);
  const iv = kv.slice(1, -1);
  for (let i = 0; i + 1 < breaks.length; i++) {
    const extra: number[] = [];
    if (iu.length + iv.length) {
      const n = 12;
      let last = useUV(f, use, breaks[i]);
      for (let k = 1; k <= n; k++) {
        const t0 = breaks[i] + ((breaks[i + 1] - breaks[i]) * (k - 1)) / n;
        const t1 = breaks[i] + ((breaks[i + 1] - breaks[i]) * k) / n;
        const now = useUV(f, use, t1);
        for (const [d, list] of [
          [0, iu],
          [1, iv],
        ] as const)
          for (const knot of list) {
            const [p, q] = [last[d] - knot, now[d] - knot];
            if (q === 0 && k < n) extra.push(t1);
            if (p * q >= 0) continue;
            extra.push(changeBetween((t) => (useUV(f, use, t)[d] - knot) * p > 0, t0, t1)[1]);
          }
        last = now;
      }
    }
    out.push(...extra.sort((x, y) => x - y), breaks[i + 1]);
  }
  return out.filter((t, i) => i === 0 || t > out[i - 1]);
}
