import {
  type Affine,
  add,
  anyPerpendicular,
  applyPoint,
  betweenFrames,
  compose,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  formatNumber,
  frameFromPoints,
  length,
  negate,
  rotation,
  scale,
  sub,
  translation,
  unit,
  type Vec3,
} from '../math/index.ts';
import { domain, endPoint, planeOf, pointAt, startPoint } from '../nurbs/index.ts';
import {
  defineEvaluation,
  failure,
  type Input,
  inputCurves,
  inputPlane,
  inputPoint,
  type Mark,
  type Piece,
  type ToolResult,
  transformPiece,
} from '../recipe/index.ts';
import tool from './align.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const made = p.match === 'points' ? byPoints(inputs.from, inputs.to) : byDirection(inputs.from[0], inputs.to[0], p);
  if ('outputs' in made) return made;
  const outputs: Record<string, Piece> = {};
  inputs.pieces.forEach((i, k) => {
    outputs[k === 0 ? 'main' : `piece${k + 1}`] = transformPiece(i.piece, made.map);
  });
  return {
    outputs,
    marks: made.marks,
    facts: [
      { label: 'moved by', value: `${formatNumber(distance(made.from, applyPoint(made.map, made.from)), 3)} mm` },
      { label: 'turned by', value: `${formatNumber(turnOf(made.map), 3)}°` },
      ...(made.left === undefined ? [] : [{ label: 'points left apart', value: `${formatNumber(made.left, 4)} mm` }]),
    ],
  };
});
interface Made {
  readonly map: Affine;
  readonly from: Vec3;
  readonly left?: number;
  readonly marks?: readonly Mark[];
}
const turnOf = (a: Affine): number => Math.acos(Math.min(1, Math.max(-1, (a.m[0][0] + a.m[1][1] + a.m[2][2] - 1) / 2))) / DEG;

/** The least rotation about `at` that takes one direction to another (Rodrigues). */
function leastTurn(at: Vec3, from: Vec3, to: Vec3): Affine {
  const axis = cross(from, to);
  const l = length(axis);
  const c = dot(from, to);
  if (l < 1e-12) return c > 0 ? translation([0, 0, 0]) : rotation(at, anyPerpendicular(from), Math.PI);
  return rotation(at, axis, Math.atan2(l, c));
}

interface Line {
  readonly at: Vec3;
  readonly along: Vec3;
}
/** A straight edge, or the axis of a round one. */
function axisOf(i: Input): Line | undefined {
  const curves = inputCurves(i);
  if (!curves.length) {
    const plane = inputPlane(i);
    return plane && { at: plane.origin, along: plane.z };
  }
  const [a, b] = [startPoint(curves[0]), endPoint(curves[curves.length - 1])];
  const points = curves.flatMap((c) => {
    const [s, e] = domain(c);
    return Array.from({ length: 25 }, (_, k) => pointAt(c, s + ((e - s) * k) / 24));
  });
  const chord = sub(b, a);
  const size = Math.max(...points.map((q) => distance(q, a)));
  if (length(chord) > 1e-9) {
    const d = unit(chord);
    const off = Math.max(...points.map((q) => length(sub(sub(q, a), scale(d, dot(sub(q, a), d))))));
    if (off < 1e-6 * size + 1e-9) return { at: a, along: d };
  }
  // round: the centre of a circle through three places, which all others must keep
  const plane = planeOf(curves);
  if (!plane || plane.deviation > 1e-6 * size + 1e-9) return undefined;
  const centre = circleCentre(points[0], points[Math.floor(points.length / 3)], points[Math.floor((2 * points.length) / 3)]);
  if (!centre) return undefined;
  const r = distance(centre, points[0]);
  return points.every((q) => Math.abs(distance(centre, q) - r) < 1e-6 * size + 1e-9) ? { at: centre, along: plane.frame.z } : undefined;
}
function circleCentre(a: Vec3, b: Vec3, c: Vec3): Vec3 | undefined {
  const [p, q] = [sub(b, a), sub(c, a)];
  const n = cross(p, q);
  const nn = dot(n, n);
  if (nn < 1e-24) return undefined;
  const to = scale(add(scale(cross(n, p), dot(q, q)), scale(cross(q, n), dot(p, p))), 1 / (2 * nn));
  return add(a, to);
}

function byDirection(from: Input, to: Input, p: { match: string; turned: boolean; away: number; spin: number }): Made | ToolResult {
  const axis = p.match === 'axis';
  const [a, b] = [from, to].map((i): Line | undefined => {
    if (axis) return axisOf(i);
    const f = inputPlane(i);
    return f && { at: f.origin, along: f.z };
  });
  const bad = !a ? 'From' : !b ? 'To' : undefined;
  if (!a || !b)
    return failure(
      'no-direction',
      axis
        ? `"${bad}" has no axis: pick a straight edge, a round one, or something flat`
        : `"${bad}" is not flat: pick a flat face, a plane or a flat curve`,
    );
  // faces look at each other, axes run the same way
  const goal = axis === p.turned ? negate(b.along) : b.along;
  const turned = leastTurn(a.at, a.along, goal);
  const moved = translation(add(sub(b.at, a.at), scale(b.along, p.away)));
  const spun = rotation(b.at, b.along, p.spin * DEG);
  return {
    map: compose(spun, compose(moved, turned)),
    from: a.at,
    marks: [{ kind: 'push', from: b.at, direction: b.along, value: p.away, param: 'away', template: '$value' }],
  };
}

function byPoints(from: readonly Input[], to: readonly Input[]): Made | ToolResult {
  const [a, b] = [from.map(inputPoint), to.map(inputPoint)];
  if (a.some((x) => !x) || b.some((x) => !x)) return failure('no-points', 'Pick points or corners in both lists');
  if (a.length !== b.length) return failure('uneven', `${a.length} points go to ${b.length}: both lists need the same number`);
  const [p, q] = [a as Vec3[], b as Vec3[]];
  const left = (map: Affine) => Math.max(...p.map((x, i) => distance(applyPoint(map, x), q[i])));
  if (p.length === 1) return { map: translation(sub(q[0], p[0])), from: p[0] };
  const same = (x: Vec3, y: Vec3) => distance(x, y) < 1e-9;
  if (same(p[0], p[1]) || same(q[0], q[1]))
    return failure('one-place', 'The first two points of a list lie in one place: they give no direction', [
      same(p[0], p[1]) ? p[0] : q[0],
    ]);
  if (p.length === 2) {
    const map = compose(translation(sub(q[0], p[0])), leastTurn(p[0], unit(sub(p[1], p[0])), unit(sub(q[1], q[0]))));
    return { map, from: p[0], left: left(map) };
  }
  const frames = [frameFromPoints(p[0], p[1], p[2]), frameFromPoints(q[0], q[1], q[2])];
  if (!frames[0] || !frames[1]) return failure('in-line', 'Three points of a list lie in one line: they give no plane', frames[0] ? q : p);
  const map = betweenFrames(frames[0] as Frame, frames[1] as Frame);
  return { map, from: p[0], left: left(map) };
}
