import {
  type Body,
  BodyBuilder,
  bodyBox,
  chainCurves,
  flipBody,
  isWatertight,
  loopArea,
  makeSolid,
  orderChain,
  orientConsistently,
  regionsOf,
  smoothPieces,
} from '../brep/index.ts';
import { cutAndKeep, planeCutter } from '../joins/index.ts';
import {
  angleBetween,
  boxOf,
  DEG,
  dot,
  formatNumber,
  length,
  lerp,
  negate,
  scale,
  sub,
  translation,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  controlPoints,
  curveInFrame,
  domain,
  endPoint,
  type NurbsCurve,
  planeOf,
  pointAt,
  startPoint,
  transformCurve,
} from '../nurbs/index.ts';
import {
  bodyPiece,
  crossingNotes,
  type Diagnostic,
  defineEvaluation,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  inputPoint,
  type Mark,
  type ToolContext,
} from '../recipe/index.ts';
import { outwardFlux, type Raised, raiseDrafted, raiseStraight } from '../skins/index.ts';
import tool from './extrude.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const curves = inputs.profile.flatMap((i) => [...inputCurves(i)]);
  if (!curves.length) return failure('no-curves', 'Pick at least one curve');
  const plane = planeOf(curves);
  // the work plane that the profile was drawn on
  const drawn = inputs.profile.flatMap((i) =>
    p.side === 'plane' && i.piece.kind === 'curve' && i.piece.plane ? [i.piece.plane.z] : [],
  )[0];
  // straight lines and curves in space have no plane of their own: they go up from the one they were drawn on
  const direction = directionOf(inputs.along, plane && plane.deviation < 1e-5 ? plane.frame.z : drawn);
  if (!direction)
    return failure(
      'no-direction',
      'The profile is straight or not flat, so it has no direction of its own: pick a line, a plane or two points for "Along"',
    );
  let d = direction;
  if (!inputs.along.length) {
    // forward is where the work plane looks to that the profile was drawn on; without one: up, else towards the positive axes
    const along = drawn ? dot(d, drawn) : 0;
    if (Math.abs(along) > 0.5 ? along < 0 : Math.abs(d[2]) > 1e-9 ? d[2] < 0 : Math.abs(d[1]) > 1e-9 ? d[1] < 0 : d[0] < 0) d = negate(d);
  }
  if (p.turned) d = negate(d);
  if (p.extent === 'to') return upTo(inputs.upTo[0], curves, d, p, context);
  const from = p.extent === 'one' ? 0 : p.extent === 'both' ? -p.back : -p.distance / 2;
  const to = p.extent === 'symmetric' ? p.distance / 2 : p.distance;
  if (Math.abs(to - from) < 1e-9) return failure('no-distance', 'The distance is zero');
  const raised = raise(curves, d, from, to, p, context);
  const marks = arrowsOf(curves, d, p);
  if ('code' in raised) return { ...failure(raised.code, raised.message, raised.place), marks };
  const own = plane && plane.deviation < 1e-5 && Math.abs(dot(d, plane.frame.z)) < 1e-6;
  const notes = own && chainCurves(curves, context.tolerance).closed.length ? [...raised.notes, NO_VOLUME] : raised.notes;
  return { ...finish(raised.body, notes), marks };
});
const NO_VOLUME: Diagnostic = {
  severity: 'warning',
  code: 'no-volume',
  message: 'The direction lies in the plane of the profile: the skin is flat and encloses nothing. Pick another direction for "Along"',
};

/** Arrows that set the distances: at the middle of the profile's box. A click turns the other way. */
function arrowsOf(curves: readonly NurbsCurve[], d: Vec3, p: { extent: string; distance: number; back: number; turned: boolean }): Mark[] {
  const box = boxOf(curves.flatMap((c) => controlPoints(c).flat()));
  const from = lerp(box.min, box.max, 0.5);
  const click = { params: { turned: !p.turned }, hint: 'Drag for the distance, click to turn over' };
  const symmetric = p.extent === 'symmetric';
  const main: Mark = {
    kind: 'push',
    from,
    direction: d,
    value: p.distance,
    rate: symmetric ? 0.5 : 1,
    param: 'distance',
    template: '$value',
    click,
  };
  return p.extent === 'both'
    ? [main, { kind: 'push', from, direction: negate(d), value: p.back, param: 'back', template: '$value', click }]
    : [main];
}

function directionOf(along: readonly Parameters<typeof inputPlane>[0][], fallback: Vec3 | undefined): Vec3 | undefined {
  if (!along.length) return fallback;
  const points = along.map(inputPoint);
  if (points[0] && points[1]) return unit(sub(points[1], points[0]));
  const curves = inputCurves(along[0]);
  if (curves.length) {
    const v = sub(endPoint(curves[curves.length - 1]), startPoint(curves[0]));
    return length(v) > 1e-9 ? unit(v) : undefined;
  }
  return inputPlane(along[0])?.z;
}

interface Options {
  readonly draft: number;
  readonly cap: boolean;
}

type Outcome = { body: Body; notes: Diagnostic[] } | { code: string; message: string; place?: Vec3[] };

function finish(body: Body, diagnostics: Diagnostic[]) {
  return {
    outputs: { main: bodyPiece(body) },
    diagnostics,
    facts: [
      { label: 'faces', value: String(body.faces.length) },
      { label: 'result', value: body.solids.length ? 'solid' : 'sheet' },
    ],
  };
}

/** Walls from height `from` to height `to` along d, with caps where the profile allows them. With draft both ways the profile stays in the middle. */
function raise(curves: readonly NurbsCurve[], d: Vec3, from: number, to: number, p: Options, context: ToolContext): Outcome {
  const id = context.stepId;
  const notes: Diagnostic[] = [];
  const drafted = Math.abs(p.draft) > 1e-12;
  const flat = planeOf(curves);
  if (drafted && (!flat || flat.deviation > 1e-5))
    return { code: 'draft-not-flat', message: 'Draft needs a flat profile: this one is not flat' };
  if (drafted && flat && Math.min(angleBetween(flat.frame.z, d), angleBetween(flat.frame.z, negate(d))) > 1e-6)
    return { code: 'draft-slant', message: 'Draft needs a direction square to the profile: clear "Along" or pick one that is' };
  const moved = drafted ? curves : curves.map((c) => transformCurve(c, translation(scale(d, from))));
  const { closed, open } = chainCurves(moved, context.tolerance);
  const loops = closed.map((c) => c.flatMap(smoothPieces));
  const chains = [...loops, ...open.map((o) => o.chain.flatMap(smoothPieces))];
  notes.push(...crossingNotes(chains));
  const plane = flat && flat.deviation <= 1e-5 ? planeOf(moved) : undefined;
  const regions = plane ? regionsOf(loops, plane.frame) : [];
  const isHole = (loop: readonly NurbsCurve[]) => regions.some((r) => r.holes.includes(loop as NurbsCurve[]));
  const builder = new BodyBuilder();
  // each side: the chains it raised, by chain
  const sides: Raised[][] = [];
  const heights = drafted ? [to, from].filter((h) => Math.abs(h) > 1e-9) : [to - from];
  for (const [side, h] of heights.entries()) {
    const up = h > 0 ? d : negate(d);
    const list: Raised[] = [];
    for (const [k, chain] of chains.entries()) {
      const prefix = `${id}${side ? '.back' : ''}${k ? `.loop${k}` : ''}`;
      const isLoop = k < loops.length;
      const low = sides[0]?.[k].low;
      if (!drafted || !plane) {
        list.push(raiseStraight(builder, chain, scale(d, h), prefix, isLoop, low));
        continue;
      }
      const inwards = isLoop ? (loopTurn(chain, plane.frame.z, up, plane.frame) > 0 ? 1 : -1) * (isHole(chain) ? -1 : 1) : 1;
      const shift = inwards * Math.abs(h) * Math.tan(p.draft * DEG);
      const r = raiseDrafted(builder, chain, up, Math.abs(h), shift, prefix, isLoop, context.tolerance * 1e-3, low);
      if (!r.ok) return { code: 'draft', message: r.message, place: [r.place] };
      list.push(r);
    }
    sides.push(list);
  }
  if (p.cap && loops.length && !plane)
    notes.push({ severity: 'warning', code: 'cap', message: 'The profile is not flat, so the ends stay open' });
  else if (p.cap && plane) {
    const ends: { name: string; edges: (k: number) => readonly number[]; shift: Vec3 }[] = [
      { name: 'cap-end', edges: (k) => sides[0][k].high, shift: scale(d, heights[0]) },
    ];
    ends.unshift(
      sides.length > 1
        ? { name: 'cap-start', edges: (k) => sides[1][k].high, shift: scale(d, heights[1]) }
        : { name: 'cap-start', edges: (k) => sides[0][k].low, shift: [0, 0, 0] },
    );
    for (const end of ends)
      regions.forEach((r, m) => {
        const edges = [r.outer, ...r.holes].map((l) => runningOrder(builder, end.edges(loops.indexOf(l))));
        const o = plane.frame.origin;
        builder.flatFace(
          { ...plane.frame, origin: [o[0] + end.shift[0], o[1] + end.shift[1], o[2] + end.shift[2]] },
          edges,
          `${id}:${end.name}${m ? `.${m}` : ''}`,
        );
      });
  }
  let body = sides.length > 1 ? orientConsistently(builder.body()).body : builder.body();
  if (isWatertight(body)) {
    const solid = makeSolid(body);
    if (solid.ok) body = solid.body;
  } else if (loops.length && outwardFlux(body) < 0) body = flipBody(body);
  return { body, notes };
}

/** Raised past the object and cut by it; what hangs on the profile stays. */
async function upTo(object: Input | undefined, curves: readonly NurbsCurve[], d: Vec3, p: Options, context: ToolContext) {
  if (!object) return failure('no-object', 'Pick a skin, a solid, a flat face or a plane to go up to');
  const frame = inputPlane(object);
  const start = pointAt(curves[0], mid(curves[0]));
  const rough = raise(curves, d, 0, 1, { draft: 0, cap: false }, context);
  if ('code' in rough) return failure(rough.code, rough.message, rough.place);
  const profileBox = bodyBox(rough.body);
  let reach = 0;
  const cutter = frame ? planeCutter(frame, rough.body) : inputBody(object);
  if (!cutter) return failure('no-object', 'Only skins, solids, flat faces and planes can be gone up to');
  if (frame) {
    // the farthest place of the profile box to the plane, along the direction
    const slope = dot(d, frame.z);
    if (Math.abs(slope) < 1e-6) return failure('parallel', 'The plane runs along the direction: the extrusion would never reach it');
    for (const c of corners(profileBox)) reach = Math.max(reach, dot(sub(frame.origin, c), frame.z) / slope);
  } else for (const c of corners(bodyBox(cutter))) for (const q of corners(profileBox)) reach = Math.max(reach, dot(sub(c, q), d));
  if (!(reach > 1e-6)) return failure('behind', 'The object lies on the other side of the profile: turn the direction round');
  const raised = raise(curves, d, 0, reach * 1.05 + 1, p, context);
  if ('code' in raised) return failure(raised.code, raised.message, raised.place);
  const wide = frame ? planeCutter(frame, raised.body) : cutter;
  const r = await cutAndKeep(raised.body, [wide], 'picked', [start], context);
  if ('problem' in r)
    return failure(
      'not-reached',
      `${r.short ? 'The object does not cover the whole profile' : 'The extrusion does not meet the object'}: ${r.problem.charAt(0).toLowerCase()}${r.problem.slice(1)}`,
      r.place,
    );
  const raw = bodyBox(r.kept);
  return finish(r.kept, [
    ...raised.notes,
    {
      severity: 'note',
      code: 'reach',
      message: `Reaches up to ${formatNumber(Math.max(...corners(raw).map((c) => dot(sub(c, start), d))), 3)} mm`,
    },
  ]);
}

const corners = (b: ReturnType<typeof bodyBox>): Vec3[] =>
  [0, 1, 2, 3, 4, 5, 6, 7].map((i) => [i & 1 ? b.max[0] : b.min[0], i & 2 ? b.max[1] : b.min[1], i & 4 ? b.max[2] : b.min[2]]);

const mid = (c: NurbsCurve) => (domain(c)[0] + domain(c)[1]) / 2;

/** Positive when the loop runs anticlockwise seen against `up`. */
function loopTurn(loop: readonly NurbsCurve[], z: Vec3, up: Vec3, frame: Parameters<typeof curveInFrame>[1]): number {
  const edges = loop.map((c) => ({ curve: c, range: domain(c), start: 0, end: 0, tolerance: 0, name: '' }));
  const area = loopArea(
    loop.map((c, i) => ({ edge: i, reversed: false, pcurve: { curve: curveInFrame(c, frame) } })),
    edges,
  );
  return area * Math.sign(dot(z, up));
}

function runningOrder(k: BodyBuilder, edges: readonly number[]) {
  return orderChain(edges, k.edges) ?? edges.map((edge) => ({ edge, reversed: false }));
}
