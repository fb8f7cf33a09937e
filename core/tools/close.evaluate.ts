import { type Body, builderFrom, capRim, edgePoint, isWatertight, makeSolid, rimChains } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { planeOf } from '../nurbs/index.ts';
import { measureRims } from '../proof/index.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody, secondLooks } from '../recipe/index.ts';
import { type PatchResult, patchRim } from '../skins/index.ts';
import tool from './close.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const skin = inputBody(inputs.skin[0]);
  if (!skin) return failure('not-a-skin', 'Pick a skin');
  const diagnostics: Diagnostic[] = [];
  let body = skin;
  let caps = 0;
  const patches: PatchResult[] = [];
  const reasons: string[] = [];
  const ways: string[] = [];
  if (
    inputs.own.some((i) => i.pick.step !== inputs.skin[0].pick.step || i.pick.output !== inputs.skin[0].pick.output || i.edge === undefined)
  )
    return failure('other-skin', 'The edges under "Own way" must be open edges of the skin that is closed');
  const chains = isWatertight(skin) ? [] : rimChains(skin);
  const astray = inputs.own.find((i) => !chains.some((c) => c.includes(i.edge as number)));
  if (astray) return failure('no-rim', 'An edge under "Own way" belongs to no open rim', [pointOn(skin, astray.edge as number)]);
  const k = builderFrom(skin);
  for (const chain of chains) {
    const own = inputs.own.find((i) => chain.includes(i.edge as number))?.settings.way;
    const name = (kind: 'cap' | 'patch', n: number) => `${context.stepId}:${kind}${n ? n + 1 : ''}`;
    if (own === 'flat' || (!own && p.caps)) {
      if (capRim(k, chain, name('cap', caps), p.flatness).added >= 0) {
        caps++;
        ways.push('flat');
        continue;
      }
      if (own)
        return failure('not-flat', `This rim is not flat within ${formatNumber(p.flatness)} mm: close it smooth or touching`, [
          pointOn(skin, chain[0]),
        ]);
    }
    const flat = planeOf(chain.map((e) => skin.edges[e].curve));
    const way = own ?? p.patches;
    if (way === 'none' || (!own && flat && flat.deviation <= p.flatness)) continue;
    const r = patchRim(k, chain, name('patch', patches.length), way === 'smooth' ? 1 : 0, undefined, { steepest: 60 });
    if (r.ok) {
      patches.push(r.result);
      ways.push(way === 'smooth' ? 'smooth' : 'touching');
    } else reasons.push(r.message);
  }
  if (chains.length) body = k.body();
  if (!isWatertight(body)) {
    const rims = measureRims(body);
    const total = rims.reduce((s, r) => s + r.length, 0);
    return failure(
      'rims-open',
      `${rims.length === 1 ? 'A rim' : `${rims.length} rims`} of ${formatNumber(total, 3)} mm ${rims.length === 1 ? 'is' : 'are'} still open${reasons.length ? ` (${reasons[0]})` : p.caps && p.patches !== 'none' ? '' : ', and closing them is switched off'}: fill ${rims.length === 1 ? 'it' : 'them'} with a skin and knit first`,
      rims.map((r) => r.at),
    );
  }
  const solid = makeSolid(body);
  if (!solid.ok) return failure('no-solid', `No solid: ${solid.message}`, solid.place ? [solid.place] : undefined);
  const looks = secondLooks(solid.body, context);
  return {
    outputs: { main: { kind: 'solid', body: solid.body } },
    later: looks.later,
    diagnostics,
    facts: [
      looks.volume,
      looks.area,
      { label: 'caps added', value: String(caps) },
      ...(ways.length > 1 ? [{ label: 'rims', value: ways.join(', ') }] : []),
      ...(patches.length
        ? [
            {
              label: 'patches added',
              value: `${patches.length}, ${patches.filter((x) => x.grades.every((g) => g > 0)).length} of them smooth all round`,
            },
            {
              label: 'patch seams',
              value: `gap ${formatNumber(Math.max(...patches.map((x) => x.gap)), 6)} mm, kink ${formatNumber(Math.max(...patches.map((x) => x.kink)), 4)}°`,
            },
          ]
        : []),
      { label: 'turned over', value: String(solid.flipped) },
      ...looks.facts,
    ],
  };
});
const pointOn = (b: Body, e: number) => edgePoint(b.edges[e], (b.edges[e].range[0] + b.edges[e].range[1]) / 2);
