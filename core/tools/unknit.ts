import { z } from 'zod';
import { separateFaces, topologyOf } from '../brep/index.ts';
import { bodyPiece, defineTool, failure, inputBody, type Piece, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'unknit',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Unknit',
  hint: 'Lets faces go of each other: the picked ones, or every face of a skin, become skins of their own',
  icon: ['M4 6c4 2 6 2 8 0M12 18c3-2 5-2 8 0', 'M9 6v12M15 6v12', 'M11 12h2'],
  slots: {
    faces: slot({
      label: 'Faces',
      accepts: ['face', 'body'],
      min: 1,
      max: 500,
      consumes: true,
      hint: 'Faces of one skin, or the whole skin',
    }),
  },
  params: z.object({
    together: param.toggle({ label: 'Keep the picked together', default: false }),
  }),
  examples: [{ params: {} }],
  evaluate(inputs, p) {
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
  },
});
