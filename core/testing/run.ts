/** Helpers for tests only: runs steps through the real registry and the real kernel. */
import type { Body } from '../brep/index.ts';
import { massProperties } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { emptyModel, evaluateModel, type Model, type Pick, type Step, type StepResult } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';

type Given = Record<string, (string | Pick)[]>;
/** A step; inputs are step ids, `id/output`, or whole picks. */
export const step = (id: string, tool: string, params: Record<string, unknown> = {}, inputs: Given = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: Object.fromEntries(
    Object.entries(inputs).map(([k, v]) => [
      k,
      v.map((p): Pick => (typeof p === 'string' ? { step: p.split('/')[0], output: p.split('/')[1] ?? 'main' } : p)),
    ]),
  ),
});
/** A step drawn on a work plane. */
export const onPlane = (plane: string, s: Step): Step => ({ ...s, inputs: { ...s.inputs, plane: [{ step: plane, output: 'main' }] } });
export const facePick = (step: string, name: string, near?: readonly [number, number, number]): Pick =>
  ({ step, output: 'main', part: { kind: 'face', name, near } }) as Pick;

export async function run(...steps: Step[]): Promise<ReadonlyMap<string, StepResult>> {
  const model: Model = { ...emptyModel('shapes'), steps };
  return (await evaluateModel(model, { tools: TOOLS, kernel })).steps;
}
/** The body a step made; throws with its messages when there is none. */
export function bodyOf(r: ReadonlyMap<string, StepResult>, id: string, output = 'main'): Body {
  const s = r.get(id);
  const p = s?.outputs[output];
  if (p?.kind !== 'skin' && p?.kind !== 'solid') throw new Error(`${id}: ${s?.status} ${s?.diagnostics.map((d) => d.message).join('; ')}`);
  return p.body;
}
export const codeOf = (r: ReadonlyMap<string, StepResult>, id: string): string | undefined => r.get(id)?.diagnostics[0]?.code;
export const factOf = (r: ReadonlyMap<string, StepResult>, id: string, label: string): string | undefined =>
  r.get(id)?.facts.find((f) => f.label === label)?.value;
export const volume = (b: Body): number => massProperties(b).volume;
export const square = (s: number): number[][] => [
  [s, s],
  [-s, s],
  [-s, -s],
  [s, -s],
];
