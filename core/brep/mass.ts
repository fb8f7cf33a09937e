import { digestNumbers } from '../math/hash.ts';
import { changeBetween, gaussRule, symmetric3, type Vec3 } from '../math/index.ts';
import { basisDerivatives, findSpan, knotRuns } from '../nurbs/index.ts';
import { type Body, type EdgeUse, type Face, traceBreaks, traceTangent, useUV } from './body.ts';
import { toRational, turnSlope } from './chart.ts';

export interface MassProperties {
  /** mm² */
  readonly area: number;
  /** mm³; positive when faces look outwards. Meaningful for closed bodies only; of an open one it is the cone's to the centre of its surface. */
  readonly volume: number;
  readonly centre: Vec3;
  /** Centre of the surface. */
  readonly areaCentre: Vec3;
  /** Integral of the outward unit normal; zero for closed bodies. */
  readonly vectorArea: Vec3;
  /** What gaps between the faces of a closed body may mean for its volume, mm³. */
  readonly volumeError: number;
}

/**
 * Exact area, volume and centres by Green's theorem on each face: the integral over the trimmed domain becomes a closed integral of
 * F(u, v) dv, F being the inner Gauss integral in u from the least u of the border, split at every knot. Intervals whose two results differ are
 * taken finer until they agree to 1e-10, with `quick` to 1e-7; `'sign'` tells
 * inside from outside and little more (1e-5). Everything is measured from the faces' own places and
 * then from the centre of the surface, so that the result does not depend on where the part lies.
 */
export function massProperties(
  b: Body,
  faces: readonly number[] = b.faces.map((_, i) => i),
  quick: boolean | 'sign' = false,
): MassProperties {
  const parts = faces.map((i) => ({ anchor: anchorOf(b.faces[i]), at: faceIntegrals(b, b.faces[i], quick) }));
  const area = parts.reduce((s, p) => s + p.at[0], 0);
  const areaCentre = [0, 1, 2].map((k) =>
    area > 0 ? parts.reduce((s, p) => s + p.at[1 + k] + p.anchor[k] * p.at[0], 0) / area : 0,
  ) as unknown as Vec3;
  const vectorArea: [number, number, number] = [0, 0, 0];
  const moment = [0, 0, 0];
  let volume = 0;
  for (const { anchor, at } of parts)
    for (let k = 0; k < 3; k++) {
      const d = areaCentre[k] - anchor[k];
      vectorArea[k] += at[4 + k];
      volume += (at[7 + k] - d * at[4 + k]) / 3;
      moment[k] += at[10 + k] - d * at[7 + k] + (d * d * at[4 + k]) / 2;
    }
  return {
    area,
    volume,
    centre: [0, 1, 2].map((k) => (Math.abs(volume) > 1e-12 ? areaCentre[k] + moment[k] / volume : 0)) as unknown as Vec3,
    areaCentre,
    vectorArea,
    volumeError: (Math.hypot(...vectorArea) * Math.sqrt(area / (4 * Math.PI))) / 3,
  };
}

/** How a body of even density turns: mm^5, about its own centre. Times the density it is the moment of inertia. */
export interface Inertia {
  /** Integrals of the products of coordinates over the volume, from the centre: xx, yy, zz, xy, yz, zx. */
  readonly second: readonly [number, number, number, number, number, number];
  /** Moments about the principal axes, rising, and those axes. */
  readonly moments: Vec3;
  readonly axes: readonly [Vec3, Vec3, Vec3];
}
/** Inertia of a closed body by the same integrals as its volume, taken from its centre. */
export function inertiaOf(b: Body): Inertia {
  const { centre } = massProperties(b);
  const sum = new Float64Array(6);
  for (const f of b.faces) {
    const v = integrateFace(b, f, 1, 1e-10, centre);
    for (let k = 0; k < 6; k++) sum[k] += v[VALUES + k];
  }
  const [xx, yy, zz, xy, yz, zx] = sum;
  const tensor = [
    [yy + zz, -xy, -zx],
    [-xy, xx + zz, -yz],
    [-zx, -yz, xx + yy],
  ];
  const { values, axes } = symmetric3(tensor);
  return { second: [xx, yy, zz, xy, yz, zx], moments: values, axes };
}

/**
 * Signed volume well enough to tell outside from inside and the larger of two; of thin walls, whose volume is small beside what their faces
 * sweep, taken closer.
 */
export function signedVolume(b: Body, faces?: readonly number[]): number {
  const m = massProperties(b, faces, 'sign');
  return Math.abs(m.volume) > 0.05 * m.area ** 1.5 ? m.volume : massProperties(b, faces, true).volume;
}

/** Area, its first moment x3, vector area x3, y·n by coordinate x3 (three times the volume), half of y²·n x3; y from the face's anchor. */
const VALUES = 13;
/** After them: y_k³/3 n_k for each k, then y_k² y_l/2 n_k for kl = xy, yz, zx. */
const MOMENTS = 19;
const anchorOf = ({ surface: { control: c } }: Face): Vec3 => [c[0] / c[3], c[1] / c[3], c[2] / c[3]];

function faceIntegrals(b: Body, f: Face, quick: boolean | 'sign'): Float64Array {
  // a quick value never comes from an exact one: the same call must give the same number whatever was asked before
  if (!quick) return oriented(b, f, exact, () => recall(b, f) ?? remember(b, f, integrateFace(b, f, 1, 1e-10)));
  if (quick === 'sign') return oriented(b, f, signs, () => integrateFace(b, f, 0, 1e-5));
  return oriented(b, f, rough, () => integrateFace(b, f, 0, 1e-7));
}

/**
 * Integrals of a face turned over differ in sign only. Kept by what the face is made of (surface, images, ranges), which it shares with the
 * face it was taken from.
 */
function oriented(b: Body, f: Face, kept: WeakMap<object, Kept[]>, compute: () => Float64Array): Float64Array {
  const key = f.loops[0]?.[0]?.pcurve;
  if (!key) return compute();
  const parts = f.loops.flatMap((l) => l.flatMap((u): unknown[] => [u.pcurve, b.edges[u.edge].range, u.reversed]));
  const list = kept.get(key) ?? [];
  const found = list.find((k) => k.surface === f.surface && k.parts.length === parts.length && k.parts.every((x, i) => x === parts[i]));
  if (!found) {
    const value = compute();
    kept.set(key, [...list, { surface: f.surface, parts, reversed: f.reversed, value }]);
    return value;
  }
  if (found.reversed === f.reversed) return found.value;
  return found.value.map((x, k) => (FLUXES.includes(k) ? -x : x));
}
interface Kept {
  readonly surface: Face['surface'];
  readonly parts: readonly unknown[];
  readonly reversed: boolean;
  readonly value: Float64Array;
}
/** Places of the integrals that change sign with the outside. */
const FLUXES = [4, 5, 6, 7, 8, 9, 10, 11, 12];

const jet = new Float64Array(12);
const basis = new Float64Array(64);
const exact = new WeakMap<object, Kept[]>();
const rough = new WeakMap<object, Kept[]>();
const signs = new WeakMap<object, Kept[]>();
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

/** Rules with ever more nodes and cells across the face. */
const RULES = [
  [4, 1],
  [6, 1],
  [9, 1],
  [13, 1],
  [12, 2],
  [12, 4],
  [12, 8],
] as const;

/**
 * Integrals of one face. Every stretch of its border between knots is integrated with two rules, from number `start`; those that do not
 * agree with the whole's tolerance are taken finer, the others stay.
 */
function integrateFace(b: Body, f: Face, start: number, relative: number, about?: Vec3): Float64Array {
  const count = about ? MOMENTS : VALUES;
  const rules = new Map<number, ReturnType<typeof stretchRule>>();
  const integral = (stretch: Stretch, level: number) => {
    const [order, cells] = RULES[level];
    let r = rules.get(level);
    if (!r) rules.set(level, (r = stretchRule(f, order, cells, origin, about)));
    // a short stretch of a span needs fewer nodes along the border than across the face
    const along = cells > 1 ? order : Math.min(order, Math.max(level + 2, Math.ceil(1.5 * order * stretch.share)));
    return r(stretch, along);
  };
  const stretches = stretchesOf(b, f);
  // the inner integral begins at the border's least u: what the surface does further out, as a fold beyond its trims, is not looked at
  const origin = stretches.reduce(
    (m, { use, from, to }) => Math.min(m, useUV(f, use, from)[0], useUV(f, use, (from + to) / 2)[0]),
    Infinity,
  );
  const coarse = stretches.map((x) => integral(x, start));
  const values = stretches.map((x) => integral(x, start + 1));
  const total = new Float64Array(count);
  for (const v of values) for (let k = 0; k < count; k++) total[k] += v[k];
  const size = Math.abs(total[0]);
  const flux = (v: Float64Array) => v[7] + v[8] + v[9];
  const within = (x: Float64Array, y: Float64Array) =>
    Math.abs(x[0] - y[0]) <= relative * size + 1e-14 &&
    Math.abs(flux(x) - flux(y)) <= 3 * (relative * (Math.abs(flux(total)) / 3 + size) + 1e-14);
  stretches.forEach((stretch, i) => {
    let before = coarse[i];
    for (let level = start + 2; level < RULES.length && !within(before, values[i]); level++) {
      before = values[i];
      values[i] = integral(stretch, level);
    }
  });
  const out = new Float64Array(count);
  for (const v of values) for (let k = 0; k < count; k++) out[k] += v[k];
  // areas count positive whichever way the loops run in the chart
  const turn = out[0] < 0 ? -1 : 1;
  for (const k of [0, 1, 2, 3]) out[k] *= turn;
  if (f.reversed) for (let k = 4; k < count; k++) out[k] = -out[k];
  return out;
}

/** A stretch of a border between knots of its image and of the surface. */
interface Stretch {
  readonly use: EdgeUse;
  readonly from: number;
  readonly to: number;
  /** How much of a span between knots of v it covers. */
  readonly share: number;
  /** The cell between knots it runs in, in u and in v. */
  readonly cell: readonly [number, number];
}
function stretchesOf(b: Body, f: Face): Stretch[] {
  const ku = knotRuns(f.surface.knotsU, f.surface.degreeU).values;
  const kv = knotRuns(f.surface.knotsV, f.surface.degreeV).values;
  return f.loops.flatMap((loop) =>
    loop.flatMap((use) => {
      const e = b.edges[use.edge];
      const given = [...new Set([...traceBreaks(use.pcurve, ...e.range), ...traceBreaks(e, ...e.range)])].sort((x, y) => x - y);
      const breaks = splitAtKnots(f, use, given, ku, kv);
      return breaks.slice(1).flatMap((to, i) => {
        const from = breaks[i];
        if (!(to > from)) return [];
        const [p, q] = [from, to].map((t) => useUV(f, use, t)[1]);
        const [mu, m] = useUV(f, use, (from + to) / 2);
        const k = cellAt(kv, m);
        const share = Math.min(1, (Math.abs(q - m) + Math.abs(m - p)) / (kv[k + 1] - kv[k]));
        return [{ use, from, to, share, cell: [cellAt(ku, mu), k] as const }];
      });
    }),
  );
}

function cellAt(knots: readonly number[], t: number): number {
  let k = 0;
  while (k + 2 < knots.length && t > knots[k + 1]) k++;
  return k;
}

/**
 * Integrals along u over whole cells at the Gauss places in v, by rule and part of a span of v. A surface is integrated again and again
 * while it is cut, knitted and given a wall; only its borders differ. Kept for the surfaces used last.
 */
const wholeCellsOf = new Map<Float64Array, Map<string, Float64Array>>();
const SURFACES_KEPT = 8;
function keptCells(control: Float64Array): Map<string, Float64Array> {
  const kept = wholeCellsOf.get(control) ?? new Map<string, Float64Array>();
  wholeCellsOf.delete(control);
  wholeCellsOf.set(control, kept);
  if (wholeCellsOf.size > SURFACES_KEPT) wholeCellsOf.delete(wholeCellsOf.keys().next().value as Float64Array);
  return kept;
}

/** Integral over a stretch with Gauss rules in `cells` parts: `order` nodes across the face, `along` nodes along the border. */
function stretchRule(f: Face, order: number, cells: number, origin: number, about?: Vec3): (s: Stretch, along: number) => Float64Array {
  const s = f.surface;
  const [ax, ay, az] = about ?? anchorOf(f);
  const count = about ? MOMENTS : VALUES;
  const line = new Float64Array(count);
  const { nodes, weights } = gaussRule(order);
  const all = knotRuns(s.knotsU, s.degreeU).values;
  const first = cellAt(all, origin);
  // knots of u with the origin in place of those before it
  const ku = all.map((k, i) => (i <= first ? Math.max(all[0], origin) : k));

  // the surface along u at fixed v: control rows contracted with the basis in v, then one short sum per point
  const { degreeU: p, degreeV: q, countU, countV, control } = s;
  const row = new Float64Array(countU * 8);
  const contract = (v: number, first = 0, last = countU - 1) => {
    const span = findSpan(s.knotsV, q, v);
    basisDerivatives(s.knotsV, q, span, v, 1, basis);
    for (let k = first; k <= last; k++) {
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
    const px = jet[0] / w;
    const py = jet[1] / w;
    const pz = jet[2] / w;
    const ux = (jet[4] - jet[7] * px) / w;
    const uy = (jet[5] - jet[7] * py) / w;
    const uz = (jet[6] - jet[7] * pz) / w;
    const vx = (jet[8] - jet[11] * px) / w;
    const vy = (jet[9] - jet[11] * py) / w;
    const vz = (jet[10] - jet[11] * pz) / w;
    const nx = (uy * vz - uz * vy) * weight;
    const ny = (uz * vx - ux * vz) * weight;
    const nz = (ux * vy - uy * vx) * weight;
    const area = Math.sqrt(nx * nx + ny * ny + nz * nz) * (weight < 0 ? -1 : 1);
    const x = px - ax;
    const y = py - ay;
    const z = pz - az;
    line[0] += area;
    line[1] += x * area;
    line[2] += y * area;
    line[3] += z * area;
    line[4] += nx;
    line[5] += ny;
    line[6] += nz;
    line[7] += x * nx;
    line[8] += y * ny;
    line[9] += z * nz;
    line[10] += (x * x * nx) / 2;
    line[11] += (y * y * ny) / 2;
    line[12] += (z * z * nz) / 2;
    if (!about) return;
    line[13] += (x * x * x * nx) / 3;
    line[14] += (y * y * y * ny) / 3;
    line[15] += (z * z * z * nz) / 3;
    line[16] += (x * x * y * nx) / 2;
    line[17] += (y * y * z * ny) / 2;
    line[18] += (z * z * x * nz) / 2;
  };
  // nodes of whole spans are the same for every v
  const stride = 2 * (p + 1);
  const perSpan = cells * order;
  const table = new Float64Array((ku.length - 1) * perSpan * stride);
  const tableSpan = new Int32Array(ku.length - 1);
  for (let c = first; c + 1 < ku.length; c++) {
    const h = (ku[c + 1] - ku[c]) / (2 * cells);
    tableSpan[c] = findSpan(s.knotsU, p, (ku[c] + ku[c + 1]) / 2);
    for (let g = 0; g < perSpan; g++) {
      const u = ku[c] + 2 * h * Math.floor(g / order) + h * (1 + nodes[g % order]);
      basisDerivatives(s.knotsU, p, tableSpan[c], u, 1, basis);
      table.set(basis.subarray(0, stride), (c * perSpan + g) * stride);
    }
  }
  const kv = knotRuns(s.knotsV, s.degreeV).values;
  /** Adds the integral over the whole cell `c` of u to `line`; `contract` has set v. */
  const wholeCell = (c: number) => {
    const h = (ku[c + 1] - ku[c]) / (2 * cells);
    for (let g = 0; g < perSpan; g++) node(tableSpan[c], table, (c * perSpan + g) * stride, weights[g % order] * h);
  };
  /** Adds the integral from the knot before `c` to u. */
  const partOfCell = (c: number, u: number) => {
    const h = (u - ku[c]) / (2 * cells);
    if (h === 0) return;
    const span = tableSpan[c];
    for (let g = 0; g < perSpan; g++) {
      basisDerivatives(s.knotsU, p, span, ku[c] + 2 * h * Math.floor(g / order) + h * (1 + nodes[g % order]), 1, basis);
      node(span, basis, 0, weights[g % order] * h);
    }
  };
  /**
   * Integrals from the origin to every knot of u at the Gauss places of one part of a span of v. What they sum to between two v is the
   * integral of the polynomial through them, so that whole cells cost nothing per place of the border.
   */
  const columns = new Map<number, Float64Array>();
  const kept = about || ku.length * kv.length < 12 ? undefined : keptCells(control);
  /** Integrals over every whole cell of u at the Gauss places of one part, place by place; `first` begins at the origin and is not among them. */
  const cellsOf = (part: number, from: number, h: number): Float64Array => {
    const key = `${order}/${cells}/${part}`;
    let list = kept?.get(key);
    if (!list) kept?.set(key, (list = new Float64Array(order * ku.length * count).fill(Number.NaN)));
    list ??= new Float64Array(order * ku.length * count).fill(Number.NaN);
    for (let g = 0; g < order; g++) {
      let ready = false;
      for (let c = first + 1; c + 2 < ku.length; c++) {
        const o = (g * ku.length + c) * count;
        if (!Number.isNaN(list[o])) continue;
        if (!ready) contract(from + h * (1 + nodes[g]));
        ready = true;
        line.fill(0);
        wholeCell(c);
        list.set(line, o);
      }
    }
    return list;
  };
  const columnsOf = (part: number): Float64Array => {
    const known = columns.get(part);
    if (known) return known;
    const j = Math.floor(part / cells);
    const h = (kv[j + 1] - kv[j]) / (2 * cells);
    const from = kv[j] + 2 * h * (part % cells);
    const out = new Float64Array((ku.length - 1) * order * count);
    const inner = cellsOf(part, from, h);
    for (let g = 0; g < order; g++) {
      line.fill(0);
      if (first + 2 < ku.length) {
        contract(from + h * (1 + nodes[g]));
        wholeCell(first);
      }
      for (let c = first + 1; c + 1 < ku.length; c++) {
        out.set(line, (c * order + g) * count);
        const o = (g * ku.length + c) * count;
        if (c + 2 < ku.length) for (let k = 0; k < count; k++) line[k] += inner[o + k];
      }
    }
    columns.set(part, out);
    return out;
  };
  const upTo = new Float64Array(order);
  /** Adds `sign` times the integral over whole cells before `c`, from the knot of v before `j` to v. */
  const wholeCells = (out: Float64Array, c: number, j: number, v: number, sign: number) => {
    const h = (kv[j + 1] - kv[j]) / (2 * cells);
    for (let k = 0; k < cells; k++) {
      const x = (v - kv[j]) / h - 2 * k - 1;
      if (x <= -1 && k) break;
      integralWeights(nodes, weights, k + 1 < cells ? Math.min(1, x) : x, upTo);
      const column = columnsOf(j * cells + k);
      for (let g = 0; g < order; g++) {
        const w = upTo[g] * h * sign;
        const o = (c * order + g) * count;
        for (let n = 0; n < count; n++) out[n] += w * column[o + n];
      }
    }
  };
  return ({ use, from, to, cell }, along) => {
    const border = gaussRule(along);
    const out = new Float64Array(count);
    const [c0, j0] = [Math.max(first, cell[0]), cell[1]];
    const slack = [1e-6 * (ku[c0 + 1] - ku[c0]), 1e-6 * (kv[j0 + 1] - kv[j0])];
    const turned = use.reversed ? -1 : 1;
    // a border that leaves its cell unseen is summed place by place
    let strays = false;
    const strip = (whole: boolean) => {
      for (let c = 0; c < cells; c++) {
        const t0 = from + ((to - from) * c) / cells;
        const h = (to - from) / (2 * cells);
        for (let g = 0; g < along; g++) {
          const [place, d] = traceTangent(use.pcurve, t0 + h * (1 + border.nodes[g]));
          const dv = d[1] * turnSlope(f.turnV, place[1]);
          if (Math.abs(dv) < 1e-300) continue;
          const [u, v] = [toRational(f.turnU, place[0]), toRational(f.turnV, place[1])];
          if (!whole && (u < ku[c0] - slack[0] || u > ku[c0 + 1] + slack[0] || v < kv[j0] - slack[1] || v > kv[j0 + 1] + slack[1])) {
            strays = true;
            return;
          }
          line.fill(0);
          let at = c0;
          // a border in its cell needs only the control rows of that cell
          if (whole) contract(v);
          else contract(v, tableSpan[c0] - p, tableSpan[c0]);
          if (whole) for (at = first; at + 2 < ku.length && ku[at + 1] <= u; at++) wholeCell(at);
          partOfCell(at, u);
          const w = border.weights[g] * h * dv * turned;
          for (let k = 0; k < count; k++) out[k] += w * line[k];
        }
      }
    };
    strip(false);
    if (strays) {
      out.fill(0);
      strip(true);
      return out;
    }
    if (c0 > first) {
      const [v0, v1] = [from, to].map((t) => useUV(f, use, t)[1]);
      if (v0 !== v1) {
        wholeCells(out, c0, j0, v1, turned);
        wholeCells(out, c0, j0, v0, -turned);
      }
    }
    return out;
  };
}
/**
 * Weights with which values at the Gauss places sum to the integral from -1 to x of the polynomial through them: by its Legendre series,
 * whose terms integrate to differences of neighbouring Legendre polynomials.
 */
function integralWeights(nodes: ArrayLike<number>, weights: ArrayLike<number>, x: number, out: Float64Array): void {
  const n = out.length;
  // Legendre polynomials at x, one further
  let [before, now] = [1, x];
  out.fill(0);
  for (let g = 0; g < n; g++) out[g] = (weights[g] / 2) * (x + 1);
  const [p0, p1] = [new Float64Array(n).fill(1), Float64Array.from(nodes)];
  for (let k = 1; k < n; k++) {
    const next = ((2 * k + 1) * x * now - k * before) / (k + 1);
    const term = next - before;
    for (let g = 0; g < n; g++) {
      out[g] += (weights[g] / 2) * p1[g] * term;
      const up = ((2 * k + 1) * nodes[g] * p1[g] - k * p0[g]) / (k + 1);
      p0[g] = p1[g];
      p1[g] = up;
    }
    before = now;
    now = next;
  }
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
      // what a coarse look overlooks comes out when the stretch is integrated twice
      const n = breaks.length > 12 ? 4 : 12;
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
