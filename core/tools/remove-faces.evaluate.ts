import { type Body, builderFrom, capRim, healHoles, rimChains, subBody, topologyOf } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { bodyPiece, type Diagnostic, defineEvaluation, failure, inputBody } from '../recipe/index.ts';
import { patchRim } from '../skins/index.ts';
import tool from './remove-faces.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const skin = inputBody(inputs.faces[0]);
  if (!skin) return failure('not-a-skin', 'Pick faces of a skin');
  const source = inputs.faces[0].pick;
  if (inputs.faces.some((i) => i.pick.step !== source.step || i.pick.output !== source.output))
    return failure('several-skins', 'All faces must belong to one skin: use one step for each skin');
  const gone = new Set(inputs.faces.flatMap((i) => (i.face === undefined ? [] : [i.face])));
  const rest = skin.faces.map((_, i) => i).filter((i) => !gone.has(i));
  if (!rest.length) return failure('nothing-left', 'No face would be left: mute or remove the step that made the skin instead');
  // rims there were before are not ours to heal
  const before = new Set(topologyOf(skin).rims.map((e) => skin.edges[e].name));
  let body: Body = subBody(skin, rest);
  const facts = [{ label: 'faces removed', value: String(gone.size) }];
  const diagnostics: Diagnostic[] = [];
  if (p.heal !== 'open') {
    const mine = (b: Body, e: number) => !before.has(b.edges[e].name);
    const { rims } = topologyOf(body);
    const holes = healHoles(
      body,
      body.faces.map((_, i) => i),
      new Set(rims.filter((e) => mine(body, e))),
    );
    body = holes.body;
    const k = builderFrom(body);
    let patches = 0;
    for (const chain of rimChains(body)) {
      if (!chain.every((e) => mine(body, e))) continue;
      const name = `${context.stepId}:healed${patches ? patches + 1 : ''}`;
      if (capRim(k, chain, name, context.tolerance).added >= 0) {
        patches++;
        continue;
      }
      const r = patchRim(k, chain, name, p.heal === 'curved' ? 2 : 1, undefined, { steepest: 60 });
      if (!r.ok) {
        diagnostics.push({
          severity: 'warning',
          code: 'not-healed',
          message: `An opening stays: ${r.message}`,
          place: r.place && [r.place],
        });
        continue;
      }
      patches++;
      facts.push({ label: 'healed within', value: `${formatNumber(r.result.gap, 6)} mm, ${formatNumber(r.result.kink, 4)}°` });
    }
    body = k.body();
    facts.push({ label: 'holes taken out', value: String(holes.healed) }, { label: 'openings filled', value: String(patches) });
  }
  return { outputs: { main: bodyPiece({ ...body, solids: [] }) }, diagnostics, facts };
});
