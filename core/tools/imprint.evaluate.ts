import { type Body, massProperties } from '../brep/index.ts';
import { imprintOn } from '../joins/index.ts';
import { formatNumber } from '../math/index.ts';
import { bodyPiece, cuttersOf, type Diagnostic, defineEvaluation, failure, inputBody, withinFact } from '../recipe/index.ts';
import tool from './imprint.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const target = inputBody(inputs.target[0]);
  if (!target) return failure('not-a-skin', 'Pick a skin, a solid, or faces of one');
  const source = inputs.target[0].pick;
  if (inputs.faces.some((i) => i.face === undefined || i.pick.step !== source.step || i.pick.output !== source.output))
    return failure('other-faces', 'The faces must belong to what is divided');
  const whole = !inputs.faces.length;
  const only = whole ? undefined : new Set(inputs.faces.map((i) => target.faces[i.face as number].name));
  const lines = cuttersOf(inputs.lines, target, { direction: p.direction, tolerance: context.tolerance }, context.stepId);
  if (!lines.ok) return lines.failed;
  const r = imprintOn(target, lines.cutters, only, {
    fit: 0.005 * context.tolerance,
    name: context.stepId,
    pause: () => context.signal?.throwIfAborted(),
  });
  if (!r.ok)
    return failure(
      'not-imprinted',
      `The lines cannot be followed surely: ${r.why}. Move them by a little, or pick fewer faces`,
      r.at && [r.at],
    );
  if (!r.edges)
    return failure(
      'no-line',
      r.loose.length
        ? 'A line ends inside a face, so it divides nothing: let it run from border to border, or close it'
        : `The lines do not meet ${whole ? 'it' : 'the faces picked'}: nothing was drawn`,
      r.loose.length ? r.loose : undefined,
    );
  const diagnostics: Diagnostic[] = [];
  if (r.loose.length)
    diagnostics.push({
      severity: 'warning',
      code: 'loose',
      message: `A line ends inside a face at ${r.loose.length === 1 ? 'one place' : `${r.loose.length} places`} and was left out there: only what runs from border to border divides a face`,
      place: r.loose,
    });
  if (r.touches.length)
    diagnostics.push({
      severity: 'note',
      code: 'touches',
      message: 'A line only touches the skin here: nothing is drawn',
      place: r.touches.map((t) => t.at),
    });
  const area = (b: Body) => massProperties(b, undefined, true).area;
  const [before, after] = [area(target), area(r.body)];
  return {
    outputs: { main: bodyPiece(r.body) },
    diagnostics,
    facts: [
      { label: 'faces', value: `${target.faces.length} before, ${r.body.faces.length} after` },
      { label: 'new edges', value: String(r.edges) },
      ...(r.off > 0 ? [withinFact('edges within', r.off, 0.1 * context.tolerance)] : []),
      { label: 'area', value: `${formatNumber(after, 2)} mm²`, number: Math.abs(after - before), limit: 1e-6 * before },
    ],
  };
});
