import { z } from 'zod';
import { BodyBuilder, builderFrom, capRim, chainCurves, flipBody, isWatertight, makeSolid, rimChains, smoothPieces, subBody, surfaceBody } from '../brep/index.ts';
import { cross, DEG, dot, length, sub, unit, type Vec3 } from '../math/index.ts';
import { domain, endPoint, type NurbsCurve, pointAt, revolvedSurface, startPoint } from '../nurbs/index.ts';
import { bodyPiece, defineTool, failure, inputCurves, inputPlane, inputPoint, param, slot } from '../recipe/index.ts';
import { outwardFlux } from '../skins/index.ts';

export default defineTool({
  id: 'revolve',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Revolve',
  hint: 'Turns curves about a line: exact circles at every height',
  icon: ['M12 3v18', 'M12 5c6 0 6 4 4 7s-1 5 2 7M12 5c-6 0-6 4-4 7s1 5-2 7c3 1.500 9 1.500 12 0'],
  slots: {
    profile: slot({ label: 'Profile', accepts: ['chain'], min: 1, max: 50 }),
    axis: slot({
      label: 'Axis',
      accepts: ['chain', 'flat', 'point'],
      min: 0,
      max: 2,
      ordered: true,
      hint: 'A straight line, two points, or a plane (its normal through its origin); a world axis when empty',
    }),
  },
  params: z.object({
    world: param.choice({
      label: 'World axis',
      options: [
        { value: 'x', label: 'X' },
        { value: 'y', label: 'Y' },
        { value: 'z', label: 'Z' },
      ],
      default: 'z',
    }),
    extent: param.choice({
      label: 'Extent',
      options: [
        { value: 'full', label: 'Full turn' },
        { value: 'angles', label: 'Angles' },
        { value: 'symmetric', label: 'Symmetric' },
      ],
      default: 'full',
    }),
    start: param.angle({ label: 'Start', default: 0, when: { key: 'extent', is: ['angles'] } }),
    end: param.angle({ label: 'End', default: 180, when: { key: 'extent', is: ['angles'] } }),
    angle: param.angle({ label: 'Angle', default: 180, min: 1e-6, max: 360, when: { key: 'extent', is: ['symmetric'] } }),
    cap: param.toggle({ label: 'Cap to a solid', default: false, hint: 'Flat ends are closed; a profile that ends off the axis gets flat discs' }),
  }),
  examples: [{ params: {} }, { params: { extent: 'angles', start: 0, end: 120 } }],
  evaluate(inputs, p, context) {
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
    const { closed, open } = chainCurves(curves, context.tolerance);
    let builder = new BodyBuilder();
    const id = context.stepId;
    [...closed, ...open.map((o) => o.chain)].forEach((chain, k) =>
      chain.flatMap(smoothPieces).forEach((c, i) => {
        const prefix = `${id}${k ? `.loop${k}` : ''}${i ? `.${i}` : ''}`;
        surfaceBody(revolvedSurface(c, axis.point, axis.direction, span[0] * DEG, span[1] * DEG), { prefix, face: () => `${prefix}:turned` }, builder);
      }),
    );
    let body = joinEqualEdges(builder);
    const notes: string[] = [];
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
      diagnostics: notes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
      facts: [
        { label: 'faces', value: String(body.faces.length) },
        { label: 'angle', value: `${Number((span[1] - span[0]).toFixed(4))}°` },
      ],
    };
  },
});

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

/** Neighbouring turned faces share the circle between them. */
function joinEqualEdges(k: BodyBuilder) {
  const key = (i: number) => {
    const e = k.edges[i];
    const m = pointAt(e.curve, (e.range[0] + e.range[1]) / 2);
    return `${Math.min(e.start, e.end)},${Math.max(e.start, e.end)},${m.map((x) => Math.round(x / k.tolerance / 4)).join(',')},${e.degenerate ?? ''}`;
  };
  const first = new Map<string, number>();
  const same = k.edges.map((_, i) => {
    const name = key(i);
    const j = first.get(name);
    if (j === undefined || k.edges[i].degenerate) {
      first.set(name, i);
      return i;
    }
    return k.edges[j].start === k.edges[i].start ? j : i;
  });
  const faces = k.faces.map((f) => ({ ...f, loops: f.loops.map((l) => l.map((u) => ({ ...u, edge: same[u.edge] }))) }));
  const b = { ...k.body(), faces };
  return subBody(
    b,
    b.faces.map((_, i) => i),
  );
}
