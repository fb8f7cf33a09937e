import { separateFaces, topologyOf } from '../brep/index.ts';
import { bodyPiece, defineEvaluation, failure, inputBody, type Piece } from '../recipe/index.ts';
import tool from './unknit.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const skin = inputBody(inputs.faces[0]);
  if (!skin) return failure('not-a-skin', 'Pick faces or a skin');
  const source = inputs.faces[0].pick;
  if (inputs.faces.some((i) => i.pick.step !== source.step || i.pick.output !== source.output))
    return failure('several-skins', 'All faces must belong to one skin: use one step for each skin');
  const whole = inputs.faces.some((i) => i.face === undefined);
  const picked = whole ? skin.faces.map((_, i) => i) : [...new Set(inputs.faces.flatMap((i) => (i.face === undefined ? [] : [i.face])))];
  const rest = skin.faces.map((_, i) => i).filter((i) => !picked.includes(i));
  const groups = [...(rest.length ? [rest] : []), ...(p.together && !whole ? [picked] : picked.map((i) => [i]))];
  const outputs: Record<string, Piece> = {};
  separateFaces(skin, groups).forEach((b, i) => {
    outputs[i === 0 ? 'main' : `part${i + 1}`] = bodyPiece(b);
  });
  return {
    outputs,
    facts: [
      { label: 'skins', value: String(groups.length) },
      {
        label: 'seams let go',
        value: String(topologyOf(skin).seams.length - separateFaces(skin, groups).reduce((s, b) => s + topologyOf(b).seams.length, 0)),
      },
    ],
  };
});
