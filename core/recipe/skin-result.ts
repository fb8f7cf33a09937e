import { formatNumber, type Vec3 } from '../math/index.ts';
import { knotRuns, type NurbsSurface } from '../nurbs/index.ts';
import { DEFAULT_LIMITS, gradeOf, gradeRank, type Meeting } from '../proof/index.ts';
import type { RecipeEdit } from './edits.ts';
import type { Pick } from './model.ts';
import type { Diagnostic, Fact, Input } from './tool.ts';

/** What every construction shows of its surfaces: control points, degree and spans in both directions. */
export function surfaceFacts(list: readonly NurbsSurface[]): Fact[] {
  if (!list.length) return [];
  const spans = (k: Float64Array, d: number) => knotRuns(k, d).values.length - 1;
  const total = list.reduce((n, s) => n + s.countU * s.countV, 0);
  const range = (f: (s: NurbsSurface) => string) => {
    const all = [...new Set(list.map(f))];
    return all.length > 3 ? `${all.slice(0, 2).join(', ')}, …` : all.join(', ');
  };
  return [
    { label: 'control points', value: list.length === 1 ? `${list[0].countU} × ${list[0].countV}` : `${total} in ${list.length} surfaces` },
    { label: 'degree', value: range((s) => `${s.degreeU} × ${s.degreeV}`) },
    { label: 'spans', value: range((s) => `${spans(s.knotsU, s.degreeU)} × ${spans(s.knotsV, s.degreeV)}`) },
  ];
}
/** A deviation beside what was asked; beyond the limit it warns by itself. */
export const deviationFact = (label: string, mm: number, limit?: number): Fact => ({
  label,
  value: mm < 1e-9 ? 'exact' : `${Number(mm.toPrecision(2))} mm`,
  ...(limit === undefined ? {} : { number: mm, unit: 'mm', limit }),
});

/** A deviation in full beside the tolerance asked; a miss warns by itself. */
export const withinFact = (label: string, mm: number, limit: number): Fact => ({
  label,
  value: `${formatNumber(mm, 8)} mm`,
  number: mm,
  unit: 'mm',
  limit,
});

/** The continuity reached at a border beside the one asked, as a fact, and a warning with the place where it is not reached. */
export function meetingFacts(label: string, asked: 0 | 1 | 2 | 3, m: Meeting): { facts: Fact[]; diagnostics: Diagnostic[] } {
  const reached = gradeOf(m.gap, m.kink, m.step, m.flow, DEFAULT_LIMITS);
  const numbers = [
    `${num(m.gap)} mm`,
    `${num(m.kink)}°`,
    ...(asked >= 2 ? [`${num(m.step)} %`] : []),
    ...(asked >= 3 ? [`${num(m.flow)} %`] : []),
  ];
  const met = gradeRank(reached) >= asked;
  const worst: Vec3 =
    m.gap > DEFAULT_LIMITS.gap ? m.at.gap : m.kink > DEFAULT_LIMITS.kink ? m.at.kink : m.step > DEFAULT_LIMITS.step ? m.at.step : m.at.flow;
  return {
    facts: [
      {
        label,
        value: `G${asked} asked, ${met ? `G${asked} reached` : `${reached === 'open' ? 'open' : `${reached} reached`}`}: ${numbers.join(', ')}`,
      },
    ],
    diagnostics: met
      ? []
      : [
          {
            severity: 'warning',
            code: 'below-grade',
            message: `${label}: G${asked} was asked, ${reached === 'open' ? 'the border is open' : `${reached} is reached`} (${numbers.join(', ')}). The mark shows the worst place`,
            place: [worst],
          },
        ],
  };
}
const num = (x: number): string => (x < 1e-7 ? '0' : x < 1e-4 ? x.toExponential(0) : formatNumber(x, x < 0.01 ? 5 : 3));

/** An edit that puts another tool in place of a step, with the same picks: a way on that is offered as a button. */
export function insteadOf(
  stepId: string,
  label: string,
  tool: { readonly id: string; readonly version: number },
  inputs: Readonly<Record<string, readonly Input[]>>,
  params: Readonly<Record<string, unknown>> = {},
): RecipeEdit {
  const picks = (list: readonly Input[]) => {
    const out: Pick[] = [];
    for (const i of list) if (!out.includes(i.pick)) out.push(i.pick);
    return out;
  };
  const id = `${stepId.slice(0, 380)}-${tool.id.slice(0, 12)}`;
  return {
    label,
    changes: [
      {
        type: 'addStep',
        step: {
          id,
          tool: tool.id,
          version: tool.version,
          params: { ...params },
          inputs: Object.fromEntries(Object.entries(inputs).map(([k, l]) => [k, picks(l)])),
        },
        before: stepId,
      },
      { type: 'removeStep', id: stepId },
    ],
  };
}
