import type { z } from 'zod';
import {
  type Body,
  BodyBuilder,
  Border,
  bodyBox,
  builderFrom,
  faceNormal,
  flipBody,
  nearestOn,
  rimChains,
  topologyOf,
} from '../brep/index.ts';
import { boxSize, dot, formatNumber, type Vec3 } from '../math/index.ts';
import { arcLength, domain, pointAt, surfaceJet } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  type Fact,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPoint,
  meetingFacts,
  surfaceFacts,
  type ToolContext,
  type ToolResult,
} from '../recipe/index.ts';
import {
  type PatchGrade,
  type PatchOptions,
  type PatchResult,
  type PatchSide,
  patchFace,
  patchOpening,
  patchQuads,
  patchRim,
  withinFace,
} from '../skins/index.ts';
import tool from './patch.ts';

type Params = z.infer<typeof tool.params>;
/** A side with what it was picked from. */
interface Picked {
  readonly side: PatchSide;
  readonly body?: Body;
  readonly edge?: number;
}
const TARGET = { gap: 0.0002, kink: 0.02, step: 0.015 };

export default defineEvaluation(tool, (inputs, p, context) => {
  if (!inputs.rim.length && !inputs.skin.length) return failure('nothing', 'Pick the edges round an opening, or a skin with openings');
  if (inputs.rim.length && inputs.skin.length)
    return failure('both', 'Pick either edges of one opening, or a skin whose openings are all filled: empty one of the two slots');
  const inner = inputs.through.flatMap(placesOf);
  return inputs.skin.length ? openings(inputs.skin[0], inner, p, context) : opening(inputs.rim, inner, p, context);
});

function placesOf(i: Input): Vec3[] {
  const point = inputPoint(i);
  if (point) return [point];
  return inputCurves(i).flatMap((c) => {
    const [a, b] = domain(c);
    return Array.from({ length: 25 }, (_, k) => pointAt(c, a + ((b - a) * k) / 24));
  });
}
const optionsOf = (p: Params, inner: readonly Vec3[], size: number): PatchOptions => ({
  target: TARGET,
  inner,
  taut: p.taut,
  size,
  base: p.start === 'auto' ? undefined : p.start,
  counts: p.points > 5 ? [p.points] : undefined,
});

/** One opening out of edges and wires. */
function opening(
  rim: readonly (Input & { settings: { grade: string } })[],
  inner: readonly Vec3[],
  p: Params,
  context: ToolContext,
): ToolResult {
  const picked: Picked[] = [];
  for (const [i, input] of rim.entries()) {
    const grade = Number(input.settings.grade) as PatchGrade;
    const body = inputBody(input);
    if (body && (input.chain || input.edge !== undefined)) {
      const edges = input.chain ? input.chain.edges.edges.map((e) => e.edge) : [input.edge as number];
      for (const edge of edges) {
        if (picked.some((x) => x.body === body && x.edge === edge)) continue;
        picked.push({ side: { border: new Border([{ body, edge, part: [0, 1], side: 0 }]), grade }, body, edge });
      }
    } else {
      const curves = inputCurves(input);
      if (!curves.length) return failure('not-an-edge', `Pick ${i + 1} is no edge or curve`);
      for (const curve of curves) picked.push({ side: { border: new Border([{ curve }]), grade: 0 } });
    }
  }
  if (picked.length > 40)
    return failure('too-many', `${picked.length} sides are more than one patch takes (40): divide the opening with a curve`);
  const size = Math.max(1, ...new Set(picked.flatMap((x) => (x.body ? [boxSize(bodyBox(x.body))] : []))));
  const r = patchOpening(
    picked.map((x) => x.side),
    optionsOf(p, inner, size),
  );
  if (!r.ok) return failure('no-patch', `${capital(r.message)}. ${advice(r.message)}`, r.place && [r.place]);
  const facts = factsOf(r.result, inner.length > 0, context);
  if (p.join) {
    const body = picked[0].body;
    if (!body || picked.some((x) => x.body !== body))
      return failure(
        'several-skins',
        'The patch can only be joined when all edges are of one skin: switch "Join to the skin" off and knit',
      );
    const open = new Set(topologyOf(body).rims);
    const shut = picked.find((x) => !open.has(x.edge as number));
    if (shut)
      return failure('not-open', 'One of the edges is no open rim, so nothing can be joined there: switch "Join to the skin" off', [
        shut.side.border.place(0.5).point,
      ]);
    const k = builderFrom(body);
    const own = patchRim(
      k,
      picked.map((x) => x.edge as number),
      `${context.stepId}:patch`,
      (edge) => picked.find((x) => x.edge === edge)?.side.grade ?? 0,
      TARGET,
      optionsOf(p, inner, size),
    );
    if (!own.ok) return failure('no-patch', own.message, own.place && [own.place]);
    return { outputs: { main: bodyOf(k.body()) }, ...facts };
  }
  if (p.faces === 'four') {
    const quads = patchQuads(
      r.result,
      picked.map((x) => x.side),
      context.stepId,
      Math.max(9, Math.min(24, Math.round(r.result.surface.countU * 0.7))),
    );
    if (!quads)
      return failure('no-quads', 'Fewer than three sides cannot be divided into four-sided faces: let the patch come as one face');
    const seams = measureSeams(quads.body);
    const kink = Math.max(0, ...seams.map((s) => s.kink));
    return {
      outputs: { main: { kind: 'skin', body: quadsOver(quads.body, picked) } },
      facts: [
        ...facts.facts,
        {
          label: 'four-sided faces',
          value: `${quads.surfaces.length}, ${quads.surfaces[0].countU} × ${quads.surfaces[0].countV} points each`,
        },
        ...(seams.length ? [{ label: 'inner seams', value: `kink ${formatNumber(kink, 4)}°`, number: kink, unit: '°', limit: 0.1 }] : []),
      ],
      diagnostics: facts.diagnostics,
    };
  }
  const k = new BodyBuilder(0.01);
  const edges = picked.map((x, i) => k.edge(x.side.border.curve, `${context.stepId}.side${i + 1}`));
  const face = patchFace(k, r.result, (side) => edges[side], `${context.stepId}:patch`);
  k.faces.push({ ...face, reversed: turnedOver(r.result, picked) });
  for (const u of face.loops[0]) k.edges[u.edge] = withinFace(k.edges[u.edge], face, u);
  return { outputs: { main: { kind: 'skin', body: k.body() } }, ...facts };
}
/** Does the patch's own normal point against the outside of the skins beside it? */
function turnedOver(r: PatchResult, picked: readonly Picked[]): boolean {
  const held = picked.find((x) => x.side.border.held);
  if (!held) return false;
  const j = held.side.border.jet(0.4);
  const [u, v] = r.image(j.point);
  return dot(surfaceJet(r.surface, u, v).normal, j.normal) < 0;
}
function quadsOver(body: Body, picked: readonly Picked[]): Body {
  const held = picked.find((x) => x.side.border.held);
  if (!held) return body;
  const j = held.side.border.jet(0.4);
  const near = nearestOn(body, j.point);
  return near && dot(faceNormal(body.faces[near.face], near.u, near.v), j.normal) < 0 ? flipBody(body) : body;
}
const bodyOf = (body: Body) => ({ kind: 'skin' as const, body });
const capital = (s: string) => s[0].toUpperCase() + s.slice(1);
const advice = (message: string) =>
  message.includes('close') ? 'Pick the edges that are missing, or draw a wire there' : 'Pick its edges in parts, with wires between';

/** What is told of one patch: its seams side by side, points, base, corners. */
function factsOf(r: PatchResult, through: boolean, context: ToolContext): { facts: Fact[]; diagnostics: Diagnostic[] } {
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  r.sides.forEach((s, i) => {
    const m = meetingFacts(`side ${i + 1}`, s.grade, {
      gap: s.gap,
      kink: s.kink,
      step: s.percent,
      flow: 0,
      at: { gap: s.worst, kink: s.worst, step: s.worst, flow: s.worst },
    });
    facts.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  });
  if (r.corners.length)
    diagnostics.push({
      severity: 'warning',
      code: 'corners',
      message: `At ${r.corners.length === 1 ? 'one corner' : `${r.corners.length} corners`} what the neighbours ask for contradicts itself: ${[...new Set(r.corners.map((c) => c.why))].slice(0, 3).join('; ')}`,
      place: r.corners.map((c) => c.at),
    });
  facts.push(...surfaceFacts([r.surface]), {
    label: 'built over',
    value: {
      plane: 'a plane',
      central: 'a ball',
      spline: 'a skin drawn into the opening',
      quadric: 'the shape all neighbours lie on, exactly',
    }[r.base],
  });
  if (r.tilt > 1) facts.push({ label: 'neighbours turn by', value: `${formatNumber(r.tilt, 0)}° from their middle` });
  if (through) facts.push(deviationFact('way from the points', r.innerMiss, Math.max(0.005, 5 * context.tolerance)));
  return { facts, diagnostics };
}

/** All closed rims of a skin. */
function openings(input: Input, inner: readonly Vec3[], p: Params, context: ToolContext): ToolResult {
  const skin = inputBody(input);
  if (!skin) return failure('not-a-skin', 'Pick a skin with openings');
  const length = (chain: readonly number[]) => chain.reduce((s, e) => s + arcLength(skin.edges[e].curve), 0);
  const all = rimChains(skin).filter((chain) => {
    const degree = new Map<number, number>();
    for (const e of chain) for (const v of [skin.edges[e].start, skin.edges[e].end]) degree.set(v, (degree.get(v) ?? 0) + 1);
    return [...degree.values()].every((n) => n === 2);
  });
  if (!all.length) return failure('no-openings', 'This skin has no closed open rim: there is nothing to fill');
  const longest = all.reduce((a, b) => (length(b) > length(a) ? b : a));
  const chains = p.outer ? all : all.filter((c) => c !== longest);
  if (!chains.length)
    return failure('outer-only', 'The only opening of this skin is its outer rim: switch "Outer rim too" on to fill it', [
      new Border([{ body: skin, edge: longest[0], part: [0, 1], side: 0 }]).place(0.5).point,
    ]);
  const size = boxSize(bodyBox(skin));
  const k = builderFrom(skin);
  const before = k.faces.length;
  const results: PatchResult[] = [];
  const diagnostics: Diagnostic[] = [];
  for (const [i, chain] of chains.entries()) {
    const mine = inner.length && chains.length === 1 ? inner : [];
    const r = patchRim(
      k,
      chain,
      `${context.stepId}:patch${i ? i + 1 : ''}`,
      Number(p.grade) as PatchGrade,
      TARGET,
      optionsOf(p, mine, size),
    );
    if (r.ok) results.push(r.result);
    else
      diagnostics.push({
        severity: 'warning',
        code: 'not-filled',
        message: `An opening of ${formatNumber(length(chain), 1)} mm was not filled: ${r.message}. ${advice(r.message)}`,
        place: r.place ? [r.place] : [new Border([{ body: skin, edge: chain[0], part: [0, 1], side: 0 }]).place(0.5).point],
      });
  }
  if (!results.length) return { outputs: {}, diagnostics: diagnostics.map((d) => ({ ...d, severity: 'error' as const })) };
  const worst = (key: 'gap' | 'kink') => Math.max(...results.map((r) => r[key]));
  const step = Math.max(...results.flatMap((r) => r.sides.map((s) => s.percent)));
  const asked = Number(p.grade) as PatchGrade;
  const at = results.reduce((a, b) => (b.kink > a.kink ? b : a)).sides.reduce((a, b) => (b.kink > a.kink ? b : a)).worst;
  const m = meetingFacts('worst seam', asked, {
    gap: worst('gap'),
    kink: worst('kink'),
    step: asked > 1 ? step : 0,
    flow: 0,
    at: { gap: at, kink: at, step: at, flow: at },
  });
  const corners = results.flatMap((r) => r.corners);
  if (corners.length)
    diagnostics.push({
      severity: 'warning',
      code: 'corners',
      message: `At ${corners.length === 1 ? 'one corner' : `${corners.length} corners`} what the neighbours ask for contradicts itself: ${[...new Set(corners.map((c) => c.why))].slice(0, 3).join('; ')}`,
      place: corners.map((c) => c.at),
    });
  const joined = k.body();
  const alone = new BodyBuilder();
  alone.vertices.push(...joined.vertices);
  alone.edges.push(...joined.edges);
  alone.faces.push(...joined.faces.slice(before));
  return {
    outputs: { main: { kind: 'skin', body: p.join ? joined : alone.body() } },
    facts: [
      { label: 'openings filled', value: `${results.length} of ${chains.length}` },
      ...m.facts,
      {
        label: 'control points',
        value:
          results
            .map((r) => `${r.surface.countU} × ${r.surface.countV}`)
            .slice(0, 4)
            .join(', ') + (results.length > 4 ? ', …' : ''),
      },
    ],
    diagnostics: [...m.diagnostics, ...diagnostics],
  };
}
