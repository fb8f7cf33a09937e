import { type Body, bodyBox, edgePoint, Neighbour, partEdges, topologyOf } from '../brep/index.ts';
import { cutAtTool, type Extended, edgeFoot, extendRims, knitBodies, planeCutter, reachOf } from '../joins/index.ts';
import { boxSize, distance, formatNumber, type Vec3 } from '../math/index.ts';
import { domain, endPoint, pointAt, startPoint } from '../nurbs/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  type Fact,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  type Mark,
  type ToolContext,
  type ToolResult,
  withinFact,
} from '../recipe/index.ts';
import tool from './extend-skin.ts';

interface Rims {
  readonly body: Body;
  readonly edges: readonly number[];
}

export default defineEvaluation(tool, (inputs, p, context) => {
  const first = rimsOf(inputs.rim);
  if ('outputs' in first) return first;
  if (p.extent === 'by') {
    const r = extendRims(first.body, first.edges, p.by, p.way, context.stepId, context.tolerance);
    if (!r.ok) return failure('not-extended', r.message, r.place);
    const c = inputCurves(inputs.rim[0])[0];
    const from = pointAt(c, (domain(c)[0] + domain(c)[1]) / 2);
    return {
      outputs: { main: bodyPiece({ ...r.body, solids: [] }) },
      diagnostics: cornersNote(r),
      marks: arrowOf(first, from, p.by),
      facts: [{ label: 'extended by', value: `${formatNumber(p.by, 3)} mm` }, ...seamFacts([r], context)],
    };
  }
  if (p.extent === 'to') return upTo(first, inputs.upTo[0], p.way, context);
  const second = rimsOf(inputs.other);
  if ('outputs' in second) return second;
  return untilMet(first, second, p.way, context);
});

function upTo(rims: Rims, goal: Input, way: 'natural' | 'linear' | 'arc', context: ToolContext): ToolResult {
  const plane = goal && inputPlane(goal);
  const whole = goal && goal.face === undefined ? inputBody(goal) : undefined;
  const to = whole ?? (plane && planeCutter(plane, rims.body));
  if (!to) return failure('no-goal', 'Pick a skin, a solid or something flat to go up to');
  const [least, most] = reachOf(rims.body, rims.edges, to);
  let last: { why: string; at?: Vec3 } = { why: 'it ends before it gets there' };
  for (const times of [1.3, 2, 3.5]) {
    const by = Math.max(times * most, 0.02 * boxSize(bodyBox(rims.body)));
    const r = extendRims(rims.body, rims.edges, by, way, context.stepId, context.tolerance);
    if (!r.ok) return failure('not-extended', r.message, r.place);
    const cut = cutAtTool(r.body, rims.body.faces.length, to, context.stepId, context.tolerance);
    if (cut.ok)
      return {
        outputs: { main: bodyPiece(cut.body) },
        diagnostics: cornersNote(r),
        facts: [
          { label: 'way to go', value: `${formatNumber(least, 3)} to ${formatNumber(most, 3)} mm` },
          ...seamFacts([r], context),
          ...(cut.off > 0 ? [withinFact('cut within', cut.off, 0.1 * context.tolerance)] : []),
        ],
      };
    last = cut;
    if (!cut.short) break;
  }
  return failure(
    'not-reached',
    `Carried on by up to ${formatNumber(3.5 * most, 1)} mm it does not meet the goal all along: ${last.why}. Take another way of going on, or a larger goal`,
    last.at && [last.at],
  );
}

function untilMet(first: Rims, second: Rims, way: 'natural' | 'linear' | 'arc', context: ToolContext): ToolResult {
  const [, a] = reachOf(first.body, first.edges, second.body);
  const [, b] = reachOf(second.body, second.edges, first.body);
  let last: { why: string; at?: Vec3 } = { why: 'they end before they meet' };
  for (const times of [1, 1.6, 2.6, 4]) {
    const by = Math.max(times * Math.max(a, b), 0.01 * boxSize(bodyBox(first.body)));
    const x = extendRims(first.body, first.edges, by, way, `${context.stepId}.a`, context.tolerance);
    if (!x.ok) return failure('not-extended', x.message, x.place);
    const y = extendRims(second.body, second.edges, by, way, `${context.stepId}.b`, context.tolerance);
    if (!y.ok) return failure('not-extended', y.message, y.place);
    const mine = cutAtTool(x.body, first.body.faces.length, y.body, context.stepId, context.tolerance);
    const other = mine.ok ? cutAtTool(y.body, second.body.faces.length, x.body, context.stepId, context.tolerance) : mine;
    if (mine.ok && other.ok) {
      const knitted = knitBodies([mine.body, other.body], Math.max(10 * context.tolerance, 1e-4));
      const shared = topologyOf(knitted.body).seams.length - topologyOf(mine.body).seams.length - topologyOf(other.body).seams.length;
      if (shared > 0)
        return {
          outputs: { main: bodyPiece(knitted.body) },
          diagnostics: [...cornersNote(x), ...cornersNote(y)],
          facts: [
            { label: 'edges where they meet', value: String(shared) },
            ...seamFacts([x, y], context),
            withinFact('meet within', Math.max(mine.off, other.off, ...knitted.gaps.map((g) => g.gap)), 0.1 * context.tolerance),
          ],
        };
      last = { why: 'they do not share an edge' };
    } else {
      const miss = (mine.ok ? other : mine) as Exclude<typeof mine, { ok: true }>;
      last = miss;
      if (!miss.short) break;
    }
  }
  return failure(
    'not-met',
    `The skins do not meet all along when they are carried on: ${last.why}. Pick edges that face each other, or another way of going on`,
    last.at && [last.at],
  );
}

/** Open edges of a pick on one body; chains that were shortened are parted at their ends. */
function rimsOf(inputs: readonly Input[]): Rims | ToolResult {
  const b = inputBody(inputs[0]);
  if (!b || inputs.some((i) => !i.chain && i.edge === undefined))
    return failure('no-edges', 'Pick open edges of a skin: a free curve has no surface to carry on');
  if (inputs.some((i) => i.pick.step !== inputs[0].pick.step || i.pick.output !== inputs[0].pick.output))
    return failure('several-skins', 'All edges of one list must belong to one skin');
  const at = new Map<number, number[]>();
  const edges = new Set<number>();
  const spans: { points: Vec3[] }[] = [];
  for (const i of inputs) {
    const own = i.chain ? i.chain.edges.edges.map((e) => e.edge) : [i.edge as number];
    for (const e of own) edges.add(e);
    if (!i.chain || (i.chain.cut[0] <= 0 && i.chain.cut[1] >= 1)) continue;
    const part = inputCurves(i);
    const ends = [startPoint(part[0]), endPoint(part[part.length - 1])];
    for (const q of ends)
      for (const e of own) {
        const foot = edgeFoot(b.edges[e], q);
        if (foot.distance < 1e-6) at.set(e, [...(at.get(e) ?? []), foot.t]);
      }
    spans.push({
      points: part.flatMap((c) =>
        Array.from({ length: 65 }, (_, k) => pointAt(c, domain(c)[0] + ((domain(c)[1] - domain(c)[0]) * k) / 64)),
      ),
    });
  }
  if (!at.size) return { body: b, edges: [...edges] };
  const near = (q: Vec3) => spans.some((s) => s.points.some((x, k) => k > 0 && onSegment(s.points[k - 1], x, q)));
  const shortened = new Set(
    inputs.flatMap((i) => (i.chain && (i.chain.cut[0] > 0 || i.chain.cut[1] < 1) ? i.chain.edges.edges.map((e) => e.edge) : [])),
  );
  const { body, parts } = partEdges(b, at);
  const middle = (e: number) => edgePoint(body.edges[e], (body.edges[e].range[0] + body.edges[e].range[1]) / 2);
  return { body, edges: [...edges].flatMap((e) => parts[e].filter((x) => !shortened.has(e) || near(middle(x)))) };
}
function onSegment(a: Vec3, b: Vec3, q: Vec3): boolean {
  const l = distance(a, b);
  return distance(a, q) + distance(q, b) < l + 0.02 * l + 1e-9;
}
const cornersNote = (r: Extended): Diagnostic[] =>
  r.corners.length
    ? [
        {
          severity: 'note',
          code: 'corners',
          message: `${r.corners.length === 1 ? 'One corner was' : `${r.corners.length} corners were`} closed: beside ${r.corners.length === 1 ? 'it' : 'them'} the strips turn to their common direction`,
          place: r.corners,
        },
      ]
    : [];
function seamFacts(list: readonly Extended[], context: ToolContext): Fact[] {
  const strips = list.flatMap((r) => r.strips);
  return [
    { label: 'strips', value: String(strips.length) },
    withinFact('strips within', Math.max(...strips.map((s) => s.deviation)), context.tolerance),
    {
      label: 'tangent within',
      value: `${formatNumber(Math.max(...strips.map((s) => s.angle)), 5)}°`,
      number: Math.max(...strips.map((s) => s.angle)),
      unit: '°',
      limit: 0.05,
    },
    withinFact('sewn within', Math.max(...list.map((r) => r.gap)), context.tolerance),
  ];
}
function arrowOf(rims: Rims, from: Vec3, value: number): Mark[] {
  const { away } = new Neighbour(rims.body, [{ edge: rims.edges[0], reversed: false }]).at(from);
  return [{ kind: 'push', from, direction: away, value, param: 'by', template: '$value', min: 1e-3 }];
}
