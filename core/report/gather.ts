import type { Body, KernelService } from '../brep/index.ts';
import { drawSheet, VIEW_FRAMES } from '../drawing/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { checkReport, DEFAULT_LIMITS, gradeRank, measureSeams, rangeOf, seamKeys } from '../proof/index.ts';
import {
  livePieces,
  type Model,
  type ModelResult,
  partLabel,
  seamKind,
  standings,
  stepLabel,
  type Tool,
  targetOf,
} from '../recipe/index.ts';
import type { Paper } from '../sheets/index.ts';
import { sampled } from './sampled.ts';

/** `good` and `bad` are coloured; a promise that is not kept is bad. */
export type Tone = 'good' | 'bad' | undefined;
export type Block =
  | {
      readonly kind: 'facts';
      readonly title: string;
      readonly rows: readonly { readonly label: string; readonly value: string; readonly tone?: Tone }[];
    }
  | {
      readonly kind: 'table';
      readonly title: string;
      readonly head: readonly string[];
      readonly rows: readonly { readonly cells: readonly string[]; readonly tone?: Tone }[];
      /** What is said when there are no rows. */
      readonly none: string;
    }
  | { readonly kind: 'drawing'; readonly title: string; readonly paper: Paper }
  | { readonly kind: 'picture'; readonly title: string /** PNG as a data address. */; readonly png: string };
export interface ProofReport {
  readonly title: string;
  readonly date: string;
  readonly ok: boolean;
  /** What is not as it should be, each with its count; empty when all is. */
  readonly why: readonly string[];
  readonly blocks: readonly Block[];
}
export interface ReportOptions {
  readonly tools: ReadonlyMap<string, Tool>;
  readonly kernel: KernelService;
  /** As it is to be read, such as 28 November 2026. */
  readonly date: string;
  /** Direction in which a mould opens; up when not given. */
  readonly pull?: Vec3;
  readonly pictures?: readonly { readonly title: string; readonly png: string }[];
}
const many = (n: number, one: string, more = `${one}s`): string => `${n} ${n === 1 ? one : more}`;
const at = (p: Vec3): string => p.map((x) => formatNumber(x, 2)).join(', ');
const small = (x: number, digits: number): string => (Math.abs(x) < 0.5 * 10 ** -digits ? '0' : formatNumber(x, digits));

/**
 * Everything that is proved of a model, in the order in which it is asked: is it whole, are its seams on target, what is wrong and where,
 * its walls, draft and mass, its drawing, and the recipe with the dials it was built from. `ok` only when every step is fine, no seam
 * misses its target, no defect is left, and every solid is watertight.
 */
export async function gatherReport(model: Model, result: ModelResult, o: ReportOptions): Promise<ProofReport> {
  const standing = standings(model, o.tools);
  const bodies = livePieces(model, result, o.tools).flatMap(({ key, piece, step, stale }) => {
    const stands = standing(key);
    if (stands.hidden || (piece.kind !== 'skin' && piece.kind !== 'solid')) return [];
    return [{ key, body: piece.body, solid: piece.kind === 'solid', stale, name: stands.name ?? piece.label ?? stepLabel(step, o.tools) }];
  });
  const why: string[] = [];
  const ill = model.steps.filter((s) => !['fine', 'muted', 'warning'].includes(result.steps.get(s.id)?.status ?? 'waits'));
  const warned = model.steps.filter((s) => result.steps.get(s.id)?.status === 'warning');
  if (ill.length) why.push(`${many(ill.length, 'step')} without a result`);
  if (warned.length) why.push(`${many(warned.length, 'step')} with a warning`);
  if (bodies.some((b) => b.stale)) why.push('some pieces are the last good ones, not what the recipe asks for now');
  if (!bodies.length) why.push('there is no skin or solid');
  const pieces: Block[] = [];
  const seamRows: { cells: string[]; tone?: Tone }[] = [];
  const defectRows: { cells: string[]; tone?: Tone }[] = [];
  const count = { meets: 0, misses: 0, free: 0, open: 0, faults: 0 };
  for (const b of bodies) {
    const seams = measureSeams(b.body);
    const check = await checkReport(b.body, o.kernel, model.tolerance, DEFAULT_LIMITS, seams);
    const keys = seamKeys(b.key, b.body);
    for (const [i, s] of seams.entries()) {
      const { target } = targetOf(model, keys[i], b.key, seamKind(s.faces, s.kink));
      const met = target ? gradeRank(s.grade) >= gradeRank(target) : undefined;
      count[met === undefined ? 'free' : met ? 'meets' : 'misses']++;
      const face = (k: 0 | 1) => partLabel(b.body.faces[s.faces[k]].name, 'face', model, o.tools);
      const between = s.faces[0] === s.faces[1] ? `${face(0)} with itself` : `${face(0)} · ${face(1)}`;
      const numbers = [small(s.gap, 5), small(s.kink, 4), small(s.step, 2), small(s.flow, 1)];
      seamRows.push({ cells: [between, target ?? '-', s.grade, ...numbers], tone: met === undefined ? undefined : met ? 'good' : 'bad' });
    }
    for (const d of check.defects)
      defectRows.push({ cells: [b.name, d.message, at(d.place)], tone: d.severity === 'error' ? 'bad' : undefined });
    count.faults += check.defects.length;
    const open = b.solid ? !check.watertight : false;
    if (open) count.open++;
    pieces.push({
      kind: 'facts',
      title: b.name,
      rows: [
        {
          label: 'watertight',
          value: check.watertight ? 'yes' : `no, ${formatNumber(check.rims.lengthMm, 2)} mm of rims`,
          tone: check.watertight ? 'good' : b.solid ? 'bad' : undefined,
        },
        { label: 'valid', value: check.valid ? 'yes' : 'no', tone: check.valid ? 'good' : 'bad' },
        { label: 'faces', value: String(check.faces) },
        { label: 'seams', value: `${check.seams.count}: ${check.seams.g0} G0, ${check.seams.g1} G1, ${check.seams.g2} G2 or better` },
        { label: 'area', value: `${formatNumber(check.areaMm2, 3)} mm²` },
        ...(check.watertight ? [{ label: 'volume', value: `${formatNumber(check.volumeMm3, 3)} mm³` }] : []),
        { label: 'size', value: `${[0, 1, 2].map((k) => formatNumber(check.bbox.max[k] - check.bbox.min[k], 3)).join(' x ')} mm` },
        ...(check.mesh
          ? [
              {
                label: 'its mesh',
                value: check.mesh.solid ? 'solid' : (check.mesh.reason ?? 'not solid'),
                tone: (check.mesh.solid ? 'good' : 'bad') as Tone,
              },
            ]
          : []),
        ...wallAndDraft(b.body, check.watertight, o.pull ?? [0, 0, 1]),
      ],
    });
    if (!check.valid) why.push(`"${b.name}" is not valid`);
  }
  if (count.misses) why.push(`${many(count.misses, 'seam')} below ${count.misses === 1 ? 'its' : 'their'} target`);
  if (count.open) why.push(`${many(count.open, 'solid')} not watertight`);
  if (count.faults) why.push(many(count.faults, 'defect'));
  const targets = count.meets + count.misses;
  const blocks: Block[] = [
    {
      kind: 'facts',
      title: 'In short',
      rows: [
        { label: 'pieces', value: String(bodies.length) },
        {
          label: 'seams',
          value: targets ? `${count.meets} of ${targets} on target, ${count.free} free` : `${count.free}, none with a target`,
          tone: count.misses ? 'bad' : targets ? 'good' : undefined,
        },
        { label: 'defects', value: String(count.faults), tone: count.faults ? 'bad' : 'good' },
        {
          label: 'steps',
          value: `${model.steps.length}${ill.length || warned.length ? `, ${ill.length + warned.length} not fine` : ''}`,
          tone: ill.length || warned.length ? 'bad' : 'good',
        },
        { label: 'tolerance', value: `${formatNumber(model.tolerance, 6)} mm` },
      ],
    },
    ...(o.pictures ?? []).map((p): Block => ({ kind: 'picture', ...p })),
    ...drawingOf(
      bodies.map((b) => b.body),
      model.name,
    ),
    ...pieces,
    {
      kind: 'table',
      title: 'Seams against their targets',
      head: ['between', 'target', 'grade', 'gap mm', 'kink °', 'step %', 'flow %'],
      rows: seamRows,
      none: 'There are no seams.',
    },
    { kind: 'table', title: 'Defects', head: ['piece', 'what', 'where mm'], rows: defectRows, none: 'None were found.' },
    {
      kind: 'table',
      title: 'Dials',
      head: ['dial', 'formula', 'value'],
      rows: model.dials.map((d) => {
        const v = result.dials.get(d.name);
        return { cells: [d.name, d.formula, v?.ok ? formatNumber(v.value, 6) : (v?.message ?? '')], tone: v?.ok ? undefined : 'bad' };
      }),
      none: 'The recipe has no dials.',
    },
    {
      kind: 'table',
      title: 'Recipe',
      head: ['', 'step', 'tool', 'state', 'what it says'],
      rows: model.steps.map((s, i) => {
        const r = result.steps.get(s.id);
        const told =
          r?.diagnostics
            .filter((d) => d.severity !== 'note')
            .map((d) => d.message)
            .join(' · ') ?? '';
        const state = r?.status ?? 'not reached';
        return {
          cells: [String(i + 1), stepLabel(s, o.tools), o.tools.get(s.tool)?.label ?? s.tool, state, told],
          tone: state === 'fine' || state === 'muted' ? undefined : 'bad',
        };
      }),
      none: 'The recipe is empty.',
    },
  ];
  return { title: model.name, date: o.date, ok: !why.length, why, blocks };
}

/** Wall by rays and lean to the pull at the nodes of a mesh. */
function wallAndDraft(b: Body, closed: boolean, pull: Vec3): { label: string; value: string }[] {
  const { mesh, values: inner } = sampled(b);
  const node = (i: number): string => at([mesh.positions[3 * i], mesh.positions[3 * i + 1], mesh.positions[3 * i + 2]]);
  const out: { label: string; value: string }[] = [];
  if (closed) {
    const values = inner({ kind: 'ray' });
    const r = rangeOf(values, 0.1);
    if (r) {
      out.push({ label: 'wall by ray, least', value: `${formatNumber(values[r.least], 3)} mm at ${node(r.least)}` });
      out.push({
        label: 'wall, most of it',
        value: `${formatNumber(r.low, 3)} to ${formatNumber(r.high, 3)} mm (nine tenths of the places)`,
      });
    }
  }
  const draft = inner({ kind: 'draft', direction: pull });
  const r = rangeOf(draft.map(Math.abs));
  if (r)
    out.push({
      label: 'lean to the pull, least',
      value: `${formatNumber(Math.abs(draft[r.least]), 3)}° at ${node(r.least)} (pull ${at(pull)})`,
    });
  return out;
}
function drawingOf(bodies: readonly Body[], title: string): Block[] {
  if (!bodies.length || bodies.reduce((s, b) => s + b.faces.length, 0) > 400) return [];
  const made = drawSheet(
    bodies,
    [
      { name: 'Front', frame: VIEW_FRAMES.front, at: [0, 0] },
      { name: 'Top', frame: VIEW_FRAMES.top, at: [0, 1] },
      { name: 'Right', frame: VIEW_FRAMES.right, at: [1, 0] },
    ],
    { title, width: 297, height: 210, hidden: true, smooth: true, dimensions: true },
  );
  return 'message' in made ? [] : [{ kind: 'drawing', title: 'Drawing', paper: made.paper }];
}
