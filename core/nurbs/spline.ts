/**
 * B-spline algebra on raw arrays. A "net" is n rows of `stride` numbers; one row is one control point (homogeneous or not) or,
 * for surfaces, a whole row of control points. Methods: Piegl & Tiller, The NURBS Book (1997); de Boor (1978).
 */
import { solveBanded } from '../math/index.ts';

export interface Net {
  readonly degree: number;
  /** Non-decreasing, length rows + degree + 1. */
  readonly knots: Float64Array;
  readonly data: Float64Array;
  readonly stride: number;
}

export const rowCount = (n: Net): number => n.knots.length - n.degree - 1;

/** Index of the knot span that contains t, clamped to the domain (A2.1). */
export function findSpan(knots: Float64Array, degree: number, t: number): number {
  const n = knots.length - degree - 2;
  if (t >= knots[n + 1]) {
    let k = n;
    while (k > degree && knots[k] >= knots[n + 1]) k--;
    return k;
  }
  if (t <= knots[degree]) {
    let k = degree;
    while (k < n && knots[k + 1] <= knots[degree]) k++;
    return k;
  }
  let low = degree;
  let high = n + 1;
  while (high - low > 1) {
    const mid = (low + high) >> 1;
    if (t < knots[mid]) high = mid;
    else low = mid;
  }
  return low;
}

const MAX_ORDER = 16;
/** Highest degree that can be evaluated; exchange formats allow more, nobody models with it. */
export const MAX_DEGREE = MAX_ORDER - 1;
/** A degree beyond what can be evaluated. */
export class DegreeError extends Error {
  constructor(degree: number) {
    super(`degree ${degree} cannot be used: at most ${MAX_DEGREE}`);
  }
}
export function checkDegree(degree: number): void {
  if (!(degree >= 0 && degree <= MAX_DEGREE)) throw new DegreeError(degree);
}
const left = new Float64Array(MAX_ORDER);
const right = new Float64Array(MAX_ORDER);
const ndu = new Float64Array(MAX_ORDER * MAX_ORDER);
const ab = new Float64Array(2 * MAX_ORDER);

/**
 * Non-zero basis functions and derivatives at t (A2.3). `out` receives (order+1) rows of degree+1 values:
 * out[k*(degree+1)+j] = k-th derivative of N_{span-degree+j}.
 */
export function basisDerivatives(knots: Float64Array, degree: number, span: number, t: number, order: number, out: Float64Array): void {
  if (degree > MAX_DEGREE) throw new DegreeError(degree);
  const p = degree;
  if (order <= 1) {
    // A2.2 in place; the quotients of the last step are what the first derivatives are made of (eq. 2.9)
    const w = p + 1;
    out[0] = 1;
    if (order === 1 && p === 0) out[1] = 0;
    for (let j = 1; j <= p; j++) {
      left[j] = t - knots[span + 1 - j];
      right[j] = knots[span + j] - t;
      const slopes = order === 1 && j === p;
      let saved = 0;
      let before = 0;
      for (let r = 0; r < j; r++) {
        const d = right[r + 1] + left[j - r];
        const temp = d === 0 ? 0 : out[r] / d;
        out[r] = saved + right[r + 1] * temp;
        saved = left[j - r] * temp;
        if (slopes) {
          out[w + r] = p * (before - temp);
          before = temp;
        }
      }
      out[j] = saved;
      if (slopes) out[w + p] = p * before;
    }
    return;
  }
  const w = p + 1;
  ndu[0] = 1;
  for (let j = 1; j <= p; j++) {
    left[j] = t - knots[span + 1 - j];
    right[j] = knots[span + j] - t;
    let saved = 0;
    for (let r = 0; r < j; r++) {
      const d = right[r + 1] + left[j - r];
      ndu[j * MAX_ORDER + r] = d;
      const temp = d === 0 ? 0 : ndu[r * MAX_ORDER + j - 1] / d;
      ndu[r * MAX_ORDER + j] = saved + right[r + 1] * temp;
      saved = left[j - r] * temp;
    }
    ndu[j * MAX_ORDER + j] = saved;
  }
  for (let j = 0; j <= p; j++) out[j] = ndu[j * MAX_ORDER + p];
  if (order <= 2) {
    lowDerivatives(p, order, out);
    return;
  }
  const top = Math.min(order, p);
  for (let r = 0; r <= p; r++) {
    let s1 = 0;
    let s2 = MAX_ORDER;
    ab.fill(0);
    ab[0] = 1;
    for (let k = 1; k <= top; k++) {
      let d = 0;
      const rk = r - k;
      const pk = p - k;
      if (r >= k) {
        const q = ndu[(pk + 1) * MAX_ORDER + rk];
        ab[s2] = q === 0 ? 0 : ab[s1] / q;
        d = ab[s2] * ndu[rk * MAX_ORDER + pk];
      }
      const j1 = rk >= -1 ? 1 : -rk;
      const j2 = r - 1 <= pk ? k - 1 : p - r;
      for (let j = j1; j <= j2; j++) {
        const q = ndu[(pk + 1) * MAX_ORDER + rk + j];
        ab[s2 + j] = q === 0 ? 0 : (ab[s1 + j] - ab[s1 + j - 1]) / q;
        d += ab[s2 + j] * ndu[(rk + j) * MAX_ORDER + pk];
      }
      if (r <= pk) {
        const q = ndu[(pk + 1) * MAX_ORDER + r];
        ab[s2 + k] = q === 0 ? 0 : -ab[s1 + k - 1] / q;
        d += ab[s2 + k] * ndu[r * MAX_ORDER + pk];
      }
      out[k * w + r] = d;
      const swap = s1;
      s1 = s2;
      s2 = swap;
    }
  }
  let f = p;
  for (let k = 1; k <= top; k++) {
    for (let j = 0; j <= p; j++) out[k * w + j] *= f;
    f *= p - k;
  }
  for (let k = top + 1; k <= order; k++) for (let j = 0; j <= p; j++) out[k * w + j] = 0;
}

/** First and second derivatives from the triangle that `basisDerivatives` left in `ndu` (de Boor's difference formula, 2.9 applied twice). */
function lowDerivatives(p: number, order: number, out: Float64Array): void {
  const w = p + 1;
  // values of degree p-1, divided by their knot differences: entry s stands at s+1 so that both ends read zero
  for (let s = 0; s < p; s++) {
    const d = ndu[p * MAX_ORDER + s];
    left[s + 1] = d === 0 ? 0 : ndu[s * MAX_ORDER + p - 1] / d;
  }
  left[0] = 0;
  left[p + 1] = 0;
  for (let r = 0; r <= p; r++) out[w + r] = p * (left[r] - left[r + 1]);
  if (order < 2) return;
  if (p < 2) {
    for (let r = 0; r <= p; r++) out[2 * w + r] = 0;
    return;
  }
  for (let s = 0; s < p - 1; s++) {
    const d = ndu[(p - 1) * MAX_ORDER + s];
    left[s + 1] = d === 0 ? 0 : ndu[s * MAX_ORDER + p - 2] / d;
  }
  left[p] = 0;
  right[0] = 0;
  right[p + 1] = 0;
  for (let s = 0; s < p; s++) {
    const d = ndu[p * MAX_ORDER + s];
    right[s + 1] = d === 0 ? 0 : (left[s] - left[s + 1]) / d;
  }
  for (let r = 0; r <= p; r++) out[2 * w + r] = p * (p - 1) * (right[r] - right[r + 1]);
}

export const domainOf = (knots: Float64Array, degree: number): readonly [number, number] => [
  knots[degree],
  knots[knots.length - degree - 1],
];

/** Distinct knots inside and at the ends of the domain, with multiplicities. */
export function knotRuns(knots: Float64Array, degree: number): { values: number[]; multiplicities: number[] } {
  const [a, b] = domainOf(knots, degree);
  const values: number[] = [];
  const multiplicities: number[] = [];
  for (const k of knots) {
    if (k < a || k > b) continue;
    if (values.length && k === values[values.length - 1]) multiplicities[multiplicities.length - 1]++;
    else {
      values.push(k);
      multiplicities.push(1);
    }
  }
  return { values, multiplicities };
}

export function multiplicityOf(knots: Float64Array, t: number): number {
  let m = 0;
  for (const k of knots) if (k === t) m++;
  return m;
}

/** Greville abscissae: the natural parameter of each row. */
export function greville(knots: Float64Array, degree: number): Float64Array {
  const n = knots.length - degree - 1;
  const [a, b] = domainOf(knots, degree);
  return Float64Array.from({ length: n }, (_, i) => {
    let s = 0;
    for (let k = 1; k <= degree; k++) s += knots[i + k];
    return Math.min(b, Math.max(a, s / degree));
  });
}

/** Uniform clamped knot vector on [0, 1]. */
export function clampedKnots(rows: number, degree: number): Float64Array {
  const knots = new Float64Array(rows + degree + 1);
  const spans = rows - degree;
  for (let i = 0; i < knots.length; i++) knots[i] = Math.min(1, Math.max(0, (i - degree) / spans));
  return knots;
}

/** Evaluates the net at t into out (stride numbers). */
export function evaluateNet(n: Net, t: number, out: Float64Array, offset = 0): void {
  const span = findSpan(n.knots, n.degree, t);
  basisDerivatives(n.knots, n.degree, span, t, 0, basisScratch);
  const s = n.stride;
  out.fill(0, offset, offset + s);
  for (let j = 0; j <= n.degree; j++) {
    const b = basisScratch[j];
    const row = (span - n.degree + j) * s;
    for (let k = 0; k < s; k++) out[offset + k] += b * n.data[row + k];
  }
}
const basisScratch = new Float64Array(MAX_ORDER * 4);

/** Inserts one knot (Boehm 1980). Exact. */
function insertOnce(n: Net, t: number): Net {
  const { degree: p, knots, data, stride: s } = n;
  const rows = rowCount(n);
  let k = knots.length - 1;
  // last index with knots[k] <= t, so that t may equal an existing knot
  while (k > 0 && knots[k] > t) k--;
  k = Math.min(k, rows - 1);
  const out = new Float64Array((rows + 1) * s);
  const next = new Float64Array(knots.length + 1);
  next.set(knots.subarray(0, k + 1));
  next[k + 1] = t;
  next.set(knots.subarray(k + 1), k + 2);
  for (let i = 0; i <= rows; i++) {
    if (i <= k - p) out.set(data.subarray(i * s, i * s + s), i * s);
    else if (i > k) out.set(data.subarray((i - 1) * s, i * s), i * s);
    else {
      const d = knots[i + p] - knots[i];
      const a = d === 0 ? 0 : (t - knots[i]) / d;
      for (let c = 0; c < s; c++) out[i * s + c] = a * (i < rows ? data[i * s + c] : 0) + (1 - a) * data[(i - 1) * s + c];
    }
  }
  return { degree: p, knots: next, data: out, stride: s };
}

/** Inserts every given knot (inside the domain); multiplicity never exceeds the degree. */
export function insertKnots(n: Net, values: readonly number[]): Net {
  let net = n;
  for (const t of values) if (multiplicityOf(net.knots, t) < net.degree) net = insertOnce(net, t);
  return net;
}

/** Raises the multiplicity of t to `to`. */
export function raiseMultiplicity(n: Net, t: number, to: number): Net {
  let net = n;
  for (let m = multiplicityOf(n.knots, t); m < to; m++) net = insertOnce(net, t);
  return net;
}

/**
 * Removes the knot at index r once when the net stays within `tolerance` (rows compared in their own units). Returns undefined otherwise.
 * Tiller 1992 / A5.8, one pass.
 */
export function removeKnotOnce(n: Net, t: number, tolerance: number): Net | undefined {
  const { degree: p, knots, stride: s } = n;
  let r = -1;
  for (let i = 0; i < knots.length; i++) if (knots[i] === t) r = i;
  const mult = multiplicityOf(knots, t);
  const [a, b] = domainOf(knots, p);
  if (r < 0 || t <= a || t >= b) return undefined;
  const rows = rowCount(n);
  const first = r - p;
  const last = r - mult;
  const d = n.data;
  const temp = new Float64Array((last - first + 3) * s);
  const off = first - 1;
  for (let c = 0; c < s; c++) {
    temp[c] = d[off * s + c];
    temp[(last + 1 - off) * s + c] = d[(last + 1) * s + c];
  }
  let i = first;
  let j = last;
  let ii = 1;
  let jj = last - off;
  while (j - i > 0) {
    const ai = (t - knots[i]) / (knots[i + p + 1] - knots[i]);
    const aj = (t - knots[j]) / (knots[j + p + 1] - knots[j]);
    for (let c = 0; c < s; c++) {
      temp[ii * s + c] = (d[i * s + c] - (1 - ai) * temp[(ii - 1) * s + c]) / ai;
      temp[jj * s + c] = (d[j * s + c] - aj * temp[(jj + 1) * s + c]) / (1 - aj);
    }
    i++;
    ii++;
    j--;
    jj--;
  }
  let error = 0;
  if (j - i < 0) for (let c = 0; c < s; c++) error = Math.max(error, Math.abs(temp[(ii - 1) * s + c] - temp[(jj + 1) * s + c]));
  else {
    const ai = (t - knots[i]) / (knots[i + p + 1] - knots[i]);
    for (let c = 0; c < s; c++)
      error = Math.max(error, Math.abs(d[i * s + c] - (ai * temp[(ii + 1) * s + c] + (1 - ai) * temp[(ii - 1) * s + c])));
  }
  if (!(error <= tolerance)) return undefined;
  const work = new Float64Array(d);
  for (let x = first, y = last; y - x > 0; x++, y--) {
    work.set(temp.subarray((x - off) * s, (x - off + 1) * s), x * s);
    work.set(temp.subarray((y - off) * s, (y - off + 1) * s), y * s);
  }
  const gone = Math.floor((2 * r - mult - p) / 2);
  const out = new Float64Array((rows - 1) * s);
  out.set(work.subarray(0, gone * s));
  out.set(work.subarray((gone + 1) * s), gone * s);
  const next = new Float64Array(knots.length - 1);
  next.set(knots.subarray(0, r));
  next.set(knots.subarray(r + 1), r);
  return { degree: p, knots: next, data: out, stride: s };
}

/** Interpolates `values` (rows of stride numbers) at parameters, in the space given by degree and knots. */
export function interpolateInSpace(
  degree: number,
  knots: Float64Array,
  parameters: Float64Array,
  values: Float64Array,
  stride: number,
): Net | undefined {
  const n = parameters.length;
  const half = degree + 1;
  const w = 2 * half + 1;
  const A = new Float64Array(n * w);
  const B = new Float64Array(values);
  const basis = new Float64Array(MAX_ORDER);
  for (let i = 0; i < n; i++) {
    const span = findSpan(knots, degree, parameters[i]);
    basisDerivatives(knots, degree, span, parameters[i], 0, basis);
    for (let j = 0; j <= degree; j++) {
      const col = span - degree + j - i + half;
      if (col >= 0 && col < w) A[i * w + col] = basis[j];
      else if (Math.abs(basis[j]) > 1e-14) return undefined;
    }
  }
  return solveBanded(A, B, n, half, stride) ? { degree, knots, data: B, stride } : undefined;
}

/** Raises the degree by `by`, exactly: interpolation at the Greville points of the larger space. */
export function elevateNet(n: Net, by: number): Net {
  if (by <= 0) return n;
  const degree = n.degree + by;
  const { values, multiplicities } = knotRuns(n.knots, n.degree);
  const list: number[] = [];
  values.forEach((t, i) => {
    const end = i === 0 || i === values.length - 1;
    const m = end ? degree + 1 : Math.min(degree, multiplicities[i] + by);
    for (let k = 0; k < m; k++) list.push(t);
  });
  const knots = Float64Array.from(list);
  const at = greville(knots, degree);
  const samples = new Float64Array(at.length * n.stride);
  at.forEach((t, i) => evaluateNet(n, t, samples, i * n.stride));
  const out = interpolateInSpace(degree, knots, at, samples, n.stride);
  if (!out) throw new Error('degree raising met a singular space');
  return out;
}

/** Splits at t (strictly inside) into two clamped nets. */
export function splitNet(n: Net, t: number): [Net, Net] {
  const p = n.degree;
  const net = raiseMultiplicity(n, t, p);
  let k = 0;
  while (net.knots[k] < t) k++;
  const s = n.stride;
  const cut = k - 1;
  const a: Net = {
    degree: p,
    stride: s,
    knots: Float64Array.of(...net.knots.subarray(0, k + p), t),
    data: net.data.slice(0, (cut + 1) * s),
  };
  const b: Net = { degree: p, stride: s, knots: Float64Array.of(t, ...net.knots.subarray(k)), data: net.data.slice(cut * s) };
  return [a, b];
}

/** The part of the net over [a, b], clamped. Also turns unclamped nets into clamped ones. */
export function clipNet(n: Net, a: number, b: number): Net {
  const p = n.degree;
  const [d0, d1] = domainOf(n.knots, p);
  let net = n;
  const clampedStart = multiplicityOf(n.knots, d0) > p;
  const clampedEnd = multiplicityOf(n.knots, d1) > p;
  if (a > d0 || !clampedStart) {
    net = raiseMultiplicity(net, a, p);
    let k = 0;
    while (net.knots[k] < a) k++;
    net = { ...net, knots: Float64Array.of(a, ...net.knots.subarray(k)), data: net.data.slice((k - 1) * n.stride) };
  }
  if (b < d1 || !clampedEnd) {
    net = raiseMultiplicity(net, b, p);
    let k = 0;
    while (net.knots[k] < b) k++;
    net = { ...net, knots: Float64Array.of(...net.knots.subarray(0, k + p), b), data: net.data.slice(0, k * n.stride) };
  }
  return net;
}

export function reverseNet(n: Net): Net {
  const rows = rowCount(n);
  const s = n.stride;
  const [a, b] = domainOf(n.knots, n.degree);
  const data = new Float64Array(n.data.length);
  for (let i = 0; i < rows; i++) data.set(n.data.subarray(i * s, i * s + s), (rows - 1 - i) * s);
  return { ...n, knots: Float64Array.from(n.knots, (_, i) => a + b - n.knots[n.knots.length - 1 - i]), data };
}

/** Maps the domain linearly onto [a, b]. */
export function remapNet(n: Net, a: number, b: number): Net {
  const [d0, d1] = domainOf(n.knots, n.degree);
  if (d0 === a && d1 === b) return n;
  const f = (b - a) / (d1 - d0);
  return { ...n, knots: n.knots.map((k) => (k === d0 ? a : k === d1 ? b : a + (k - d0) * f)) };
}

/** Brings nets to one degree and one knot vector on [0, 1] without changing their shape. Knots nearer than 1e-9 are merged. */
export function makeCompatible(nets: readonly Net[]): Net[] {
  const degree = Math.max(...nets.map((n) => n.degree));
  let list = nets.map((n) => elevateNet(remapNet(n, 0, 1), degree - n.degree));
  const merged: { t: number; m: number }[] = [];
  for (const n of list) {
    const runs = knotRuns(n.knots, degree);
    runs.values.forEach((t, i) => {
      if (t <= 0 || t >= 1) return;
      const near = merged.find((k) => Math.abs(k.t - t) < 1e-9);
      if (near) near.m = Math.max(near.m, runs.multiplicities[i]);
      else merged.push({ t, m: runs.multiplicities[i] });
    });
  }
  list = list.map((n) => ({ ...n, knots: n.knots.map((k) => merged.find((x) => Math.abs(x.t - k) < 1e-9)?.t ?? k) }));
  return list.map((n) => merged.reduce((net, k) => raiseMultiplicity(net, k.t, k.m), n));
}
