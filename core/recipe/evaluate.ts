import type { z } from 'zod';
import { KernelError, type KernelService } from '../brep/index.ts';
import { digestText } from '../math/hash.ts';
import { evaluateFormula, formulaNames } from '../math/index.ts';
import { isDimension, RULE_NAMES, type Sketch } from '../sketch/index.ts';
import { findPart } from './inputs.ts';
import { type Model, type Pick, pieceKey, type Step } from './model.ts';
import { metaOf, type ParamMeta } from './params.ts';
import type { Piece } from './pieces.ts';
import type { Diagnostic, Input, RunnableTool, Tool, ToolContext, ToolResult } from './tool.ts';

export type StepStatus = 'fine' | 'warning' | 'error' | 'waits' | 'muted' | 'hung';
export interface StepResult {
  readonly status: StepStatus;
  readonly outputs: Readonly<Record<string, Piece>>;
  readonly diagnostics: readonly Diagnostic[];
  readonly facts: NonNullable<ToolResult['facts']>;
  readonly marks: NonNullable<ToolResult['marks']>;
  readonly actions: NonNullable<ToolResult['actions']>;
  readonly files: NonNullable<ToolResult['files']>;
  readonly ms: number;
  readonly hash: string;
  /** The outputs are the last good ones, not what the recipe asks for now. */
  readonly stale: boolean;
}
export interface ModelResult {
  readonly steps: ReadonlyMap<string, StepResult>;
  readonly dials: ReadonlyMap<string, DialValue>;
}
export type DialValue = { readonly ok: true; readonly value: number } | { readonly ok: false; readonly message: string };

/** What survives between evaluations. */
export interface EvaluationMemory {
  readonly byHash: Map<string, Omit<StepResult, 'hash' | 'stale'>>;
  readonly lastGood: Map<string, Readonly<Record<string, Piece>>>;
}
export const newMemory = (): EvaluationMemory => ({ byHash: new Map(), lastGood: new Map() });
const MEMORY_LIMIT = 600;

export interface EvaluateOptions {
  readonly tools: ReadonlyMap<string, RunnableTool>;
  readonly kernel: KernelService;
  readonly memory?: EvaluationMemory;
  readonly asset?: ToolContext['asset'];
  readonly signal?: AbortSignal;
  /** Time limit for one kernel call, ms. */
  readonly limit?: number;
  /** Steps whose files are wanted. */
  readonly files?: ReadonlySet<string>;
  readonly onStep?: (id: string, result: StepResult, done: number, total: number) => void;
  readonly onStart?: (id: string, done: number, total: number) => void;
  /** Evaluate up to and including this step only. */
  readonly until?: string;
  readonly overrides?: ReadonlyMap<string, number>;
}

/** Values of all dials; formulas may refer to other dials, cycles and unknown names are told. */
export function dialValues(model: Model, overrides?: ReadonlyMap<string, number>): Map<string, DialValue> {
  const out = new Map<string, DialValue>();
  const byName = new Map(model.dials.map((d) => [d.name, d]));
  const visit = (name: string, trail: string[]): DialValue => {
    const known = out.get(name);
    if (known) return known;
    const forced = overrides?.get(name);
    if (forced !== undefined) {
      const v: DialValue = { ok: true, value: forced };
      out.set(name, v);
      return v;
    }
    const dial = byName.get(name);
    if (!dial) return { ok: false, message: `there is no dial called "${name}"` };
    if (trail.includes(name))
      return { ok: false, message: `the dials ${[...trail.slice(trail.indexOf(name)), name].join(' → ')} refer to each other in a circle` };
    const names = new Map<string, number>();
    let result: DialValue | undefined;
    for (const n of formulaNames(dial.formula)) {
      const v = visit(n, [...trail, name]);
      if (v.ok) names.set(n, v.value);
      else {
        result = v;
        break;
      }
    }
    result ??= evaluateFormula(dial.formula, names);
    out.set(name, result);
    return result;
  };
  for (const d of model.dials) visit(d.name, []);
  return out;
}

/** Fills defaults, carries old versions forward and turns formulas into numbers. */
export function resolveParams(
  tool: Tool,
  step: Step,
  dials: ReadonlyMap<string, DialValue>,
): { params: Record<string, unknown>; diagnostics: Diagnostic[] } {
  let raw = step.params;
  for (let v = step.version; v < tool.version; v++) raw = tool.migrations?.[v - 1]?.(raw) ?? raw;
  const diagnostics: Diagnostic[] = [];
  const parsed = tool.params.safeParse(raw);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const key = String(issue.path[0] ?? '');
    const field = (tool.params.shape as Record<string, z.ZodType>)[key];
    const where = issue.path.slice(1).map((p) => (typeof p === 'number' ? p + 1 : p));
    diagnostics.push({
      severity: 'error',
      code: 'bad-value',
      message: `${field ? metaOf(field).label : key}${where.length ? ` (${where.join(' ')})` : ''}: ${issue.message}`,
    });
    return { params: {}, diagnostics };
  }
  const names = new Map([...dials].flatMap(([n, v]) => (v.ok ? [[n, v.value] as const] : [])));
  const number = (value: unknown, meta: ParamMeta): number => {
    let x = value as number;
    if (typeof value === 'string') {
      const bad = formulaNames(value)
        .map((n) => dials.get(n))
        .find((d) => d && !d.ok);
      const r = bad && !bad.ok ? bad : evaluateFormula(value, names);
      if (!r.ok) {
        diagnostics.push({ severity: 'error', code: 'bad-formula', message: `${meta.label}: ${r.message}` });
        return Number.NaN;
      }
      x = r.value;
    }
    if (!Number.isFinite(x)) diagnostics.push({ severity: 'error', code: 'bad-value', message: `${meta.label}: a number is missing` });
    return x;
  };
  const params: Record<string, unknown> = { ...(parsed.data as object) };
  for (const [key, field] of Object.entries(tool.params.shape as Record<string, z.ZodType>)) {
    const meta = metaOf(field);
    const value = params[key];
    if (meta.control === 'number' || meta.control === 'integer') {
      let x = number(value, meta);
      if (meta.control === 'integer') x = Math.round(x);
      const hiddenNow = meta.when && !meta.when.is.includes(params[meta.when.key]);
      if (!hiddenNow && meta.min !== undefined && x < meta.min)
        diagnostics.push({
          severity: 'error',
          code: 'too-small',
          message: `${meta.label} must be at least ${meta.min}; it is ${Number(x.toPrecision(6))}`,
        });
      if (!hiddenNow && meta.max !== undefined && x > meta.max)
        diagnostics.push({
          severity: 'error',
          code: 'too-large',
          message: `${meta.label} must be at most ${meta.max}; it is ${Number(x.toPrecision(6))}`,
        });
      params[key] = x;
    } else if (meta.control === 'vector') params[key] = (value as unknown[]).map((v) => number(v, meta));
    else if (meta.control === 'numbers') params[key] = (value as unknown[]).map((v) => number(v, meta));
    else if (meta.control === 'sketch') {
      const s = value as Sketch;
      params[key] = {
        ...s,
        rules: s.rules.map((r) =>
          isDimension(r) ? { ...r, value: number(r.value, { ...meta, label: `${meta.label}, ${RULE_NAMES[r.type].toLowerCase()}` }) } : r,
        ),
      };
    } else if (meta.control === 'points') {
      params[key] = (value as unknown[][]).map((p) => [number(p[0], meta), number(p[1], meta), p.length > 2 ? number(p[2], meta) : 0]);
    }
  }
  return { params, diagnostics };
}

/** Evaluates a model: only what changed since the memory was filled. Never throws for anything a recipe can hold. */
export async function evaluateModel(model: Model, options: EvaluateOptions): Promise<ModelResult> {
  const memory = options.memory ?? newMemory();
  const dials = dialValues(model, options.overrides);
  const results = new Map<string, StepResult>();
  const order = new Map(model.steps.map((s, i) => [s.id, i]));
  let done = 0;
  for (const step of model.steps) {
    if (options.signal?.aborted) break;
    options.onStart?.(step.id, done, model.steps.length);
    const r = await evaluateStep(model, step, order, results, dials, memory, options);
    if (options.signal?.aborted && r.status === 'hung') break;
    results.set(step.id, r);
    done++;
    options.onStep?.(step.id, r, done, model.steps.length);
    if (step.id === options.until) break;
  }
  return { steps: results, dials };
}

const empty = { facts: [], marks: [], actions: [], files: [], ms: 0 };

async function evaluateStep(
  model: Model,
  step: Step,
  order: ReadonlyMap<string, number>,
  results: Map<string, StepResult>,
  dials: ReadonlyMap<string, DialValue>,
  memory: EvaluationMemory,
  options: EvaluateOptions,
): Promise<StepResult> {
  const last = memory.lastGood.get(step.id) ?? {};
  const stop = (status: StepStatus, diagnostics: Diagnostic[], extra: Partial<StepResult> = {}): StepResult => ({
    ...empty,
    status,
    outputs: last,
    diagnostics,
    hash: digestText(`${step.id}:${Object.keys(last).length}:stale`),
    stale: true,
    ...extra,
  });
  const tool = options.tools.get(step.tool);
  if (!tool)
    return stop('error', [
      { severity: 'error', code: 'unknown-tool', message: `This recipe uses a tool called "${step.tool}" that is not known here` },
    ]);
  if (step.muted) return { ...empty, status: 'muted', outputs: {}, diagnostics: [], hash: 'muted', stale: false };

  const diagnostics: Diagnostic[] = [];
  const inputs: Record<string, Input[]> = {};
  const inputKeys: string[] = [];
  let waits = false;
  const resolved = resolveParams(tool, step, dials);
  for (const [name, slot] of Object.entries(tool.slots)) {
    const needed = !slot.when || slot.when.is.includes(resolved.params[slot.when.key]);
    const picks = step.inputs[name] ?? [];
    const list: Input[] = [];
    for (const pick of needed ? picks : []) {
      const found = resolvePick(model, pick, step, order, results, options.tools);
      if ('problem' in found) {
        diagnostics.push(found.problem);
        waits = true;
        continue;
      }
      if (found.note) diagnostics.push(found.note);
      list.push(found.input);
      inputKeys.push(
        `${name}<${found.hash}/${pick.output}/${pick.part ? `${pick.part.kind}${found.input.face ?? found.input.edge ?? found.input.vertex}` : ''}@${pick.at ?? ''}`,
      );
    }
    inputs[name] = list;
    if (needed && !waits && list.length < slot.min) {
      waits = true;
      diagnostics.push({
        severity: 'error',
        code: 'empty-slot',
        message:
          slot.min === 1
            ? `Pick something for "${slot.label}"`
            : `"${slot.label}" needs at least ${slot.min}; ${list.length === 0 ? 'none is' : list.length === 1 ? 'one is' : `${list.length} are`} picked`,
      });
    }
    if (list.length > slot.max)
      diagnostics.push({ severity: 'warning', code: 'too-many', message: `"${slot.label}" takes ${slot.max}; the rest is left out` });
  }
  if (waits) return stop('waits', diagnostics);
  if (resolved.diagnostics.length) return stop('error', [...diagnostics, ...resolved.diagnostics]);

  const wantsFiles = options.files?.has(step.id) ?? false;
  // names are part of what is asked only where they are written down
  if (wantsFiles) inputKeys.push(JSON.stringify(Object.values(inputs).map((l) => l.map((i) => i.name))));
  const hash = digestText(
    `${tool.id}@${tool.version}|${JSON.stringify(resolved.params)}|${inputKeys.join('|')}|${model.tolerance}|${wantsFiles}|${step.id}`,
  );
  const cached = memory.byHash.get(hash);
  if (cached) {
    memory.byHash.delete(hash);
    memory.byHash.set(hash, cached);
    memory.lastGood.set(step.id, cached.outputs);
    return { ...cached, diagnostics: [...diagnostics, ...cached.diagnostics], hash, stale: false };
  }
  const start = performance.now();
  let result: ToolResult;
  try {
    const context: ToolContext = {
      stepId: step.id,
      tolerance: model.tolerance,
      kernel: options.kernel,
      signal: options.signal,
      limit: options.limit,
      files: wantsFiles,
      asset: options.asset ?? (async () => undefined),
      modelName: model.name,
    };
    result = await tool.evaluate(inputs, resolved.params, context);
  } catch (e) {
    const ms = performance.now() - start;
    const name = step.name ?? tool.label;
    if (e instanceof KernelError && e.kind !== 'refused') {
      const why =
        e.kind === 'hung'
          ? `took longer than ${((options.limit ?? 0) / 1000).toFixed(0)} s and was stopped`
          : e.kind === 'cancelled'
            ? 'was cancelled'
            : 'crashed the geometry engine, which was started again';
      return stop(
        'hung',
        [
          ...diagnostics,
          {
            severity: 'error',
            code: `engine-${e.kind}`,
            message: `"${name}" ${why}. Everything else is kept; change the step or try it again`,
          },
        ],
        { ms },
      );
    }
    const message = e instanceof KernelError ? `${e.message}` : `"${name}" could not be computed: ${(e as Error).message}`;
    return stop(
      'error',
      [...diagnostics, { severity: 'error', code: e instanceof KernelError ? 'engine-refused' : 'unexpected', message }],
      { ms },
    );
  }
  const ms = performance.now() - start;
  const all = result.diagnostics ?? [];
  const failed = all.some((d) => d.severity === 'error');
  if (failed) return stop('error', [...diagnostics, ...all], { ms, marks: result.marks ?? [], facts: result.facts ?? [] });
  const entry = {
    status: (all.some((d) => d.severity === 'warning') ? 'warning' : 'fine') as StepStatus,
    outputs: result.outputs,
    diagnostics: all,
    facts: result.facts ?? [],
    marks: result.marks ?? [],
    actions: result.actions ?? [],
    files: result.files ?? [],
    ms,
  };
  memory.byHash.set(hash, entry);
  if (memory.byHash.size > MEMORY_LIMIT) memory.byHash.delete(memory.byHash.keys().next().value as string);
  memory.lastGood.set(step.id, result.outputs);
  return {
    ...entry,
    status: diagnostics.some((d) => d.severity === 'warning') && entry.status === 'fine' ? 'warning' : entry.status,
    diagnostics: [...diagnostics, ...all],
    hash,
    stale: false,
  };
}

type Resolved = { input: Input; hash: string; note?: Diagnostic } | { problem: Diagnostic };

function resolvePick(
  model: Model,
  pick: Pick,
  step: Step,
  order: ReadonlyMap<string, number>,
  results: ReadonlyMap<string, StepResult>,
  tools: ReadonlyMap<string, Tool>,
): Resolved {
  const source = model.steps.find((s) => s.id === pick.step);
  const lost = (message: string): Resolved => ({ problem: { severity: 'error', code: 'lost-input', message } });
  if (!source) return lost(`An input was removed from the build sheet (${pick.step}). Pick a new one; the last shape is kept until then`);
  const label = source.name ?? tools.get(source.tool)?.label ?? source.tool;
  if ((order.get(pick.step) ?? 0) >= (order.get(step.id) ?? 0))
    return lost(`"${label}" comes later in the build sheet: move it before this step`);
  const from = results.get(pick.step);
  if (!from) return lost(`"${label}" has no result yet`);
  if (from.status === 'muted') return lost(`"${label}" is muted: unmute it or pick another input`);
  if (from.stale) return { problem: { severity: 'error', code: 'waits', message: `waits for "${label}"` } };
  const piece = from.outputs[pick.output];
  if (!piece) return lost(`"${label}" no longer has the piece "${pick.output}"`);
  const name = model.pieces[pieceKey(pick.step, pick.output)]?.name ?? piece.label;
  if (!pick.part) return { input: { pick, piece, name }, hash: from.hash };
  if (piece.kind !== 'skin' && piece.kind !== 'solid') return lost(`"${label}" has no ${pick.part.kind}s`);
  const found = findPart(piece.body, pick.part);
  if ('candidates' in found) {
    const list = found.candidates.map((c) => c.name).join(', ');
    return {
      problem: {
        severity: 'error',
        code: 'lost-part',
        message: `The picked ${pick.part.kind} "${pick.part.name}" is gone from "${label}". Pick it again${list ? `; nearest by: ${list}` : ''}`,
        place: found.candidates.map((c) => c.place),
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
  return { input: { pick, piece, name, [pick.part.kind]: found.index }, hash: from.hash, note };
}

/** Keys of pieces that are still themselves: made, and not taken over by a later step. */
export function livePieces(
  model: Model,
  result: ModelResult,
  tools: ReadonlyMap<string, Tool>,
): { key: string; step: Step; output: string; piece: Piece; stale: boolean }[] {
  const consumed = new Set<string>();
  for (const step of model.steps) {
    const r = result.steps.get(step.id);
    const tool = tools.get(step.tool);
    if (!tool || !r || r.status === 'muted' || Object.keys(r.outputs).length === 0) continue;
    for (const [name, slot] of Object.entries(tool.slots))
      if (slot.consumes) for (const p of step.inputs[name] ?? []) consumed.add(pieceKey(p.step, p.output));
  }
  const out: { key: string; step: Step; output: string; piece: Piece; stale: boolean }[] = [];
  for (const step of model.steps) {
    const r = result.steps.get(step.id);
    if (!r) continue;
    for (const [output, piece] of Object.entries(r.outputs)) {
      const key = pieceKey(step.id, output);
      if (!consumed.has(key)) out.push({ key, step, output, piece, stale: r.stale });
    }
  }
  return out;
}
