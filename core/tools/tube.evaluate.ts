import { chainCurves, isWatertight, makeSolid, massProperties } from '../brep/index.ts';
import { distance, formatNumber, lawOf, type Vec3 } from '../math/index.ts';
import { arcLength, derivativesAt, domain, endPoint, type NurbsCurve, startPoint } from '../nurbs/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  failure,
  inputCurves,
  type Mark,
  surfaceFacts,
} from '../recipe/index.ts';
import { tube } from '../skins/index.ts';
import tool from './tube.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const curves = inputs.path.flatMap((i) => [...inputCurves(i)]);
  if (!curves.length) return failure('no-path', 'Pick the curves of the path');
  const near = Math.max(context.tolerance, 1e-6);
  const branch = branching(curves, near);
  if (branch)
    return failure(
      'branches',
      `${branch.count} curves meet here: a tube follows one path without branches. Make one tube for each branch and unite them`,
      [branch.at],
    );
  const chains = chainCurves(curves, near);
  const list = [...chains.closed, ...chains.open.map((o) => o.chain)];
  if (list.length > 1)
    return failure(
      'parted',
      `The path falls into ${list.length} chains that do not meet: join them, or make a tube about each`,
      list.map((c) => startPoint(c[0])),
    );
  const law = p.varies.length ? lawOf(p.varies, 1) : undefined;
  const r = tube(
    list[0],
    {
      radius: p.diameter / 2,
      size: law,
      wall: p.wall,
      make: p.make,
      ends: p.ends,
      corner: p.corner === 'round' ? { kind: 'round', radius: p.radius } : { kind: 'mitre' },
      tolerance: p.tolerance,
    },
    context.stepId,
  );
  const start = list[0][0];
  const [at, d] = derivativesAt(start, domain(start)[0], 1);
  const side = perpendicular(d);
  const arrow: Mark = {
    kind: 'push',
    from: at,
    direction: side,
    value: p.diameter,
    rate: 0.5,
    label: 'Diameter',
    param: 'diameter',
    template: '$value',
    min: 0.01,
  };
  if (!r.ok) {
    const fold = r.folds?.reduce((a, b) => (b.factor < a.factor ? b : a));
    return {
      ...failure(r.code, r.message.replaceAll('The sweep', 'The tube').replace('a section of', 'a diameter of'), r.place),
      marks: [arrow, ...(fold ? [{ kind: 'link' as const, points: fold.points }] : [])],
      actions: fold
        ? [
            {
              label: `Diameter ${formatNumber(p.diameter * 0.95 * fold.factor, 2)} mm`,
              params: { diameter: Number((p.diameter * 0.95 * fold.factor).toPrecision(4)) },
            },
          ]
        : [],
    };
  }
  const diagnostics: Diagnostic[] = [];
  if (r.outer.meets)
    diagnostics.push({
      severity: 'warning',
      code: 'crosses-itself',
      message: 'Two stretches of the tube run into each other: make it thinner or lead the path further apart',
      place: r.outer.meets.at,
    });
  let body = r.body;
  if (p.make !== 'skin') {
    const solid = makeSolid(body);
    if (!solid.ok) return failure('no-solid', `The tube does not close: ${solid.message}`, solid.place ? [solid.place] : undefined);
    body = solid.body;
  }
  return {
    outputs: { main: bodyPiece(body) },
    diagnostics,
    marks: [arrow],
    facts: [
      ...surfaceFacts(r.surfaces),
      {
        label: 'path',
        value: `${formatNumber(
          r.outer.path.reduce((n, c) => n + arcLength(c), 0),
          3,
        )} mm`,
      },
      { label: 'tightest radius', value: r.outer.tightest > 1e6 ? 'straight' : `${formatNumber(r.outer.tightest, 3)} mm` },
      ...(isWatertight(body) ? [{ label: 'volume', value: `${formatNumber(massProperties(body).volume, 3)} mm³` }] : []),
      r.outer.exact
        ? { label: 'fit', value: 'exact' }
        : deviationFact('fit', Math.max(r.outer.deviation, r.inner?.deviation ?? 0), p.tolerance),
    ],
  };
});
/** A place where more than two ends meet. */
function branching(curves: readonly NurbsCurve[], near: number): { count: number; at: Vec3 } | undefined {
  const ends = curves.flatMap((c) => (distance(startPoint(c), endPoint(c)) < near ? [] : [startPoint(c), endPoint(c)]));
  for (const p of ends) {
    const count = ends.filter((q) => distance(p, q) <= near).length;
    if (count > 2) return { count, at: p };
  }
  return undefined;
}
function perpendicular(d: Vec3): Vec3 {
  const a: Vec3 = Math.abs(d[2]) < 0.9 * Math.hypot(...d) ? [0, 0, 1] : [1, 0, 0];
  const c: Vec3 = [d[1] * a[2] - d[2] * a[1], d[2] * a[0] - d[0] * a[2], d[0] * a[1] - d[1] * a[0]];
  const l = Math.hypot(...c) || 1;
  return [c[0] / l, c[1] / l, c[2] / l];
}
