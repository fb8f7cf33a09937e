import type { z } from 'zod';
import { type Body, inspect, isWatertight, makeSolid, massProperties, offsetBody, thickBody, tightPlaces } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import {
  defineEvaluation,
  failure,
  inputBody,
  secondLooks,
  type ToolContext,
  type ToolResult,
  tooThick,
  wallArrow,
  withinFact,
} from '../recipe/index.ts';
import { isSmooth, offsetFaces, thickSkin } from '../skins/index.ts';
import tool from './thicken.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const skin = inputBody(inputs.skin[0]);
  if (!skin) return failure('not-a-skin', 'Pick a skin');
  if (isWatertight(skin)) return failure('closed', 'This skin is closed: make it a solid first and use Shell');
  // the arrow stands also where the wall is refused: it is what makes it thinner
  return { ...(await thickened(skin, p, context)), marks: [wallArrow(skin, p.wall, p.side)] };
});

async function thickened(skin: Body, p: z.infer<typeof tool.params>, context: ToolContext): Promise<ToolResult> {
  const call = { signal: context.signal, limit: context.limit };
  for (const inwards of p.side === 'both' ? [true, false] : [p.side === 'in']) {
    const half = p.side === 'both' ? 2 : 1;
    const refused = tooThick(tightPlaces(skin, inwards), p.wall / half, context.stepId, half);
    if (refused) return refused;
  }
  const distance = p.side === 'out' ? p.wall : -p.wall;
  const fine = 0.02 * context.tolerance;
  let raw: Body;
  let off: number | undefined;
  if (isSmooth(skin)) {
    // no corners to be closed: the wall is our own
    const all = skin.faces.map((_, i) => i);
    const half = p.side === 'both' ? offsetFaces(skin, all, p.wall / 2, fine) : undefined;
    const wall = thickSkin(half?.body ?? skin, distance, fine);
    raw = wall.body;
    off = wall.deviation + (half?.deviation ?? 0);
  } else {
    const base = p.side === 'both' ? await offsetBody(context.kernel, skin, p.wall / 2, p.corner, context.tolerance, call) : skin;
    raw = await thickBody(context.kernel, base, distance, [], p.corner, context.tolerance, call);
  }
  const solid = makeSolid(raw);
  if (!solid.ok) return failure('no-solid', `The wall does not close: ${solid.message}`, solid.place ? [solid.place] : undefined);
  const gate = inspect(solid.body, { watertight: true, positiveVolume: true, tolerance: 0.1 * p.wall });
  if (!gate.ok) return failure('gate', `The wall was not accepted: ${gate.reasons.join('; ')}`);
  const ratio = gate.volume / (massProperties(skin, undefined, true).area * p.wall);
  if (ratio < 0.3 || ratio > 3)
    return failure('gate', `The wall was not accepted: its volume is ${formatNumber(ratio, 2)} times area by thickness`);
  const looks = secondLooks(solid.body, context);
  return {
    outputs: { main: { kind: 'solid', body: solid.body } },
    later: looks.later,
    facts: [looks.volume, ...(off === undefined ? [] : [withinFact('thickness true within', off, context.tolerance)]), ...looks.facts],
  };
}
