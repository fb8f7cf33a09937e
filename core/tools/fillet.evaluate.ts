import type { z } from 'zod';
import {
  type Body,
  bodyBox,
  type EdgeChain,
  filletByKernel,
  KernelError,
  orientConsistently,
  tangentChain,
  topologyOf,
  traceTangent,
} from '../brep/index.ts';
import { FILLET_KINK, FILLET_TOO_LARGE, type Filleted, type FilletOptions, fillet, type NoFillet } from '../fillets/index.ts';
import { cutAndKeep, type Kept, knitBodies, placesByTarget } from '../joins/index.ts';
import { angleBetween, boxSize, formatNumber, lawOf, length, scale, sub, type Vec3 } from '../math/index.ts';
import { measureSeam } from '../proof/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  type Fact,
  failure,
  type Input,
  inputBody,
  type Mark,
  meetingFacts,
  regionMarks,
  type ToolContext,
  type ToolResult,
  withinFact,
} from '../recipe/index.ts';
import tool from './fillet.ts';

type Params = z.infer<typeof tool.params>;

export default defineEvaluation(tool, async (inputs, p, context) => {
  const given = p.between === 'skins' ? await crossing(inputs.skins, p, context) : picked(inputs.edges, p);
  if ('failed' in given) return given.failed;
  const { body, chains } = given;
  const also = (r: ToolResult): ToolResult => ({ ...r, marks: [...(r.marks ?? []), ...given.marks] });
  const own = filletAll(body, chains, p, context, false);
  if (own.ok) return also(told(own, p));
  const size = p.rule === 'ball' ? p.radius : p.distance;
  const kind = p.section === 'round' && p.rule === 'ball' ? 'round' : p.section === 'flat' && p.rule === 'tube' ? 'flat' : undefined;
  const corner = own.code === 'corner';
  if (corner && (!kind || p.along.length)) return failure('corner', `${own.message}. ${CORNERS}`, own.place);
  const edges = [...new Set(chains.flatMap((c) => c.edges.map((e) => e.edge)))];
  const limit = Math.min(context.limit ?? KERNEL_LIMIT, KERNEL_LIMIT);
  const byKernel = (r: number) =>
    filletByKernel(context.kernel, body, edges, r, kind ?? 'round', context.stepId, context.tolerance, { signal: context.signal, limit });
  // it takes for ever over sizes far below the body's
  const fair = kind && !p.along.length && size > 2e-3 * boxSize(bodyBox(body));
  let why = corner ? 'the size is too small for the kernel' : '';
  if (fair && (corner || FILLET_TOO_LARGE.has(own.code)))
    try {
      return also(kernelTold(body, await byKernel(size), own, p));
    } catch (e) {
      if (!(e instanceof KernelError) || e.kind === 'cancelled') throw e;
      why = e.message;
    }
  if (!corner) {
    const explained = filletAll(body, chains, p, context, true);
    return explained.ok ? also(told(explained, p)) : failure(explained.code, explained.message, explained.place);
  }
  const most = fair ? await largest(byKernel, size) : undefined;
  return failure(
    'too-large',
    most
      ? `Edges meet in a corner, and ${p.section === 'flat' ? 'a distance' : 'a radius'} of ${formatNumber(size, 3)} mm does not fit there (${why}). The largest that works is about ${formatNumber(most, 2)} mm`
      : `Edges meet in a corner that cannot be filleted (${why}): take one of them away, or choose another size`,
    own.place,
  );
});
interface Given {
  readonly body: Body;
  readonly chains: readonly EdgeChain[];
  readonly marks: readonly Mark[];
}
type Refused = { readonly failed: ToolResult };
const refused = (...why: Parameters<typeof failure>): Refused => ({ failed: failure(...why) });

/** The edges that were picked. */
function picked(edges: readonly Input[], p: Params): Given | Refused {
  const body = inputBody(edges[0]);
  if (!body) return refused('not-a-body', 'Pick edges of a skin or solid');
  const source = edges[0].pick;
  if (edges.some((i) => i.pick.step !== source.step || i.pick.output !== source.output))
    return refused(
      'several-bodies',
      'All edges must belong to one skin or solid: use one step for each, knit the skins first, or choose "Two skins" where they cross',
    );
  const part = edges.find((i) => i.chain && (i.chain.cut[0] > 1e-9 || i.chain.cut[1] < 1 - 1e-9));
  if (part) return refused('part', 'A fillet runs over whole edges: pull the ends of the pick back to its corners');
  const chains = chainsOf(body, edges, p.follow);
  return chains.length ? { body, chains, marks: [] } : refused('no-edges', 'Pick edges of a skin or solid');
}
/** Two skins cut by each other and knitted, and where they meet. */
async function crossing(skins: readonly Input[], p: Params, context: ToolContext): Promise<Given | Refused> {
  const bodies = skins.flatMap((i) => inputBody(i) ?? []);
  if (bodies.length !== 2 || bodies.some((b) => b.solids.length))
    return refused('not-skins', 'Pick two skins; of solids, combine them and pick the edge where they meet');
  const places = placesByTarget(bodies, p.places);
  const kept: Kept[] = [];
  for (const k of [0, 1]) {
    const cut = await cutAndKeep(bodies[k], [bodies[1 - k]], 'picked', places[k], { ...context, stepId: `${context.stepId}.${'ab'[k]}` });
    if ('problem' in cut)
      return refused(
        'no-cut',
        cut.missed
          ? 'The skins do not meet: extend one of them until they cross, or bridge them with a blend'
          : `${k ? 'The second' : 'The first'} skin is not parted by the other: ${cut.problem}`,
        cut.place,
      );
    kept.push(cut);
  }
  const knitted = orientConsistently(knitBodies([kept[0].kept, kept[1].kept], Math.max(10 * context.tolerance, 1e-4)).body).body;
  const first = kept[0].kept.faces.length;
  const { uses } = topologyOf(knitted);
  const edges = knitted.edges.flatMap((_, edge) =>
    uses[edge].length === 2 && uses[edge].some((u) => u.face < first) && uses[edge].some((u) => u.face >= first) ? [{ edge }] : [],
  );
  const marks = kept.flatMap((k) => regionMarks(k));
  if (!edges.length)
    return refused('not-joined', 'What is kept of both skins does not meet: click other pieces', [kept[0].regions[0].region.at]);
  return { body: knitted, chains: chainsOf(knitted, edges, true), marks };
}
/** Milliseconds that one call of the kernel may take. */
const KERNEL_LIMIT = 20_000;
const CORNERS =
  'Where edges meet, only round fillets of one radius and flat ones of one distance are made: choose those, or fillet the edges one after the other';

/** The largest size the kernel makes, within one part in a hundred. */
async function largest(make: (r: number) => Promise<Body>, size: number): Promise<number | undefined> {
  const works = async (r: number) => {
    try {
      await make(r);
      return true;
    } catch (e) {
      if (e instanceof KernelError && e.kind !== 'cancelled') return false;
      throw e;
    }
  };
  let low = 0;
  let high = size;
  for (let k = 0; k < 8; k++) {
    const m = k === 0 ? size / 4 : (low + high) / 2;
    if (await works(m)) low = m;
    else high = m;
    if (low && high - low < 0.01 * high) break;
  }
  return low || undefined;
}

/** Chains of edges out of the picks: each edge once, those that run on smoothly together. */
function chainsOf(body: Body, picks: readonly { edge?: number; chain?: { edges: EdgeChain } }[], follow: boolean): EdgeChain[] {
  const out: EdgeChain[] = [];
  const seen = new Set<number>();
  for (const pick of picks) {
    const own = pick.chain ? pick.chain.edges.edges.map((e) => e.edge) : pick.edge === undefined ? [] : [pick.edge];
    for (const edge of own) {
      if (seen.has(edge)) continue;
      const grown = follow
        ? smoothPart(body, tangentChain(body, edge), edge)
        : { edges: [{ edge, reversed: false }], closed: body.edges[edge].start === body.edges[edge].end };
      out.push(grown);
      for (const e of grown.edges) seen.add(e.edge);
    }
  }
  return out;
}
/** Of a chain the stretch round one edge that has no corners, however slight. */
function smoothPart(body: Body, chain: EdgeChain, edge: number): EdgeChain {
  const list = chain.edges;
  const tip = (k: number, last: boolean): Vec3 => {
    const { edge: i, reversed } = list[k];
    const e = body.edges[i];
    const d = traceTangent(e, last !== reversed ? e.range[1] : e.range[0])[1];
    return reversed ? scale(d, -1) : d;
  };
  const runsOn = (k: number) => {
    const next = (k + 1) % list.length;
    return angleBetween(tip(k, true), tip(next, false)) <= FILLET_KINK;
  };
  const at = list.findIndex((e) => e.edge === edge);
  if (chain.closed && list.every((_, k) => runsOn(k))) return chain;
  const out = [list[at]];
  const more = (k: number) => (chain.closed || k + 1 < list.length) && runsOn(k);
  for (let k = at; more(k) && out.length < list.length; k = (k + 1) % list.length) out.push(list[(k + 1) % list.length]);
  const before = (k: number) => (chain.closed || k > 0) && runsOn((k + list.length - 1) % list.length);
  for (let k = at; before(k) && out.length < list.length; k = (k + list.length - 1) % list.length)
    out.unshift(list[(k + list.length - 1) % list.length]);
  return { edges: out, closed: false };
}
type All = { readonly ok: true; readonly body: Body; readonly each: readonly Filleted[] };
/** One chain after the other; chains that meet in a corner are not ours. */
function filletAll(body: Body, chains: readonly EdgeChain[], p: Params, context: ToolContext, explain: boolean): All | NoFillet {
  const corner = cornerOf(body, chains);
  if (corner) return { ok: false, code: 'corner', message: 'Edges meet in a corner at the mark', place: [corner] };
  const law = lawOf(p.along, 1);
  const size = p.rule === 'ball' ? p.radius : p.rule === 'width' ? p.width : p.distance;
  const options: FilletOptions = {
    rule: { kind: p.rule, size: (s) => size * law(s), breaks: p.along.map((q) => q[0]) },
    constant: p.along.length ? undefined : size,
    // without a ball there is no arc: a blend of the same continuity
    section: p.section === 'round' ? (p.rule === 'tube' ? 1 : 'round') : p.section === 'flat' ? 'flat' : (Number(p.section) as 1 | 2 | 3),
    reach: p.reach,
    tolerance: context.tolerance,
    name: context.stepId,
    explain,
    pause: () => context.signal?.throwIfAborted(),
  };
  let now = body;
  const each: Filleted[] = [];
  for (const [i, chain] of chains.entries()) {
    const there = i ? found(now, body, chain) : chain;
    if (!there) return { ok: false, code: 'gone', message: 'An edge is gone after its neighbour was filleted: use smaller sizes' };
    const r = fillet(now, there, { ...options, name: chains.length > 1 ? `${context.stepId}.${i + 1}` : context.stepId });
    if (!r.ok) return r;
    each.push(r);
    now = r.body;
  }
  return { ok: true, body: now, each };
}
/** Where two chains share an end. */
function cornerOf(body: Body, chains: readonly EdgeChain[]): Vec3 | undefined {
  const seen = new Map<number, number>();
  for (const [i, c] of chains.entries())
    for (const { edge } of c.edges)
      for (const v of [body.edges[edge].start, body.edges[edge].end]) {
        const other = seen.get(v);
        if (other !== undefined && other !== i) return body.vertices[v].point;
        seen.set(v, i);
      }
  return undefined;
}
/** A chain in a body that was filleted elsewhere: edges are known by their curves and where their middles lie. */
function found(now: Body, before: Body, chain: EdgeChain): EdgeChain | undefined {
  const edges = chain.edges.flatMap(({ edge, reversed }) => {
    const e = before.edges[edge];
    const mid = (e.range[0] + e.range[1]) / 2;
    const k = now.edges.findIndex((x) => x.curve === e.curve && mid > x.range[0] && mid < x.range[1]);
    return k < 0 ? [] : [{ edge: k, reversed }];
  });
  return edges.length === chain.edges.length ? { edges, closed: chain.closed } : undefined;
}

function told({ body, each }: All, p: Params) {
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  const asked = p.section === 'flat' ? 0 : p.section === 'round' ? 1 : (Number(p.section) as 1 | 2 | 3);
  for (const [k, name] of (['left', 'right'] as const).entries()) {
    const reports = each.flatMap((f) => f.seams[k]);
    if (!reports.length) continue;
    const worst = (key: 'gap' | 'kink' | 'step' | 'flow') => reports.reduce((m, r) => (r[key] > m[key] ? r : m));
    const [gap, kink, step, flow] = (['gap', 'kink', 'step', 'flow'] as const).map((key) => worst(key));
    const m = meetingFacts(name, asked, {
      gap: gap.gap,
      kink: kink.kink,
      step: step.step,
      flow: flow.flow,
      at: { gap: gap.worst.gap, kink: kink.worst.kink, step: step.worst.step, flow: flow.worst.flow },
    });
    facts.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  }
  const all = each.flatMap((f) => f.survey.sections);
  const bent = all.map((s) => Math.abs(s.curvature)).filter((x) => x > 0);
  if (p.section === 'round' && p.rule === 'tube')
    facts.push({ label: 'section', value: 'G1: at a distance from the edge no ball touches both faces' });
  else if (bent.length && p.section === 'round')
    facts.push({ label: 'radius', value: range(1 / Math.max(...bent), 1 / Math.min(...bent)) });
  facts.push(
    { label: 'width', value: range(Math.min(...each.map((f) => f.survey.narrowest)), Math.max(...each.map((f) => f.survey.widest))) },
    { label: 'control points', value: each.map((f) => `${f.strip.countU} × ${f.strip.countV}`).join(', ') },
    withinFact('rails within', Math.max(...each.map((f) => f.off)), 1e-4),
    { label: 'made by', value: 'contacts of our own' },
  );
  return { outputs: { main: bodyPiece(body) }, diagnostics, facts, marks: arrows(each, p), actions: sizeActions(p) };
}
const range = (a: number, b: number): string =>
  b - a < 5e-4 * Math.abs(b)
    ? `${formatNumber((a + b) / 2, 3)} mm`
    : `${formatNumber(a, 3)} to ${b > 1e4 ? 'flat' : `${formatNumber(b, 3)} mm`}`;

function kernelTold(before: Body, body: Body, own: NoFillet, p: Params) {
  const made = new Set(body.faces.flatMap((f, i) => (before.faces.some((x) => x.name === f.name) ? [] : [i])));
  const { uses } = topologyOf(body);
  const seams = body.edges.flatMap((e, i) =>
    !e.degenerate && uses[i].length === 2 && uses[i].some((u) => made.has(u.face)) ? [measureSeam(body, i)] : [],
  );
  const kink = Math.max(0, ...seams.map((s) => s.kink));
  const worst = seams.reduce<(typeof seams)[number] | undefined>((m, s) => (!m || s.gap > m.gap ? s : m), undefined);
  const facts: Fact[] = [
    { label: 'new faces', value: String(made.size) },
    ...(worst ? [{ label: 'largest gap', value: `${formatNumber(worst.gap, 6)} mm`, number: worst.gap, limit: 0.001 }] : []),
    ...(p.section === 'round' ? [{ label: 'largest kink', value: `${formatNumber(kink, 3)}° (the ends of fillets are edges)` }] : []),
    { label: 'made by', value: `kernel (${own.code === 'corner' ? 'edges meet in a corner' : own.message.replace(/\. .*$/, '')})` },
  ];
  return { outputs: { main: bodyPiece(body) }, diagnostics: [], facts };
}

/** An arrow in the middle of each fillet, or at each place where the size is given, that sets the size. */
function arrows(each: readonly Filleted[], p: Params): Mark[] {
  const key = p.rule === 'ball' ? 'radius' : p.rule === 'width' ? 'width' : 'distance';
  const value = p[key];
  return each.slice(0, 1).flatMap((f) => {
    const arrow = (share: number, own: number, param: string, template: unknown, unit: number): Mark[] => {
      const s = f.spine.section(share);
      const from = f.spine.border.place(share).point;
      if (!s) return [];
      const way = sub(s.contacts[0].point, from);
      const far = length(way);
      if (!(far > 0)) return [];
      return [
        {
          kind: 'push',
          from,
          direction: scale(way, 1 / far),
          value: own,
          rate: far / own,
          label: 'Size',
          param,
          template,
          min: 0.01 * unit,
        },
      ];
    };
    if (!p.along.length) return arrow(0.5, value, key, '$value', 1);
    return p.along.flatMap(([share, factor], i) =>
      arrow(
        share,
        factor,
        'along',
        p.along.map((q, j) => (j === i ? [q[0], '$value'] : q)),
        5,
      ),
    );
  });
}
function sizeActions(p: Params) {
  return p.along.length
    ? [{ label: 'One size all along', params: { along: [] } }]
    : [
        {
          label: 'Size at both ends',
          params: {
            along: [
              [0, 1],
              [1, 1],
            ],
          },
        },
      ];
}
