import { KernelError, type KernelService } from '../brep/index.ts';
import { digestText } from '../math/hash.ts';
import { type DialValue, dialValues } from './dials.ts';
import { drawingFrame } from './drawing.ts';
import { withNames } from './labels.ts';
import { standings } from './looks.ts';
import { keptMeasures, measuredBefore } from './measured.ts';
import { type Model, pieceKey, type Step } from './model.ts';
import type { Piece } from './pieces.ts';
import { resolveParams } from './resolve-params.ts';
import { type PickContext, resolvePick } from './resolve-picks.ts';
import {
  consumesNow,
  type Diagnostic,
  type Fact,
  type Input,
  type Mark,
  type RunnableTool,
  type Tool,
  type ToolContext,
  type ToolResult,
} from './tool.ts';

/** `asks`: a needed slot is empty. `waits`: an input is lost, or waits itself. */
export type StepStatus = 'fine' | 'warning' | 'error' | 'asks' | 'waits' | 'muted' | 'hung';
export interface StepResult {
  readonly status: StepStatus;
  readonly outputs: Readonly<Record<string, Piece>>;
  readonly diagnostics: readonly Diagnostic[];
  readonly facts: NonNullable<ToolResult['facts']>;
  readonly marks: NonNullable<ToolResult['marks']>;
  readonly actions: NonNullable<ToolResult['actions']>;
  readonly files: NonNullable<ToolResult['files']>;
  readonly pages?: ToolResult['pages'];
  readonly ms: number;
  readonly hash: string;
  /** The outputs are the last good ones, not what the recipe asks for now. */
  readonly stale: boolean;
  /** What its formulas measured, by `step.fact`. */
  readonly measured?: Readonly<Record<string, number>>;
  /** Looks still to be taken. */
  readonly later?: ToolResult['later'];
}
export interface ModelResult {
  readonly steps: ReadonlyMap<string, StepResult>;
  readonly dials: ReadonlyMap<string, DialValue>;
}

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
  /** What is waited for behind a step before the next one is begun; more may be asked meanwhile, and this evaluation broken off. */
  readonly rest?: (id: string) => Promise<void> | undefined;
  /** Evaluate up to and including this step only. */
  readonly until?: string;
  readonly overrides?: ReadonlyMap<string, number>;
  /** False while something is dragged: looks that nothing waits for are not taken; their facts stay pending. */
  readonly looks?: boolean;
  /** All steps are built and looks remain to be taken. */
  readonly onBuilt?: (result: ModelResult) => void;
}

/** Evaluates a model: only what changed since the memory was filled. Never throws for anything a recipe can hold. */
export async function evaluateModel(model: Model, options: EvaluateOptions): Promise<ModelResult> {
  const memory = options.memory ?? newMemory();
  const dials = dialValues(model, options.overrides);
  const results = new Map<string, StepResult>();
  const order = new Map(model.steps.map((s, i) => [s.id, i]));
  const standing = standings(model, options.tools);
  let done = 0;
  for (const step of model.steps) {
    if (options.signal?.aborted) break;
    options.onStart?.(step.id, done, model.steps.length);
    const r = await evaluateStep({ model, step, order, results, tools: options.tools, dials, standing }, memory, options);
    if (options.signal?.aborted && r.status === 'hung') break;
    results.set(step.id, r);
    done++;
    options.onStep?.(step.id, r, done, model.steps.length);
    if (step.id === options.until) break;
    const rest = options.rest?.(step.id);
    if (rest) await rest;
  }
  const result = { steps: results, dials };
  if (options.looks === false || options.signal?.aborted || ![...results.values()].some((r) => r.later)) return result;
  options.onBuilt?.(result);
  for (const [id, r] of results) {
    if (options.signal?.aborted) break;
    if (!r.later) continue;
    const looked = await orAborted(look(memory, r.hash, model.steps.find((s) => s.id === id)?.name ?? id, options.limit), options.signal);
    if (!looked) break;
    const told = looked.diagnostics.slice(looked.first).map((d) => ({ ...d, message: withNames(d.message, model, options.tools) }));
    results.set(id, {
      ...r,
      facts: looked.facts,
      status: r.status === 'fine' ? looked.status : r.status,
      diagnostics: [...r.diagnostics, ...told],
      later: undefined,
    });
    options.onStep?.(id, results.get(id) as StepResult, done, model.steps.length);
  }
  return result;
}
/** What was waited for, or nothing when the wait was broken off; the work itself goes on to its end. */
function orAborted<T>(work: Promise<T>, signal: AbortSignal | undefined): Promise<T | undefined> {
  if (!signal) return work;
  return new Promise((resolve, reject) => {
    const stop = () => resolve(undefined);
    signal.addEventListener('abort', stop, { once: true });
    work.then(resolve, reject).finally(() => signal.removeEventListener('abort', stop));
  });
}

type Entry = Omit<StepResult, 'hash' | 'stale'>;
type Looked = Entry & { /** Index of the first diagnostic that the look brought. */ readonly first: number };
const looking = new WeakMap<Entry, Promise<Looked>>();
/** Takes the looks of a remembered result, once, and remembers what they found. */
function look(memory: EvaluationMemory, hash: string, name: string, limit: number | undefined): Promise<Looked> {
  const entry = memory.byHash.get(hash);
  if (!entry?.later) return Promise.reject(new Error('nothing to look at'));
  const known = looking.get(entry);
  if (known) return known;
  const failed = (e: Error) => ({
    facts: entry.facts.filter((f) => f.pending).map((f) => ({ label: f.label, value: 'no answer' })),
    diagnostics: [{ ...thrown(e, name, limit).diagnostic, severity: 'warning' as const }],
  });
  let died = false;
  const work = entry.later().then(
    (found) => found,
    (e) => {
      died = e instanceof KernelError && e.kind === 'died';
      return failed(e as Error);
    },
  );
  const done = work.then((found): Looked => {
    const facts = entry.facts.map((f) => (f.pending ? (found.facts.find((x) => x.label === f.label) ?? { ...f, pending: false }) : f));
    const fresh = [...(found.diagnostics ?? []), ...beyondLimit(found.facts)];
    const warned = entry.status === 'fine' && fresh.some((d) => d.severity !== 'note');
    const looked: Looked = {
      ...entry,
      facts,
      status: warned ? 'warning' : entry.status,
      diagnostics: [...entry.diagnostics, ...fresh],
      first: entry.diagnostics.length,
      later: undefined,
    };
    // an engine that died says nothing of the step: the next computation looks again
    if (died) looking.delete(entry);
    else if (memory.byHash.get(hash) === entry) memory.byHash.set(hash, looked);
    return looked;
  });
  looking.set(entry, done);
  return done;
}

const empty = { facts: [], marks: [], actions: [], files: [], ms: 0 };
type Gathered = {
  readonly inputs: Record<string, Input[]>;
  readonly keys: string[];
  readonly diagnostics: Diagnostic[];
  readonly marks: Mark[];
  readonly state: 'ready' | 'asks' | 'waits' | 'error';
};

/** Fills the slots of a step from its picks; tells what is lost and what is still asked for. */
function gatherInputs(tool: Tool, params: Readonly<Record<string, unknown>>, c: PickContext): Gathered {
  const diagnostics: Diagnostic[] = [];
  const inputs: Record<string, Input[]> = {};
  const keys: string[] = [];
  const marks: Mark[] = [];
  let state: Gathered['state'] = 'ready';
  for (const [name, slot] of Object.entries(tool.slots)) {
    const needed = !slot.when || slot.when.is.includes(params[slot.when.key]);
    const list: Input[] = [];
    for (const [k, pick] of (needed ? (c.step.inputs[name] ?? []) : []).entries()) {
      const found = resolvePick(pick, name, k, slot, c);
      if ('problem' in found) {
        diagnostics.push(found.problem);
        // what a person typed wrong is an error of this step; what is lost upstream is waited for
        state = /^(lost|waits)/.test(found.problem.code) ? 'waits' : state === 'waits' ? 'waits' : 'error';
        continue;
      }
      if (found.note) diagnostics.push(found.note);
      if (found.mark) marks.push(found.mark);
      list.push(...found.inputs);
      const part = found.inputs.map((i) => i.face ?? i.edge ?? i.vertex).join('+');
      keys.push(
        `${name}<${found.hash}/${pick.output}/${pick.part ? pick.part.kind + part : ''}@${pick.at ?? ''}${JSON.stringify([pick.grow, found.inputs[0]?.settings])}`,
      );
    }
    inputs[name] = list;
    if (needed && (state === 'ready' || state === 'asks') && list.length < slot.min) {
      state = 'asks';
      const have = list.length === 0 ? 'none is' : list.length === 1 ? 'one is' : `${list.length} are`;
      const message = slot.min === 1 ? `Pick something for "${slot.label}"` : `"${slot.label}" needs at least ${slot.min}; ${have} picked`;
      diagnostics.push({ severity: 'error', code: 'empty-slot', message });
    }
    if (list.length > slot.max && !(c.step.inputs[name] ?? []).some((p) => p.grow))
      diagnostics.push({ severity: 'warning', code: 'too-many', message: `"${slot.label}" takes ${slot.max}; the rest is left out` });
  }
  return { inputs, keys, diagnostics, marks, state };
}

async function evaluateStep(c: PickContext, memory: EvaluationMemory, options: EvaluateOptions): Promise<StepResult> {
  const { model, step } = c;
  const last = memory.lastGood.get(step.id) ?? {};
  const named = (list: readonly Diagnostic[]): Diagnostic[] =>
    list.map((d) => ({ ...d, message: withNames(d.message, model, options.tools) }));
  const stop = (status: StepStatus, diagnostics: Diagnostic[], extra: Partial<StepResult> = {}): StepResult => ({
    ...empty,
    status,
    outputs: last,
    diagnostics: named(diagnostics),
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

  const read: Record<string, number> = {};
  const ask = measuredBefore(model, c.results, options.tools);
  const resolved = resolveParams(tool, step, c.dials, (name, fact) => {
    const r = ask(name, fact);
    if (r.ok) read[`${name}.${fact}`] = r.value;
    return r;
  });
  const measured = Object.keys(read).length ? read : undefined;
  const { inputs, keys, diagnostics, marks, state } = gatherInputs(tool, resolved.params, c);
  if (state !== 'ready') return stop(state, diagnostics, { marks });
  if (resolved.diagnostics.length) return stop('error', [...diagnostics, ...resolved.diagnostics], { marks });

  const wantsFiles = options.files?.has(step.id) ?? false;
  // names are part of what is asked only where they are written down
  if (wantsFiles) keys.push(JSON.stringify(Object.values(inputs).map((l) => l.map((i) => [i.name, i.group, i.colour]))));
  const measures = tool.takesMeasures ? keptMeasures(model, step, c.results, options.tools) : undefined;
  if (measures?.length) keys.push(JSON.stringify(measures));
  const hash = digestText(
    `${tool.id}@${tool.version}|${JSON.stringify(resolved.params)}|${keys.join('|')}|${model.tolerance}|${wantsFiles}|${step.id}`,
  );
  const cached = memory.byHash.get(hash);
  if (cached) {
    memory.byHash.delete(hash);
    memory.byHash.set(hash, cached);
    memory.lastGood.set(step.id, cached.outputs);
    return { ...cached, diagnostics: named([...diagnostics, ...cached.diagnostics]), hash, stale: false, measured };
  }
  const start = performance.now();
  const context: ToolContext = {
    stepId: step.id,
    tolerance: model.tolerance,
    kernel: options.kernel,
    signal: options.signal,
    limit: options.limit,
    files: wantsFiles,
    asset: options.asset ?? (async () => undefined),
    modelName: model.name,
    measures,
  };
  let result: ToolResult;
  try {
    result = await tool.evaluate(inputs, resolved.params, context);
  } catch (e) {
    const failed = thrown(e as Error, step.name ?? tool.label, options.limit);
    return stop(failed.status, [...diagnostics, failed.diagnostic], { ms: performance.now() - start, marks });
  }
  const ms = performance.now() - start;
  const all = [...(result.diagnostics ?? []), ...beyondLimit(result.facts ?? [])];
  if (all.some((d) => d.severity === 'error'))
    return stop('error', [...diagnostics, ...all], {
      ms,
      marks: [...marks, ...(result.marks ?? [])],
      facts: result.facts ?? [],
      actions: result.actions ?? [],
    });
  const entry = {
    status: (all.some((d) => d.severity === 'warning') ? 'warning' : 'fine') as StepStatus,
    outputs: drawnOn(tool, inputs, result.outputs),
    diagnostics: all,
    facts: result.facts ?? [],
    marks: [...marks, ...(result.marks ?? [])],
    actions: result.actions ?? [],
    files: result.files ?? [],
    pages: result.pages,
    ms,
    later: result.later,
  };
  memory.byHash.set(hash, entry);
  if (memory.byHash.size > MEMORY_LIMIT) memory.byHash.delete(memory.byHash.keys().next().value as string);
  memory.lastGood.set(step.id, entry.outputs);
  const warned = diagnostics.some((d) => d.severity === 'warning') && entry.status === 'fine';
  return {
    ...entry,
    status: warned ? 'warning' : entry.status,
    diagnostics: named([...diagnostics, ...all]),
    hash,
    stale: false,
    measured,
  };
}

/** A fact beyond its own limit is told as a warning: what was asked and missed is never fine. */
function beyondLimit(facts: readonly Fact[]): Diagnostic[] {
  return facts.flatMap((f): Diagnostic[] => {
    if (f.number === undefined || f.limit === undefined || !(f.number > f.limit)) return [];
    const unit = f.unit ? ` ${f.unit}` : '';
    const show = (x: number) => `${Number(x.toPrecision(3))}${unit}`;
    return [{ severity: 'warning', code: 'beyond-limit', message: `Missed: ${f.label} ${show(f.number)}, asked ${show(f.limit)}` }];
  });
}
/** Curves remember the work plane they were drawn on. */
function drawnOn(tool: Tool, inputs: Readonly<Record<string, Input[]>>, outputs: ToolResult['outputs']): ToolResult['outputs'] {
  const slot = Object.entries(tool.slots).find(([, s]) => s.drawn)?.[0];
  const plane = slot && drawingFrame(inputs[slot]);
  if (!plane) return outputs;
  return Object.fromEntries(Object.entries(outputs).map(([k, p]) => [k, p.kind === 'curve' ? { ...p, plane: p.plane ?? plane } : p]));
}
function thrown(e: Error, name: string, limit: number | undefined): { status: StepStatus; diagnostic: Diagnostic } {
  if (e instanceof KernelError && e.kind !== 'refused') {
    const why =
      e.kind === 'hung'
        ? `took longer than ${((limit ?? 0) / 1000).toFixed(0)} s and was stopped`
        : e.kind === 'cancelled'
          ? 'was cancelled'
          : 'crashed the geometry engine, which was started again';
    const message = `"${name}" ${why}. Everything else is kept; change the step or try it again`;
    return { status: 'hung', diagnostic: { severity: 'error', code: `engine-${e.kind}`, message } };
  }
  const refused = e instanceof KernelError;
  const message = refused ? e.message : `"${name}" could not be computed: ${e.message}`;
  return { status: 'error', diagnostic: { severity: 'error', code: refused ? 'engine-refused' : 'unexpected', message } };
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
      if (consumesNow(slot, step.params)) for (const p of step.inputs[name] ?? []) consumed.add(pieceKey(p.step, p.output));
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
