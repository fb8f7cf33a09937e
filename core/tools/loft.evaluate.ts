import type { z } from 'zod';
import { isWatertight, makeSolid } from '../brep/index.ts';
import { distance, dot, formatNumber, negate, sub, type Vec3 } from '../math/index.ts';
import { arcLength, joinCurves, type NurbsCurve, type NurbsSurface, planeOf, startPoint } from '../nurbs/index.ts';
import { measureAgainst } from '../proof/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  type Fact,
  failure,
  type Input,
  inputCurves,
  inputDirection,
  inputNeighbour,
  inputPoint,
  insteadOf,
  type Mark,
  meetingFacts,
  surfaceFacts,
  type ToolContext,
  type ToolResult,
} from '../recipe/index.ts';
import { lineUpActions, lineUpMarks } from '../recipe/line-up.ts';
import { type EndCondition, type LoftSection, loft, sweep } from '../skins/index.ts';
import tool from './loft.ts';
import twoRails from './two-rails.ts';
import weave from './weave.ts';

type Params = z.infer<typeof tool.params>;

export default defineEvaluation(tool, (inputs, p, context) => {
  const sections: LoftSection[] = [];
  for (const [i, input] of inputs.sections.entries()) {
    const point = inputPoint(input);
    const curves = inputCurves(input);
    if (curves.length) sections.push({ kind: 'chain', curves });
    else if (point) sections.push({ kind: 'point', point });
    else return failure('not-a-section', `Section ${i + 1} is neither a curve nor a point`);
  }
  const direction = inputs.along[0] && inputDirection(inputs.along[0]);
  const start = conditionOf(p.start, p.startReach, inputs.sections, sections, 0, direction);
  const end = conditionOf(p.end, p.endReach, inputs.sections, sections, sections.length - 1, direction);
  for (const c of [start, end]) if (c && 'message' in c) return failure('end', c.message, c.place);
  const ends = { start: start as EndCondition | undefined, end: end as EndCondition | undefined };
  if (inputs.centre.length) return carried(inputs.centre, inputs.guides, sections, p, ends, context);
  const guides = inputs.guides.map((i) => joinCurves(inputCurves(i)));
  const r = loft(
    sections,
    {
      ...p,
      ...ends,
      dome: { start: p.start === 'round' ? p.startReach : undefined, end: p.end === 'round' ? p.endReach : undefined },
      guides,
      guideReach: Math.max(0.1, 20 * context.tolerance),
    },
    context.stepId,
  );
  if (!r.ok) {
    const ways = [];
    if (r.code === 'guide-misses')
      ways.push(
        insteadOf(context.stepId, 'Weave these curves instead', weave, { curves: [...inputs.sections, ...inputs.guides] }, { gap: 1 }),
      );
    if (r.code === 'guide-ring' && inputs.guides.length === 2)
      ways.push(
        insteadOf(context.stepId, 'Use the guides as two rails', twoRails, {
          first: [inputs.guides[0]],
          second: [inputs.guides[1]],
          sections: inputs.sections,
        }),
      );
    return failure(r.code, r.message, r.place, ways);
  }
  const { body, surface, rails, closed, twist, exact, capNotes, fitDeviation, how, guided, doubtful } = r.result;
  const marks = lineUpMarks(rails, closed, p.adjust, p.pins);
  const actions = lineUpActions(rails.length, p);
  const diagnostics: Diagnostic[] = capNotes.map((message) => ({ severity: 'warning', code: 'cap', message }));
  if (doubtful) {
    const own = p.adjust.find((x) => x.section === doubtful.section);
    diagnostics.push({
      severity: 'warning',
      code: 'bend',
      message: `Between sections ${doubtful.section} and ${doubtful.section + 1} the way bends by ${doubtful.bend.toFixed(0)}°: nothing local tells which way round the second one runs. Look at the arrows, and turn it over if the skin is twisted`,
    });
    actions.unshift({
      label: `Turn section ${doubtful.section + 1} over`,
      params: {
        adjust: [...p.adjust.filter((x) => x.section !== doubtful.section), { ...own, section: doubtful.section, flip: !own?.flip }],
      },
    });
  }
  const facts: Fact[] = [
    ...surfaceFacts([surface]),
    { label: 'twist', value: twist < 0.05 ? 'none' : `${formatNumber(twist, 1)}°` },
    {
      label: 'sections',
      value: exact
        ? how === 'parameter'
          ? 'used exactly, by parameter'
          : 'used exactly'
        : `within ${Number(fitDeviation.toPrecision(2))} mm`,
      ...(exact ? {} : { number: fitDeviation, unit: 'mm', limit: p.tolerance }),
    },
  ];
  if (guided) {
    facts.push(deviationFact('guides', guided.deviation, Math.max(2 * p.tolerance, 2 * guided.miss, 1e-5)));
    if (guided.miss > context.tolerance)
      diagnostics.push({
        severity: 'warning',
        code: 'guide-beside',
        message: `A guide passes a section at ${formatNumber(guided.miss, 4)} mm: the skin keeps the section and comes back to the guide beside it`,
        place: [guided.missAt],
      });
  }
  meet(surface, ends, facts, diagnostics, p, guides.length > 0);
  marks.push(...reachMarks(sections, ends, p));
  const solid = p.cap && isWatertight(body) ? makeSolid(body) : undefined;
  return { outputs: { main: bodyPiece(solid?.ok ? solid.body : body) }, diagnostics, marks, actions, facts };
});

/** Measures both conditioned borders. */
function meet(
  surface: NurbsSurface,
  ends: { start?: EndCondition; end?: EndCondition },
  facts: Fact[],
  diagnostics: Diagnostic[],
  p: Params,
  guided: boolean,
): void {
  for (const [side, c, label] of [
    ['u0', ends.start, 'start'],
    ['u1', ends.end, 'end'],
  ] as const) {
    if (c?.kind !== 'neighbour') continue;
    const asked = Number(p[label].slice(1)) as 1 | 2 | 3;
    const m = meetingFacts(label, asked, measureAgainst(surface, side, c.neighbour, 50));
    facts.push(...m.facts);
    diagnostics.push(...m.diagnostics);
    if (guided && m.diagnostics.length)
      diagnostics.push({
        severity: 'note',
        code: 'guide-end',
        message: `The guides reach the ${label} in another direction than the neighbour asks for: let them end tangent to it`,
      });
  }
}

/** What an end is to meet; a message where what was picked does not allow it. */
function conditionOf(
  choice: Params['start'],
  reach: number,
  picked: readonly Input[],
  sections: readonly LoftSection[],
  k: number,
  direction: Vec3 | undefined,
): EndCondition | { message: string; place?: Vec3[] } | undefined {
  const section = sections[k];
  const end = k === 0 ? 'start' : 'end';
  if (choice === 'free') return undefined;
  if (choice === 'round')
    return section.kind === 'point'
      ? undefined
      : { message: `The ${end} is a curve: only a point can be rounded. Put a point section there, or set it to free` };
  if (section.kind === 'point')
    return { message: `The ${end} is a point: it can be free (a tip) or round (a dome)`, place: [section.point] };
  const place = [startPoint(section.curves[0])];
  if (choice === 'G1' || choice === 'G2' || choice === 'G3') {
    const neighbour = inputNeighbour(picked[k]);
    return neighbour
      ? { kind: 'neighbour', neighbour, grade: Number(choice[1]) as 1 | 2 | 3, reach }
      : {
          message: `The ${end} is a free curve: pick the edge of a skin there to meet it with ${choice}, or leave it square or along a direction`,
          place,
        };
  }
  const other = sections[k === 0 ? 1 : k - 1];
  const far = other.kind === 'point' ? other.point : startPoint(other.curves[0]);
  let d = direction;
  if (choice === 'square') {
    const plane = planeOf(section.curves);
    if (!plane || plane.deviation > 1e-3)
      return { message: `The ${end} section is not flat, so nothing is square to it: pick a direction instead`, place };
    d = plane.frame.z;
  } else if (!d) return { message: 'Pick a straight line or a plane for "Direction"' };
  return { kind: 'direction', direction: dot(d as Vec3, sub(far, place[0])) < 0 ? negate(d as Vec3) : (d as Vec3), grade: 2, reach };
}

/** Arrows that set the reach of conditioned ends. */
function reachMarks(sections: readonly LoftSection[], ends: { start?: EndCondition; end?: EndCondition }, p: Params): Mark[] {
  return (
    [
      [ends.start, 0, 'startReach'],
      [ends.end, sections.length - 1, 'endReach'],
    ] as const
  ).flatMap(([c, k, param]): Mark[] => {
    const s = sections[k];
    if (!c || s.kind !== 'chain') return [];
    const from = startPoint(s.curves[0]);
    const other = sections[k === 0 ? 1 : k - 1];
    const to = other.kind === 'point' ? other.point : startPoint(other.curves[0]);
    const direction = c.kind === 'direction' ? c.direction : c.neighbour.at(from).away;
    return [
      {
        kind: 'push',
        from,
        direction,
        value: p[param],
        rate: distance(from, to) / 3,
        label: 'Reach',
        param,
        template: '$value',
        min: 0.05,
        max: 5,
      },
    ];
  });
}

/** A loft whose shape is carried along a centre line. */
function carried(
  centre: readonly Input[],
  guides: readonly Input[],
  sections: readonly LoftSection[],
  p: Params,
  ends: { start?: EndCondition; end?: EndCondition },
  context: ToolContext,
): ToolResult {
  if (guides.length) return failure('guides-and-centre', 'A loft follows either guides or a centre line: take one of them away');
  if (ends.start || ends.end || p.start === 'round' || p.end === 'round')
    return failure(
      'centre-ends',
      'With a centre line the ends follow it: set start and end to free, and bend the line as the ends should leave',
    );
  const points = sections.findIndex((s) => s.kind === 'point');
  if (points >= 0) return failure('centre-point', 'With a centre line every section is a curve: take the point away, or the line');
  const line = centre.flatMap((i) => [...inputCurves(i)]);
  const r = sweep(
    sections.map((s) => (s as { curves: readonly NurbsCurve[] }).curves),
    line,
    {
      tolerance: Math.max(p.tolerance, 1e-7),
      adjust: p.adjust,
      pins: p.pins,
      carry: { kind: 'least' },
      place: 'drawn',
      corner: { kind: 'mitre' },
      normalEnds: false,
      cap: p.cap,
    },
    context.stepId,
  );
  if (!r.ok) return failure(r.code, r.message, r.place);
  const s = r.result;
  const solid = p.cap && isWatertight(s.body) ? makeSolid(s.body) : undefined;
  return {
    outputs: { main: bodyPiece(solid?.ok ? solid.body : s.body) },
    diagnostics: s.capNotes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
    marks: lineUpMarks(
      s.rails.map((x, section) => ({ ...x, section })),
      s.closedSections,
      p.adjust,
      p.pins,
    ),
    actions: lineUpActions(s.rails.length, p),
    facts: [
      ...surfaceFacts(s.surfaces),
      {
        label: 'centre line',
        value: `${formatNumber(
          s.path.reduce((n, c) => n + arcLength(c), 0),
          2,
        )} mm`,
      },
      deviationFact('sections', s.deviation, Math.max(p.tolerance, 1e-7)),
      { label: 'room before it folds', value: `${(100 * Math.min(1, s.margin)).toFixed(0)} %` },
    ],
  };
}
