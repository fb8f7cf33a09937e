import { type Body, Border, chainCurves, type GrowWay, topologyOf, traceTangent } from '../brep/index.ts';
import { add, angleBetween, DEG, distance, length, negate, unit, type Vec3 } from '../math/index.ts';
import { endPoint, startPoint } from '../nurbs/index.ts';
import { slot } from '../recipe/define.ts';
import { dialValues } from '../recipe/dials.ts';
import { findPart, type Input, inputBody, inputCurves, type Model, type Pick, type StepResult, type Tool } from '../recipe/index.ts';
import { partName, partPlace } from '../recipe/inputs.ts';
import { standings } from '../recipe/looks.ts';
import { resolvePick } from '../recipe/resolve-picks.ts';

/** An edge (or free curve) of what is to be filled or bridged, with the pick that stands for it alone. */
export interface RimEdge {
  readonly pick: Pick;
  readonly body?: Body;
  readonly edge?: number;
  /** The edge with the skin behind it, or the free curve, by share of its length. */
  readonly border: Border;
  readonly start: Vec3;
  readonly end: Vec3;
  /** Unit tangents at both ends, from the start to the end. */
  readonly from: Vec3;
  readonly to: Vec3;
}
/** What was picked: an opening all round, or two borders with space between them. Sides are edges end to end without a corner. */
export type Picked =
  | {
      readonly kind: 'opening';
      readonly sides: readonly (readonly RimEdge[])[];
      readonly picks: readonly Pick[];
      readonly cornerless: boolean;
    }
  | { readonly kind: 'pair'; readonly sides: readonly [readonly RimEdge[], readonly RimEdge[]]; readonly picks: readonly Pick[] };
export type PickedOrNot = Picked | { readonly kind: 'neither'; readonly message: string; readonly place?: readonly Vec3[] };

const CHAIN = slot({ label: 'Edges', accepts: ['chain'], min: 1, max: 200, grow: ['rim', 'loop', 'chain'] });
/** Edges that turn by more than this meet in a corner (degrees). */
const CORNER = 15;

/**
 * Sorts picks into an opening or a pair of borders. One edge of an open rim stands for the whole rim. Fails with a reason when the edges
 * neither close nor fall into two chains.
 */
export function pickedSides(
  picks: readonly Pick[],
  model: Model,
  results: ReadonlyMap<string, StepResult>,
  tools: ReadonlyMap<string, Tool>,
): PickedOrNot {
  if (!picks.length) return { kind: 'neither', message: 'Pick the edges round an opening, or two edges with space between them' };
  const grown = picks.length === 1 ? [asRim(picks[0], results)] : picks;
  const edges: RimEdge[] = [];
  const order = new Map(model.steps.map((s, i) => [s.id, i]));
  const step = { id: 'try-off', tool: 'patch', version: 1, inputs: {}, params: {} };
  order.set(step.id, model.steps.length);
  const standing = standings(model, tools);
  for (const [i, pick] of grown.entries()) {
    const found = resolvePick(pick, 'edges', i, CHAIN, { model, step, order, results, tools, dials: dialValues(model), standing });
    if ('problem' in found) return { kind: 'neither', message: found.problem.message, place: found.problem.place };
    for (const input of found.inputs)
      for (const e of edgesOf(input, pick)) if (!edges.some((x) => x.body && x.body === e.body && x.edge === e.edge)) edges.push(e);
  }
  if (edges.length > 40) return { kind: 'neither', message: `${edges.length} edges are more than one filling takes (40)` };
  const near = 10 * model.tolerance;
  const chains = chained(edges, near);
  const closed = (c: readonly RimEdge[]) => distance(c[0].start, (c.at(-1) as RimEdge).end) <= near;
  if (chains.length === 1 && closed(chains[0])) {
    const sides = sidesOf(chains[0]);
    return { kind: 'opening', sides: sides.list, picks: grown, cornerless: sides.cornerless };
  }
  if (chains.length === 2 && closed(chains[0]) === closed(chains[1])) return { kind: 'pair', sides: [chains[0], chains[1]], picks: grown };
  return {
    kind: 'neither',
    message:
      chains.length === 1
        ? 'The edges do not close: pick the ones that are missing, or a second border to be bridged to'
        : chains.length === 2
          ? 'One border closes and the other does not: pick two that are alike'
          : `The edges fall into ${chains.length} chains: pick one opening all round, or two borders`,
    place: chains.flatMap((c) => [c[0].start, (c.at(-1) as RimEdge).end]),
  };
}

/** An edge of an open rim, picked alone, stands for its rim. */
function asRim(pick: Pick, results: ReadonlyMap<string, StepResult>): Pick {
  if (pick.grow || pick.part?.kind !== 'edge') return pick;
  const piece = results.get(pick.step)?.outputs[pick.output];
  if (!piece || (piece.kind !== 'skin' && piece.kind !== 'solid')) return pick;
  const found = findPart(piece.body, pick.part);
  return 'index' in found && topologyOf(piece.body).uses[found.index].length === 1 ? { ...pick, grow: { way: 'rim' as GrowWay } } : pick;
}
function edgesOf(input: Input, pick: Pick): RimEdge[] {
  const body = inputBody(input);
  if (body && (input.chain || input.edge !== undefined)) {
    const list = input.chain ? input.chain.edges.edges.map((x) => x.edge) : [input.edge as number];
    const { grow: _, settings: __, ...rest } = pick;
    return list.map((edge) => {
      const e = body.edges[edge];
      const [start, d0] = traceTangent(e, e.range[0]);
      const [end, d1] = traceTangent(e, e.range[1]);
      const part = {
        kind: 'edge' as const,
        name: partName(body, 'edge', edge),
        near: partPlace(body, 'edge', edge) as [number, number, number],
      };
      const border = new Border([{ body, edge, part: [0, 1], side: 0 }]);
      return { pick: { ...rest, part }, body, edge, border, start, end, from: d0, to: d1 };
    });
  }
  const curves = chainCurves(inputCurves(input), 1e-5);
  return [...curves.closed, ...curves.open.map((o) => o.chain)].map((chain) => {
    const last = chain[chain.length - 1];
    const [, from] = traceTangent({ curve: chain[0] }, chain[0].knots[0]);
    const [, to] = traceTangent({ curve: last }, last.knots[last.knots.length - 1]);
    return { pick, border: new Border(chain.map((curve) => ({ curve }))), start: startPoint(chain[0]), end: endPoint(last), from, to };
  });
}
const turned = (e: RimEdge): RimEdge => ({ ...e, start: e.end, end: e.start, from: negate(e.to), to: negate(e.from) });
/** Edges put end to end, turned where needed. */
function chained(edges: readonly RimEdge[], near: number): RimEdge[][] {
  const rest = [...edges];
  const out: RimEdge[][] = [];
  while (rest.length) {
    const chain = [rest.shift() as RimEdge];
    for (let grew = true; grew; ) {
      grew = false;
      for (const [i, e] of rest.entries()) {
        const [a, b] = [chain[0].start, (chain.at(-1) as RimEdge).end];
        const fits = (p: Vec3, q: Vec3) => distance(p, q) <= near;
        if (fits(e.start, b)) chain.push(e);
        else if (fits(e.end, b)) chain.push(turned(e));
        else if (fits(e.end, a)) chain.unshift(e);
        else if (fits(e.start, a)) chain.unshift(turned(e));
        else continue;
        rest.splice(i, 1);
        grew = true;
        break;
      }
    }
    out.push(chain);
  }
  return out;
}
/** A closed chain parted at its corners. */
function sidesOf(chain: readonly RimEdge[]): { list: RimEdge[][]; cornerless: boolean } {
  const corner = (i: number) => angleBetween(chain[(i + chain.length - 1) % chain.length].to, chain[i].from) / DEG > CORNER;
  const first = chain.findIndex((_, i) => corner(i));
  if (first < 0) return { list: [[...chain]], cornerless: true };
  const out: RimEdge[][] = [];
  for (let k = 0; k < chain.length; k++) {
    const i = (first + k) % chain.length;
    if (k === 0 || corner(i)) out.push([]);
    (out.at(-1) as RimEdge[]).push(chain[i]);
  }
  return { list: out, cornerless: false };
}

/** Places along what was picked, and the mean outward normal of the skins behind it (none where only wires were picked). */
export function outlook(picked: Picked): { readonly places: readonly Vec3[]; readonly normal?: Vec3 } {
  const shares = [0.1, 0.5, 0.9];
  const edges = picked.sides.flat();
  const jets = edges.flatMap((e) => (e.border.held ? shares.map((k) => e.border.jet(k)) : []));
  const sum = jets.reduce<Vec3>((s, j) => add(s, j.normal), [0, 0, 0]);
  return {
    places: edges.flatMap((e) => shares.map((k) => e.border.place(k).point)),
    normal: length(sum) > 0.05 * jets.length ? unit(sum) : undefined,
  };
}
