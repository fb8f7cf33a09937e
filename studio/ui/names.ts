import { type Pick, partLabel, pickLabel, type Step, stepLabel } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { effectiveModel, getStudio } from '../state/state.ts';

export const stepName = (s: Step): string => stepLabel(s, TOOLS);
/** What a person calls a picked thing. */
export const pickName = (p: Pick): string => pickLabel(p, effectiveModel(), TOOLS, getStudio().pieces.get(`${p.step}/${p.output}`)?.label);
/** Name of a piece by its key. */
export function keyName(key: string): string {
  const i = key.indexOf('/');
  return pickName({ step: key.slice(0, i), output: key.slice(i + 1) });
}
/** Face name with the step it came from. */
export const faceLabel = (name: string): string => partLabel(name, 'face', effectiveModel(), TOOLS);
