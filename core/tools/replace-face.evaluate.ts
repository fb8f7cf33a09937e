import { flipBody, isWatertight, orientConsistently, rimDistance, subBody, topologyOf } from '../brep/index.ts';
import { knitBodies } from '../joins/index.ts';
import { formatNumber } from '../math/index.ts';
import { bodyPiece, type Diagnostic, defineEvaluation, failure, inputBody } from '../recipe/index.ts';
import { outwardFlux } from '../skins/index.ts';
import tool from './replace-face.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const skin = inputBody(inputs.faces[0]);
  const other = inputBody(inputs.by[0]);
  if (!skin || !other) return failure('not-a-skin', 'Pick faces of a skin, and the skin that takes their place');
  const source = inputs.faces[0].pick;
  if (inputs.faces.some((i) => i.pick.step !== source.step || i.pick.output !== source.output))
    return failure('several-skins', 'All faces must belong to one skin');
  const gone = new Set(inputs.faces.flatMap((i) => (i.face === undefined ? [] : [i.face])));
  const rest = subBody(
    skin,
    skin.faces.map((_, i) => i).filter((i) => !gone.has(i)),
  );
  if (!rest.faces.length) return failure('nothing-left', 'No face would be left of the first skin: use the other skin by itself');
  const off = rimDistance(other, rest);
  if (off.distance > p.tolerance)
    return failure(
      'rims-apart',
      `The rim of the new skin is up to ${formatNumber(off.distance, 4)} mm away from the opening: trim it to the opening first, or allow more`,
      [off.at],
    );
  const sewn = knitBodies([rest, other], p.tolerance);
  let body = orientConsistently(sewn.body).body;
  if (outwardFlux(body) < 0) body = flipBody(body);
  const rims = topologyOf(body).rims.length;
  const diagnostics: Diagnostic[] =
    rims > topologyOf(skin).rims.length
      ? [
          {
            severity: 'warning',
            code: 'rims-open',
            message: 'Parts of the opening stay open: widen "Within" or trim the new skin to the opening',
            place: [off.at],
          },
        ]
      : [];
  return {
    outputs: { main: bodyPiece({ ...body, solids: [] }) },
    diagnostics,
    facts: [
      { label: 'faces', value: String(body.faces.length) },
      { label: 'state', value: isWatertight(body) ? 'watertight' : `${rims} edges open` },
    ],
  };
});
