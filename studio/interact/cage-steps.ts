import type { Cage, Operation } from '@ample-skin/core/cage';
import { metaOf } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { z } from 'zod';
import { defaultOf, keepDraft, openStep, setParams, startTool } from '../state/draft.ts';
import { getStudio, stepOf } from '../state/state.ts';
import { cageOf, freshOperation, onHalf, readableOperations } from './caging.ts';

/** Name of the parameter of a step that holds operations on a cage. */
const keyOf = (tool: string): string | undefined =>
  Object.entries((TOOLS.get(tool)?.params.shape ?? {}) as Record<string, z.ZodType>).find(
    ([, f]) => metaOf(f).control === 'operations',
  )?.[0];

/**
 * An operation on a cage, wherever it is told of: put behind those of the step that made the cage, when that is a list of them, else as the first of
 * a new step on it. The step stands open afterwards.
 */
export function addOperation(piece: string, make: (id: string) => Operation): void {
  const [id, output] = [piece.slice(0, piece.indexOf('/')), piece.slice(piece.indexOf('/') + 1)];
  if (getStudio().draft) keepDraft();
  const step = stepOf(id);
  const key = step && keyOf(step.tool);
  if (step && key) {
    const list = readableOperations(step.params[key] ?? defaultOf(step.tool, key));
    if (!list) return;
    openStep(id);
    const display = getStudio().pieces.get(piece)?.display;
    const cage = display?.kind === 'body' && display.cage ? cageOf(display.cage) : undefined;
    setParams(id, { [key]: [...list, onOneSide(cage, make(freshOperation(list)))] });
    return;
  }
  // in a step of its own there is no mirror yet
  startTool('cage-edit', { cage: [{ step: id, output }] }, { operations: [make('k1')] });
  const made = getStudio().draft?.step.id;
  keepDraft();
  openStep(made);
}
/** Names on the side that is edited, where there is a mirror. */
function onOneSide(c: Cage | undefined, o: Operation): Operation {
  if ('vertices' in o) return { ...o, vertices: [...new Set(o.vertices.map((n) => onHalf(c, 'vertex', n)))] };
  if ('faces' in o) return { ...o, faces: [...new Set(o.faces.map((n) => onHalf(c, 'face', n)))] };
  return o;
}
