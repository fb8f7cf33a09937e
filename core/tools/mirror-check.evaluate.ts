import { type Frame, formatNumber, frameFromNormal, WORLD } from '../math/index.ts';
import { type MirrorSeam, mirrorEndsOf, mirrorSeamsOf } from '../proof/index.ts';
import {
  type Change,
  type Diagnostic,
  defineEvaluation,
  type Fact,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  type Pick,
  partName,
  partPlace,
  type RecipeEdit,
} from '../recipe/index.ts';
import tool from './mirror-check.ts';

const small = (x: number) => (x < 1e-7 ? '0' : formatNumber(x, 6));
const worldPlane = (w: 'xy' | 'xz' | 'yz'): Frame =>
  w === 'xy' ? WORLD : frameFromNormal(WORLD.origin, w === 'xz' ? WORLD.y : WORLD.x, w === 'xz' ? WORLD.x : WORLD.y);

export default defineEvaluation(tool, (inputs, p, context) => {
  const picked = inputs.plane[0];
  const frame = picked ? inputPlane(picked) : worldPlane(p.world);
  if (!frame) return failure('not-flat', 'The mirror plane picked is not flat');
  const facts: Fact[] = [];
  const diagnostics: Diagnostic[] = [];
  const picks = [...new Set(inputs.halves.map((h) => h.pick))];
  for (const [i, half] of inputs.halves.entries()) {
    const body = half.edge === undefined && !half.chain ? inputBody(half) : undefined;
    const list = body ? mirrorSeamsOf(body, frame) : mirrorEndsOf(inputCurves(half), frame);
    const name = half.name ?? `half ${i + 1}`;
    if (!list.length) {
      diagnostics.push({
        severity: 'warning',
        code: 'not-there',
        message: `${body ? 'No rim' : 'No end'} of ${name} lies in the mirror plane: bring it there first, or choose another plane`,
      });
      continue;
    }
    for (const [k, s] of list.entries()) {
      facts.push({
        label: list.length > 1 ? `${name}, ${s.end ?? `rim ${k + 1}`}` : name,
        value: `${s.grade === 'open' ? 'open' : s.grade}: ${small(s.gap)} mm, ${small(s.kink)}°`,
      });
      if (s.grade === 'G2') continue;
      const edit = squared(context.stepId, half, s, picks, picked?.pick, p.world);
      diagnostics.push({
        severity: 'warning',
        code: 'mirror-seam',
        message: `${name} ${s.grade === 'open' ? `ends ${formatNumber(s.gap / 2, 4)} mm beside its mirror plane` : `meets its image with a kink of ${formatNumber(s.kink, 3)}°`} at the mark`,
        place: [s.at],
        suggestions: edit ? [edit] : [],
      });
    }
  }
  return { outputs: {}, facts, diagnostics };
});

/** The half made square to the plane by a match before this step; this step, and it alone, looks at the result. */
function squared(
  id: string,
  half: Input,
  s: MirrorSeam,
  picks: readonly Pick[],
  plane: Pick | undefined,
  world: 'xy' | 'xz' | 'yz',
): RecipeEdit | undefined {
  const body = inputBody(half);
  const step = `${id.slice(0, 60)}-square-${half.pick.step.slice(0, 60)}-${s.of}${s.end ?? ''}`;
  const flat = `${id.slice(0, 60)}-plane`;
  const changes: Change[] = [];
  // a world plane has no pick of its own: a work plane stands in for it
  const turns = { xy: [0, 0, 0], xz: [90, 0, 0], yz: [0, 90, 0] }[world];
  if (!plane)
    changes.push({
      type: 'addStep',
      step: { id: flat, tool: 'work-plane', version: 1, inputs: {}, params: { turns }, name: 'Mirror plane' },
      before: id,
    });
  const to: Pick = plane ?? { step: flat, output: 'main' };
  if (body && half.edge === undefined) {
    const part = {
      kind: 'edge' as const,
      name: partName(body, 'edge', s.of),
      near: partPlace(body, 'edge', s.of) as [number, number, number],
    };
    changes.push({
      type: 'addStep',
      step: {
        id: step,
        tool: 'match-edge',
        version: 1,
        inputs: { edge: [{ step: half.pick.step, output: half.pick.output, part, settings: { grade: '2' } }], to: [to] },
        params: {},
      },
      before: id,
    });
  } else if (!body)
    changes.push({
      type: 'addStep',
      step: {
        id: step,
        tool: 'match-curve',
        version: 1,
        inputs: { curve: [half.pick], to: [to] },
        params: { end: s.end ?? 'auto', grade: '2', room: true },
      },
      before: id,
    });
  else return undefined;
  // the check looks at what came of it
  changes.push({
    type: 'setStep',
    id,
    inputs: { halves: picks.map((q) => (q === half.pick ? { step, output: 'main' } : q)), plane: [to] },
  });
  return { label: `Make it square to the plane${s.end ? ` at its ${s.end}` : ''}`, changes };
}
