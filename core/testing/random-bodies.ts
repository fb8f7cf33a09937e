import {
  type Body,
  BodyBuilder,
  bodyBox,
  capRim,
  flipBody,
  makeSolid,
  massProperties,
  meshBody,
  surfaceBody,
  topologyOf,
  transformBody,
  withShells,
} from '../brep/index.ts';
import { boxSize, compose, frameFromNormal, rotation, translation, unit, type Vec3, WORLD } from '../math/index.ts';
import {
  circleCurve,
  curveThrough,
  extrudedSurface,
  interpolateGrid,
  type NurbsSurface,
  planeSurface,
  polylineCurve,
  revolvedSurface,
  ruledSurface,
} from '../nurbs/index.ts';

export type Random = () => number;
export const between = (r: Random, a: number, b: number): number => a + (b - a) * r();
export function anyDirection(r: Random): Vec3 {
  for (;;) {
    const v: Vec3 = [between(r, -1, 1), between(r, -1, 1), between(r, -1, 1)];
    const l = Math.hypot(...v);
    if (l > 0.1 && l < 1) return unit(v);
  }
}
const bodyOf = (s: NurbsSurface, name: string): Body =>
  surfaceBody(s, { prefix: name, face: (i, j, n, m) => (n * m > 1 ? `${name}:side${i}${j}` : `${name}:side`) }).body;
/** Turned at random and moved by at most `reach` along each axis. */
export const placed = (b: Body, r: Random, reach: number): Body =>
  transformBody(
    b,
    compose(
      translation([between(r, -reach, reach), between(r, -reach, reach), between(r, -reach, reach)]),
      rotation([0, 0, 0], anyDirection(r), between(r, 0, Math.PI)),
    ),
  );
const outward = (b: Body): Body => (massProperties(b, undefined, true).volume < 0 ? flipBody(b) : b);
export const asSkin = (b: Body): Body => withShells({ ...b, solids: [] });
export function asSolid(b: Body): Body {
  const s = makeSolid(withShells(b));
  if (!s.ok) throw new Error(s.message);
  return s.body;
}
export const ball = (radius: number): Body =>
  asSolid(
    outward(
      bodyOf(
        revolvedSurface(
          circleCurve({ origin: [0, 0, 0], x: [0, 0, -1], y: [1, 0, 0], z: [0, 1, 0] }, radius, 0, Math.PI),
          [0, 0, 0],
          [0, 0, 1],
          0,
          2 * Math.PI,
        ),
        'ball',
      ),
    ),
  );
export const ringBody = (radius: number, tube: number): Body =>
  asSolid(
    outward(
      bodyOf(
        revolvedSurface(
          circleCurve({ origin: [radius, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, tube),
          [0, 0, 0],
          [0, 0, 1],
          0,
          2 * Math.PI,
        ),
        'ring',
      ),
    ),
  );
export const flatSheet = (at: Vec3, normal: Vec3, half = 300): Body =>
  bodyOf(planeSurface(frameFromNormal(at, normal), -half, half, -half, half), 'plane');
/** Wavy open sheet over a square of half width `half`. */
export function wavySheet(r: Random, half: number, wave: number): Body {
  const k = [between(r, 0.5, 1.6), between(r, 0.5, 1.6), between(r, 0, 6), between(r, 0, 6)];
  const knots = Float64Array.from([...Array(6).fill(-half), ...[1, 2, 3, 4, 5].map((i) => -half + (half * i) / 3), ...Array(6).fill(half)]);
  const at = (u: number, v: number): Vec3 => [
    u,
    v,
    wave * (Math.sin((k[0] * 3 * u) / half + k[2]) + Math.cos((k[1] * 3 * v) / half + k[3])),
  ];
  return bodyOf(interpolateGrid(at, 5, knots, knots), 'sheet');
}
/** Closed skin through wavy rings along z, open at both ends; with a slight crease along its seam unless it is to be smooth. */
export function wavyTube(r: Random, radius: number, height: number, smooth = false): Body {
  const n = Math.floor(between(r, 2, 5));
  const [a, b, c, d] = [between(r, 0.02, 0.12), between(r, 0, 6), between(r, 0.05, 0.25), between(r, 0, 6)];
  const ku = Float64Array.from([...Array(4).fill(0), 0.2, 0.4, 0.6, 0.8, ...Array(4).fill(1)]);
  const kv = Float64Array.from([...Array(4).fill(0), ...Array.from({ length: 19 }, (_, i) => (i + 1) / 20), ...Array(4).fill(1)]);
  const s = interpolateGrid(
    (u, v) => {
      const t = 2 * Math.PI * v;
      const q = radius * (1 + c * Math.sin(3 * u + d)) * (1 + a * Math.cos(n * t + b));
      return [q * Math.cos(t) + 4 * u, q * Math.sin(t), height * (u - 0.5)];
    },
    3,
    ku,
    kv,
  );
  const control = new Float64Array(s.control);
  for (let i = 0; i < s.countU; i++) {
    const [first, last] = [i * s.countV * 4, (i * s.countV + s.countV - 1) * 4];
    if (smooth) for (let k = 0; k < 3; k++) control[first + k] = (control[first + 4 + k] + control[last - 4 + k]) / 2;
    control.copyWithin(last, first, first + 4);
  }
  return bodyOf({ ...s, control }, 'tube');
}
/** Revolved wavy profile, open at both ends. */
export function vase(r: Random, radius: number, height: number): Body {
  const profile = Array.from({ length: 6 }, (_, i): Vec3 => [radius * between(r, 0.6, 1.2), 0, height * (i / 5 - 0.5)]);
  return bodyOf(revolvedSurface(curveThrough(profile, { degree: 3 }), [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI), 'vase');
}
/** Prism over a polygon, with lids: many faces over sharp edges. */
export function prism(points: readonly Vec3[], height: number): Body {
  const k = new BodyBuilder();
  const r = surfaceBody(
    extrudedSurface(polylineCurve([...points, points[0]]), [0, 0, height]),
    { prefix: 'prism', face: (i, j) => `prism:side${i}${j}` },
    k,
  );
  capRim(k, r.sides.v0, 'prism:base', 1e-6);
  capRim(k, r.sides.v1, 'prism:top', 1e-6);
  return asSolid(k.body());
}
export const block = (a: number, b: number, c: number): Body =>
  prism(
    [
      [-a, -b, -c],
      [a, -b, -c],
      [a, b, -c],
      [-a, b, -c],
    ],
    2 * c,
  );
export function cone(low: number, high: number, height: number): Body {
  const k = new BodyBuilder();
  const r = surfaceBody(
    ruledSurface(circleCurve(WORLD, low), circleCurve(frameFromNormal([0, 0, height], [0, 0, 1], [1, 0, 0]), high)),
    { prefix: 'cone', face: (i, j) => `cone:side${i}${j}` },
    k,
  );
  capRim(k, r.sides.v0, 'cone:base', 1e-6);
  capRim(k, r.sides.v1, 'cone:top', 1e-6);
  return asSolid(k.body());
}
/** A wavy tube with flat lids. */
export function loftSolid(r: Random, radius: number, height: number, smooth = false): Body {
  const t = wavyTube(r, radius, height, smooth);
  const k = new BodyBuilder();
  k.vertices.push(...t.vertices);
  k.edges.push(...t.edges);
  k.faces.push(...t.faces);
  t.edges.forEach((e, i) => {
    if (e.start !== e.end) return;
    if (e.name.endsWith('u0')) capRim(k, [i], 'loft:base', 1e-4);
    if (e.name.endsWith('u1')) capRim(k, [i], 'loft:top', 1e-4);
  });
  return asSolid(k.body());
}

/** Random pair of solids number `i`: 5 kinds with each other, the second one further off the middle. */
export function solidPair(i: number, r: Random): [Body, Body] {
  const make = (k: number): Body =>
    [
      () => block(between(r, 8, 15), between(r, 8, 15), between(r, 8, 15)),
      () => cone(between(r, 8, 15), between(r, 4, 12), between(r, 15, 30)),
      () => loftSolid(r, 12, 40),
      () => ringBody(18, 6),
      () => ball(between(r, 8, 16)),
    ][k % 5]();
  return [placed(make(i), r, 4), placed(make(Math.floor(i / 5)), r, 9)];
}

/** Random trim number `i`: 7 kinds of target, 4 of cutter. */
export function trimCase(i: number, random: Random): { name: string; target: Body; tool: Body } {
  const r = random;
  const targets: [string, () => Body][] = [
    ['tube', () => wavyTube(r, between(r, 15, 25), between(r, 40, 90))],
    ['vase', () => vase(r, between(r, 15, 25), between(r, 40, 80))],
    ['ring', () => asSkin(ringBody(between(r, 18, 26), between(r, 5, 12)))],
    [
      'prism',
      () =>
        asSkin(
          prism(
            Array.from({ length: 6 }, (_, k): Vec3 => [22 * Math.cos(k * 1.047), 18 * Math.sin(k * 1.047), -20]),
            40,
          ),
        ),
    ],
    ['cone', () => asSkin(cone(between(r, 12, 22), between(r, 5, 18), 45))],
    ['sheet', () => wavySheet(r, 30, 4)],
    ['ball', () => asSkin(ball(between(r, 15, 25)))],
  ];
  const tools: [string, () => Body][] = [
    ['plane', () => flatSheet([between(r, -8, 8), between(r, -8, 8), between(r, -8, 8)], anyDirection(r))],
    ['ball', () => placed(ball(between(r, 8, 22)), r, 20)],
    ['ring', () => placed(ringBody(between(r, 14, 24), between(r, 4, 9)), r, 12)],
    ['sheet', () => placed(wavySheet(r, 90, 5), r, 8)],
  ];
  const [target, makeTarget] = targets[i % targets.length];
  const [tool, makeTool] = tools[Math.floor(i / targets.length) % tools.length];
  return { name: `${target}/${tool}`, target: withShells(placed(makeTarget(), r, 5)), tool: asSkin(makeTool()) };
}

/** Sides of mesh triangles that have no partner, away from rims; negative: faces that could not be meshed. */
export function meshCracks(b: Body): number {
  const m = meshBody(b, { chord: boxSize(bodyBox(b)) / 400, angle: 0.4 });
  if (m.failed.length) return -m.failed.length;
  const key = (p: number, q: number) => (p < q ? `${p},${q}` : `${q},${p}`);
  const rim = new Set<string>();
  for (const e of topologyOf(b).rims) {
    const [from, count] = [m.edgeRanges[2 * e], m.edgeRanges[2 * e + 1]];
    for (let k = from; k + 1 < from + count; k++) rim.add(key(m.edgeShared[k], m.edgeShared[k + 1]));
  }
  // runs one way less runs the other way: two faces that nearly touch may span the same chord, four triangles on one side
  const seen = new Map<string, { uses: number; balance: number }>();
  for (let t = 0; t < m.indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [p, q] = [m.shared[m.indices[t + k]], m.shared[m.indices[t + ((k + 1) % 3)]]];
      const { uses, balance } = seen.get(key(p, q)) ?? { uses: 0, balance: 0 };
      seen.set(key(p, q), { uses: uses + 1, balance: balance + (p < q ? 1 : -1) });
    }
  let bad = 0;
  for (const [k, { uses, balance }] of seen) if ((balance || uses % 2) && !(uses === 1 && rim.has(k))) bad++;
  return bad;
}
