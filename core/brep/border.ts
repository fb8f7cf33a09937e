import { cross, distance, dot, length, negate, unit, type Vec3 } from '../math/index.ts';
import {
  clipCurve,
  clipNet,
  closestOnSurface,
  domain,
  evaluateSurface,
  joinCurves,
  type LengthTable,
  lengthTable,
  type Net,
  type NurbsCurve,
  remapNet,
  reverseCurve,
  reverseNet,
  transpose,
} from '../nurbs/index.ts';
import { type Body, type EdgeUse, type Face, topologyOf, traceTangent, useUV } from './body.ts';
import { edgeCurve } from './build.ts';
import { toAngle } from './chart.ts';
import { derivativeNet, type NeighbourJet } from './neighbour.ts';
import { breaksAlong } from './refit.ts';

/** An edge of a body, or a part of its length, as it is picked for a border; a free curve has no body. */
export type BorderPart =
  | { readonly body: Body; readonly edge: number; readonly part: readonly [number, number]; readonly side: 0 | 1 }
  | { readonly curve: NurbsCurve };
interface Piece {
  readonly curve: NurbsCurve;
  /** Where its parameters begin on the joined curve, less its own first one. */
  shift: number;
  readonly reversed: boolean;
  readonly face?: Face;
  readonly index: number;
  readonly body?: Body;
  readonly edge: number;
  readonly use?: EdgeUse;
}
export interface BorderPlace {
  readonly piece: number;
  /** Parameter of the edge. */
  readonly t: number;
  readonly point: Vec3;
  /** Unit tangent in running direction. */
  readonly tangent: Vec3;
  readonly uv: readonly [number, number];
}
const jet = new Float64Array(48);

/**
 * A chain of edges, or of parts of edges, with the faces behind them, by share of its length (0..1, in mm: `total`). The parts are put end to
 * end in the order given; each is turned round where needed. `closed`: the last runs on into the first.
 */
export class Border {
  readonly curve: NurbsCurve;
  readonly table: LengthTable;
  readonly total: number;
  readonly closed: boolean;
  /** Every part lies on a face. */
  readonly held: boolean;
  private readonly pieces: Piece[];
  constructor(parts: readonly BorderPart[], tolerance = 1e-3) {
    this.pieces = chained(parts, tolerance);
    const curves = this.pieces.map((p) => p.curve);
    let at = 0;
    for (const p of this.pieces) {
      const [a, b] = domain(p.curve);
      p.shift = curves.length === 1 ? 0 : at - a;
      at += b - a;
    }
    this.curve = joinCurves(curves);
    this.table = lengthTable(this.curve);
    this.total = this.table.total;
    this.closed = distance(this.pointAt(0), this.pointAt(1)) <= tolerance;
    this.held = this.pieces.every((p) => p.face);
  }
  private pointAt(share: number): Vec3 {
    return this.place(share).point;
  }
  /** Bodies and edges it is made of. */
  get edges(): readonly { readonly body: Body; readonly edge: number }[] {
    return this.pieces.flatMap((p) => (p.body ? [{ body: p.body, edge: p.edge }] : []));
  }
  place(share: number): BorderPlace {
    return this.onCurve(this.table.near(Math.min(1, Math.max(0, share)) * this.total));
  }
  private onCurve(T: number): BorderPlace {
    let i = 0;
    while (i + 1 < this.pieces.length && T >= this.pieces[i + 1].shift + domain(this.pieces[i + 1].curve)[0]) i++;
    const p = this.pieces[i];
    const [a, b] = domain(p.curve);
    const own = Math.min(b, Math.max(a, T - p.shift));
    if (!p.face || !p.use || !p.body) {
      const [point, d] = traceTangent({ curve: p.curve }, own);
      return { piece: i, t: own, point, tangent: unit(d), uv: [0, 0] };
    }
    const e = p.body.edges[p.edge];
    const t = toAngle(e.turn, p.reversed ? a + b - own : own);
    const [point, d] = traceTangent(e, t);
    return { piece: i, t, point, tangent: unit(p.reversed ? negate(d) : d), uv: useUV(p.face, p.use, t) };
  }
  /** The face behind a share, at the foot of `p` on its surface (at the border itself when left out). */
  jet(share: number, p?: Vec3): NeighbourJet {
    return this.jetAt(this.place(share), p);
  }
  private jetAt(at: BorderPlace, p?: Vec3): NeighbourJet {
    const piece = this.pieces[at.piece];
    const f = piece.face;
    if (!f || !piece.use) throw new Error('a free curve has no face behind it');
    const foot = p ? closestOnSurface(f.surface, p, at.uv) : { u: at.uv[0], v: at.uv[1] };
    evaluateSurface(f.surface, foot.u, foot.v, 3, jet);
    const partials = Array.from({ length: 16 }, (_, k): Vec3 => [jet[3 * k], jet[3 * k + 1], jet[3 * k + 2]]);
    let n = cross(partials[4], partials[1]);
    const flat = length(n) < 1e-13 * (length(partials[4]) + length(partials[1]) + 1e-300);
    if (flat) {
      // a pole: the normal a little inside the face's range
      const beside = closestOnSurface(f.surface, this.onCurve(this.table.near(0.01 * this.total)).point, at.uv);
      evaluateSurface(f.surface, beside.u, beside.v, 1, jet);
      n = cross([jet[6], jet[7], jet[8]], [jet[3], jet[4], jet[5]]);
    }
    n = unit(n);
    // the face lies on the left of its use of the edge
    const along = piece.reversed === piece.use.reversed ? at.tangent : negate(at.tangent);
    const away = unit(cross(along, n));
    return { point: partials[0], normal: f.reversed ? negate(n) : n, partials, away, uv: [foot.u, foot.v], face: piece.index, on: f };
  }
  /** The face behind the place of the border nearest to p, at the foot of p. */
  at(p: Vec3): NeighbourJet {
    return this.jetAt(this.place(this.nearest(p)), p);
  }
  /** Share of the place nearest to p. */
  nearest(p: Vec3): number {
    const samples = this.samples();
    const far = (k: number) => (samples[3 * k] - p[0]) ** 2 + (samples[3 * k + 1] - p[1]) ** 2 + (samples[3 * k + 2] - p[2]) ** 2;
    const n = samples.length / 3 - 1;
    let best = 0;
    for (let i = 1; i <= n; i++) if (far(i) < far(best)) best = i;
    // beside a corner the nearest sample may lie on the other stretch: its neighbours are tried too
    let found = { share: best / n, d: far(best) };
    // a closed border has two ends at its start: a place a little before it is met from the other one
    const ends = this.closed && (best === 0 || best === n) ? [0, n] : [];
    for (const start of [best, best - 1, best + 1, ...ends]) {
      if (start < 0 || start > n) continue;
      let s = start / n;
      for (let k = 0; k < 8; k++) {
        const at = this.place(s);
        const d = dot([p[0] - at.point[0], p[1] - at.point[1], p[2] - at.point[2]], at.tangent) / this.total;
        const next = Math.min(1, Math.max(0, s + d));
        if (Math.abs(next - s) < 1e-13) break;
        s = next;
      }
      const d = distance(this.place(s).point, p) ** 2;
      if (d < found.d) found = { share: s, d };
    }
    return found.share;
  }
  private sampled: Float64Array | undefined;
  private samples(): Float64Array {
    if (!this.sampled) {
      const n = 64 * this.pieces.length;
      this.sampled = new Float64Array(3 * (n + 1));
      for (let i = 0; i <= n; i++) this.sampled.set(this.place(i / n).point, 3 * i);
    }
    return this.sampled;
  }
  /** Shares at which the faces behind change their smoothness, with the continuity left there (knot lines crossed, ends of edges). */
  breaks(): { readonly share: number; readonly order: number }[] {
    const out: { share: number; order: number }[] = [];
    for (const p of this.pieces.slice(1)) out.push({ share: this.table.lengthAt(p.shift + domain(p.curve)[0]) / this.total, order: 1 });
    if (!this.held) return out;
    const found = breaksAlong({ total: this.total, near: (s) => this.table.near(s) }, (T) => {
      const at = this.onCurve(T);
      return [{ s: (this.pieces[at.piece].face as Face).surface, uv: at.uv }];
    });
    // over the end of a face its parameters jump: what is found there is told above
    const ends = out.map((x) => x.share);
    for (const s of found) {
      const share = s.t / this.total;
      if (ends.every((e) => Math.abs(e - share) > 0.008)) out.push({ share, order: 5 - s.multiplicity });
    }
    return out.sort((a, b) => a.share - b.share);
  }
  /**
   * The border as a net along itself over 0..1 where it is one edge on a parameter line of its surface: rows of 16 numbers, the homogeneous
   * point and its first three derivatives straight out of the face, in running direction.
   */
  natural(): Net | undefined {
    if (this.pieces.length !== 1) return undefined;
    const f = this.pieces[0].face;
    if (!f) return undefined;
    const places = Array.from({ length: 33 }, (_, i) => this.place(i / 32).uv);
    const constant = (k: 0 | 1) => places.every((q) => Math.abs(q[k] - places[0][k]) < 1e-10);
    const k = constant(0) ? 0 : constant(1) ? 1 : undefined;
    if (k === undefined) return undefined;
    const [a, b] = [places[0][1 - k], places[32][1 - k]];
    const [low, high] = [Math.min(a, b), Math.max(a, b)];
    if (!(high - low > 1e-9)) return undefined;
    // straight on, not there and back
    for (let i = 1; i < places.length; i++) if ((places[i][1 - k] - places[i - 1][1 - k]) * (b - a) <= 0) return undefined;
    const surface = k === 0 ? f.surface : transpose(f.surface);
    const part = clipNet(derivativeNet(surface, places[0][k]), low, high);
    const run = remapNet(a < b ? part : reverseNet(part), 0, 1);
    const middle = this.jet(0.5);
    if (dot(k === 0 ? middle.partials[4] : middle.partials[1], middle.away) >= 0) return run;
    const data = new Float64Array(run.data);
    for (let i = 0; i < data.length; i += 16)
      for (let q = 0; q < 4; q++) {
        data[i + 4 + q] *= -1;
        data[i + 12 + q] *= -1;
      }
    return { ...run, data };
  }
}

/** Parts end to end: each next one is the one that starts or ends where the chain is; gaps up to the tolerance are passed over. */
function chained(parts: readonly BorderPart[], tolerance: number): Piece[] {
  const raw = parts.map((p): Piece => {
    if ('curve' in p) return { curve: p.curve, shift: 0, reversed: false, index: -1, edge: -1 };
    const whole = edgeCurve(p.body.edges[p.edge]);
    const refs = topologyOf(p.body).uses[p.edge];
    const ref = refs[Math.min(p.side, refs.length - 1)];
    const table = lengthTable(whole);
    const [from, to] = p.part;
    const curve =
      from <= 0 && to >= 1
        ? whole
        : clipCurve(
            whole,
            from <= 0 ? domain(whole)[0] : table.exact(from * table.total),
            to >= 1 ? domain(whole)[1] : table.exact(to * table.total),
          );
    return { curve, shift: 0, reversed: false, face: p.body.faces[ref.face], index: ref.face, body: p.body, edge: p.edge, use: ref.use };
  });
  const end = (p: Piece, last: boolean): Vec3 => {
    const [a, b] = domain(p.curve);
    return traceTangent({ curve: p.curve }, last ? b : a)[0];
  };
  const turned = (p: Piece): Piece => ({ ...p, curve: reverseCurve(p.curve), reversed: !p.reversed });
  if (raw.length < 2) return raw;
  const rest = raw.slice(1);
  // the first one runs towards the second if it touches it
  const near = (a: Vec3, b: Vec3) => distance(a, b) <= tolerance;
  const touches = (q: Vec3) => rest.some((r) => near(end(r, false), q) || near(end(r, true), q));
  const out = [!touches(end(raw[0], true)) && touches(end(raw[0], false)) ? turned(raw[0]) : raw[0]];
  while (rest.length) {
    const tip = end(out[out.length - 1], true);
    const order = rest.map((r, i) => ({ i, d: Math.min(distance(end(r, false), tip), distance(end(r, true), tip)) }));
    const next = order.reduce((a, b) => (b.d < a.d - 1e-12 ? b : a));
    if (next.d > tolerance) {
      // the chain goes on at its other end
      const tail = end(out[0], false);
      const k = rest.findIndex((r) => near(end(r, true), tail) || near(end(r, false), tail));
      if (k < 0) throw new BorderGap(tip, next.d);
      const r = rest.splice(k, 1)[0];
      out.unshift(near(end(r, true), tail) ? r : turned(r));
      continue;
    }
    const r = rest.splice(next.i, 1)[0];
    out.push(distance(end(r, false), tip) <= distance(end(r, true), tip) ? r : turned(r));
  }
  return out;
}
/** The parts of a border do not run on into each other. */
export class BorderGap extends Error {
  constructor(
    readonly place: Vec3,
    readonly gap: number,
  ) {
    super('the edges are not one chain');
  }
}
