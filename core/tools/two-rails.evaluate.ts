import { type Body, combineBodies, flipBody, surfaceBody, withShells } from '../brep/index.ts';
import { add, distance, formatNumber, scale, type Vec3 } from '../math/index.ts';
import { closestOnCurve, endPoint, joinCurves, type NurbsCurve, type NurbsSurface, reverseCurve, startPoint } from '../nurbs/index.ts';
import { measureAgainst } from '../proof/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  type Fact,
  failure,
  inputCurves,
  inputNeighbour,
  insteadOf,
  meetingFacts,
  surfaceFacts,
} from '../recipe/index.ts';
import { pairOf, type RailCondition, type RailOptions, type RailShape, shapeBetween, skinBetween } from '../skins/index.ts';
import loftTool from './loft.ts';
import tool from './two-rails.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const [first, second] = [inputs.first, inputs.second].map((l) => l.map((i) => inputCurves(i)));
  const n = first.length;
  if (second.length !== n)
    return failure('uneven-rails', `There are ${n} first rails and ${second.length} second ones: pick as many of each, in the same order`);
  if ([...first, ...second].some((c) => !c.length)) return failure('not-a-rail', 'A rail is no curve or edge');
  const sections = inputs.sections.map((i) => joinCurves(inputCurves(i)));
  const pairs = first.map((a, k) => pairOf(a, second[k]));
  for (const [k, q] of pairs.entries()) if ('code' in q) return failure(q.code, `${n > 1 ? `Pair ${k + 1}: ` : ''}${q.message}`, q.place);
  type Pair = Exclude<ReturnType<typeof pairOf>, { code: string }>;
  const list = pairs as Pair[];
  // each section belongs to the pair of rails that its ends are nearest to
  const owner = sections.map((c) => {
    const far = (q: Pair) => {
      const [s, e] = [startPoint(c), endPoint(c)];
      const d = (r: NurbsCurve, x: Vec3) => closestOnCurve(r, x).distance;
      return Math.min(d(q.a, s) + d(q.b, e), d(q.a, e) + d(q.b, s));
    };
    return list.reduce((best, q, k) => (far(q) < far(list[best]) - 1e-9 ? k : best), 0);
  });
  const options = (k: number): RailOptions | { message: string } => {
    const conditions = (
      [
        [p.firstMeets, inputs.first[k], 'first'],
        [p.secondMeets, inputs.second[k], 'second'],
      ] as const
    ).map(([g, input, which]): RailCondition | { message: string } | undefined => {
      if (g === '0') return undefined;
      const neighbour = inputNeighbour(input);
      return neighbour
        ? { neighbour, grade: Number(g) as 1 | 2 | 3 }
        : { message: `The ${which} rail is a free curve: pick the edge of a skin to meet it with G${g}, or set it to G0` };
    });
    const bad = conditions.find((c): c is { message: string } => !!c && 'message' in c);
    if (bad) return bad;
    return {
      height: p.height,
      tolerance: p.tolerance,
      first: conditions[0] as RailCondition | undefined,
      second: conditions[1] as RailCondition | undefined,
    };
  };
  const lead = owner[0];
  const o0 = options(lead);
  if ('message' in o0) return failure('free-rail', o0.message);
  const shape0 = shapeBetween(
    list[lead],
    sections.filter((_, i) => owner[i] === lead),
    o0,
  );
  if (!shape0.ok) return failure(shape0.code, shape0.message, shape0.place);
  // where rails of a family start: as those of the first pair do, seen from the middle of all
  const ends = list.flatMap((q) => [startPoint(q.a), endPoint(q.a), startPoint(q.b), endPoint(q.b)]);
  const middle = scale(ends.reduce(add, [0, 0, 0] as Vec3), 1 / ends.length);
  const lean = (q: Pair) =>
    Math.sign(
      distance(startPoint(q.a), middle) +
        distance(startPoint(q.b), middle) -
        distance(endPoint(q.a), middle) -
        distance(endPoint(q.b), middle),
    );
  const surfaces: NurbsSurface[] = [];
  const bodies: Body[] = [];
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  const worst = { rail: 0, section: 0, sectionAt: startPoint(sections[0]), moved: 0, fit: 0 };
  for (const [k, given] of list.entries()) {
    const mine = sections.filter((_, i) => owner[i] === k);
    const o = options(k);
    if ('message' in o) return failure('free-rail', n > 1 ? `Pair ${k + 1}: ${o.message}` : o.message);
    let pair = given;
    let shape: RailShape = shape0.shape;
    let meeting: typeof shape0.meeting | undefined;
    let moved = 0;
    if (k === lead) {
      meeting = shape0.meeting;
      moved = shape0.moved;
    } else if (mine.length) {
      const s = shapeBetween(pair, mine, o);
      if (!s.ok) return failure(s.code, `Pair ${k + 1}: ${s.message}`, s.place);
      shape = s.shape;
      meeting = s.meeting;
      moved = s.moved;
    } else {
      if (!pair.ring && lean(pair) !== lean(list[lead]) && lean(pair) !== 0)
        pair = { ...pair, a: reverseCurve(pair.a), b: reverseCurve(pair.b) };
      if (p.turned) shape = { ...shape, sections: shape.sections.map((s) => ({ ...s, row: s.row.map((x, i) => (i % 4 === 1 ? -x : x)) })) };
    }
    const r = skinBetween(pair, meeting, shape, o, mine, moved);
    if (!r.ok)
      return failure(
        r.code,
        n > 1 ? `Pair ${k + 1}: ${r.message}` : r.message,
        r.place,
        n === 1 && r.code === 'no-frame'
          ? [insteadOf(context.stepId, 'Loft through the sections instead', loftTool, { sections: inputs.sections })]
          : undefined,
      );
    const s = r.result;
    surfaces.push(s.surface);
    worst.rail = Math.max(worst.rail, s.railMiss);
    if (s.sectionMiss > worst.section) {
      worst.section = s.sectionMiss;
      worst.sectionAt = s.sectionAt;
    }
    worst.moved = Math.max(worst.moved, s.moved);
    worst.fit = Math.max(worst.fit, s.deviation);
    const prefix = n > 1 ? `${context.stepId}.${k + 1}` : context.stepId;
    bodies.push(
      surfaceBody(s.surface, { prefix, face: (i, j, c, d) => `${prefix}:skin${c > 1 ? `.${i}` : ''}${d > 1 ? `.part${j}` : ''}` }).body,
    );
    for (const [side, c, label] of [
      ['v0', o.first, 'first rail'],
      ['v1', o.second, 'second rail'],
    ] as const) {
      if (!c) continue;
      const m = meetingFacts(n > 1 ? `${label} of pair ${k + 1}` : label, c.grade, measureAgainst(s.surface, side, c.neighbour, 50));
      if (n === 1 || m.diagnostics.length) facts.push(...m.facts);
      diagnostics.push(...m.diagnostics);
    }
  }
  if (worst.moved > context.tolerance)
    diagnostics.push({
      severity: 'warning',
      code: 'section-beside',
      message: `A section ends ${formatNumber(worst.moved, 4)} mm beside its rail: its ends were brought there, the rest follows evenly`,
    });
  if (worst.section > Math.max(10 * p.tolerance, 1e-5) && (p.firstMeets !== '0' || p.secondMeets !== '0'))
    diagnostics.push({
      severity: 'note',
      code: 'section-bent',
      message: `The sections do not leave their rails as the neighbours ask for: the skin follows the neighbours and lies up to ${formatNumber(worst.section, 4)} mm beside a section`,
      place: [worst.sectionAt],
    });
  let body = bodies.length === 1 ? bodies[0] : withShells(combineBodies(bodies));
  if (p.turned && n === 1) body = flipBody(body);
  return {
    outputs: { main: { kind: 'skin', body } },
    diagnostics,
    facts: [
      ...surfaceFacts(surfaces),
      ...(n > 1 ? [{ label: 'skins', value: String(n) }] : []),
      deviationFact('way from the rails', worst.rail, Math.max(p.tolerance, 1e-6)),
      deviationFact('way from the sections', worst.section),
      deviationFact('fit', worst.fit, p.tolerance),
      ...facts,
    ],
  };
});
