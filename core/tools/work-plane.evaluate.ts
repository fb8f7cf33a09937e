import { massProperties } from '../brep/index.ts';
import {
  planeAcross,
  planeBetween,
  planeTangent,
  planeTangentAlong,
  planeThrough,
  planeThroughLine,
  planeThroughPoint,
} from '../curves/index.ts';
import { DEG, type Frame, formatNumber, frameFromNormal, frameFromPoints, placeFrame, type Vec3, WORLD } from '../math/index.ts';
import { joinCurves, lengthParameter, pointAt } from '../nurbs/index.ts';
import {
  defineEvaluation,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  inputPoint,
  type Mark,
  type ToolResult,
} from '../recipe/index.ts';
import tool from './work-plane.ts';

const WORLDS: Record<'xy' | 'xz' | 'yz', Frame> = {
  xy: WORLD,
  xz: frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]),
  yz: frameFromNormal([0, 0, 0], [1, 0, 0], [0, 1, 0]),
};

export default defineEvaluation(tool, (inputs, p): ToolResult => {
  const facts: { label: string; value: string }[] = [];
  const marks: Mark[] = [];
  const pointOf = (i: Input | undefined): Vec3 | undefined => i && inputPoint(i);
  const found = ((): Frame | ToolResult => {
    switch (p.method) {
      case 'points': {
        const typed: Vec3[] = [p.a, p.b, p.c];
        const pts = typed.map((t, i) => pointOf(inputs.points[i]) ?? t);
        return (
          frameFromPoints(pts[0], pts[1], pts[2]) ??
          failure('in-line', 'The three points lie in one line and give no plane: move one of them aside', pts)
        );
      }
      case 'across': {
        const list = inputs.curve[0] ? inputCurves(inputs.curve[0]) : [];
        if (!list.length) return failure('no-curve', 'Pick the curve that the plane stands across');
        const c = joinCurves(list);
        marks.push(slideOn(c, p.share));
        return planeAcross(c, p.share);
      }
      case 'tangent': {
        const input = inputs.face[0];
        const body = input && inputBody(input);
        if (!body || input.face === undefined) return failure('no-face', 'Pick the face that the plane touches');
        const f = body.faces[input.face];
        const list = inputs.anchor[0] ? inputCurves(inputs.anchor[0]) : [];
        if (list.length) {
          const c = joinCurves(list);
          const r = planeTangentAlong(f.surface, f.reversed, c, p.share);
          if (r.off > 0.05)
            return failure('off-skin', `The curve is ${formatNumber(r.off, 3)} mm off the face there: pick a curve that lies on it`, [
              r.frame.origin,
            ]);
          marks.push(slideOn(c, p.share));
          return r.frame;
        }
        if (p.middle) return planeTangent(f.surface, f.reversed, massProperties(body, [input.face], true).areaCentre);
        const near = p.place.some((x) => x !== 0) ? p.place : (input.pick.part?.near as Vec3 | undefined);
        if (!near) return failure('no-place', 'Click the place on the face, or type it');
        const frame = planeTangent(f.surface, f.reversed, near);
        marks.push({ kind: 'grip', at: frame.origin, normal: frame.z, param: 'place', template: '$point' });
        return frame;
      }
      case 'fit': {
        const list = inputs.points.map((i) => inputPoint(i)).filter((q): q is Vec3 => !!q);
        const r = planeThrough(list, inputs.curve.flatMap(inputCurves));
        if (!r)
          return failure('in-line', 'What is picked lies in one line, or is too little: pick three points or a curve that bends', list);
        facts.push({ label: 'out of flat by', value: `${formatNumber(r.deviation, 5)} mm` });
        return r.frame;
      }
      case 'between': {
        const [a, b] = [0, 1].map((k) => inputs.planes[k] && inputPlane(inputs.planes[k]));
        return a && b ? planeBetween(a, b, p.other) : failure('two-planes', 'Pick two planes or flat faces');
      }
      default: {
        const base = inputs.base[0] ? inputPlane(inputs.base[0]) : WORLDS[p.base];
        if (!base) return failure('not-flat', 'The base is not flat: pick a work plane or a flat face');
        if (p.method === 'line') {
          const line = inputs.curve[0] ? inputCurves(inputs.curve[0])[0] : undefined;
          if (!line) return failure('no-line', 'Pick a straight line or edge');
          const r = planeThroughLine(line, base, p.angle * DEG);
          return r.ok ? r.frame : failure('not-straight', r.message, r.place && [r.place]);
        }
        if (p.method === 'parallel') return planeThroughPoint(base, pointOf(inputs.points[0]) ?? p.through);
        if (p.method === 'view') {
          if (Math.hypot(...p.eye) < 1e-9) return failure('no-direction', 'The direction of view is zero: press "As seen now"');
          const y = p.top;
          const x: Vec3 = [y[1] * p.eye[2] - y[2] * p.eye[1], y[2] * p.eye[0] - y[0] * p.eye[2], y[0] * p.eye[1] - y[1] * p.eye[0]];
          return frameFromNormal(p.centre, p.eye, x);
        }
        return base;
      }
    }
  })();
  if ('outputs' in found) return found;
  const frame = placeFrame(found, p.offset, [p.turns[0] * DEG, p.turns[1] * DEG, p.turns[2] * DEG]);
  marks.push(...placers(found, frame, p));
  const show = (v: Vec3) => v.map((x) => formatNumber(x, 3)).join(', ');
  return {
    outputs: { main: { kind: 'plane', frame, size: p.size } },
    marks,
    facts: [{ label: 'origin', value: show(frame.origin) }, { label: 'normal', value: show(frame.z) }, ...facts],
  };
});

function slideOn(c: Parameters<typeof lengthParameter>[0], share: number): Mark {
  const by = lengthParameter(c);
  return {
    kind: 'slide',
    points: Array.from({ length: 65 }, (_, i) => pointAt(c, by.near((by.total * i) / 64))),
    closed: false,
    at: share,
    param: 'share',
    template: '$share',
  };
}

/** Arrows for the offset, in the axes the plane starts with; a ring for each turn about the axis it is counted about. */
function placers(start: Frame, frame: Frame, p: { readonly offset: Vec3; readonly turns: Vec3 }): Mark[] {
  const [x, y] = p.turns.map((t) => t * DEG);
  const axes = [start.x, placeFrame(start, [0, 0, 0], [x, 0, 0]).y, placeFrame(start, [0, 0, 0], [x, y, 0]).z];
  return [
    { kind: 'mover', frame: { ...start, origin: frame.origin }, by: { param: 'offset', value: p.offset } },
    ...axes.map(
      (axis, k): Mark => ({
        kind: 'turn',
        centre: frame.origin,
        axis,
        zero: k === 0 ? frame.y : k === 1 ? frame.z : frame.x,
        value: p.turns[k],
        param: 'turns',
        template: p.turns.map((t, i) => (i === k ? '$value' : t)),
      }),
    ),
  ];
}
