import {
  BodyBuilder,
  builderFrom,
  capRim,
  chainCurves,
  flipBody,
  isWatertight,
  joinEqualEdges,
  makeSolid,
  rimChains,
  smoothPieces,
  surfaceBody,
} from '../brep/index.ts';
import { cross, DEG, distance, dot, formatNumber, length, sub, unit, type Vec3 } from '../math/index.ts';
import {
  closestOnCurve,
  domain,
  endPoint,
  guidedRevolution,
  joinCurves,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  revolvedSurface,
  startPoint,
} from '../nurbs/index.ts';
import { bodyPiece, crossingNotes, defineEvaluation, failure, inputCurves, inputPlane, inputPoint, type Mark } from '../recipe/index.ts';
import { outwardFlux } from '../skins/index.ts';
import tool from './revolve.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const curves = inputs.profile.flatMap((i) => [...inputCurves(i)]);
  if (!curves.length) return failure('no-curves', 'Pick at least one curve');
  const axis = axisOf(inputs.axis, p.world);
  if (!axis) return failure('no-axis', 'The axis has no direction: pick a straight line, a plane or two different points');
  const span = p.extent === 'full' ? [0, 360] : p.extent === 'angles' ? [p.start, p.end] : [-p.angle / 2, p.angle / 2];
  if (span[1] < span[0]) span.reverse();
  if (span[1] - span[0] < 1e-6) return failure('no-angle', 'The angle is zero');
  if (span[1] - span[0] > 360 + 1e-9) return failure('too-far', 'More than a full turn would cover itself: at most 360 degrees');
  for (const c of curves) {
    const bad = crossesAxis(c, axis.point, axis.direction);
    if (bad) return failure('crosses-axis', 'The profile crosses the axis: trim it at the axis or move it to one side', [bad]);
  }
  const guide = inputs.guide.flatMap((i) => [...inputCurves(i)]);
  const guided = guide.length ? followGuide(curves, guide, axis.point, axis.direction, context.tolerance) : undefined;
  if (guided && 'code' in guided) return failure(guided.code, guided.message, guided.place);
  const { closed, open } = chainCurves(curves, context.tolerance);
  let builder = new BodyBuilder();
  const id = context.stepId;
  [...closed, ...open.map((o) => o.chain)].forEach((chain, k) =>
    chain.flatMap(smoothPieces).forEach((c, i) => {
      const prefix = `${id}${k ? `.loop${k}` : ''}${i ? `.${i}` : ''}`;
      surfaceBody(
        guided ? guided.surface(c) : revolvedSurface(c, axis.point, axis.direction, span[0] * DEG, span[1] * DEG),
        { prefix, face: () => `${prefix}:turned` },
        builder,
      );
    }),
  );
  let body = joinEqualEdges(builder).body;
  const notes: string[] = [];
  if (guided && guided.miss > context.tolerance)
    notes.push(`The guide passes ${formatNumber(guided.miss, 4)} mm beside the profile: the skin follows the guide`);
  if (p.cap) {
    builder = builderFrom(body);
    rimChains(body).forEach((chain, i) => {
      const r = capRim(builder, chain, `${id}:cap${i || ''}`, 1e-5);
      if (r.reason) notes.push(`A rim stays open: ${r.reason}`);
    });
    body = builder.body();
  }
  if (isWatertight(body)) {
    const solid = makeSolid(body);
    if (solid.ok) body = solid.body;
  } else if (outwardFlux(body) < 0) body = flipBody(body);
  return {
    outputs: { main: bodyPiece(body) },
    marks: ringsOf(curves, axis, p),
    diagnostics: [
      ...crossingNotes([...closed, ...open.map((o) => o.chain)]),
      ...notes.map((message) => ({ severity: 'warning' as const, code: guided ? 'guide' : 'cap', message })),
    ],
    facts: [
      { label: 'faces', value: String(body.faces.length) },
      { label: 'angle', value: guided ? 'as the guide' : `${Number((span[1] - span[0]).toFixed(4))}°` },
    ],
  };
});

/** Rings that set the angles, about the axis beside the profile. */
function ringsOf(
  curves: readonly NurbsCurve[],
  axis: { point: Vec3; direction: Vec3 },
  p: { extent: string; start: number; end: number; angle: number },
): Mark[] {
  if (p.extent === 'full') return [];
  const q = pointAt(curves[0], (domain(curves[0])[0] + domain(curves[0])[1]) / 2);
  const height = dot(sub(q, axis.point), axis.direction);
  const centre = [0, 1, 2].map((k) => axis.point[k] + height * axis.direction[k]) as unknown as Vec3;
  const out = sub(q, centre);
  if (length(out) < 1e-9) return [];
  const ring = (param: string, value: number): Mark => ({
    kind: 'turn',
    centre,
    axis: axis.direction,
    zero: unit(out),
    value,
    param,
    template: '$value',
    min: param === 'angle' ? 1 : -360,
    max: 360,
  });
  return p.extent === 'angles' ? [ring('end', p.end)] : [ring('angle', p.angle)];
}

function axisOf(list: readonly Parameters<typeof inputPlane>[0][], world: 'x' | 'y' | 'z'): { point: Vec3; direction: Vec3 } | undefined {
  if (!list.length) return { point: [0, 0, 0], direction: world === 'x' ? [1, 0, 0] : world === 'y' ? [0, 1, 0] : [0, 0, 1] };
  const pts = list.map(inputPoint);
  if (pts[0] && pts[1]) return length(sub(pts[1], pts[0])) > 1e-9 ? { point: pts[0], direction: unit(sub(pts[1], pts[0])) } : undefined;
  const curves = inputCurves(list[0]);
  if (curves.length) {
    const [a, b] = [startPoint(curves[0]), endPoint(curves[curves.length - 1])];
    return length(sub(b, a)) > 1e-9 ? { point: a, direction: unit(sub(b, a)) } : undefined;
  }
  const f = inputPlane(list[0]);
  return f && { point: f.origin, direction: f.z };
}

/** How a profile follows a guide: where it is hung on it, and the surface for each of its curves. */
function followGuide(
  profile: readonly NurbsCurve[],
  guide: readonly NurbsCurve[],
  centre: Vec3,
  axis: Vec3,
  tolerance: number,
): { miss: number; surface: (c: NurbsCurve) => NurbsSurface } | { code: string; message: string; place?: Vec3[] } {
  const chain = joinCurves(profile);
  const round = joinCurves(guide);
  const [a, b] = domain(chain);
  const [g0, g1] = domain(round);
  // the place of the profile nearest to the guide
  let best = { distance: Infinity, t: a, point: startPoint(chain), on: startPoint(round) };
  const ends = [a, b];
  for (let i = 0; i <= 64; i++) ends.push(a + ((b - a) * i) / 64);
  for (const t of ends) {
    const q = pointAt(chain, t);
    const foot = closestOnCurve(round, q);
    if (foot.distance < best.distance - 1e-9) best = { distance: foot.distance, t, point: q, on: foot.point };
  }
  const radial = (p: Vec3): Vec3 => {
    const d = sub(p, centre);
    return sub(d, [axis[0] * dot(d, axis), axis[1] * dot(d, axis), axis[2] * dot(d, axis)]);
  };
  const spoke = radial(best.point);
  const radius = length(spoke);
  if (radius < 1e-6)
    return {
      code: 'guide-on-axis',
      message: 'The guide meets the profile on the axis: there is nothing to stretch. Move the guide outwards',
      place: [best.point],
    };
  const out = unit(spoke);
  const side = cross(axis, out);
  for (let i = 0; i <= 64; i++) {
    const q = pointAt(chain, a + ((b - a) * i) / 64);
    const off = Math.abs(dot(sub(q, centre), side));
    if (off > Math.max(10 * tolerance, 1e-6))
      return {
        code: 'profile-plane',
        message: `A guided profile must lie in a plane through the axis; it is ${formatNumber(off, 4)} mm out of it here`,
        place: [q],
      };
  }
  for (let i = 0; i <= 128; i++) {
    const q = pointAt(round, g0 + ((g1 - g0) * i) / 128);
    if (length(radial(q)) < 1e-6) return { code: 'guide-on-axis', message: 'The guide touches the axis', place: [q] };
  }
  const height = dot(sub(best.point, centre), axis);
  const [start, end] = [startPoint(chain), endPoint(chain)];
  const far = distance(start, best.point) > distance(end, best.point) ? start : end;
  const still = dot(sub(far, centre), axis);
  return { miss: best.distance, surface: (c) => guidedRevolution(c, round, centre, axis, out, radius, height, still) };
}

/** A place where a profile in a plane through the axis changes sides. */
function crossesAxis(c: NurbsCurve, p: Vec3, d: Vec3): Vec3 | undefined {
  const [a, b] = domain(c);
  let last: Vec3 | undefined;
  for (let i = 0; i <= 128; i++) {
    const q = pointAt(c, a + ((b - a) * i) / 128);
    const v = sub(q, p);
    const r = sub(v, [d[0] * dot(v, d), d[1] * dot(v, d), d[2] * dot(v, d)]);
    if (length(r) < 1e-7) continue;
    if (last && dot(unit(r), unit(last)) < -0.9 && length(cross(unit(r), unit(last))) < 0.3) return q;
    last = r;
  }
  return undefined;
}
