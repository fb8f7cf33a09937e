import type { KernelService } from '@ample-skin/core/brep';
import { deliver, type OutPart, type SPACE_FORMATS } from '@ample-skin/core/exchange';
import { evaluateModel, type Model, newMemory } from '@ample-skin/core/recipe';
import { mainOf, type SweepRow, seenParts, sweepPoints, sweepRow } from '@ample-skin/core/report';
import { RUNNABLE as TOOLS } from '@ample-skin/core/tools/evaluations';
import { itemsOf, type JobRequest } from './job-requests.ts';

/** What one item of a job came to: numbers, and a file where it writes one. */
export interface ItemResult {
  readonly ok: boolean;
  readonly name: string;
  readonly why: readonly string[];
  readonly row?: SweepRow;
  readonly file?: { readonly name: string; readonly data: Uint8Array };
}
export interface JobHost {
  readonly kernel: KernelService;
  readonly asset: (id: string) => Promise<{ name: string; data: Uint8Array } | undefined>;
  readonly signal?: AbortSignal;
  /** Milliseconds for one call of the kernel. */
  readonly limit?: number;
}
/** Does one item. A recipe that fails is a result that says so; only an abort throws. */
export async function runItem(r: JobRequest, index: number, host: JobHost): Promise<ItemResult> {
  const names = itemsOf(r);
  const name = typeof names === 'string' ? '' : names[index];
  if (name === undefined) return { ok: false, name: '', why: ['there is no such item'] };
  const o = { tools: TOOLS, kernel: host.kernel, asset: host.asset, signal: host.signal, limit: host.limit ?? 60_000 };
  if (r.kind === 'sweep') {
    const points = sweepPoints(r.recipe, r.ranges);
    if (typeof points === 'string') return { ok: false, name, why: [points] };
    const row = await sweepRow(r.recipe, points[index], { ...o, memory: newMemory() });
    return { ok: row.ok, name, why: row.why, row };
  }
  const { recipe: model } = r.models[index];
  if (r.kind === 'check') {
    const row = await sweepRow(model, {}, { ...o, memory: newMemory() });
    return { ok: row.ok, name, why: row.why, row };
  }
  return exported(r, model, name, o, host.kernel);
}
async function exported(
  r: Extract<JobRequest, { kind: 'export' }>,
  model: Model,
  name: string,
  o: Parameters<typeof evaluateModel>[1],
  kernel: KernelService,
): Promise<ItemResult> {
  const result = await evaluateModel(model, { ...o, looks: false });
  o.signal?.throwIfAborted();
  const why = model.steps.flatMap((s) =>
    (result.steps.get(s.id)?.diagnostics ?? []).filter((d) => d.severity === 'error').map((d) => `${s.name ?? s.tool}: ${d.message}`),
  );
  const all = seenParts(model, result, TOOLS);
  const exact = r.format === 'step' || r.format === 'iges';
  const parts: OutPart[] = [...mainOf(all), ...(exact ? [] : all.filter((p) => p.mesh))];
  if (!parts.length) return { ok: false, name, why: [...why, 'there is no skin or solid to write'] };
  const stem = name.replace(/[^\p{L}\p{N} _-]+/gu, ' ').trim() || 'model';
  const made = await deliver(
    parts,
    { format: r.format as (typeof SPACE_FORMATS)[number], stem, chord: r.chord, unit: r.unit, schema: r.schema },
    kernel,
    { limit: o.limit ?? 60_000 },
  );
  if (!made.ok) return { ok: false, name, why: [...why, made.message] };
  const [f] = made.files;
  const files = [{ name: f.name, data: f.data }, ...f.companions];
  if (files.length === 1) return { ok: !why.length, name, why, file: files[0] };
  const { zipSync } = await import('fflate');
  return {
    ok: !why.length,
    name,
    why,
    file: { name: `${stem}.zip`, data: zipSync(Object.fromEntries(files.map((x) => [x.name, x.data]))) },
  };
}
