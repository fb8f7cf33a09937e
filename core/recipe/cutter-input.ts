import type { Body } from '../brep/index.ts';
import { type CutterOptions, curveCutter, extendSkin, type Kept, planeCutter } from '../joins/index.ts';
import { inputBody, inputCurves, inputPlane } from './inputs.ts';
import { failure, type Input, type Mark, type ToolResult } from './tool.ts';

/** What an input cuts with: a curve swept along its direction, a skin (carried on when asked), a plane; or why it cannot cut. */
function cutterOf(input: Input, target: Body, o: CutterOptions): Body | string {
  const curves = inputCurves(input);
  if (curves.length) return curveCutter(curves, target, { ...o, upright: input.piece.kind === 'curve' ? input.piece.plane?.z : undefined });
  const body = inputBody(input);
  if (body && input.face === undefined) return (o.extend && extendSkin(body, o.extend.by, o.extend.how)) || body;
  const plane = inputPlane(input);
  return plane ? planeCutter(plane, target) : 'it is neither a skin, a plane nor a curve';
}
/** Can any of the cutters be carried on? Planes reach everywhere already. */
export const growable = (inputs: readonly Input[]): boolean =>
  inputs.some((i) => inputCurves(i).length > 0 || (inputBody(i) && i.face === undefined));

/** Cutters of a step; when one cannot cut, the failure with the directions it could be given in the step `id`. */
export function cuttersOf(
  inputs: readonly Input[],
  target: Body,
  o: CutterOptions,
  id: string,
): { ok: true; cutters: Body[] } | { ok: false; failed: ToolResult } {
  const made = inputs.map((input) => cutterOf(input, target, o));
  const bad = made.findIndex((c) => typeof c === 'string');
  if (bad < 0) return { ok: true, cutters: made as Body[] };
  // a straight line has no plane of its own: the directions it can be cut along are offered
  const source = inputs[bad].piece;
  const offer = (label: string, direction: string) => ({ label, changes: [{ type: 'setStep' as const, id, params: { direction } }] });
  const ways = [
    ...(source.kind === 'curve' && source.plane ? [offer("Cut along its work plane's z", 'upright')] : []),
    offer('Cut along the normals', 'normal'),
    ...['x', 'y', 'z'].map((d) => offer(`Cut along ${d}`, d)),
  ];
  const curve = inputCurves(inputs[bad]).length > 0;
  return { ok: false, failed: failure('cutter', `Cutter ${bad + 1}: ${made[bad]}`, undefined, curve ? ways : undefined) };
}
/** Dots in the view for the pieces of a cut: green where they are kept. */
export const regionMarks = (cut: Kept, all = false): Mark[] =>
  cut.regions.map(
    (r, i): Mark => ({
      kind: 'region',
      body: cut.body,
      faces: r.region.faces,
      at: r.region.at,
      kept: all || cut.keptIndex.has(i),
    }),
  );
