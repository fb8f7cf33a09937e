import { type Body, growEdge, smoothFaces } from '../brep/index.ts';
import { pointAt } from '../nurbs/curve.ts';
import { displayParameters } from '../nurbs/index.ts';
import type { DialValue } from './dials.ts';
import type { StepResult } from './evaluate.ts';
import { fits } from './fits.ts';
import { findPart, inputCurves } from './inputs.ts';
import { partLabel, pickLabel, stepLabel } from './labels.ts';
import type { Standing } from './looks.ts';
import { type Model, type Pick, pieceKey, type Step } from './model.ts';
import { resolveFields } from './resolve-params.ts';
import { type Diagnostic, type Input, type Mark, type Slot, type Tool, wordsOf } from './tool.ts';

export interface PickContext {
  readonly model: Model;
  readonly step: Step;
  readonly order: ReadonlyMap<string, number>;
  readonly results: ReadonlyMap<string, StepResult>;
  readonly tools: ReadonlyMap<string, Tool>;
  readonly dials: ReadonlyMap<string, DialValue>;
  /** How pieces stand in the model, by key. */
  readonly standing: (key: string) => Standing;
}
/** One pick gives one input, or several where it was grown over faces. */
type Found = { inputs: Input[]; hash: string; note?: Diagnostic; mark?: Mark } | { problem: Diagnostic };
const lost = (message: string): Found => ({ problem: { severity: 'error', code: 'lost-input', message } });

/** What one pick stands for now: found by name, carried past muted steps, grown again as it was grown when it was picked. */
export function resolvePick(pick: Pick, slotName: string, index: number, slot: Slot, c: PickContext, depth = 0): Found {
  const { model, step, tools } = c;
  const source = model.steps.find((s) => s.id === pick.step);
  if (!source) return lost('An input was removed from the build sheet. Pick a new one; the last shape is kept until then');
  const label = stepLabel(source, tools);
  if ((c.order.get(pick.step) ?? 0) >= (c.order.get(step.id) ?? 0))
    return lost(`"${label}" comes later in the build sheet: move it before this step`);
  const from = c.results.get(pick.step);
  if (!from) return lost(`"${label}" has no result yet`);
  if (from.status === 'muted') return pastMuted(pick, source, slotName, index, slot, c, depth);
  if (from.stale) return { problem: { severity: 'error', code: 'waits', message: `waits for "${label}"` } };
  const piece = from.outputs[pick.output];
  if (!piece) return lost(`"${label}" no longer has the piece it had`);
  if (!fits(slot.accepts, piece, pick.part?.kind))
    return {
      problem: {
        severity: 'error',
        code: 'does-not-fit',
        message: `"${label}" gives ${pick.part ? `a picked ${pick.part.kind}` : `a ${piece.kind}`}, and "${slot.label}" takes ${wordsOf(slot)}: pick another`,
      },
    };
  const settled = settingsOf(pick, slot, c);
  if ('problem' in settled) return settled;
  const name = model.pieces[pieceKey(pick.step, pick.output)]?.name ?? piece.label ?? label;
  const stands = c.standing(pieceKey(pick.step, pick.output));
  const input: Input = { pick, piece, name, group: stands.group?.name, colour: stands.colour, settings: settled.settings };
  if (!pick.part) return { inputs: [input], hash: from.hash };
  if (piece.kind !== 'skin' && piece.kind !== 'solid') return lost(`"${label}" has no ${pick.part.kind}s`);
  const found = findPart(piece.body, pick.part);
  if ('candidates' in found) {
    const list = found.candidates.map((x) => partLabel(x.name, pick.part?.kind ?? 'part', model, tools)).join(', ');
    const what = partLabel(pick.part.name, pick.part.kind, model, tools);
    return {
      problem: {
        severity: 'error',
        code: 'lost-part',
        message: `The picked ${pick.part.kind} "${what}" is gone from "${label}". Pick it again${list ? `; nearest by: ${list}` : ''}`,
        place: found.candidates.map((x) => x.place),
      },
    };
  }
  const note: Diagnostic | undefined = found.sure
    ? undefined
    : {
        severity: 'warning',
        code: 'part-guessed',
        message: `The picked ${pick.part.kind} of "${label}" changed its name; the nearest of its kin was taken. Check it`,
      };
  const part: Input = { ...input, [pick.part.kind]: found.index };
  if (!pick.grow) return { inputs: [part], hash: from.hash, note };
  const grown = grow(part, piece.body, found.index, slotName, index);
  if ('problem' in grown) return grown;
  return { ...grown, hash: from.hash, note };
}

/** A muted step hands its main input on, where what it took fits what is asked for. */
function pastMuted(pick: Pick, source: Step, slotName: string, index: number, slot: Slot, c: PickContext, depth: number): Found {
  const tool = c.tools.get(source.tool);
  const label = stepLabel(source, c.tools);
  const slots = Object.entries(tool?.slots ?? {}).filter(([, s]) => s.min > 0);
  const main = slots.find(([, s]) => s.consumes) ?? slots[0];
  const taken = main && source.inputs[main[0]]?.[pick.output === 'main' ? 0 : Number(/\d+$/.exec(pick.output)?.[0] ?? 1) - 1];
  if (taken && depth < 100) {
    const carried: Pick = {
      ...taken,
      part: pick.part ?? (slot.accepts.includes('piece') ? undefined : taken.part),
      grow: pick.grow,
      settings: pick.settings,
    };
    const found = resolvePick(
      pick.part ? { ...carried, step: taken.step, output: taken.output } : carried,
      slotName,
      index,
      slot,
      c,
      depth + 1,
    );
    if (!('problem' in found) && found.inputs.every((i) => fits(slot.accepts, i.piece, i.pick.part?.kind))) return found;
  }
  return lost(`"${label}" is muted and what it was made from does not fit here: unmute it or pick another input`);
}

function settingsOf(pick: Pick, slot: Slot, c: PickContext): { settings: Input['settings'] } | { problem: Diagnostic } {
  if (!slot.each) return { settings: undefined };
  const r = resolveFields(slot.each, pick.settings ?? {}, c.dials);
  const bad = r.diagnostics[0];
  if (bad) return { problem: { ...bad, message: `${pickLabel(pick, c.model, c.tools)}: ${bad.message}` } };
  return { settings: r.params };
}

function grow(
  input: Input,
  body: Body,
  index: number,
  slotName: string,
  n: number,
): { inputs: Input[]; mark?: Mark } | { problem: Diagnostic } {
  const { way, cut = [0, 1] } = input.pick.grow ?? { way: 'chain' as const };
  if (way === 'smooth') return { inputs: smoothFaces(body, index).map((face) => ({ ...input, face })) };
  const edges = growEdge(body, index, way);
  if (!edges) return { problem: { severity: 'error', code: 'no-rim', message: 'The picked edge is no rim any more: pick it again' } };
  if (cut[1] - cut[0] < 1e-6)
    return { problem: { severity: 'error', code: 'empty-chain', message: 'Nothing is left of the chain: pull its ends apart' } };
  const grown: Input = { ...input, chain: { edges, cut } };
  const whole = inputCurves({ ...input, chain: { edges, cut: [0, 1] } });
  const points = whole.flatMap((curve, k) =>
    displayParameters(curve, 1e-2, 0.2)
      .slice(k ? 1 : 0)
      .map((t) => pointAt(curve, t)),
  );
  return { inputs: [grown], mark: { kind: 'chain', slot: slotName, index: n, points, closed: edges.closed, cut } };
}
