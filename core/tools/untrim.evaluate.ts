import { type Body, combineBodies, healHoles, shrinkFace, untrimmedFace, withShells } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { bodyPiece, defineEvaluation, failure, inputBody, type Piece } from '../recipe/index.ts';
import tool from './untrim.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const skin = inputBody(inputs.faces[0]);
  if (!skin) return failure('not-a-skin', 'Pick faces or a skin');
  const source = inputs.faces[0].pick;
  if (inputs.faces.some((i) => i.pick.step !== source.step || i.pick.output !== source.output))
    return failure('several-skins', 'All faces must belong to one skin: use one step for each skin');
  const whole = inputs.faces.some((i) => i.face === undefined);
  const faces = whole ? skin.faces.map((_, i) => i) : inputs.faces.flatMap((i) => (i.face === undefined ? [] : [i.face]));
  if (p.what === 'all') {
    const outputs: Record<string, Piece> = {};
    const free: Body[] = faces.map((f) => untrimmedFace(skin.faces[f]));
    free.forEach((b, i) => {
      outputs[i === 0 ? 'main' : `part${i + 1}`] = bodyPiece(b);
    });
    return { outputs, facts: [{ label: 'whole faces', value: String(free.length) }] };
  }
  if (p.what === 'holes') {
    const only = inputs.holes.length ? new Set(inputs.holes.flatMap((i) => (i.edge === undefined ? [] : [i.edge]))) : undefined;
    const r = healHoles(skin, faces, only);
    if (!r.healed)
      return failure(
        'no-holes',
        only
          ? 'None of the picked edges belongs to an open hole of these faces'
          : 'These faces have no open holes: a hole that another face fills must be freed first',
      );
    return { outputs: { main: bodyPiece({ ...r.body, solids: [] }) }, facts: [{ label: 'holes healed', value: String(r.healed) }] };
  }
  let removed = 0;
  const list = skin.faces.map((f, i) => {
    if (!faces.includes(i)) return f;
    const r = shrinkFace(skin, i);
    removed = Math.max(removed, r.removed);
    return r.face;
  });
  const body: Body = { ...skin, faces: list };
  return {
    outputs: { main: bodyPiece(skin.solids.length ? body : withShells(combineBodies([body]))) },
    facts: [{ label: 'surface removed', value: `up to ${formatNumber(100 * removed, 1)} %` }],
  };
});
