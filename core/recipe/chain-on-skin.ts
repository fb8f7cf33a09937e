import { type Body, chainCurves, edgeCurve, faceNormal, Neighbour, nearestOn, normalNear, topologyOf } from '../brep/index.ts';
import { add, distance, formatNumber, length, type Vec3 } from '../math/index.ts';
import { closestOnSurface, domain, type NurbsCurve, pointAt, reverseCurve, startPoint } from '../nurbs/index.ts';
import { inputBody, inputCurves } from './inputs.ts';
import type { Input } from './tool.ts';

type Normal = (p: Vec3) => Vec3;
/** Curves end to end, each with the normals of the skin beside it. */
export interface ChainOnSkin {
  readonly ok: true;
  readonly curves: readonly NurbsCurve[];
  readonly normals: readonly Normal[];
  readonly closed: boolean;
}
export interface NoChain {
  readonly ok: false;
  readonly code: string;
  readonly message: string;
  readonly place?: readonly Vec3[];
}
/**
 * One chain out of picks: edges bring the normals of their faces (`faces`: of the first, the second, or halfway), free curves those of
 * `skin`, on which they must lie within a hundredth of their length.
 */
export function chainOnSkin(
  inputs: readonly Input[],
  skin: Body | undefined,
  faces: 'first' | 'second' | 'both',
  tolerance: number,
): ChainOnSkin | NoChain {
  const pieces: { curve: NurbsCurve; normal: Normal }[] = [];
  for (const [i, input] of inputs.entries()) {
    const own = piecesOf(input, faces);
    if (own) pieces.push(...own);
    else {
      if (!skin)
        return {
          ok: false,
          code: 'no-skin',
          message: `Curve ${i + 1} is a free curve: pick the skin it lies on, so that there are normals`,
        };
      const off = farthestFrom(skin, inputCurves(input));
      if (off.distance > Math.max(10 * tolerance, 1e-2 * off.length))
        return {
          ok: false,
          code: 'off-skin',
          message: `Curve ${i + 1} does not lie on the skin: it is ${formatNumber(off.distance, 3)} mm off. Project it onto the skin first`,
          place: [off.at],
        };
      pieces.push(...inputCurves(input).map((curve) => ({ curve, normal: normalsOf(skin, curve, tolerance) })));
    }
  }
  if (!pieces.length) return { ok: false, code: 'no-curves', message: 'Pick edges, or curves on a skin' };
  const chains = chainCurves(
    pieces.map((x) => x.curve),
    Math.max(tolerance, 1e-5),
  );
  const list = [...chains.closed, ...chains.open.map((o) => o.chain)];
  if (list.length > 1)
    return {
      ok: false,
      code: 'parted',
      message: `The curves fall into ${list.length} chains: one wall follows one chain. Take the others away, or make a wall for each`,
      place: list.map((c) => startPoint(c[0])),
    };
  // what was put end to end may have been turned round; each curve keeps its own normals
  const normals = list[0].map((c) => {
    const mid = pointAt(c, (domain(c)[0] + domain(c)[1]) / 2);
    return pieces.reduce((best, x) => (away(x.curve, mid) < away(best.curve, mid) ? x : best)).normal;
  });
  return { ok: true, curves: list[0], normals, closed: chains.closed.length === 1 };
}
/** Normals for a free curve: those of the one face it lies on, so that its ends on an edge are not in doubt; else of the nearest face. */
function normalsOf(skin: Body, c: NurbsCurve, tolerance: number): Normal {
  const [a, b] = domain(c);
  const places = [0.5, 0.02, 0.25, 0.75, 0.98].map((k) => pointAt(c, a + (b - a) * k));
  const reach = Math.max(10 * tolerance, 1e-4);
  const home = skin.faces.find((f) => places.every((p) => closestOnSurface(f.surface, p).distance < reach));
  if (!home) return (q) => normalNear(skin, q);
  let last: readonly [number, number] | undefined;
  return (q) => {
    // along a curve the last foot is a good start for the next
    let foot = last && closestOnSurface(home.surface, q, last);
    if (!foot || foot.distance > reach) foot = closestOnSurface(home.surface, q);
    last = [foot.u, foot.v];
    return faceNormal(home, foot.u, foot.v);
  };
}
/** Where curves are farthest from a skin, of some places along them, and how long they are about. */
function farthestFrom(skin: Body, curves: readonly NurbsCurve[]): { distance: number; at: Vec3; length: number } {
  let most = { distance: 0, at: startPoint(curves[0]) };
  let l = 0;
  for (const c of curves) {
    const [a, b] = domain(c);
    const places = Array.from({ length: 17 }, (_, k) => pointAt(c, a + ((b - a) * k) / 16));
    places.forEach((at, k) => {
      const d = nearestOn(skin, at)?.distance ?? 0;
      if (d > most.distance) most = { distance: d, at };
      if (k) l += distance(at, places[k - 1]);
    });
  }
  return { ...most, length: l };
}
const away = (c: NurbsCurve, q: Vec3): number => {
  const [a, b] = domain(c);
  return distance(pointAt(c, (a + b) / 2), q);
};
/** Edges of a pick with the normals of the faces beside them. */
function piecesOf(i: Input, faces: 'first' | 'second' | 'both'): { curve: NurbsCurve; normal: Normal }[] | undefined {
  const body = inputBody(i);
  if (!body || (!i.chain && i.edge === undefined)) return undefined;
  const edges = i.chain ? i.chain.edges.edges : [{ edge: i.edge as number, reversed: false }];
  const { uses } = topologyOf(body);
  const whole = !i.chain || (i.chain.cut[0] <= 0 && i.chain.cut[1] >= 1);
  const made = edges.map(({ edge, reversed }) => {
    const sides = (uses[edge].length > 1 ? (faces === 'both' ? [0, 1] : faces === 'second' ? [1] : [0]) : [0]) as (0 | 1)[];
    const near = sides.map((s) => new Neighbour(body, [{ edge, reversed }], s));
    const curve = reversed ? reverseCurve(edgeCurve(body.edges[edge])) : edgeCurve(body.edges[edge]);
    return {
      curve,
      normal: (q: Vec3): Vec3 => {
        const sum = near.map((x) => x.at(q).normal).reduce(add, [0, 0, 0] as Vec3);
        const l = length(sum) || 1;
        return [sum[0] / l, sum[1] / l, sum[2] / l];
      },
    };
  });
  if (whole) return made;
  // a shortened chain: its clipped curves, each with the normals of the edge it was cut from
  return inputCurves(i).map((curve) => {
    const mid = pointAt(curve, (domain(curve)[0] + domain(curve)[1]) / 2);
    const home = made.reduce((best, x) => (nearestOf(x.curve, mid) < nearestOf(best.curve, mid) ? x : best));
    return { curve, normal: home.normal };
  });
}
const nearestOf = (c: NurbsCurve, q: Vec3): number => {
  const [a, b] = domain(c);
  let d = Infinity;
  for (let k = 0; k <= 32; k++) d = Math.min(d, distance(pointAt(c, a + ((b - a) * k) / 32), q));
  return d;
};
