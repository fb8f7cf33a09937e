import type { z } from 'zod';
import { type Body, type Border, bodyBox, edgeCurve, flipBody, surfaceBody } from '../brep/index.ts';
import { boxSize, distance, dot, type Frame, formatNumber, lawOf, scale, sub, type Vec3 } from '../math/index.ts';
import { derivativesAt, domain, endPoint, pointAt, startPoint, surfaceJet } from '../nurbs/index.ts';
import { foldsOf, measureAgainst, mirrorMeeting } from '../proof/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  type Fact,
  failure,
  type Input,
  inputBody,
  inputBorder,
  inputCurves,
  inputPlane,
  inputPoint,
  type Mark,
  meetingFacts,
  surfaceFacts,
} from '../recipe/index.ts';
import { lineUpActions, lineUpMarks } from '../recipe/line-up.ts';
import { type BlendEnd, type BlendGrade, type BlendResult, type BlendSide, blend, passThrough } from '../skins/index.ts';
import tool from './blend.ts';

type Params = z.infer<typeof tool.params>;
const NAMES = ['first', 'second'] as const;

export default defineEvaluation(tool, (inputs, p, context) => {
  const picked = [
    inputBorder([...inputs.first, ...inputs.firstMore], p.otherFirst ? 1 : 0, 'First edge', context.tolerance),
    inputBorder([...inputs.second, ...inputs.secondMore], p.otherSecond ? 1 : 0, 'Second edge', context.tolerance),
  ];
  for (const b of picked) if (!b.ok) return failure(b.code, b.message, b.place);
  const borders = picked.map((b) => (b as { border: Border }).border);
  const plane = inputs.mirror[0] && inputPlane(inputs.mirror[0]);
  if (inputs.mirror[0] && !plane) return failure('not-flat', 'The mirror plane picked is not flat');
  const grades = [Number(p.gradeFirst) as BlendGrade, Number(p.gradeSecond) as BlendGrade];
  const laws = [lawOf(p.alongFirst, 1), lawOf(p.alongSecond, 1)];
  const sides = borders.map(
    (border, k): BlendSide => ({
      border,
      grade: grades[k],
      reach: (t) => (k ? p.reachSecond : p.reachFirst) * laws[k](t),
    }),
  ) as unknown as readonly [BlendSide, BlendSide];
  const places = shapePlaces(inputs.shape);
  const options = {
    aim: { gap: p.tolerance, kink: Math.min(0.04, 35 * p.tolerance), step: Math.min(1.5, 1750 * p.tolerance) },
    across: p.across,
    flip: p.adjust.some((a) => a.section === 1 && a.flip) !== p.adjust.some((a) => a.section === 0 && a.flip),
    startFirst: p.adjust.find((a) => a.section === 0)?.start,
    start: p.adjust.find((a) => a.section === 1)?.start,
    pins: p.pins,
  };
  // which end lies where is known once the edges are lined up: a first look without conditions at the ends
  const free: readonly [BlendEnd, BlendEnd] = [{ kind: 'free' }, { kind: 'free' }];
  const needsEnds = (plane || inputs.ends.length > 0) && !borders[0].closed;
  if ((plane || inputs.ends.length > 0) && borders[0].closed)
    return failure('no-ends', 'A closed blend has no ends: take the mirror plane and the edges at its ends away');
  let ends = free;
  if (needsEnds) {
    const look = blend(sides[0], sides[1], { ...options, ends: free, most: 1 });
    if (!look.ok) return failure(look.code, look.message, look.place);
    const found = endsOf(look.result, borders, plane, inputs.ends, context.tolerance);
    if ('message' in found) return failure(found.code, found.message, found.place);
    ends = found.ends;
  }
  let r = blend(sides[0], sides[1], { ...options, ends });
  if (r.ok && places.length && r.result.surface.rational) r = blend(sides[0], sides[1], { ...options, across: 'square', ends });
  if (!r.ok) return failure(r.code, r.message, r.place);
  const result = r.result;
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  let surface = result.surface;
  if (places.length) {
    const shaped = passThrough(surface, places, {
      keep: [grades[0] + 1, grades[1] + 1],
      closedV: result.closed,
      mirror: [ends[0].kind === 'mirror' ? ends[0].plane : undefined, ends[1].kind === 'mirror' ? ends[1].plane : undefined],
      tolerance: context.tolerance,
    });
    surface = shaped.surface;
    facts.push(deviationFact('way from the curves', shaped.miss, Math.max(10 * context.tolerance, 0.01)));
    if (shaped.miss > Math.max(10 * context.tolerance, 0.01))
      diagnostics.push({
        severity: 'note',
        code: 'shape-miss',
        message:
          'The curve is missed at the mark: beside an edge the blend is held by its condition. Let the curve leave the edge tangent to the skin, or ask for a lower grade there',
        place: [shaped.missAt],
      });
  }
  const size = sizeOf(borders);
  const seams: Fact[] = [];
  for (const k of [0, 1] as const) {
    if (!borders[k].held) continue;
    const m = meetingFacts(NAMES[k], grades[k], measureAgainst(surface, k ? 'u1' : 'u0', borders[k], size));
    seams.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  }
  for (const e of [0, 1] as const) {
    const rule = ends[e];
    if (rule.kind !== 'mirror') continue;
    const m = meetingFacts(`end ${e + 1}, mirror`, 1, mirrorMeeting(surface, e ? 'v1' : 'v0', rule.plane));
    seams.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  }
  const fold = foldsOf(surface);
  if (fold)
    diagnostics.push({
      severity: 'warning',
      code: 'fold',
      message: 'The blend folds over itself at the mark: shorten the reach there, or take the edges in parts',
      place: [fold],
    });
  const made = surfaceBody(surface, {
    prefix: context.stepId,
    face: (i, j, n, m) => `${context.stepId}:blend${n > 1 ? `.${i}` : ''}${m > 1 ? `.part${j}` : ''}`,
  });
  const rails = railsOf(borders, result);
  // the outside goes on from the skins beside
  const k = borders[0].held ? 0 : borders[1].held ? 1 : undefined;
  const over = k !== undefined && dot(surfaceJet(surface, k, 0.4).normal, borders[k].jet(result.share[k](0.4)).normal) < 0;
  return {
    outputs: { main: { kind: 'skin', body: over ? flipBody(made.body) : made.body } },
    facts: [
      ...seams,
      ...surfaceFacts([surface]),
      {
        label: 'made',
        value: places.length
          ? 'fitted, then shaped'
          : result.exact[0] && result.exact[1]
            ? 'exactly, from both surfaces'
            : result.exact[0] || result.exact[1]
              ? `exactly at the ${NAMES[result.exact[0] ? 0 : 1]} edge, fitted at the other`
              : 'fitted',
      },
      ...facts,
    ],
    diagnostics,
    marks: [...lineUpMarks(rails, result.closed, p.adjust, p.pins), ...reachMarks(result, grades, p)],
    actions: [...lineUpActions(2, p), ...reachActions(p)],
  };
});
/** Diagonal of what stands beside, for the least curvature that counts in a step. */
function sizeOf(borders: readonly Border[]): number {
  const bodies = new Set<Body>(borders.flatMap((b) => b.edges.map((e) => e.body)));
  return Math.max(1, ...[...bodies].map((b) => boxSize(bodyBox(b))));
}
/** Points on the curves and the points picked. */
function shapePlaces(inputs: readonly Input[]): Vec3[] {
  return inputs.flatMap((i): Vec3[] => {
    const point = inputPoint(i);
    if (point) return [point];
    return inputCurves(i).flatMap((c) => {
      const [a, b] = domain(c);
      return Array.from({ length: 33 }, (_, k) => pointAt(c, a + ((b - a) * k) / 32));
    });
  });
}
/** Conditions at both ends: the mirror plane where the end lies in it, and the edges picked there. */
function endsOf(
  look: BlendResult,
  borders: readonly Border[],
  plane: Frame | undefined,
  picks: readonly Input[],
  tolerance: number,
): { ends: readonly [BlendEnd, BlendEnd] } | { code: string; message: string; place: Vec3[] } {
  const corner = (e: 0 | 1, k: 0 | 1) => borders[k].place(look.share[k](e)).point;
  const leave: [Vec3 | undefined, Vec3 | undefined][] = [
    [undefined, undefined],
    [undefined, undefined],
  ];
  for (const [i, pick] of picks.entries()) {
    const body = inputBody(pick);
    if (!body || pick.edge === undefined) return { code: 'no-edge', message: `Edge ${i + 1} of "Ends follow" is no edge`, place: [] };
    const c = edgeCurve(body.edges[pick.edge]);
    let best: { e: 0 | 1; k: 0 | 1; d: number; start: boolean } | undefined;
    for (const e of [0, 1] as const)
      for (const k of [0, 1] as const)
        for (const start of [true, false]) {
          const d = distance(corner(e, k), start ? startPoint(c) : endPoint(c));
          if (!best || d < best.d) best = { e, k, d, start };
        }
    if (!best) continue;
    if (best.d > Math.max(0.05, 10 * tolerance))
      return {
        code: 'end-apart',
        message: `Edge ${i + 1} of "Ends follow" ends ${formatNumber(best.d, 3)} mm from the nearest corner of the blend: pick an edge that runs into the corner`,
        place: [best.start ? startPoint(c) : endPoint(c)],
      };
    const [a, b] = domain(c);
    const d = derivativesAt(c, best.start ? a : b, 1)[1];
    // running into the corner and on
    leave[best.e][best.k] = best.start ? scale(d, -1) : d;
  }
  const ends = ([0, 1] as const).map((e): BlendEnd | undefined => {
    if (!plane) return { kind: 'free', leave: leave[e] };
    const off = ([0, 1] as const).map((k) => Math.abs(dot(sub(corner(e, k), plane.origin), plane.z)));
    if (Math.max(...off) <= Math.max(0.01, 10 * tolerance)) return { kind: 'mirror', plane };
    return { kind: 'free', leave: leave[e] };
  }) as [BlendEnd, BlendEnd];
  if (plane && ends.every((e) => e.kind !== 'mirror')) {
    const far = ([0, 1] as const).map((e) =>
      Math.max(...([0, 1] as const).map((k) => Math.abs(dot(sub(corner(e, k), plane.origin), plane.z)))),
    );
    const e = far[0] <= far[1] ? 0 : 1;
    return {
      code: 'off-mirror',
      message: `Neither end of the blend lies in the mirror plane: the nearer one is ${formatNumber(far[e], 4)} mm beside it. Bring the edges into the plane first`,
      place: [corner(e, 0), corner(e, 1)],
    };
  }
  return { ends };
}
/** Both edges as they are run, for starts, directions and matched points. */
function railsOf(borders: readonly Border[], r: BlendResult) {
  return borders.map((b, section) => {
    const reversed = section === 1 && r.lined.reversed;
    const start = section === 1 ? r.lined.start : r.lined.first;
    return {
      section,
      points: Array.from({ length: 65 }, (_, i) => b.place(i / 64).point),
      start: r.closed ? start : reversed ? 1 : 0,
      reversed,
      direction: scale(b.place(r.closed ? start : reversed ? 1 : 0).tangent, reversed ? -1 : 1),
    };
  });
}
/** Arrows that set the reach: one in the middle of each side, or one at each place where it is given along. */
function reachMarks(r: BlendResult, grades: readonly BlendGrade[], p: Params): Mark[] {
  return ([0, 1] as const).flatMap((k): Mark[] => {
    if (grades[k] === 0) return [];
    const law = k ? p.alongSecond : p.alongFirst;
    const value = k ? p.reachSecond : p.reachFirst;
    const arrow = (at: number, own: number, param: string, template: unknown, min: number, max: number): Mark => {
      const h = r.handle(k, at);
      return {
        kind: 'push',
        from: h.from,
        direction: h.direction,
        value: own,
        rate: h.rate * (param.startsWith('along') ? value : 1),
        label: 'Reach',
        param,
        template,
        min,
        max,
      };
    };
    if (!law.length) return [arrow(0.5, value, k ? 'reachSecond' : 'reachFirst', '$value', 0.05, 4)];
    return law.map(([share, factor], i) =>
      arrow(
        share,
        factor,
        k ? 'alongSecond' : 'alongFirst',
        law.map((q, j) => (j === i ? [q[0], '$value'] : q)),
        0.05,
        4,
      ),
    );
  });
}
function reachActions(p: Params) {
  const start = [
    [0, 1],
    [1, 1],
  ];
  return p.alongFirst.length || p.alongSecond.length
    ? [{ label: 'One reach all along', params: { alongFirst: [], alongSecond: [] } }]
    : [{ label: 'Reach at both ends', params: { alongFirst: start, alongSecond: start } }];
}
