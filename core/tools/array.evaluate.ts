import { cagePoints } from '../cage/index.ts';
import {
  type Affine,
  add,
  betweenFrames,
  compose,
  DEG,
  distance,
  type Frame,
  IDENTITY,
  length,
  rotation,
  scale,
  sub,
  toWorld,
  translation,
  type Vec3,
  WORLD,
} from '../math/index.ts';
import { endPoint, joinCurves, startPoint } from '../nurbs/index.ts';
import {
  defineEvaluation,
  type Fact,
  failure,
  inputCurves,
  inputPlane,
  type Mark,
  type Piece,
  type ToolResult,
  transformPiece,
} from '../recipe/index.ts';
import { pathFrames } from '../skins/index.ts';
import tool from './array.ts';

interface Layout {
  /** Maps of all places, the original's first. */
  readonly maps: readonly Affine[];
  readonly facts: readonly Fact[];
  readonly marks: readonly Mark[];
}
type Given = Parameters<Parameters<typeof defineEvaluation<typeof tool.params, typeof tool.slots>>[1]>;

/** Copies beyond this number make no picture that can be worked with. */
const MOST = 5000;

export default defineEvaluation(tool, (inputs, p) => {
  const number = inputs.pieces.length * p.count * (p.layout === 'rows' ? p.rows : 1);
  if (number > MOST) return failure('too-many', `That would be ${number} pieces; at most ${MOST} can be made in one step`);
  const r = p.layout === 'path' ? alongPath(inputs, p) : p.layout === 'round' ? round(inputs, p) : rows(inputs, p);
  if ('outputs' in r) return r;
  const outputs: Record<string, Piece> = {};
  r.maps.forEach((map, n) =>
    inputs.pieces.forEach((i, k) => {
      const name = n === 0 ? (k === 0 ? 'main' : `piece${k + 1}`) : `copy${n + 1}${inputs.pieces.length > 1 ? `-${k + 1}` : ''}`;
      outputs[name] = n === 0 && map === IDENTITY ? i.piece : transformPiece(i.piece, map);
    }),
  );
  return { outputs, facts: [{ label: 'pieces', value: String(Object.keys(outputs).length) }, ...r.facts], marks: [...r.marks] };
});

function frameOf(inputs: Given[0]): Frame | undefined {
  return inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
}
const notFlat = () => failure('not-flat', 'The plane picked is not flat');

function rows(inputs: Given[0], p: Given[1]): Layout | ToolResult {
  const frame = frameOf(inputs);
  if (!frame) return notFlat();
  const flat = { ...frame, origin: [0, 0, 0] as Vec3 };
  const [a, b] = [toWorld(flat, p.by), toWorld(flat, p.rowBy)];
  if (p.count > 1 && length(a) < 1e-9) return failure('no-step', 'The step is zero: all copies would lie in one place');
  if (p.rows > 1 && length(b) < 1e-9) return failure('no-step', 'The row step is zero: all rows would lie in one place');
  const maps = Array.from({ length: p.rows }, (_, j) =>
    Array.from({ length: p.count }, (_, i) => (i + j === 0 ? IDENTITY : translation(add(scale(a, i), scale(b, j))))),
  ).flat();
  return { maps, facts: p.rows > 1 ? [{ label: 'layout', value: `${p.rows} rows of ${p.count}` }] : [], marks: [] };
}

function round(inputs: Given[0], p: Given[1]): Layout | ToolResult {
  const frame = frameOf(inputs);
  if (!frame) return notFlat();
  // a full turn ends where it began, so that it is shared out; a part of one has a copy at each end
  const full = Math.abs(Math.abs(p.angle) - 360) < 1e-9;
  const each = p.count > 1 ? p.angle / (full ? p.count : p.count - 1) : 0;
  if (p.count > 1 && Math.abs(each) < 1e-9 && Math.abs(p.rise) < 1e-9)
    return failure('no-step', 'The angle is zero: all copies would lie in one place');
  const maps = Array.from({ length: p.count }, (_, n): Affine => {
    if (!n) return IDENTITY;
    const lift = translation(scale(frame.z, n * p.rise));
    const turned = rotation(frame.origin, frame.z, n * each * DEG);
    if (p.turn) return compose(lift, turned);
    // every piece keeps its own direction: its middle alone goes round, told by the first piece's place
    const at = placeOf(inputs.pieces[0].piece);
    const to = add(at, sub(applied(turned, at), at));
    return compose(lift, translation(sub(to, at)));
  });
  return {
    maps,
    facts: [{ label: 'one to the next', value: `${Number(each.toFixed(4))}°` }],
    marks: [{ kind: 'turn', centre: frame.origin, axis: frame.z, zero: frame.x, value: p.angle, param: 'angle', template: '$value' }],
  };
}
const applied = (a: Affine, q: Vec3): Vec3 =>
  [0, 1, 2].map((k) => a.m[k][0] * q[0] + a.m[k][1] * q[1] + a.m[k][2] * q[2] + a.t[k]) as unknown as Vec3;

/** A place that stands for a piece: the mean of its corners or control points. */
function placeOf(p: Piece): Vec3 {
  const list: Vec3[] =
    p.kind === 'point'
      ? [p.point]
      : p.kind === 'curve'
        ? p.curves.flatMap((c) => [startPoint(c), endPoint(c)])
        : p.kind === 'skin' || p.kind === 'solid'
          ? p.body.vertices.map((v) => v.point)
          : p.kind === 'scan'
            ? [[p.mesh.positions[0], p.mesh.positions[1], p.mesh.positions[2]]]
            : p.kind === 'cage'
              ? cagePoints(p.cage)
              : [p.frame.origin];
  return scale(list.reduce(add, [0, 0, 0] as Vec3), 1 / Math.max(1, list.length));
}

function alongPath(inputs: Given[0], p: Given[1]): Layout | ToolResult {
  const curves = inputCurves(inputs.path[0]);
  if (!curves.length) return failure('no-path', 'Pick the curve along which they are repeated');
  const path = joinCurves(curves);
  const closed = distance(startPoint(path), endPoint(path)) < 1e-5;
  const f = pathFrames(path, { kind: 'least' }, undefined, closed);
  if (!f.ok) return failure('no-frames', `The copies cannot follow the curve: ${f.message}`, [f.place]);
  const { frames } = f;
  const even = frames.length / Math.max(1, closed ? p.count : p.count - 1);
  const step = p.spacing || (p.count > 1 ? even : 0);
  const reach = step * (p.count - 1);
  if (reach > frames.length * (1 + 1e-9))
    return failure(
      'too-short',
      `The curve is ${frames.length.toFixed(2)} mm long, ${p.count} copies with that spacing need ${reach.toFixed(2)} mm: fewer, or nearer`,
      [endPoint(path)],
    );
  const first = frames.at(0);
  const maps = Array.from({ length: p.count }, (_, n) => {
    if (!n) return IDENTITY;
    const to = frames.at(Math.min(frames.length, n * step));
    return p.turn ? betweenFrames(first, to) : translation(sub(to.origin, first.origin));
  });
  return { maps, facts: [{ label: 'one to the next', value: `${Number(step.toFixed(4))} mm` }], marks: [] };
}
