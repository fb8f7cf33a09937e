import { type Body, bodyBox, massProperties, subBody } from '../brep/index.ts';
import { type CutProblem, type CutterOptions, cutAndKeep, type Kept, knitBodies, placesByTarget } from '../joins/index.ts';
import { boxSize, formatNumber, type Vec3 } from '../math/index.ts';
import {
  bodyPiece,
  cuttersOf,
  type Diagnostic,
  defineEvaluation,
  failure,
  growable,
  inputBody,
  type Piece,
  regionMarks,
  type ToolContext,
  type ToolResult,
  withinFact,
} from '../recipe/index.ts';
import tool from './trim.ts';

type Given = Parameters<Parameters<typeof defineEvaluation<typeof tool.params, typeof tool.slots>>[1]>;
interface Cut {
  readonly whole: Kept;
  readonly cutters: readonly Body[];
}

export default defineEvaluation(tool, async (inputs, p, context) => {
  const targets: Body[] = [];
  const all = [...inputs.target, ...inputs.more];
  for (const [i, input] of all.entries()) {
    const b = inputBody(input);
    if (!b)
      return failure(
        'not-a-skin',
        `${all.length > 1 ? `Piece ${i + 1} is neither skin nor solid: only` : 'Only'} skins and solids can be cut`,
      );
    targets.push(b);
  }
  const diagnostics: Diagnostic[] = [];
  const keep = p.mode === 'split' ? 'all' : p.keep;
  const places = placesByTarget(targets, p.keep === 'picked' ? p.places : []);
  const cuts: Cut[] = [];
  const missed: { i: number; problem: CutProblem }[] = [];
  for (const [i, target] of targets.entries()) {
    const r = await cutOne(target, inputs, p, keep, places[i], context, diagnostics);
    if ('failed' in r) return r.failed;
    if ('problem' in r) missed.push({ i, problem: r });
    else cuts.push(r);
    // a piece of several that is not reached stays as it is
    if ('problem' in r && !(r.missed && targets.length > 1)) return failure('no-cut', nth(i, targets.length) + r.problem, r.place);
  }
  if (!cuts.length) return failure('no-cut', missed[0].problem.problem, missed[0].problem.place);
  if (missed.length)
    diagnostics.push({
      severity: 'warning',
      code: 'not-reached',
      message: `${missed.length === 1 ? `Piece ${missed[0].i + 1} is` : `${missed.length} pieces are`} not reached by any cutter and ${missed.length === 1 ? 'stays' : 'stay'} whole`,
      place: missed.flatMap((m) => m.problem.place ?? []),
    });
  const outputs: Record<string, Piece> = {};
  const put = (b: Body) => {
    const n = Object.keys(outputs).length;
    outputs[n === 0 ? 'main' : `part${n + 1}`] = bodyPiece(b);
  };
  if (p.mode === 'split')
    targets.forEach((target, i) => {
      const cut = cutOf(i);
      if (!cut) put(target);
      else for (const r of cut.whole.regions) put(target.solids.length ? r.body : subBody(cut.whole.body, r.region.faces));
    });
  else if (p.mode === 'both') {
    if (inputs.cutters.some((c) => !inputBody(c)))
      return failure('both-needs-skins', 'Only skins can cut each other: choose "One" for planes and curves');
    const others: Body[] = [];
    for (const t of cuts[0].cutters) {
      const r = await cutAndKeep(t, targets, p.keep, p.places, context);
      if ('problem' in r) return failure('no-cut', r.problem, r.place);
      others.push(r.kept);
    }
    const knitted = knitBodies([...cuts.map((c) => c.whole.kept), ...others], Math.max(10 * context.tolerance, 1e-4));
    put(knitted.body);
    if (knitted.crowded) diagnostics.push({ severity: 'warning', code: 'crowded', message: 'More than two faces meet along the cut' });
  } else
    targets.forEach((target, i) => {
      put(cutOf(i)?.whole.kept ?? target);
    });
  function cutOf(i: number): Cut | undefined {
    const before = missed.filter((m) => m.i < i).length;
    return missed.some((m) => m.i === i) ? undefined : cuts[i - before];
  }
  const touches = cuts.flatMap((c) => c.whole.told.touches);
  if (touches.length)
    diagnostics.push({
      severity: 'note',
      code: 'touches',
      message: `Cutter and skin touch without crossing at ${touches.length === 1 ? 'one place' : `${touches.length} places`}: nothing is cut there`,
      place: touches.map((t) => t.at),
    });
  const marks = cuts.flatMap(({ whole }) => regionMarks(whole, p.mode === 'split'));
  const regions = cuts.reduce((n, c) => n + c.whole.regions.length, 0);
  const off = Math.max(...cuts.map((c) => c.whole.told.off));
  const kernel = [...new Set(cuts.flatMap((c) => (c.whole.told.kernel ? [c.whole.told.kernel] : [])))];
  const area = Object.values(outputs).reduce((n, x) => n + ('body' in x ? massProperties(x.body, undefined, true).area : 0), 0);
  return {
    outputs,
    diagnostics,
    marks,
    facts: [
      { label: 'pieces', value: String(regions) },
      ...(kernel.length ? [{ label: 'cut by', value: `kernel (${kernel.join('; ')})` }] : []),
      ...(off > 0 ? [withinFact('cut within', off, 0.1 * context.tolerance)] : []),
      { label: 'kept', value: String(p.mode === 'split' ? regions : cuts.reduce((n, c) => n + c.whole.keptIndex.size, 0)) },
      { label: 'area kept', value: `${formatNumber(area, 2)} mm²` },
    ],
  };
});
const nth = (i: number, of: number): string => (of > 1 ? `Piece ${i + 1}: ` : '');

/** Cuts one target; what ends inside, or before it gets there, is carried on: by little first, and it is told. */
async function cutOne(
  target: Body,
  inputs: Given[0],
  p: Given[1],
  keep: 'picked' | 'front' | 'behind' | 'all',
  places: readonly Vec3[],
  context: ToolContext,
  diagnostics: Diagnostic[],
): Promise<Cut | CutProblem | { failed: ToolResult }> {
  const cuttersFor = (extend?: CutterOptions['extend']) =>
    cuttersOf(inputs.cutters, target, { direction: p.direction, tolerance: context.tolerance, extend }, context.stepId);
  const own = cuttersFor();
  if (!own.ok) return own;
  const first = await cutAndKeep(target, own.cutters, keep, places, context);
  if (!('problem' in first)) return { whole: first, cutters: own.cutters };
  if ((first.short || first.missed) && growable(inputs.cutters) && p.extend !== 'none')
    for (const share of first.missed ? [0.15, 0.5] : [0.15, 0.5, 1.2]) {
      const by = share * boxSize(bodyBox(target));
      const longer = cuttersFor({ by, how: p.extend });
      if (!longer.ok) break;
      const next = await cutAndKeep(target, longer.cutters, keep, places, context);
      if ('problem' in next) {
        if (next.short || next.missed) continue;
        return next;
      }
      diagnostics.push({
        severity: first.missed ? 'warning' : 'note',
        code: 'extended',
        message: `The cutter ${first.missed ? 'ended before the skin' : 'was too short'} and was carried on ${p.extend === 'linear' ? 'straight' : 'with its own curvature'} by up to ${formatNumber(by, 1)} mm`,
        place: first.place,
      });
      return { whole: next, cutters: longer.cutters };
    }
  return first;
}
