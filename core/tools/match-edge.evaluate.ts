import type { z } from 'zod';
import { type Body, Border, bodyBox, type Face, sideOf } from '../brep/index.ts';
import { boxSize, distance, dot, type Frame, formatNumber, sub, type Vec3 } from '../math/index.ts';
import { type NurbsSurface, surfacePoint } from '../nurbs/index.ts';
import { measureAgainst, mirrorMeeting, sideUV } from '../proof/index.ts';
import { carriedTrims } from '../recipe/carried-trims.ts';
import {
  type Diagnostic,
  defineEvaluation,
  type Fact,
  failure,
  type Input,
  inputBody,
  inputBorder,
  inputPlane,
  meetingFacts,
  surfaceFacts,
  type ToolResult,
} from '../recipe/index.ts';
import {
  type BlendGrade,
  clashesOf,
  type HeldSide,
  halfway,
  holdSides,
  lineUpWith,
  type MatchResult,
  matchMirror,
  matchTo,
  mirrorBehind,
  refitSurface,
  type Side,
} from '../skins/index.ts';
import tool from './match-edge.ts';

type Params = z.infer<typeof tool.params>;
interface Own {
  readonly body: Body;
  readonly face: Face;
  readonly side: Side;
  readonly part: readonly [number, number];
  readonly grade: BlendGrade;
}
type Target =
  | { readonly kind: 'border'; readonly border: Border; readonly input: Input }
  | { readonly kind: 'mirror'; readonly plane: Frame };
const isOff = <T>(x: T | ToolResult): x is ToolResult => typeof x === 'object' && x !== null && 'outputs' in x;

export default defineEvaluation(tool, (inputs, p, context) => {
  const owns: Own[] = [];
  for (const [i, input] of [...inputs.edge, ...inputs.more].entries()) {
    const own = ownOf(input, Number(input.settings.grade) as BlendGrade, i);
    if (isOff(own)) return own;
    if (owns.length && own.body !== owns[0].body)
      return failure('several-skins', `Edge ${i + 1} is of another skin: match the edges of one skin in a step of its own`);
    if (owns.some((o) => o.side === own.side)) return failure('same-side', `Edge ${i + 1} is the same side as one before it`);
    owns.push(own);
  }
  const places = [...inputs.to, ...inputs.moreTo];
  if (places.length !== owns.length)
    return failure(
      'count',
      `${owns.length === 1 ? 'One edge is' : `${owns.length} edges are`} to be brought to as many places, but ${places.length} are picked: fill "To more" in the order of "More edges"`,
    );
  const targets: Target[] = [];
  for (const [i, input] of places.entries()) {
    const t = targetOf(input, owns[i].grade, i, p, context.tolerance);
    if (isOff(t)) return t;
    targets.push(t);
  }
  if (owns.length > 1) return several(owns, targets, p, context.stepId, context.tolerance);
  return p.who === 'both' ? both(owns[0], targets[0], p, context.stepId) : one(owns[0], targets[0], p, context.stepId);
});

function ownOf(input: Input, grade: BlendGrade, i: number): Own | ToolResult {
  const body = inputBody(input);
  const edge = input.chain ? input.chain.edges.edges[0]?.edge : input.edge;
  if (!body || edge === undefined) return failure('no-edge', `Edge ${i + 1} is no edge of a skin`);
  if (body.faces.length !== 1)
    return failure(
      'several-faces',
      `This skin has ${body.faces.length} faces: take the face out with "Unknit", match its edge and knit again`,
    );
  if (input.chain && input.chain.edges.edges.length > 1)
    return failure('chain', 'This chain runs over several edges: a match changes one whole side of a skin. Pick a single edge');
  const found = sideOf(body, edge);
  if (!found)
    return failure(
      'not-a-side',
      'This edge is not a whole side of the face’s own surface: untrim the face first (or refit it, if it came from a file), or blend to it',
    );
  const reversed = input.chain?.edges.edges[0]?.reversed ?? false;
  const cut = input.chain?.cut ?? [0, 1];
  return { body, face: body.faces[0], side: found.side, grade, part: reversed ? [1 - cut[1], 1 - cut[0]] : [cut[0], cut[1]] };
}
function targetOf(input: Input, grade: BlendGrade, i: number, p: Params, tolerance: number): Target | ToolResult {
  if (input.edge === undefined && !input.chain && input.piece.kind !== 'curve') {
    const plane = inputPlane(input);
    return plane ? { kind: 'mirror', plane } : failure('not-flat', `Place ${i + 1} of "Brought to" is no edge, curve or plane`);
  }
  const b = inputBorder([input], p.other ? 1 : 0, 'Brought to', tolerance);
  if (!b.ok) return failure(b.code, b.message, b.place);
  if (grade > 0 && !b.border.held)
    return failure(
      'free-curve',
      `Place ${i + 1} of "Brought to" is a free curve: with no skin behind it only G0 can be met. Pick the edge of a skin, or set the edge to G0`,
      [b.border.place(0.5).point],
    );
  return { kind: 'border', border: b.border, input };
}
/** The surface as a polynomial one: rows of control points cannot be moved by themselves where weights differ. */
function polynomial(s: NurbsSurface): { surface: NurbsSurface; deviation: number } {
  if (!s.rational) return { surface: s, deviation: 0 };
  const r = refitSurface(s, { degreeU: Math.max(3, s.degreeU), degreeV: Math.max(3, s.degreeV), size: { tolerance: 1e-5 } });
  return { surface: r.surface, deviation: r.deviation };
}
const optionsOf = (own: Own, p: Params) => ({
  grade: own.grade,
  aim: { gap: p.tolerance, kink: Math.min(0.04, 35 * p.tolerance), step: Math.min(1.5, 3500 * p.tolerance) },
  keepFar: Number(p.far),
  giveWay: p.giveWay || undefined,
  part: own.part,
  along: p.along,
  flip: p.flip,
});
const sizeOf = (...bodies: readonly Body[]) => Math.max(1, ...bodies.map((b) => boxSize(bodyBox(b))));

/** What changed, as facts. */
function changeFacts(r: MatchResult, label = ''): Fact[] {
  return [
    { label: `${label}rows moved`, value: `${r.rows} of ${r.of}` },
    { label: `${label}moved by at most`, value: `${formatNumber(r.moved, 4)} mm` },
    {
      label: `${label}own curvature changed`,
      value: `by at most ${Number(r.bent.toPrecision(2))} /mm (largest before: ${Number(r.before.toPrecision(2))})`,
    },
  ];
}
/** The part of a side that is matched, in the surface's own parameters. */
function partRange(s: NurbsSurface, side: Side, part: readonly [number, number]): readonly [number, number] | undefined {
  if (part[0] <= 0 && part[1] >= 1) return undefined;
  const range = side[0] === 'u' ? s.knotsV : s.knotsU;
  const [a, b] = [range[0], range[range.length - 1]];
  const N = 400;
  const pts = Array.from({ length: N + 1 }, (_, i) => surfacePoint(s, ...sideUV(s, side, a + ((b - a) * i) / N)));
  const lengths = [0];
  for (let i = 1; i <= N; i++) lengths.push(lengths[i - 1] + distance(pts[i], pts[i - 1]));
  const at = (share: number) => {
    const want = share * lengths[N];
    let i = 1;
    while (i < N && lengths[i] < want) i++;
    return a + ((b - a) * (i - 1 + (want - lengths[i - 1]) / (lengths[i] - lengths[i - 1] || 1))) / N;
  };
  return [at(part[0]), at(part[1])];
}

function one(own: Own, target: Target, p: Params, stepId: string): ToolResult {
  const start = polynomial(own.face.surface);
  const o = optionsOf(own, p);
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  let r: MatchResult;
  if (target.kind === 'mirror') {
    if (own.part[0] > 0 || own.part[1] < 1)
      return failure('mirror-part', 'A mirror plane is met along the whole side: pick the edge without shortening it');
    r = matchMirror(start.surface, own.side, target.plane, own.grade, o.keepFar);
    const m = meetingFacts('edge, mirror', Math.min(1, own.grade) as 0 | 1, mirrorMeeting(r.surface, own.side, target.plane));
    facts.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  } else {
    r = matchTo(start.surface, own.side, target.border, o);
    const range = partRange(r.surface, own.side, own.part);
    const size = sizeOf(own.body, ...target.border.edges.map((e) => e.body));
    if (target.border.held) {
      const m = meetingFacts('edge', own.grade, measureAgainst(r.surface, own.side, target.border, size, range));
      facts.push(...m.facts);
      diagnostics.push(...m.diagnostics);
    } else facts.push(...gapFact(r.surface, own.side, target.border, p.tolerance));
  }
  const made = carriedTrims(own.body, 0, r.surface, stepId);
  facts.push(...surfaceFacts([r.surface]), ...changeFacts(r), ...made.facts);
  if (start.deviation > 0) facts.push({ label: 'made polynomial within', value: `${formatNumber(start.deviation, 7)} mm` });
  return {
    outputs: { main: { kind: 'skin', body: made.body } },
    facts,
    diagnostics: [...diagnostics, ...made.diagnostics, ...bentNote(r)],
  };
}
/** Largest way from a side to a curve. */
function gapFact(s: NurbsSurface, side: Side, border: Border, tolerance: number): Fact[] {
  const range = side[0] === 'u' ? s.knotsV : s.knotsU;
  let worst = 0;
  for (let i = 0; i <= 200; i++) {
    const q = surfacePoint(s, ...sideUV(s, side, range[0] + ((range[range.length - 1] - range[0]) * i) / 200));
    worst = Math.max(worst, distance(q, border.place(border.nearest(q)).point));
  }
  return [
    { label: 'way from the curve', value: `${formatNumber(worst, 6)} mm`, number: worst, unit: 'mm', limit: Math.max(0.005, tolerance) },
  ];
}
function bentNote(r: MatchResult): Diagnostic[] {
  return r.bent > 4 * Math.max(r.before, 1e-3)
    ? [
        {
          severity: 'note',
          code: 'bent',
          message: `Behind the edge the skin bends up to ${Number(r.bent.toPrecision(2))} /mm more than before (mark): a lower grade, more rows behind the edge, or a blend between keep it calmer`,
          place: [r.bentAt],
        },
      ]
    : [];
}

function both(own: Own, target: Target, p: Params, stepId: string): ToolResult {
  if (target.kind === 'mirror') return failure('mirror-both', 'A mirror plane does not move: set "Who moves" to this edge');
  const other = ownOf(target.input, own.grade, 1);
  if (isOff(other))
    return failure(
      'other-side',
      'Both can only move where the other edge, too, is a whole side of a skin of one face: let this edge move alone, or take the other face out with "Unknit"',
    );
  if (other.body === own.body) return failure('same-skin', 'Both edges are of one skin: let this edge move alone');
  const [a, b] = [polynomial(own.face.surface), polynomial(other.face.surface)];
  const borderOf = (x: Own) => {
    const edges = x.body.edges.map((_, i) => i).filter((i) => sideOf(x.body, i)?.side === x.side);
    return new Border(edges.map((edge) => ({ body: x.body, edge, part: [0, 1] as const, side: 0 as const })));
  };
  const [ba, bb] = [borderOf(own), borderOf(other)];
  const across = lineUpWith(ba.curve, ba.closed && bb.closed, bb, { along: 'ends', flip: p.flip, part: [0, 1] });
  const mean = halfway(ba, bb, (share) => across.to(ba.table.near(share * ba.total)));
  const o = optionsOf({ ...own, part: [0, 1] }, p);
  const [ra, rb] = [matchTo(a.surface, own.side, mean, { ...o, flip: false }), matchTo(b.surface, other.side, mean, { ...o, flip: false })];
  const [ma, mb] = [carriedTrims(own.body, 0, ra.surface, stepId), carriedTrims(other.body, 0, rb.surface, `${stepId}b`)];
  const beside = new Border(
    mb.body.edges.flatMap((_, edge) =>
      sideOf(mb.body, edge)?.side === other.side ? [{ body: mb.body, edge, part: [0, 1] as const, side: 0 as const }] : [],
    ),
  );
  const m = meetingFacts('edges', own.grade, measureAgainst(ra.surface, own.side, beside, sizeOf(own.body, other.body)));
  return {
    outputs: { main: { kind: 'skin', body: ma.body }, other: { kind: 'skin', body: mb.body } },
    facts: [
      ...m.facts,
      ...surfaceFacts([ra.surface, rb.surface]),
      ...changeFacts(ra),
      ...changeFacts(rb, 'other: '),
      ...ma.facts,
      ...mb.facts,
    ],
    diagnostics: [...m.diagnostics, ...bentNote(ra), ...bentNote(rb)],
  };
}

/** Several sides at once: borders first, corners agreed, then tangents and curvatures of all sides together. */
function several(owns: readonly Own[], targets: readonly Target[], p: Params, stepId: string, tolerance: number): ToolResult {
  if (p.who === 'both') return failure('several-both', 'Several edges at once move alone: set "Who moves" to this edge');
  if (owns.some((o) => o.part[0] > 0 || o.part[1] < 1))
    return failure('several-parts', 'Parts of sides are matched one at a time: pick whole edges, or a single one');
  const start = polynomial(owns[0].face.surface);
  let s = start.surface;
  const order = [...owns.keys()].sort((i, j) => (owns[i].side < owns[j].side ? -1 : 1));
  const reports: MatchResult[] = [];
  for (const i of order) {
    const [own, target] = [owns[i], targets[i]];
    const r =
      target.kind === 'mirror'
        ? matchMirror(s, own.side, target.plane, 0, 1)
        : matchTo(s, own.side, target.border, { ...optionsOf(own, p), grade: 0, keepFar: 1, giveWay: undefined });
    s = r.surface;
    reports.push(r);
  }
  // borders laid later must not have moved those laid before
  for (const [i, own] of owns.entries()) {
    const off = offTarget(s, own.side, targets[i]);
    if (off.d > Math.max(10 * tolerance, 0.01))
      return failure(
        'corners',
        `The places these edges are brought to end ${formatNumber(off.d, 4)} mm apart at a corner of the skin: let them meet there first, or match the edges one after the other`,
        [off.at],
      );
  }
  const sides = owns.flatMap((own, i): HeldSide[] => {
    if (own.grade === 0) return [];
    const t = targets[i];
    if (t.kind === 'mirror') return [{ side: own.side, behind: mirrorBehind(t.plane), grade: 1 }];
    const { border } = t;
    return [{ side: own.side, behind: (q) => border.at(q), grade: own.grade as 1 | 2 | 3 }];
  });
  // the other sides stay where nothing at their corners forces them away
  const others = (['u0', 'u1', 'v0', 'v1'] as const).filter((x) => owns.every((y) => y.side !== x));
  const forced = others.filter((x) => clashesOf(s, sides, [...owns, { side: x }]).length > clashesOf(s, sides, owns).length);
  const fixed = [...owns.map((x) => x.side), ...others.filter((x) => !forced.includes(x))];
  const held = sides.length ? holdSides(s, sides, { u: [], v: [], fixed, near: forced }) : { surface: s, moved: 0, rounds: 0 };
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  for (const [i, own] of owns.entries()) {
    const t = targets[i];
    const label = `edge ${i + 1}`;
    if (t.kind === 'mirror') {
      const m = meetingFacts(`${label}, mirror`, Math.min(1, own.grade) as 0 | 1, mirrorMeeting(held.surface, own.side, t.plane));
      facts.push(...m.facts);
      diagnostics.push(...m.diagnostics);
    } else if (t.border.held) {
      const size = sizeOf(own.body, ...t.border.edges.map((e) => e.body));
      const m = meetingFacts(label, own.grade, measureAgainst(held.surface, own.side, t.border, size));
      facts.push(...m.facts);
      diagnostics.push(...m.diagnostics);
    } else facts.push(...gapFact(held.surface, own.side, t.border, p.tolerance).map((f) => ({ ...f, label: `${label}: ${f.label}` })));
  }
  const clashes = clashesOf(held.surface, sides, owns);
  if (clashes.length)
    diagnostics.push({
      severity: 'warning',
      code: 'corners',
      message: `At ${clashes.length === 1 ? 'one corner' : `${clashes.length} corners`} what the edges ask for contradicts itself, by up to ${formatNumber(Math.max(...clashes.map((c) => c.angle)), 2)}°: the skin gives way within a span of it`,
      place: clashes.map((c) => c.at),
    });
  const made = carriedTrims(owns[0].body, 0, held.surface, stepId);
  facts.push(...surfaceFacts([held.surface]), {
    label: 'moved by at most',
    value: `${formatNumber(Math.max(held.moved, ...reports.map((r) => r.moved)), 4)} mm`,
  });
  return { outputs: { main: { kind: 'skin', body: made.body } }, facts: [...facts, ...made.facts], diagnostics };
}
/** Largest way of a side from its target, at its ends and between. */
function offTarget(s: NurbsSurface, side: Side, target: Target): { d: number; at: Vec3 } {
  const range = side[0] === 'u' ? s.knotsV : s.knotsU;
  let worst = { d: 0, at: surfacePoint(s, ...sideUV(s, side, range[0])) };
  for (let i = 0; i <= 60; i++) {
    const q = surfacePoint(s, ...sideUV(s, side, range[0] + ((range[range.length - 1] - range[0]) * i) / 60));
    const d =
      target.kind === 'mirror'
        ? Math.abs(dot(sub(q, target.plane.origin), target.plane.z))
        : distance(q, target.border.place(target.border.nearest(q)).point);
    if (d > worst.d) worst = { d, at: q };
  }
  return worst;
}
