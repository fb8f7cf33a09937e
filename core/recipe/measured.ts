import { edgeCurve, growEdge, isWatertight, smoothFaces } from '../brep/index.ts';
import { type FormulaResult, factWord, type Measured } from '../math/index.ts';
import { reverseCurve } from '../nurbs/index.ts';
import { factsOf, type MeasuredFact, type Thing } from '../proof/facts.ts';
import { findPart, inputCurves } from './inputs.ts';
import { stepLabel } from './labels.ts';
import type { Model, Pick, Step } from './model.ts';
import type { Piece } from './pieces.ts';
import type { Fact, Input, KeptMeasure, Mark, Tool } from './tool.ts';

/** A piece, or a part of it, as something to measure. */
export function thingOf(piece: Piece, pick?: Pick): Thing | undefined {
  if (piece.kind === 'curve') return { kind: 'curves', curves: piece.curves };
  if (piece.kind === 'point') return { kind: 'point', point: piece.point };
  if (piece.kind === 'plane') return { kind: 'plane', frame: piece.frame };
  if (piece.kind !== 'skin' && piece.kind !== 'solid') return undefined;
  const b = piece.body;
  if (!pick?.part) return { kind: 'faces', body: b, faces: b.faces.map((_, i) => i), whole: true, closed: isWatertight(b) };
  const found = findPart(b, pick.part);
  if (!('index' in found)) return undefined;
  if (pick.part.kind === 'vertex') return { kind: 'point', point: b.vertices[found.index].point };
  if (pick.part.kind === 'face')
    return { kind: 'faces', body: b, faces: pick.grow ? smoothFaces(b, found.index) : [found.index], whole: false, closed: false };
  const chain = pick.grow && growEdge(b, found.index, pick.grow.way);
  const edges = chain?.edges ?? [{ edge: found.index, reversed: false }];
  return {
    kind: 'curves',
    curves: edges.map((e) => (e.reversed ? reverseCurve(edgeCurve(b.edges[e.edge])) : edgeCurve(b.edges[e.edge]))),
  };
}
/** What fills a slot as something to measure. */
export function inputThing(i: Input): Thing | undefined {
  if (i.piece.kind !== 'skin' && i.piece.kind !== 'solid') return thingOf(i.piece);
  const b = i.piece.body;
  if (i.vertex !== undefined) return { kind: 'point', point: b.vertices[i.vertex].point };
  if (i.face !== undefined) return { kind: 'faces', body: b, faces: [i.face], whole: false, closed: false };
  const curves = inputCurves(i);
  return curves.length ? { kind: 'curves', curves } : thingOf(i.piece);
}

const known = new WeakMap<Piece, readonly MeasuredFact[]>();
function pieceFacts(piece: Piece): readonly MeasuredFact[] {
  const list = known.get(piece);
  if (list) return list;
  const thing = thingOf(piece);
  const found = thing ? factsOf([thing]) : [];
  known.set(piece, found);
  return found;
}
/** The measures that steps before one keep in the view, in their order. */
export function keptMeasures(
  model: Model,
  step: Step,
  results: ReadonlyMap<string, Done & { readonly marks: readonly Mark[] }>,
  tools: ReadonlyMap<string, Tool>,
): KeptMeasure[] {
  const before = model.steps.slice(0, model.steps.indexOf(step));
  return before.flatMap((s) => {
    const r = results.get(s.id);
    if (!r || r.stale || (r.status !== 'fine' && r.status !== 'warning')) return [];
    return r.marks.flatMap((m): KeptMeasure[] => {
      if (m.kind !== 'dimension') return [];
      const { kind: _, ...kept } = m;
      return [{ ...kept, name: stepLabel(s, tools) }];
    });
  });
}
/** What is needed of an evaluated step. */
interface Done {
  readonly status: string;
  readonly stale: boolean;
  readonly outputs: Readonly<Record<string, Piece>>;
  readonly facts: readonly Fact[];
}
/**
 * `measure("name").fact` in the numbers of a step: the step before it that has that name; its own facts where it measures or makes nothing,
 * else those of the first piece it makes. Every miss says what there is.
 */
export function measuredBefore(model: Model, results: ReadonlyMap<string, Done>, tools: ReadonlyMap<string, Tool>): Measured {
  return (name, word) => {
    const no = (message: string): FormulaResult => ({ ok: false, message });
    const all = model.steps.filter((s) => stepLabel(s, tools) === name);
    // those before this one are evaluated already
    const named = all.filter((s) => results.has(s.id));
    if (!named.length)
      return no(`there is no step called "${name}" before this one${all.length ? ': it stands later in the sheet; move it up' : ''}`);
    if (named.length > 1) return no(`${named.length} steps are called "${name}": give the one that is meant a name of its own`);
    const r = results.get(named[0].id);
    if (!r || r.stale || (r.status !== 'fine' && r.status !== 'warning')) return no(`"${name}" has nothing to measure: mend it first`);
    const pieces = Object.values(r.outputs);
    const facts: { label: string; number?: number }[] = pieces.length ? [...pieceFacts(pieces[0])] : [...r.facts];
    const found = facts.find((f) => f.number !== undefined && factWord(f.label) === word.toLowerCase());
    if (found?.number !== undefined) return { ok: true, value: found.number };
    const there = facts.flatMap((f) => (f.number === undefined ? [] : [factWord(f.label)]));
    return no(`"${name}" has no ${word}${there.length ? `; it has ${there.join(', ')}` : ': nothing can be measured of it'}`);
  };
}
