import { subdominant } from './limit.ts';

/**
 * The faces around one cage vertex, seen from one side: a closed fan (smooth vertex) or an open one (sector between two creases or borders).
 * Catmull-Clark with the sector rule of Biermann, Levin and Zorin (2000); the net is structured, so that a step is plain index work.
 *
 * Net: face i has corners (i, a, b), a along spoke i, b along spoke i + 1, from 0 to `reach`. Rows of `stride` numbers: xyz, or weights of the
 * cage's vertices.
 */
export interface Fan {
  readonly faces: number;
  /** 'smooth' = closed; 'crease' = open, its rim one smooth cubic; 'corner' = open, the vertex stays where it is. */
  readonly kind: 'smooth' | 'crease' | 'corner';
  /** Opening of the sector in the tangent plane (radians); pi for a crease, 2 pi for a smooth vertex. */
  readonly angle: number;
  /** 0 = none; share by which the first ring is drawn to the tangent plane in every step (concave corners need about 0.25-0.5). */
  readonly flat: number;
  /** The step from which the sector rule holds. 2 = the first step is the plain one, and the ring outside stays one bicubic a face. */
  readonly ruleFrom: number;
}
export const smoothFan = (faces: number): Fan => ({ faces, kind: 'smooth', angle: 2 * Math.PI, flat: 0, ruleFrom: 2 });
export const creaseFan = (faces: number): Fan => ({ faces, kind: 'crease', angle: Math.PI, flat: 0, ruleFrom: 2 });
export const cornerFan = (faces: number, angle: number): Fan => ({
  faces,
  kind: 'corner',
  angle,
  flat: faces > 1 ? Math.max(0, 1 - 0.25 / cornerMode(faces, angle)) : 0,
  ruleFrom: 2,
});
/** Eigenvalue of the first inner mode, sin(pi i/k) over the spokes; flattening brings it to 1/4, so that curvature stays bounded. */
export function cornerMode(k: number, angle: number): number {
  const c = Math.cos(Math.PI / k);
  const gamma = 3 / 8 - Math.cos(angle / k) / 4;
  let mu = 1;
  for (let i = 0; i < 200; i++) mu = 0.5 * mu + 0.5 * (gamma + c / 8 + (2 + 2 * c) / (16 * (4 * mu - 1)));
  return mu;
}

export class FanNet {
  readonly data: Float64Array;
  private readonly spokes: number;
  constructor(
    readonly fan: Fan,
    readonly reach: number,
    readonly stride: number,
    data?: Float64Array,
  ) {
    this.spokes = fan.kind === 'smooth' ? fan.faces : fan.faces + 1;
    this.data = data ?? new Float64Array(this.count * stride);
  }
  get count(): number {
    return 1 + this.spokes * this.reach + this.fan.faces * this.reach * this.reach;
  }
  /** Row of (i,a,b); one step below zero crosses a spoke; -1 where the sector ends. */
  row(i: number, a: number, b: number): number {
    const { faces: k, kind } = this.fan;
    if (a < 0) return this.neighbour(i + 1, b, -a);
    if (b < 0) return this.neighbour(i - 1, -b, a);
    if (a === 0 && b === 0) return 0;
    if (b === 0) return 1 + i * this.reach + a - 1;
    if (a === 0) return 1 + (kind === 'smooth' ? (i + 1) % k : i + 1) * this.reach + b - 1;
    return 1 + this.spokes * this.reach + (i * this.reach + a - 1) * this.reach + b - 1;
  }
  private neighbour(i: number, a: number, b: number): number {
    const { faces: k, kind } = this.fan;
    if (kind === 'smooth') return this.row((i + k) % k, a, b);
    return i < 0 || i >= k ? -1 : this.row(i, a, b);
  }
  /** The next net, as far out as this one settles it. */
  refined(step: number, reach: number): FanNet {
    const { fan, stride } = this;
    const k = fan.faces;
    const next = new FanNet(fan, reach, stride);
    const put = (target: number, terms: readonly (readonly [number, number])[]) => {
      for (const [r, w] of terms) for (let c = 0; c < stride; c++) next.data[target * stride + c] += w * this.data[r * stride + c];
    };
    const open = fan.kind !== 'smooth';
    const gamma = 3 / 8 - Math.cos(fan.angle / k) / 4;
    const edge = (p: number, q: number, sides: readonly number[], nearCentre: boolean): [number, number][] => {
      if (sides.some((s) => s < 0))
        return [
          [p, 0.5],
          [q, 0.5],
        ];
      const g = open && nearCentre && step >= fan.ruleFrom ? gamma : 3 / 8;
      return [[p, 3 / 4 - g], [q, g], ...sides.map((s): [number, number] => [s, 1 / 16])];
    };
    const R = (i: number, a: number, b: number) => this.row(i, a, b);
    const centre: [number, number][] = [];
    if (fan.kind === 'corner') centre.push([0, 1]);
    else if (fan.kind === 'crease') centre.push([0, 0.75], [R(0, 1, 0), 0.125], [R(k - 1, 0, 1), 0.125]);
    else {
      centre.push([0, 1 - 7 / (4 * k)]);
      for (let i = 0; i < k; i++) centre.push([R(i, 1, 0), 3 / (2 * k * k)], [R(i, 1, 1), 1 / (4 * k * k)]);
    }
    put(0, centre);
    const done = new Uint8Array(next.count);
    done[0] = 1;
    for (let i = 0; i < k; i++)
      for (let A = 0; A <= reach; A++)
        for (let B = 0; B <= reach; B++) {
          const target = next.row(i, A, B);
          if (done[target]) continue;
          done[target] = 1;
          const [a, b] = [A >> 1, B >> 1];
          if (A & 1 && B & 1)
            put(
              target,
              [R(i, a, b), R(i, a + 1, b), R(i, a + 1, b + 1), R(i, a, b + 1)].map((r): [number, number] => [r, 0.25]),
            );
          else if (A & 1)
            put(
              target,
              edge(
                R(i, a, b),
                R(i, a + 1, b),
                [
                  R(i, a, b + 1),
                  R(i, a + 1, b + 1),
                  b ? R(i, a, b - 1) : a ? R(i, a, -1) : this.neighbour(i - 1, 1, 0),
                  R(i, a + 1, b - 1),
                ],
                a + b === 0,
              ),
            );
          else if (B & 1)
            put(
              target,
              edge(
                R(i, a, b),
                R(i, a, b + 1),
                [
                  R(i, a + 1, b),
                  R(i, a + 1, b + 1),
                  a ? R(i, a - 1, b) : b ? R(i, -1, b) : this.neighbour(i + 1, 0, 1),
                  R(i, a - 1, b + 1),
                ],
                a + b === 0,
              ),
            );
          else {
            const v = R(i, a, b);
            const rim = open && ((b === 0 && i === 0) || (a === 0 && i === k - 1));
            if (rim)
              put(
                target,
                b === 0
                  ? [
                      [v, 0.75],
                      [R(i, a - 1, 0), 0.125],
                      [R(i, a + 1, 0), 0.125],
                    ]
                  : [
                      [v, 0.75],
                      [R(i, 0, b - 1), 0.125],
                      [R(i, 0, b + 1), 0.125],
                    ],
              );
            else {
              const at = (x: number, y: number) => R(i, a + x, b + y);
              put(target, [
                [v, 9 / 16],
                ...(
                  [
                    [1, 0],
                    [-1, 0],
                    [0, 1],
                    [0, -1],
                  ] as const
                ).map(([x, y]): [number, number] => [at(x, y), 3 / 32]),
                ...(
                  [
                    [1, 1],
                    [-1, 1],
                    [1, -1],
                    [-1, -1],
                  ] as const
                ).map(([x, y]): [number, number] => [at(x, y), 1 / 64]),
              ]);
            }
          }
        }
    if (fan.flat > 0 && fan.kind === 'corner' && step >= fan.ruleFrom) flatten(next, fan.flat);
    return next;
  }
}
/** Draws the first ring towards the plane of the two rim edges: p <- (1-s) p + s (P + a1 x + a2 y). The rim itself lies there already. */
function flatten(net: FanNet, s: number): void {
  const { fan, stride, data } = net;
  const k = fan.faces;
  const theta = fan.angle / k;
  const [c, d] = [Math.cos(fan.angle), Math.sin(fan.angle)];
  const [r0, rk] = [net.row(0, 1, 0), net.row(k - 1, 0, 1)];
  for (let col = 0; col < stride; col++) {
    const P = data[col];
    const a1 = data[r0 * stride + col] - P;
    const a2 = (data[rk * stride + col] - P - c * a1) / d;
    const draw = (r: number, x: number, y: number) => {
      data[r * stride + col] = (1 - s) * data[r * stride + col] + s * (P + a1 * x + a2 * y);
    };
    const e = (i: number) => [Math.cos(i * theta), Math.sin(i * theta)];
    for (let i = 1; i < k; i++) draw(net.row(i, 1, 0), e(i)[0], e(i)[1]);
    for (let i = 0; i < k; i++) draw(net.row(i, 1, 1), e(i)[0] + e(i + 1)[0], e(i)[1] + e(i + 1)[1]);
  }
}

/** Position and derivatives (rows S, Su, Sv, Suu, Suv, Svv of `stride` numbers) of the limit over the first ring, (u,v) in [0,1]^2 of face i. */
export type Jet = readonly [Float64Array, Float64Array, Float64Array, Float64Array, Float64Array, Float64Array];
export class FanLimit {
  private readonly levels: FanNet[] = [];
  readonly centre: Float64Array;
  constructor(
    readonly net: FanNet,
    readonly depth = 18,
  ) {
    let n = net.refined(1, 3);
    for (let k = 2; k <= depth + 2; k++) {
      n = n.refined(k, 5);
      this.levels.push(n);
    }
    this.centre = fanLimit(net);
  }
  jet(i: number, u: number, v: number): Jet {
    const m = Math.max(u, v, 2 ** -this.depth);
    const level = Math.min(this.depth, Math.max(0, Math.floor(-Math.log2(m) + 1e-12)));
    const net = this.levels[level];
    const h = 2 ** -(level + 2);
    const a = Math.min(3, Math.floor(u / h));
    const b = Math.min(3, Math.floor(v / h));
    const [bu, bv] = [uniformCubic(u / h - a), uniformCubic(v / h - b)];
    const s = net.stride;
    const out = Array.from({ length: 6 }, () => new Float64Array(s)) as unknown as Jet;
    const orders = [
      [0, 0],
      [1, 0],
      [0, 1],
      [2, 0],
      [1, 1],
      [0, 2],
    ];
    const add = (r: number, x: number, y: number, f: number) => {
      orders.forEach(([p, q], o) => {
        const w = (f * bu[p][x] * bv[q][y]) / h ** (p + q);
        for (let c = 0; c < s; c++) out[o][c] += w * net.data[r * s + c];
      });
    };
    for (let x = 0; x < 4; x++)
      for (let y = 0; y < 4; y++) {
        const [p, q] = [a - 1 + x, b - 1 + y];
        const r = net.row(i, p, q);
        if (r >= 0) add(r, x, y, 1);
        else {
          // past the rim: phantom row 2P-Q
          const [p1, q1] = [Math.max(0, p), Math.max(0, q)];
          add(net.row(i, p1, q1), x, y, 2);
          add(net.row(i, p < 0 ? 1 : p, q < 0 ? 1 : q), x, y, -1);
        }
      }
    return out;
  }
}
function uniformCubic(t: number): number[][] {
  const s = 1 - t;
  return [
    [(s * s * s) / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (-3 * t * t * t + 3 * t * t + 3 * t + 1) / 6, (t * t * t) / 6],
    [(-s * s) / 2, (3 * t * t - 4 * t) / 2, (-3 * t * t + 2 * t + 1) / 2, (t * t) / 2],
    [s, 3 * t - 2, -3 * t + 1, t],
  ];
}

/** Second largest eigenvalue of the fan's step: the sector rule makes it a half wherever the fan is open. */
export const fanEigenvalue = (fan: Fan): number => (fan.kind === 'smooth' ? subdominant(fan.faces) : 0.5);

/** The planar net that a step maps to itself times the eigenvalue (power iteration), first spoke on x with length 1. */
export function characteristicNet(fan: Fan): FanNet {
  let net = new FanNet(fan, 5, 2);
  const dir = (i: number) => [Math.cos((fan.angle * i) / fan.faces), Math.sin((fan.angle * i) / fan.faces)];
  for (let i = 0; i < fan.faces; i++)
    for (let a = 0; a <= 5; a++)
      for (let b = 0; b <= 5; b++)
        net.data.set([a * dir(i)[0] + b * dir(i + 1)[0], a * dir(i)[1] + b * dir(i + 1)[1]], 2 * net.row(i, a, b));
  const l = fanEigenvalue(fan);
  for (let s = 0; s < 60; s++) {
    net = net.refined(99, 5);
    // rounding feeds the eigenvalue 1: take the limit of the vertex out again
    const mid = fanLimit(net);
    for (let j = 0; j < net.data.length; j++) net.data[j] = (net.data[j] - mid[j % 2]) / l;
  }
  const r = net.row(0, 1, 0);
  const [x, y] = [net.data[2 * r], net.data[2 * r + 1]];
  const q = x * x + y * y;
  const out = new FanNet(fan, 2, 2);
  for (let i = 0; i < fan.faces; i++)
    for (let a = 0; a <= 2; a++)
      for (let b = 0; b <= 2; b++) {
        const [px, py] = net.data.subarray(2 * net.row(i, a, b));
        out.data.set([(px * x + py * y) / q, (py * x - px * y) / q], 2 * out.row(i, a, b));
      }
  return out;
}

/** Limit of the vertex itself. */
export function fanLimit(net: FanNet): Float64Array {
  const { fan, stride } = net;
  const row = (r: number) => net.data.subarray(r * stride, (r + 1) * stride);
  if (fan.kind === 'corner') return row(0).slice();
  const k = fan.faces;
  if (fan.kind === 'crease') return row(0).map((x, c) => (4 * x + row(net.row(0, 1, 0))[c] + row(net.row(k - 1, 0, 1))[c]) / 6);
  const out = row(0).map((x) => (x * k) / (k + 5));
  for (let i = 0; i < k; i++)
    for (let c = 0; c < stride; c++) out[c] += (4 * row(net.row(i, 1, 0))[c] + row(net.row(i, 1, 1))[c]) / (k * (k + 5));
  return out;
}
