import { type Body, extentsOf, meshBody } from '../brep/index.ts';
import { cross, dot, type Frame, unit, type Vec3 } from '../math/index.ts';

export interface TurnedBox {
  /** Origin in the box's middle, axes along its sides, the longest side first. */
  readonly frame: Frame;
  /** Lengths of its sides, mm, the longest first. */
  readonly sides: readonly [number, number, number];
  readonly volume: number;
}

type Axes = readonly [Vec3, Vec3, Vec3];
/** Unit quaternion as axes. */
function axesOf(q: readonly number[]): Axes {
  const l = Math.hypot(...q) || 1;
  const [w, x, y, z] = q.map((v) => v / l);
  return [
    [1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)],
    [2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)],
    [2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)],
  ];
}
const product = (a: readonly number[], b: readonly number[]): number[] => [
  a[0] * b[0] - a[1] * b[1] - a[2] * b[2] - a[3] * b[3],
  a[0] * b[1] + a[1] * b[0] + a[2] * b[3] - a[3] * b[2],
  a[0] * b[2] - a[1] * b[3] + a[2] * b[0] + a[3] * b[1],
  a[0] * b[3] + a[1] * b[2] - a[2] * b[1] + a[3] * b[0],
];

/**
 * The smallest box round a body that may be turned, as far as a search finds it: from many turns spread over all (super-Fibonacci spirals,
 * Alexa 2022), each followed downhill by turns about its own axes, on the farthest places of a mesh (chord error a thousandth of the size);
 * its sides are then measured exactly (`extentsOf`). Of equal boxes the one that is turned least is taken.
 */
export function turnedBox(b: Body): TurnedBox {
  const upright = extentsOf(b);
  const size = Math.max(...upright.high.map((x, k) => x - upright.low[k]), 1e-9);
  const mesh = meshBody(b, { chord: size / 1000, angle: 0.15 });
  const outer = farthest(mesh.positions);
  const volume = (axes: Axes): number => {
    let v = 1;
    for (const a of axes) {
      let [lo, hi] = [Infinity, -Infinity];
      for (let i = 0; i < outer.length; i += 3) {
        const x = outer[i] * a[0] + outer[i + 1] * a[1] + outer[i + 2] * a[2];
        if (x < lo) lo = x;
        if (x > hi) hi = x;
      }
      v *= Math.max(hi - lo, 1e-9 * size);
    }
    return v;
  };
  const starts: number[][] = [[1, 0, 0, 0], ...spread(160)];
  const ranked = starts.map((q) => ({ q, v: volume(axesOf(q)) })).sort((x, y) => x.v - y.v);
  // the upright one is always followed
  const followed = [ranked.find((x) => x.q === starts[0]) as (typeof ranked)[number], ...ranked.slice(0, 14)];
  let best: { q: readonly number[]; v: number } | undefined;
  for (const s of followed) {
    const end = downhill(s.q, s.v, 0.1, 1e-6, volume);
    if (!best || end.v < best.v * (1 - 1e-9)) best = end;
  }
  return boxAlong(b, axesOf((best as { q: readonly number[] }).q));
}
/** Pattern search over turns: steps that lead downhill are taken, else they are halved. */
function downhill(
  start: readonly number[],
  value: number,
  first: number,
  last: number,
  volume: (axes: Axes) => number,
): { q: readonly number[]; v: number } {
  let [q, v] = [start, value];
  for (let step = first; step > last; ) {
    let moved = false;
    for (const [x, y, z] of TURNS)
      for (const sign of [step, -step]) {
        const next = product(q, [1, (sign * x) / 2, (sign * y) / 2, (sign * z) / 2]);
        const w = volume(axesOf(next));
        if (w < v * (1 - 1e-14)) {
          const l = Math.hypot(...next);
          [q, v, moved] = [next.map((k) => k / l), w, true];
        }
      }
    if (!moved) step /= 2;
  }
  return { q, v };
}
/** Turns about the axes and about what lies between them: along kinks of the volume one of them alone does not lead downhill. */
const TURNS: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [0.7, 0.7, 0],
  [0.7, -0.7, 0],
  [0.7, 0, 0.7],
  [0.7, 0, -0.7],
  [0, 0.7, 0.7],
  [0, 0.7, -0.7],
];

/** The exact box along given directions. */
export function boxAlong(b: Body, axes: Axes): TurnedBox {
  const e = extentsOf(b, axes);
  const order = [0, 1, 2].sort((i, j) => e.high[j] - e.low[j] - (e.high[i] - e.low[i]));
  const [x, y] = [unit(axes[order[0]]), unit(axes[order[1]])];
  const z = unit(cross(x, y));
  const sides = order.map((k) => e.high[k] - e.low[k]) as [number, number, number];
  const middle = order.map((k) => (e.high[k] + e.low[k]) / 2);
  const third = Math.sign(dot(z, axes[order[2]])) || 1;
  const origin = [0, 1, 2].map((k) => middle[0] * x[k] + middle[1] * y[k] + third * middle[2] * z[k]) as unknown as Vec3;
  return { frame: { origin, x, y, z }, sides, volume: sides[0] * sides[1] * sides[2] };
}

/** Nodes that are the farthest in some of two thousand directions: all that a box can touch, nearly. */
function farthest(p: Float64Array): Float64Array {
  const n = 2000;
  const found = new Set<number>();
  for (let k = 0; k < n; k++) {
    const z = 1 - (2 * k + 1) / n;
    const r = Math.sqrt(1 - z * z);
    const a = k * Math.PI * (3 - Math.sqrt(5));
    const [dx, dy] = [r * Math.cos(a), r * Math.sin(a)];
    let [top, node] = [-Infinity, 0];
    for (let i = 0; i < p.length; i += 3) {
      const x = p[i] * dx + p[i + 1] * dy + p[i + 2] * z;
      if (x > top) [top, node] = [x, i];
    }
    found.add(node);
  }
  return Float64Array.from([...found].flatMap((i) => [p[i], p[i + 1], p[i + 2]]));
}
/** Turns spread evenly over all: super-Fibonacci spirals. */
function spread(n: number): number[][] {
  const [phi, psi] = [Math.SQRT2, 1.5337511687552043];
  return Array.from({ length: n }, (_, i) => {
    const s = i + 0.5;
    const [r, R] = [Math.sqrt(s / n), Math.sqrt(1 - s / n)];
    const [a, b] = [(2 * Math.PI * s) / phi, (2 * Math.PI * s) / psi];
    return [r * Math.sin(a), r * Math.cos(a), R * Math.sin(b), R * Math.cos(b)];
  });
}
