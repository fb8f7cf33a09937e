import { type Body, combineBodies, massProperties, subBody, untrimmedFace, withShells } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { defineEvaluation, failure, type Input, inputBody, surfaceFacts } from '../recipe/index.ts';
import tool from './copy-faces.ts';

export default defineEvaluation(tool, (inputs, p) => {
  // faces of one body stay together
  const groups = new Map<Body, Input[]>();
  for (const i of inputs.faces) {
    const b = inputBody(i);
    if (!b) return failure('not-a-face', 'Pick faces of skins or solids');
    groups.set(b, [...(groups.get(b) ?? []), i]);
  }
  const parts = [...groups].flatMap(([b, list]): Body[] => {
    const picked = list.some((i) => i.face === undefined) ? b.faces.map((_, i) => i) : [...new Set(list.map((i) => i.face as number))];
    return p.whole ? picked.map((f) => untrimmedFace(b.faces[f])) : [subBody(b, picked)];
  });
  const body = parts.length === 1 ? parts[0] : withShells(combineBodies(parts));
  return {
    outputs: { main: { kind: 'skin', body: { ...body, solids: [] } } },
    facts: [
      { label: 'faces', value: String(body.faces.length) },
      ...surfaceFacts(body.faces.map((f) => f.surface)),
      { label: 'area', value: `${formatNumber(massProperties(body).area, 3)} mm²` },
    ],
  };
});
