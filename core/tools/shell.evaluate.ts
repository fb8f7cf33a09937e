import {
  type Body,
  combineBodies,
  flipBody,
  inspect,
  isWatertight,
  KernelError,
  makeSolid,
  massProperties,
  offsetBody,
  smallestInnerRadius,
  subBody,
  type TightPlace,
  thickBody,
  tightPlaces,
} from '../brep/index.ts';
import { type HollowOutcome, hollow, measureWalls, type WallSide } from '../joins/index.ts';
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
import tool from './shell.ts';

type Given = Parameters<Parameters<typeof defineEvaluation<typeof tool.params, typeof tool.slots>>[1]>;

export default defineEvaluation(tool, async (inputs, p, context) => {
  const solid = inputBody(inputs.solid[0]);
  if (!solid?.solids.length) return failure('not-a-solid', 'Pick a solid');
  const open = inputs.open.map((i) => i.face).filter((f): f is number => f !== undefined);
  // the arrow stands also where the wall is refused: it is what makes it thinner
  return { ...(await hollowed(solid, open, inputs, p, context)), marks: [wallArrow(solid, p.wall, p.side, open)] };
});

async function hollowed(solid: Body, open: readonly number[], inputs: Given[0], p: Given[1], context: ToolContext): Promise<ToolResult> {
  // half a wall each way where it grows both ways
  const share = p.side === 'both' ? 2 : 1;
  let tight: TightPlace = { radius: Number.POSITIVE_INFINITY, at: [0, 0, 0] };
  for (const inwards of p.side === 'both' ? [true, false] : [p.side === 'in']) {
    const places = tightPlaces(solid, inwards);
    const refused = tooThick(places, p.wall / share, context.stepId, share);
    if (refused) return refused;
    if (places[0]?.radius < tight.radius) tight = places[0];
  }
  const before = massProperties(solid, undefined, true);
  // a wall of its own stands with its pick; older recipes give a list in the order of the picks
  const own = (i: (typeof inputs.special)[number], k: number): number =>
    i.pick.settings?.wall === undefined && p.walls.length ? p.walls[Math.min(k, p.walls.length - 1)] : i.settings.wall;
  const wallOf = new Map(inputs.special.flatMap((i, k) => (i.face === undefined ? [] : [[i.face, own(i, k)] as const])));
  const special = [...wallOf.keys()];
  if (special.some((f) => open.includes(f)))
    return failure('open-and-walled', 'A face is picked both as open and with a wall of its own: take it out of one of the lists');
  const walls = solid.faces.map((_, i) => (open.includes(i) ? 0 : (wallOf.get(i) ?? p.wall)));
  if (walls.some((w, i) => !open.includes(i) && !(w > 1e-6)))
    return failure('no-walls', 'Every wall must be thicker than zero; open faces belong in the list above');
  const thickest = Math.max(...walls);
  if (thickest / share >= tight.radius && thickest > p.wall) {
    const at = [true, false]
      .filter((inwards) => p.side === 'both' || inwards === (p.side === 'in'))
      .map((inwards) => smallestInnerRadius(subBody(solid, special), inwards))
      .reduce((least, x) => (x.radius < least.radius ? x : least));
    if (thickest / share >= at.radius)
      return failure(
        'too-thick',
        `A wall of ${formatNumber(thickest)} mm is thicker than the smallest radius of ${formatNumber(at.radius)} mm there: it would fold`,
        [at.at],
      );
  }
  const built = p.corner === 'sharp' ? ownWalls(solid, walls, context, p.side) : undefined;
  let raw = built?.ok ? built.body : undefined;
  if (!raw && (special.length || p.side === 'both'))
    return failure(
      'no-wall',
      `The wall could not be built: ${built?.ok === false ? built.message : 'walls of their own, or to both sides, have sharp corners'}`,
      built?.ok === false && built.place ? [built.place] : undefined,
    );
  if (!raw)
    try {
      raw = await byKernel(context, solid, p.side === 'in' ? -p.wall : p.wall, open, p.corner);
      if (!isWatertight(raw) || raw.edges.some((e) => e.tolerance > 0.1 * p.wall)) raw = undefined;
    } catch (e) {
      if (!(e instanceof KernelError) || e.kind !== 'refused' || p.side === 'out') throw e;
    }
  if (!raw && p.side === 'out')
    return failure(
      'no-wall',
      `The wall could not be built outwards here: ${built?.ok === false ? built.message : 'its parts do not meet'}. Try round corners or a thinner wall`,
      built?.ok === false && built.place ? [built.place] : undefined,
    );
  if (!raw) {
    const own = built ?? ownWalls(solid, walls, context, p.side);
    if (!own.ok) return failure('no-wall', `The wall could not be built: ${own.message}`, own.place && [own.place]);
    raw = own.body;
  }
  const made = makeSolid({ ...raw, solids: [] });
  if (!made.ok) return failure('no-solid', `The wall does not close: ${made.message}`, made.place ? [made.place] : undefined);
  const gate = inspect(made.body, {
    watertight: true,
    positiveVolume: true,
    ...(built?.ok ? { chord: 1 / 150 } : {}),
    tolerance: 0.1 * Math.min(...walls.filter((w) => w > 0)),
  });
  if (!gate.ok) return failure('gate', `The wall was not accepted: ${gate.reasons.join('; ')}. Try round corners, or a thinner wall`);
  const { volume } = gate;
  if (p.side === 'in' && volume > 0.9999 * before.volume)
    return failure('too-thick', 'The wall is too thick for this solid: nothing would be hollow');
  const expected = walls.reduce((sum, w, i) => sum + w * massProperties(solid, [i], true).area, 0);
  if (volume > 2.5 * expected || volume < 0.25 * expected)
    return failure('gate', `The wall was not accepted: its volume of ${formatNumber(volume, 1)} mm³ does not fit the area and thickness`);
  const truth = measureWalls(solid, made.body, (i) => walls[i] / share);
  const looks = secondLooks(made.body, context);
  return {
    outputs: { main: { kind: 'solid', body: made.body } },
    later: looks.later,
    facts: [
      looks.volume,
      { label: 'smallest radius', value: `${formatNumber(tight.radius, 3)} mm` },
      ...(truth.places ? [withinFact(`thickness at ${truth.places} places, off by`, truth.off, context.tolerance)] : []),
      ...(built?.ok ? [] : [{ label: 'built by', value: 'kernel' }]),
      ...looks.facts,
    ],
  };
}

/** Our own walls; what goes wrong in them is a reason like any other. */
function ownWalls(solid: Body, walls: readonly number[], context: ToolContext, side: WallSide): HollowOutcome {
  try {
    return hollow(solid, walls, context, side);
  } catch (e) {
    if (context.signal?.aborted) throw e;
    return { ok: false, message: e instanceof Error ? e.message : String(e) };
  }
}

async function byKernel(context: ToolContext, solid: Body, d: number, open: readonly number[], corner: 'sharp' | 'round'): Promise<Body> {
  const call = { signal: context.signal, limit: context.limit };
  if (open.length) return thickBody(context.kernel, solid, d, open, corner, context.tolerance, call);
  const other = await offsetBody(context.kernel, solid, d, corner, context.tolerance, call);
  return d < 0 ? combineBodies([solid, flipBody(other)]) : combineBodies([other, flipBody(solid)]);
}
