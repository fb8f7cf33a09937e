import { chainsOf } from '../curves/index.ts';
import { distance, type Frame, formatNumber, toLocal, toWorld, type Vec3 } from '../math/index.ts';
import { joinCurves, lengthParameter, pointAt } from '../nurbs/index.ts';
import {
  chainsResult,
  type Diagnostic,
  defineEvaluation,
  drawingFrame,
  failure,
  inputCurves,
  inputPoint,
  type Mark,
} from '../recipe/index.ts';
import { RULE_NAMES, sketchCurves, sketchProblem, solveSketch } from '../sketch/index.ts';
import tool from './sketch.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const wrong = sketchProblem(p.sketch);
  if (wrong) return failure('sketch', `The sketch is not whole: ${wrong}. Delete that part and draw it again`);
  const diagnostics: Diagnostic[] = [];
  const marks: Mark[] = inputs.refers.flatMap((input, index): Mark[] => {
    const curves = inputCurves(input);
    const point = inputPoint(input);
    if (!curves.length) return point ? [{ kind: 'reference', index, points: [foot(frame, point)] }] : [];
    const c = joinCurves(curves);
    const by = lengthParameter(c);
    return [
      { kind: 'reference', index, points: Array.from({ length: 65 }, (_, k) => foot(frame, pointAt(c, by.at((by.total * k) / 64)))) },
    ];
  });
  // points that follow something upstream stand where it is, and are held there
  const held = new Map<string, readonly [number, number]>();
  for (const q of p.sketch.points) {
    if (!q.follows) continue;
    const input = inputs.refers[q.follows.pick];
    const curves = input ? inputCurves(input) : [];
    let at: Vec3 | undefined = input && inputPoint(input);
    if (curves.length) {
      const c = joinCurves(curves);
      const by = lengthParameter(c);
      at = pointAt(c, by.at(by.total * q.follows.share));
    }
    if (!at) {
      diagnostics.push({
        severity: 'warning',
        code: 'lost-reference',
        message: `A point followed reference ${q.follows.pick + 1}, which is not picked any more: it stays where it was`,
        place: [toWorld(frame, [q.x, q.y])],
      });
      continue;
    }
    const local = toLocal(frame, at);
    held.set(q.id, [local[0], local[1]]);
    marks.push({ kind: 'hold', id: q.id, at: toWorld(frame, [local[0], local[1]]) });
    if (Math.abs(local[2]) > 1e-3)
      diagnostics.push({
        severity: 'note',
        code: 'off-plane',
        message: `Reference ${q.follows.pick + 1} lies ${formatNumber(Math.abs(local[2]), 3)} mm off the plane: the sketch follows its foot`,
        place: [at],
      });
  }
  if (!p.sketch.curves.length)
    return { ...failure('empty', 'Draw the sketch: choose Line, Circle, Arc or Spline on the card and click in the view'), marks };
  const given = {
    ...p.sketch,
    points: p.sketch.points.map((q) => {
      const h = held.get(q.id);
      return h ? { ...q, x: h[0], y: h[1] } : q;
    }),
    rules: [...p.sketch.rules, ...[...held.keys()].map((point) => ({ id: `held-${point}`, type: 'fixed' as const, point }))],
  };
  const r = solveSketch(given);
  const point = (id: string): Vec3 => {
    const q = r.sketch.points.find((x) => x.id === id) as { x: number; y: number };
    return toWorld(frame, [q.x, q.y]);
  };
  const placeOf = (i: number): Vec3[] => {
    const rule = given.rules[i];
    return Object.entries(rule)
      .filter(([k, v]) => ['a', 'b', 'point'].includes(k) && r.sketch.points.some((x) => x.id === v))
      .map(([, v]) => point(v as string));
  };
  for (const set of r.conflicts) {
    const names = set.map(
      (i) =>
        `${RULE_NAMES[given.rules[i].type]}${'value' in given.rules[i] ? ` ${formatNumber((given.rules[i] as { value: number }).value)}` : ''}`,
    );
    diagnostics.push({
      severity: 'warning',
      code: 'conflict',
      message: `These contradict each other: ${names.join(', ')}. Delete or change one of them`,
      place: set.flatMap(placeOf),
    });
  }
  if (!r.solved && !r.conflicts.length)
    diagnostics.push({
      severity: 'warning',
      code: 'unsolved',
      message: `The rules cannot all be met from here; the largest error is ${formatNumber(r.worst, 4)} mm. Drag the points nearer to the shape that is meant`,
    });
  const curves = sketchCurves(r.sketch, frame);
  if (!curves.length) return failure('empty', 'Only help lines are drawn: draw at least one curve that counts');
  const chains = p.chain
    ? chainsOf(
        curves.map((c) => c.curve),
        1e-6,
      ).map((c) => c.curves)
    : curves.map((c) => [c.curve]);
  const loosePoints = r.loose.filter((id) => r.sketch.points.some((q) => q.id === id));
  const ends = chains.filter(
    (c) => distance(pointAt(c[0], c[0].knots[0]), pointAt(c[c.length - 1], c[c.length - 1].knots[c[c.length - 1].knots.length - 1])) > 1e-6,
  ).length;
  return chainsResult(chains, {
    diagnostics,
    marks,
    facts: [
      { label: 'freedoms left', value: String(r.freedom) },
      { label: 'loose points', value: String(loosePoints.length) },
      { label: 'open chains', value: String(ends) },
      ...(r.redundant.length ? [{ label: 'rules that follow from others', value: String(r.redundant.length) }] : []),
    ],
  });
});

/** The foot of a point on a plane. */
const foot = (frame: Frame, p: Vec3): Vec3 => {
  const q = toLocal(frame, p);
  return toWorld(frame, [q[0], q[1]]);
};
