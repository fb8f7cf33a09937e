import { BodyBuilder, type EdgeUse, surfaceBody } from '../brep/index.ts';
import type { Frame, Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  curveOfFit,
  extrudedSurface,
  fitFunction,
  line2,
  makeCurve,
  makeSurface,
  type NurbsSurface,
  pointAt,
  revolvedSurface,
  smoothArc,
  surfacePoint,
} from '../nurbs/index.ts';
import { randomFrom } from './section-sets.ts';

/** A face with an opening whose sides are given in parameters; edges fitted within 1e-9 of the surface. */
export function openingIn(
  s: NurbsSurface,
  sides: readonly ((t: number) => readonly [number, number])[],
): { k: BodyBuilder; chain: number[] } {
  const k = new BodyBuilder(1e-5);
  const loop = sides.map((f, i): EdgeUse => {
    const fit = fitFunction(
      (t, out) => {
        const [u, v] = f(t);
        out.set([u, v]);
        out.set(surfacePoint(s, u, v), 2);
      },
      0,
      1,
      5,
      5,
      1e-8,
    );
    const rows = Array.from({ length: fit.data.length / 5 }, (_, r) => Array.from(fit.data.subarray(5 * r, 5 * r + 5)));
    return {
      edge: k.edge(
        makeCurve(
          5,
          rows.map((r) => r.slice(2)),
          fit.knots,
        ),
        `side${i}`,
      ),
      reversed: false,
      pcurve: {
        curve: makeCurve(
          5,
          rows.map((r) => r.slice(0, 2)),
          fit.knots,
        ),
      },
    };
  });
  k.face(s, [loop.reverse().map((u) => ({ ...u, reversed: true }))], 'neighbour');
  return { k, chain: loop.map((u) => u.edge) };
}
/** Sides of a polygon about a place, bowed by a share of their length. */
export function polygonSides(
  n: number,
  centre: readonly [number, number],
  radius: readonly [number, number],
  turn: number,
  wobble: (i: number) => number,
  bow: (i: number) => number,
): ((t: number) => readonly [number, number])[] {
  const corner = (i: number): readonly [number, number] => {
    const a = turn + (2 * Math.PI * i) / n;
    const r = wobble(i % n);
    return [centre[0] + radius[0] * r * Math.cos(a), centre[1] + radius[1] * r * Math.sin(a)];
  };
  return Array.from({ length: n }, (_, i) => {
    const [p, q] = [corner(i), corner(i + 1)];
    const d = [q[0] - p[0], q[1] - p[1]];
    const b = bow(i);
    return (t: number) => [p[0] + d[0] * t - d[1] * b * 4 * t * (1 - t), p[1] + d[1] * t + d[0] * b * 4 * t * (1 - t)] as const;
  });
}

const ballFrame: Frame = { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] };
/** A zone of a ball of radius R about the x axis: its middle looks along z (u about the axis, v along). */
export const ballZone = (R: number): NurbsSurface =>
  revolvedSurface(smoothArc(ballFrame, R, R, 0.12, Math.PI - 0.12), [0, 0, 0], [1, 0, 0], -2.2, 2.2);
/** A bicubic skin of n x n points, `size` across, with waves of the two lengths and an amplitude. */
export function wavySheet(n: number, size: number, amplitude: number, waves: readonly [number, number], phase: number): NurbsSurface {
  const at = (i: number) => (size * i) / (n - 1) - size / 2;
  const pts = Array.from({ length: n }, (_, i) =>
    Array.from(
      { length: n },
      (_, j): Vec3 => [
        at(i),
        at(j),
        amplitude * Math.sin((2 * Math.PI * at(i)) / waves[0] + phase) * Math.cos((2 * Math.PI * at(j)) / waves[1]) + 0.004 * at(i) * at(j),
      ],
    ),
  );
  const knots = [0, 0, 0, ...Array.from({ length: n - 2 }, (_, i) => i / (n - 3)), 1, 1, 1];
  return makeSurface(3, 3, pts, knots, knots);
}
/** A ring (torus) from its outer side: main radius, tube radius. */
export const ringZone = (main: number, tube: number): NurbsSurface =>
  revolvedSurface(
    smoothArc({ origin: [0, main, 0], x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] }, tube, tube, -2.4, 2.4),
    [0, 0, 0],
    [0, 0, 1],
    -1,
    1,
  );
/** Part of a tube wall along x, up to 260 degrees round. */
export const tubeWall = (r: number, length: number): NurbsSurface =>
  extrudedSurface(
    smoothArc({ origin: [-length / 2, 0, 0], x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] }, r, r, Math.PI / 2 - 2.2, Math.PI / 2 + 2.2),
    [length, 0, 0],
  );
/** An affine image, for ellipsoids and leaning shapes. */
export function stretched(s: NurbsSurface, f: readonly [number, number, number]): NurbsSurface {
  const control = new Float64Array(s.control);
  for (let i = 0; i < control.length; i += 4) for (let d = 0; d < 3; d++) control[i + d] *= f[d];
  return { ...s, control };
}

export interface Opening {
  readonly name: string;
  readonly surface: NurbsSurface;
  readonly k: BodyBuilder;
  readonly chain: number[];
  /** Grades by side, in the order of `chain`. */
  readonly grades: readonly (0 | 1 | 2)[];
  readonly n: number;
}
const shares = (s: NurbsSurface, x: number, y: number): readonly [number, number] => {
  const range = (k: Float64Array, d: number) => [k[d], k[k.length - d - 1]];
  const [u, v] = [range(s.knotsU, s.degreeU), range(s.knotsV, s.degreeV)];
  return [u[0] + (u[1] - u[0]) * x, v[0] + (v[1] - v[0]) * y];
};
/** One random opening of 3 to 12 sides, seen square on (tilt to about 50 degrees), mixed grades. */
export function randomOpening(seed: number): Opening {
  const random = randomFrom(seed * 97 + 13);
  const between = (a: number, b: number) => a + (b - a) * random();
  const n = 3 + Math.floor(10 * random());
  const kind = Math.floor(5 * random());
  const even = random() < 0.4;
  const grades = Array.from({ length: n }, (): 0 | 1 | 2 => (even ? 2 : ([2, 2, 1, 1, 0] as const)[Math.floor(5 * random())]));
  let s: NurbsSurface;
  let name: string;
  let reach: number;
  if (kind === 0) {
    s = ballZone(50);
    name = 'ball';
    reach = between(0.08, 0.16);
  } else if (kind === 1) {
    s = ringZone(90, 35);
    name = 'ring';
    reach = between(0.06, 0.12);
  } else if (kind === 2) {
    s = tubeWall(60, 140);
    name = 'tube';
    reach = between(0.06, 0.13);
  } else if (kind === 3) {
    s = wavySheet(14, 130, between(1, 4), [between(60, 90), between(65, 100)], between(0, 6));
    name = 'waves';
    reach = between(0.12, 0.2);
  } else {
    s = stretched(ballZone(50), [1.3, 0.8, 1]);
    name = 'ellipsoid';
    reach = between(0.08, 0.14);
  }
  const [c, e] = [shares(s, between(0.42, 0.58), between(0.42, 0.58)), shares(s, reach, reach)];
  const o = shares(s, 0, 0);
  const radii = Array.from({ length: n }, () => between(0.8, 1.1));
  const bows = Array.from({ length: n }, () => between(-0.06, 0.06));
  const sides = polygonSides(
    n,
    c,
    [e[0] - o[0], e[1] - o[1]],
    between(0, 6),
    (i) => radii[i],
    (i) => bows[i],
  );
  return { name, surface: s, ...openingIn(s, sides), grades: [...grades].reverse(), n };
}

/** Steep openings by number: normals of the neighbours turn by 50 to 145 degrees. `truth` tells how far a point lies off the true shape. */
export interface SteepOpening extends Opening {
  readonly truth?: (p: Vec3) => number;
  readonly within?: number;
}
export function steepOpening(index: number): SteepOpening {
  const kind = index % 5;
  const step = Math.floor(index / 5);
  const all2 = (n: number) => Array.from({ length: n }, (): 0 | 1 | 2 => 2);
  if (kind === 0 || kind === 1) {
    // a hole of a polar angle in a ball (an ellipsoid): sides are great-circle-like arcs pushed out to the circle
    const n = 3 + (step % 5);
    const angle = ((kind === 0 ? 55 : 55) + ((kind === 0 ? 85 : 60) * step) / 7) * (Math.PI / 180);
    const f: readonly [number, number, number] = kind === 0 ? [1, 1, 1] : [1.25, 0.85, 1];
    const R = 50;
    const k = new BodyBuilder(1e-5);
    // the rest of the ball, turned about z from its lower end: v along the meridian from the bottom
    const low = smoothArc({ origin: [0, 0, 0], x: [0, 0, -1], y: [1, 0, 0], z: [0, 1, 0] }, R, R, 0.15, Math.PI - 0.12);
    const s = stretched(revolvedSurface(low, [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI), f);
    const turn = 0;
    const edges: EdgeUse[] = Array.from({ length: n }, (_, i): EdgeUse => {
      const [a, b] = [turn + (2 * Math.PI * i) / n, turn + (2 * Math.PI * (i + 1)) / n];
      const at = (t: number) => {
        const lon = a + (b - a) * t;
        const polar = angle * (1 - 0.12 * 4 * t * (1 - t));
        return [f[0] * R * Math.sin(polar) * Math.cos(lon), f[1] * R * Math.sin(polar) * Math.sin(lon), f[2] * R * Math.cos(polar)];
      };
      const fit = fitFunction((t, out) => out.set(at(t)), 0, 1, 3, 5, 1e-9);
      return { edge: k.edge(curveOfFit(fit, 5), `side${i}`), reversed: false, pcurve: { curve: line2([0, 0], [1, 1]) } };
    });
    const chart = imagesOn(s, k, edges);
    k.face(s, [chart.map((u) => ({ ...u, reversed: true })).reverse()], 'neighbour');
    const quadric = (p: Vec3) => {
      const g = Math.hypot(p[0] / f[0], p[1] / f[1], p[2] / f[2]);
      const grad = Math.hypot(p[0] / f[0] ** 2, p[1] / f[1] ** 2, p[2] / f[2] ** 2) / g;
      return Math.abs(g - R) / grad;
    };
    return {
      name: `${kind === 0 ? 'ball' : 'ellipsoid'} ${((angle * 180) / Math.PI).toFixed(0)}°`,
      surface: s,
      k,
      chain: [...edges].reverse().map((u) => u.edge),
      grades: all2(n),
      n,
      truth: quadric,
      within: 0.01,
    };
  }
  if (kind === 2) {
    // a wall of a tube: wide holes
    const s = tubeWall(30, 160);
    const half = 0.95 + 0.1 * step;
    const n = 4 + (step % 3);
    const c = shares(s, 0.5, 0.5);
    const along = shares(s, 0, 0);
    // which parameter runs round: the one whose ends are far apart across x
    const p = surfacePoint(s, ...shares(s, 0, 0.5));
    const q = surfacePoint(s, ...shares(s, 1, 0.5));
    const roundU = Math.abs(p[0] - q[0]) < 1;
    const r = half / 4.4;
    const e = shares(s, roundU ? r : 0.22, roundU ? 0.22 : r);
    const sides = polygonSides(
      n,
      c,
      [e[0] - along[0], e[1] - along[1]],
      Math.PI / 4,
      () => 1,
      () => 0.04,
    );
    return {
      name: `tube wall ${((half * 180) / Math.PI).toFixed(0)}°`,
      surface: s,
      ...openingIn(s, sides),
      grades: all2(n),
      n,
      truth: (x) => Math.abs(Math.hypot(x[1], x[2]) - 30),
      within: 0.05,
    };
  }
  if (kind === 3) {
    const s = ringZone(70, 30);
    const n = 4 + (step % 4);
    const c = shares(s, 0.5, 0.5);
    const o = shares(s, 0, 0);
    const e = shares(s, 0.2 + 0.012 * step, 0.2 + 0.012 * step);
    const sides = polygonSides(
      n,
      c,
      [e[0] - o[0], e[1] - o[1]],
      0.4,
      () => 1,
      () => 0.03,
    );
    return {
      name: `ring ${step}`,
      surface: s,
      ...openingIn(s, sides),
      grades: all2(n),
      n,
      truth: (x) => Math.abs(Math.hypot(Math.hypot(x[0], x[1]) - 70, x[2]) - 30),
      within: 0.3,
    };
  }
  // the end of a tube, cut square or leaning, in two to five sides
  const n = 2 + (step % 4);
  const lean = ((step % 4) * 12 * Math.PI) / 180;
  const r = 25;
  const made = surfaceBody(
    extrudedSurface(smoothArc({ origin: [0, 0, -60], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, r, r, 0, 2 * Math.PI), [0, 0, 120]),
    { prefix: 't', face: () => 't' },
  ).body;
  const s = made.faces[0].surface;
  const k = new BodyBuilder(1e-5);
  const edges: EdgeUse[] = Array.from({ length: n }, (_, i): EdgeUse => {
    const [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * (i + 1)) / n];
    const fit = fitFunction(
      (t, out) => {
        const lon = a + (b - a) * t;
        const [x, y] = [r * Math.cos(lon), r * Math.sin(lon)];
        out.set([x, y, x * Math.tan(lean)]);
      },
      0,
      1,
      3,
      5,
      1e-9,
    );
    return { edge: k.edge(curveOfFit(fit, 5), `side${i}`), reversed: false, pcurve: { curve: line2([0, 0], [1, 1]) } };
  });
  const chart = imagesOn(s, k, edges);
  // the tube stands below its end
  k.face(s, [chart.map((u) => ({ ...u, reversed: true })).reverse()], 'neighbour');
  return {
    name: `tube end ${((lean * 180) / Math.PI).toFixed(0)}°`,
    surface: s,
    k,
    chain: [...edges].reverse().map((u) => u.edge),
    grades: all2(n),
    n,
  };
}
/** Images of edges that run once round a surface closed in one direction, from its closing line on, fitted to their feet. */
function imagesOn(s: NurbsSurface, k: BodyBuilder, edges: readonly EdgeUse[]): EdgeUse[] {
  const closed =
    Math.hypot(...[0, 1, 2].map((d) => surfacePoint(s, ...shares(s, 0, 0.3))[d] - surfacePoint(s, ...shares(s, 1, 0.3))[d])) < 1e-6;
  return edges.map((u, i): EdgeUse => {
    const e = k.edges[u.edge];
    const [a, b] = e.range;
    const fit = fitFunction(
      (t, out) => {
        const round = (i + (t - a) / (b - a)) / edges.length;
        const p = pointAt(e.curve, t);
        // the middle of the other direction that comes nearest
        let best = { d: Infinity, u: 0, v: 0 };
        for (const x of [0.2, 0.5, 0.8]) {
          const f = closestOnSurface(s, p, closed ? shares(s, round, x) : shares(s, x, round));
          if (f.distance < best.d) best = { d: f.distance, u: f.u, v: f.v };
        }
        out.set([best.u, best.v, 0]);
      },
      a,
      b,
      3,
      5,
      1e-8,
      [],
      60,
    );
    const c = curveOfFit(fit, 5);
    return {
      ...u,
      pcurve: {
        curve: makeCurve(
          5,
          Array.from({ length: c.control.length / 4 }, (_, j) => [c.control[4 * j], c.control[4 * j + 1]]),
          c.knots,
        ),
      },
    };
  });
}
