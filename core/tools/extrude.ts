import { z } from 'zod';
import { BodyBuilder, chainCurves, flipBody, isWatertight, makeSolid, orderChain, regionsOf, smoothPieces } from '../brep/index.ts';
import { along, dot, length, negate, scale, sub, translation, unit, type Vec3 } from '../math/index.ts';
import { domain, endPoint, extrudedSurface, line2, lineCurve, type NurbsCurve, planeOf, pointAt, startPoint, transformCurve } from '../nurbs/index.ts';
import { bodyPiece, defineTool, failure, inputCurves, inputPlane, inputPoint, param, slot } from '../recipe/index.ts';
import { outwardFlux } from '../skins/index.ts';

export default defineTool({
  id: 'extrude',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Extrude',
  hint: 'Moves curves along a direction: an open sheet, or a capped solid from closed flat loops; inner loops become hollows',
  icon: ['M4 18c3-3 6 2 9-1', 'M4 18V9c3-3 6 2 9-1v9M17 16V7m0 0-2 2m2-2 2 2'],
  slots: {
    profile: slot({ label: 'Profile', accepts: ['chain'], min: 1, max: 100 }),
    along: slot({ label: 'Along', accepts: ['chain', 'flat', 'point'], min: 0, max: 2, ordered: true, hint: 'A straight line, a plane (its normal) or two points; the profile plane when empty' }),
  },
  params: z.object({
    extent: param.choice({
      label: 'Extent',
      options: [
        { value: 'one', label: 'One side' },
        { value: 'both', label: 'Two sides' },
        { value: 'symmetric', label: 'Symmetric' },
      ],
      default: 'one',
    }),
    distance: param.length({ label: 'Distance', default: 20 }),
    back: param.length({ label: 'Other side', default: 10, when: { key: 'extent', is: ['both'] } }),
    cap: param.toggle({ label: 'Cap the ends', default: true }),
  }),
  examples: [{ params: {} }, { params: { extent: 'symmetric', cap: false } }, { params: { extent: 'both', back: 5 } }],
  evaluate(inputs, p, context) {
    const curves = inputs.profile.flatMap((i) => [...inputCurves(i)]);
    if (!curves.length) return failure('no-curves', 'Pick at least one curve');
    const plane = planeOf(curves);
    const direction = directionOf(inputs.along, plane && plane.deviation < 1e-5 ? plane.frame.z : undefined);
    if (!direction) return failure('no-direction', 'The profile is not flat, so it has no direction of its own: pick a line, a plane or two points for "Along"');
    let d = direction;
    // the profile's own plane has no preferred side: up, else towards the positive axes
    if (!inputs.along.length && (Math.abs(d[2]) > 1e-9 ? d[2] < 0 : Math.abs(d[1]) > 1e-9 ? d[1] < 0 : d[0] < 0)) d = negate(d);
    const from = p.extent === 'one' ? 0 : p.extent === 'both' ? -p.back : -p.distance / 2;
    const to = p.extent === 'symmetric' ? p.distance / 2 : p.distance;
    if (Math.abs(to - from) < 1e-9) return failure('no-distance', 'The distance is zero');
    const moved = curves.map((c) => transformCurve(c, translation(scale(d, from))));
    const by = scale(d, to - from);
    const { closed, open } = chainCurves(moved, context.tolerance);
    const builder = new BodyBuilder();
    const id = context.stepId;
    const loops = closed.map((c) => c.flatMap(smoothPieces));
    [...loops, ...open.map((o) => o.chain.flatMap(smoothPieces))].forEach((chain, k) => raiseChain(builder, chain, by, `${id}${k ? `.loop${k}` : ''}`, k < loops.length));
    const notes: string[] = [];
    if (p.cap && loops.length) {
      const flat = planeOf(loops.flat());
      if (!flat || flat.deviation > 1e-5) notes.push('The profile is not flat, so the ends stay open');
      else {
        const regions = regionsOf(loops, flat.frame);
        for (const [side, z] of [
          ['start', 0],
          ['end', 1],
        ] as const) {
          regions.forEach((r, k) => {
            const edgesOf = (list: NurbsCurve[]) => list.map((c) => ({ edge: findEdge(builder, along(pointAt(c, mid(c)), by, z)), reversed: false }));
            const frame = z ? { ...flat.frame, origin: along(flat.frame.origin, by, 1) } : flat.frame;
            builder.flatFace(
              frame,
              [r.outer, ...r.holes].map(edgesOf).map((l) => runningOrder(builder, l)),
              `${id}:cap-${side}${k ? `.${k}` : ''}`,
            );
          });
        }
      }
    }
    let body = builder.body();
    if (isWatertight(body)) {
      const solid = makeSolid(body);
      if (solid.ok) body = solid.body;
    } else if (loops.length && outwardFlux(body) < 0) body = flipBody(body);
    return {
      outputs: { main: bodyPiece(body) },
      diagnostics: notes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
      facts: [
        { label: 'faces', value: String(body.faces.length) },
        { label: 'result', value: body.solids.length ? 'solid' : 'sheet' },
      ],
    };
  },
});

const mid = (c: NurbsCurve) => (domain(c)[0] + domain(c)[1]) / 2;

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

/** Side faces of one chain; neighbours share their upright edges. */
function raiseChain(k: BodyBuilder, chain: readonly NurbsCurve[], by: Vec3, prefix: string, closed: boolean): void {
  const top = chain.map((c) => transformCurve(c, translation(by)));
  const low = chain.map((c, i) => k.edge(c, `${prefix}.start.${i}`));
  const high = top.map((c, i) => k.edge(c, `${prefix}.end.${i}`));
  const upright = chain.map((c, i) => k.edge(line(startPoint(c), by), `${prefix}.upright.${i}`));
  if (!closed) upright.push(k.edge(line(endPoint(chain[chain.length - 1]), by), `${prefix}.upright.${chain.length}`));
  chain.forEach((c, i) => {
    const s = extrudedSurface(c, by);
    const [a, b] = domain(c);
    const next = closed ? upright[(i + 1) % chain.length] : upright[i + 1];
    const along2 = (x0: number, y0: number, x1: number, y1: number, r: readonly [number, number]) => ({ curve: straight(x0, y0, x1, y1, r[0], r[1]) });
    k.face(
      s,
      [
        [
          { edge: low[i], reversed: false, pcurve: along2(a, 0, b, 0, [a, b]) },
          { edge: next, reversed: false, pcurve: along2(b, 0, b, 1, [0, 1]) },
          { edge: high[i], reversed: true, pcurve: along2(a, 1, b, 1, [a, b]) },
          { edge: upright[i], reversed: true, pcurve: along2(a, 0, a, 1, [0, 1]) },
        ],
      ],
      `${prefix}:side${chain.length > 1 ? `.${i}` : ''}`,
    );
  });
}
const line = (p: Vec3, by: Vec3) => lineCurve(p, along(p, by, 1));
const straight = (x0: number, y0: number, x1: number, y1: number, t0: number, t1: number) => line2([x0, y0], [x1, y1], t0, t1);

function findEdge(k: BodyBuilder, p: Vec3): number {
  let best = 0;
  let least = Infinity;
  k.edges.forEach((e, i) => {
    const q = pointAt(e.curve, (e.range[0] + e.range[1]) / 2);
    const d = dot(sub(p, q), sub(p, q));
    if (d < least) {
      least = d;
      best = i;
    }
  });
  return best;
}
function runningOrder(k: BodyBuilder, list: { edge: number; reversed: boolean }[]) {
  return (
    orderChain(
      list.map((u) => u.edge),
      k.edges,
    ) ?? list
  );
}
