import type { z } from 'zod';
import { OPERATION_WORDS, type Operation, withNumbers } from '../cage/operation-schema.ts';
import { evaluateFormula, formulaMeasures, formulaNames, type Measured } from '../math/index.ts';
import { isDimension, RULE_NAMES, type Sketch } from '../sketch/model.ts';
import type { DialValue } from './dials.ts';
import type { Step } from './model.ts';
import { metaOf, type ParamMeta } from './params.ts';
import type { Diagnostic, Tool } from './tool.ts';

interface Resolved {
  readonly params: Record<string, unknown>;
  readonly diagnostics: Diagnostic[];
}
/** Fills defaults, carries old versions forward and turns formulas into numbers. */
export function resolveParams(tool: Tool, step: Step, dials: ReadonlyMap<string, DialValue>, measured?: Measured): Resolved {
  let raw = step.params;
  for (let v = step.version; v < tool.version; v++) raw = tool.migrations?.[v - 1]?.(raw) ?? raw;
  return resolveFields(tool.params, raw, dials, measured);
}
/** The same for any record of parameter kinds, such as the settings of a pick. */
export function resolveFields(
  schema: z.ZodObject,
  raw: Readonly<Record<string, unknown>>,
  dials: ReadonlyMap<string, DialValue>,
  measured?: Measured,
): Resolved {
  const diagnostics: Diagnostic[] = [];
  const parsed = schema.safeParse(raw);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const key = String(issue.path[0] ?? '');
    const field = (schema.shape as Record<string, z.ZodType>)[key];
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
      const r = bad && !bad.ok ? bad : evaluateFormula(value, names, 'mm', measured);
      if (!r.ok) {
        diagnostics.push({
          severity: 'error',
          code: formulaMeasures(value).length ? 'bad-measure' : 'bad-formula',
          message: `${meta.label}: ${r.message}`,
        });
        return Number.NaN;
      }
      x = r.value;
    }
    if (!Number.isFinite(x)) diagnostics.push({ severity: 'error', code: 'bad-value', message: `${meta.label}: a number is missing` });
    return x;
  };
  const params: Record<string, unknown> = { ...(parsed.data as object) };
  for (const [key, field] of Object.entries(schema.shape as Record<string, z.ZodType>)) {
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
    else if (meta.control === 'law') {
      const list = (value as [number, unknown][]).map(([at, v]) => [at, number(v, meta)] as const);
      for (const [, x] of list)
        if ((meta.min !== undefined && x < meta.min) || (meta.max !== undefined && x > meta.max))
          diagnostics.push({
            severity: 'error',
            code: 'bad-value',
            message: `${meta.label}: values lie between ${meta.min ?? 'anything'} and ${meta.max ?? 'anything'}; one is ${Number(x.toPrecision(6))}`,
          });
      params[key] = list;
    } else if (meta.control === 'sketch') {
      const s = value as Sketch;
      params[key] = {
        ...s,
        rules: s.rules.map((r) =>
          isDimension(r) ? { ...r, value: number(r.value, { ...meta, label: `${meta.label}, ${RULE_NAMES[r.type].toLowerCase()}` }) } : r,
        ),
      };
    } else if (meta.control === 'operations')
      params[key] = (value as Operation[]).map((o, i) =>
        withNumbers(o, (x) => number(x, { ...meta, label: `${meta.label}, ${i + 1} ${OPERATION_WORDS[o.op].toLowerCase()}` })),
      );
    else if (meta.control === 'points') {
      params[key] = (value as unknown[][]).map((p) => [number(p[0], meta), number(p[1], meta), p.length > 2 ? number(p[2], meta) : 0]);
    }
  }
  return { params, diagnostics };
}
