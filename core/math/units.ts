import jsep from 'jsep';

/** Base units are millimetres and degrees: lengths evaluate to mm, angles to degrees. */
const LENGTH: Record<string, number> = { mm: 1, cm: 10, m: 1000, um: 0.001, in: 25.4, ft: 304.8 };
const ANGLE: Record<string, number> = { deg: 1, rad: 180 / Math.PI, turn: 360 };
export const LENGTH_UNITS = Object.keys(LENGTH);
/** mm in one of `unit`; undefined when the name is no length unit. */
export const unitInMm = (unit: string): number | undefined => LENGTH[unit];

const FUNCTIONS: Record<string, (...a: number[]) => number> = {
  sin: (a) => Math.sin((a * Math.PI) / 180),
  cos: (a) => Math.cos((a * Math.PI) / 180),
  tan: (a) => Math.tan((a * Math.PI) / 180),
  sqrt: Math.sqrt,
  abs: Math.abs,
  min: Math.min,
  max: Math.max,
  round: (a, step = 1) => Math.round(a / step) * step,
};
const CONSTANTS: Record<string, number> = { pi: Math.PI };

export type FormulaResult = { ok: true; value: number } | { ok: false; message: string };

/** What is measured of a step, by its name and the name of the fact: mm, mm², mm³ or degrees. */
export type Measured = (step: string, fact: string) => FormulaResult;
const MEASURE = /\bmeasure\(\s*(["'])(.*?)\1\s*\)\s*\.\s*([A-Za-z_]\w*)/g;
/** Steps and facts that a formula measures, in order of appearance. */
export const formulaMeasures = (text: string): { readonly step: string; readonly fact: string }[] =>
  [...text.matchAll(MEASURE)].map((m) => ({ step: m[2], fact: m[3] }));
/** The word of a fact in formulas: `size x` is size_x, `radius (cylinder)` radius. */
export const factWord = (label: string): string =>
  label
    .replace(/\(.*?\)/g, '')
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_');
/** A text with every step of that name that its formula measures called by another. */
export const renameMeasured = (text: string, before: string, after: string): string =>
  text.replace(MEASURE, (all, quote, step, fact) => (step === before ? `measure(${quote}${after}${quote}).${fact}` : all));
function withMeasures(text: string, measured: Measured | undefined): string | FormulaResult {
  let wrong: FormulaResult | undefined;
  const out = text.replace(MEASURE, (_, __, step, fact) => {
    const r: FormulaResult = measured?.(step, fact) ?? {
      ok: false,
      message: 'nothing can be measured here: only the numbers of steps can measure',
    };
    if (!r.ok) wrong ??= r;
    return r.ok ? `(${r.value})` : '(0)';
  });
  if (!wrong && /\bmeasure\s*\(/.test(out))
    wrong = { ok: false, message: 'what is measured is written measure("name of a step").fact, such as measure("Collar").radius' };
  return wrong ?? out;
}

const fail = (message: string): never => {
  throw new FormulaError(message);
};
class FormulaError extends Error {}

/**
 * Evaluates a number with units and names: `12`, `0.5 in`, `wall*2`, `sqrt(2)*body_length`.
 * A plain number counts in `baseUnit`. Angles in degrees, sin/cos/tan take degrees. `measure("Collar").radius` is what `measured` says of it.
 */
export function evaluateFormula(
  text: string,
  names: ReadonlyMap<string, number> = new Map(),
  baseUnit = 'mm',
  measured?: Measured,
): FormulaResult {
  const said = withMeasures(text, measured);
  if (typeof said !== 'string') return said;
  const trimmed = said
    .trim()
    .replace(/,(?=\d)/g, '.')
    .replace(/\^/g, '**')
    .replace(/°/g, ' deg')
    .replace(/"/g, ' in');
  if (!trimmed) return { ok: false, message: 'nothing typed: enter a number such as 12 or 0.5 in' };
  const units = [...Object.keys(LENGTH), ...Object.keys(ANGLE)].join('|');
  const base = LENGTH[baseUnit] ?? 1;
  const withUnits = trimmed.replace(new RegExp(`(?<![A-Za-z_0-9.])(\\d*\\.?\\d+(?:[eE][-+]?\\d+)?)\\s*(${units})\\b`, 'g'), (_, n, u) => {
    return `(${n}*${(LENGTH[u] ?? ANGLE[u] ?? 1) / (u in LENGTH ? base : 1)})`;
  });
  try {
    const value = walk(jsep(withUnits), names);
    if (!Number.isFinite(value)) return { ok: false, message: `"${text}" is not a finite number` };
    return { ok: true, value };
  } catch (e) {
    return { ok: false, message: e instanceof FormulaError ? e.message : `cannot read "${text}": ${(e as Error).message}` };
  }
}

function walk(n: jsep.Expression, names: ReadonlyMap<string, number>): number {
  const node = n as jsep.CoreExpression;
  switch (node.type) {
    case 'Literal':
      return typeof node.value === 'number' ? node.value : fail(`"${node.raw}" is not a number`);
    case 'Identifier': {
      const v = names.get(node.name) ?? CONSTANTS[node.name];
      return v ?? fail(`there is no dial called "${node.name}"`);
    }
    case 'UnaryExpression': {
      const a = walk(node.argument, names);
      return node.operator === '-' ? -a : node.operator === '+' ? a : fail(`"${node.operator}" is not known here`);
    }
    case 'BinaryExpression': {
      // a sign before a power belongs to the whole power
      const left = node.left as jsep.CoreExpression;
      if (node.operator === '**' && left.type === 'UnaryExpression' && left.operator === '-')
        return -(walk(left.argument, names) ** walk(node.right, names));
      const a = walk(node.left, names);
      const b = walk(node.right, names);
      switch (node.operator) {
        case '+':
          return a + b;
        case '-':
          return a - b;
        case '*':
          return a * b;
        case '/':
          return b === 0 ? fail('division by zero') : a / b;
        case '**':
          return a ** b;
        default:
          return fail(`"${node.operator}" is not known here`);
      }
    }
    case 'CallExpression': {
      const name = (node.callee as jsep.Identifier).name;
      const f = FUNCTIONS[name] ?? fail(`there is no function called "${name}"`);
      return f(...node.arguments.map((a) => walk(a, names)));
    }
    case 'Compound':
      return fail('two values stand side by side: write an operator between them');
    default:
      return fail('this formula is not understood');
  }
}
jsep.addBinaryOp('**', 11, true);

/** Names a formula refers to (dials), in order of appearance. */
export function formulaNames(text: string): string[] {
  const units = new Set([...Object.keys(LENGTH), ...Object.keys(ANGLE), ...Object.keys(FUNCTIONS), ...Object.keys(CONSTANTS)]);
  const found =
    text
      .replace(MEASURE, ' ')
      .replace(/(?<![A-Za-z_0-9])\d*\.?\d+(?:[eE][-+]?\d+)?/g, ' ')
      .match(/[A-Za-z_][A-Za-z0-9_]*/g) ?? [];
  return [...new Set(found)].filter((w) => !units.has(w));
}

/** Shortest text that shows `value` to about six figures. */
export function formatNumber(value: number, digits = 4): string {
  if (!Number.isFinite(value)) return '—';
  const a = Math.abs(value);
  if (a !== 0 && (a < 10 ** -digits || a >= 1e7)) return value.toExponential(2);
  return String(Number(value.toFixed(digits)));
}
