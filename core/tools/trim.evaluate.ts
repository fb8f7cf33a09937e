import { type Body, bodyBox, massProperties, subBody } from '../brep/index.ts';
import { type CutterOptions, curveCutter, cutAndKeep, extendSkin, knitBodies, planeCutter } from '../joins/index.ts';
import { boxSize, formatNumber } from '../math/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  type Mark,
  type Piece,
  withinFact,
} from '../recipe/index.ts';
import tool from './trim.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const target = inputBody(inputs.target[0]);
  if (!target) return failure('not-a-skin', 'Only skins and solids can be cut');
  const keep = p.mode === 'split' ? 'all' : p.keep;
  const cuttersFor = (extend?: CutterOptions['extend']) =>
    inputs.cutters.map((input) => cutterOf(input, target, { direction: p.direction, tolerance: context.tolerance, extend }));
  let cutters = cuttersFor();
  const bad = cutters.findIndex((c) => typeof c === 'string');
  if (bad >= 0) {
    // a straight line has no plane of its own: the directions it can be cut along are offered
    const source = inputs.cutters[bad].piece;
    const offer = (label: string, direction: string) => ({
      label,
      changes: [{ type: 'setStep' as const, id: context.stepId, params: { direction } }],
    });
    const ways = [
      ...(source.kind === 'curve' && source.plane ? [offer("Cut along its work plane's z", 'upright')] : []),
      offer('Cut along the normals', 'normal'),
      ...['x', 'y', 'z'].map((d) => offer(`Cut along ${d}`, d)),
    ];
    const curve = inputCurves(inputs.cutters[bad]).length > 0;
    return failure('cutter', `Cutter ${bad + 1}: ${cutters[bad]}`, undefined, curve ? ways : undefined);
  }
  const diagnostics: Diagnostic[] = [];
  let first = await cutAndKeep(target, cutters as Body[], keep, p.places, context);
  // what ends inside, or before it gets there, is carried on: by little first, and it is told
  const growable = inputs.cutters.some((i) => inputCurves(i).length > 0 || (inputBody(i) && i.face === undefined));
  if ('problem' in first && (first.short || first.missed) && growable && p.extend !== 'none')
    for (const share of first.missed ? [0.15, 0.5] : [0.15, 0.5, 1.2]) {
      const by = share * boxSize(bodyBox(target));
      const longer = cuttersFor({ by, how: p.extend });
      if (longer.some((c) => typeof c === 'string')) break;
      const next = await cutAndKeep(target, longer as Body[], keep, p.places, context);
      if ('problem' in next && (next.short || next.missed)) continue;
      diagnostics.push({
        severity: first.missed ? 'warning' : 'note',
        code: 'extended',
        message: `The cutter ${first.missed ? 'ended before the skin' : 'was too short'} and was carried on ${p.extend === 'linear' ? 'straight' : 'with its own curvature'} by up to ${formatNumber(by, 1)} mm`,
        place: first.place,
      });
      cutters = longer;
      first = next;
      break;
    }
  if ('problem' in first) return failure('no-cut', first.problem, first.place);
  const outputs: Record<string, Piece> = {};
  const whole = first;
  if (p.mode === 'split') {
    const loose = target.solids.length > 0;
    whole.regions.forEach((r, i) => {
      outputs[i === 0 ? 'main' : `part${i + 1}`] = bodyPiece(loose ? r.body : subBody(whole.body, r.region.faces));
    });
  } else if (p.mode === 'both') {
    if (inputs.cutters.some((c) => !inputBody(c)))
      return failure('both-needs-skins', 'Only skins can cut each other: choose "One" for planes and curves');
    const others: Body[] = [];
    for (const t of cutters as Body[]) {
      const r = await cutAndKeep(t, [target], p.keep, p.places, context);
      if ('problem' in r) return failure('no-cut', r.problem, r.place);
      others.push(r.kept);
    }
    const knitted = knitBodies([whole.kept, ...others], Math.max(10 * context.tolerance, 1e-4));
    outputs.main = bodyPiece(knitted.body);
    if (knitted.crowded) diagnostics.push({ severity: 'warning', code: 'crowded', message: 'More than two faces meet along the cut' });
  } else outputs.main = bodyPiece(whole.kept);
  if (whole.told.touches.length)
    diagnostics.push({
      severity: 'note',
      code: 'touches',
      message: `Cutter and skin touch without crossing at ${whole.told.touches.length === 1 ? 'one place' : `${whole.told.touches.length} places`}: nothing is cut there`,
      place: whole.told.touches.map((t) => t.at),
    });
  const marks: Mark[] = whole.regions.map((r, i) => ({
    kind: 'region',
    body: whole.body,
    faces: r.region.faces,
    at: r.region.at,
    kept: p.mode === 'split' || whole.keptIndex.has(i),
  }));
  return {
    outputs,
    diagnostics,
    marks,
    facts: [
      { label: 'pieces', value: String(whole.regions.length) },
      ...(whole.told.kernel ? [{ label: 'cut by', value: `kernel (${whole.told.kernel})` }] : []),
      ...(whole.told.off > 0 ? [withinFact('cut within', whole.told.off, 0.1 * context.tolerance)] : []),
      { label: 'kept', value: String(p.mode === 'split' ? whole.regions.length : whole.keptIndex.size) },
      {
        label: 'area kept',
        value: `${formatNumber(outputs.main.kind === 'skin' || outputs.main.kind === 'solid' ? massProperties(outputs.main.body, undefined, true).area : 0, 2)} mm²`,
      },
    ],
  };
});

function cutterOf(input: Input, target: Body, o: CutterOptions): Body | string {
  const curves = inputCurves(input);
  if (curves.length) return curveCutter(curves, target, { ...o, upright: input.piece.kind === 'curve' ? input.piece.plane?.z : undefined });
  const body = inputBody(input);
  if (body && input.face === undefined) return (o.extend && extendSkin(body, o.extend.by, o.extend.how)) || body;
  const plane = inputPlane(input);
  return plane ? planeCutter(plane, target) : 'it is neither a skin, a plane nor a curve';
}
