import { flatBody, flipBody, massProperties, surfaceBody } from '../brep/index.ts';
import { add, cross, distance, dot, formatNumber, frameFromNormal, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { lineCurve, makeSurface } from '../nurbs/index.ts';
import { type Diagnostic, defineEvaluation, drawingFrame, failure, inputPoint, type Mark, onPlane } from '../recipe/index.ts';
import tool from './corner-skin.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const picked = inputs.corners.map((i) => inputPoint(i) as Vec3);
  const all = [...picked, ...onPlane(frame, p.points)];
  if (all.length < 3)
    return failure('too-few', `Three or four corners are needed; there ${all.length === 1 ? 'is one' : `are ${all.length}`}`);
  const points = all.slice(0, 4);
  for (let i = 0; i < points.length; i++)
    for (let j = 0; j < i; j++)
      if (distance(points[i], points[j]) < 1e-9)
        return failure('doubled', `Corners ${j + 1} and ${i + 1} fall together: move one of them`, [points[i]]);
  const normal =
    points.length === 3
      ? cross(sub(points[1], points[0]), sub(points[2], points[0]))
      : cross(sub(points[2], points[0]), sub(points[3], points[1]));
  const diagnostics: Diagnostic[] = [];
  const marks: Mark[] = points.map((at, i) => ({ kind: 'number', at, label: String(i + 1) }));
  if (points.length === 3) {
    if (length(normal) < 1e-9 * distance(points[0], points[1]) ** 2) return failure('in-line', 'The three corners lie in one line', points);
    const n = unit(normal);
    const f = frameFromNormal(points[0], p.turned ? scale(n, -1) : n);
    const body = flatBody([{ outer: [0, 1, 2].map((i) => lineCurve(points[i], points[(i + 1) % 3])), holes: [] }], f, context.stepId);
    return {
      outputs: { main: { kind: 'skin', body } },
      marks,
      facts: [
        { label: 'area', value: `${formatNumber(massProperties(body).area, 3)} mm²` },
        { label: 'shape', value: 'flat triangle' },
      ],
    };
  }
  const order = inOrder(points);
  const q = order.map((i) => points[i]);
  if (order.some((x, i) => x !== i))
    diagnostics.push({
      severity: 'note',
      code: 'crossed',
      message: `The corners were given crosswise: they are joined in the order ${order.map((i) => i + 1).join(', ')}, so that no sides cross`,
      place: q,
    });
  const surface = makeSurface(
    1,
    1,
    [
      [q[0], q[3]],
      [q[1], q[2]],
    ],
    [0, 0, 1, 1],
    [0, 0, 1, 1],
  );
  // out of flat: how far the fourth corner stands over the plane of the others
  const n = cross(sub(q[1], q[0]), sub(q[3], q[0]));
  const off = length(n) > 1e-12 ? Math.abs(dot(sub(q[2], q[0]), unit(n))) : 0;
  const made = surfaceBody(surface, { prefix: context.stepId, face: () => `${context.stepId}:skin` }).body;
  const body = p.turned ? flipBody(made) : made;
  return {
    outputs: { main: { kind: 'skin', body } },
    diagnostics,
    marks,
    facts: [
      { label: 'control points', value: '2 × 2' },
      { label: 'area', value: `${formatNumber(massProperties(body).area, 3)} mm²` },
      { label: 'shape', value: off < 1e-9 ? 'flat' : `twisted: a corner stands ${formatNumber(off, 3)} mm off the plane of the others` },
    ],
  };
});
/** Order round the middle, starting with the first, in the direction that keeps most of what was given: no sides cross then. */
function inOrder(p: readonly Vec3[]): number[] {
  const c = scale(p.reduce(add, [0, 0, 0] as Vec3), 0.25);
  // the ways to run round four points: by which one stands across from the first
  const rounds = [
    [0, 1, 2, 3],
    [0, 2, 1, 3],
    [0, 1, 3, 2],
  ];
  const area = (o: readonly number[]) => {
    let n: Vec3 = [0, 0, 0];
    for (let i = 0; i < 4; i++) n = add(n, cross(sub(p[o[i]], c), sub(p[o[(i + 1) % 4]], c)));
    return length(n);
  };
  // a crossed round encloses less: its halves count against each other
  return rounds.reduce((best, o) => (area(o) > area(best) * (1 + 1e-9) ? o : best));
}
