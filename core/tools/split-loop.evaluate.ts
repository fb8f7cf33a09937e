import { type Body, inspect, massProperties } from '../brep/index.ts';
import { loopDirection, splitAlongLoop } from '../joins/index.ts';
import { formatNumber, negate, scale, type Vec3 } from '../math/index.ts';
import { domain, pointAt } from '../nurbs/index.ts';
import {
  chainOnSkin,
  type Diagnostic,
  defineEvaluation,
  failure,
  inputBody,
  inputDirection,
  type Mark,
  withinFact,
} from '../recipe/index.ts';
import tool from './split-loop.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const solid = inputBody(inputs.solid[0]);
  if (!solid?.solids.length) return failure('not-a-solid', 'Pick a solid: close the skin and give it a wall first');
  const chain = chainOnSkin(inputs.loop, solid, 'both', context.tolerance);
  if (!chain.ok) return failure(chain.code, chain.message, chain.place);
  if (!chain.closed)
    return failure(
      'open-loop',
      'The chain is open: it must run once round the part and end where it begins',
      [chain.curves[0], chain.curves[chain.curves.length - 1]].map((c, i) => pointAt(c, domain(c)[i])),
    );
  const given = inputs.opening[0] && inputDirection(inputs.opening[0]);
  if (inputs.opening[0] && !given) return failure('no-direction', 'What it opens along is neither straight nor flat');
  const looks = given ?? loopDirection(chain.curves);
  if (!looks) return failure('no-direction', 'The loop looks in no direction of its own: pick one under "Opens along"');
  // without a pick, up is the side of the larger world axis
  const major = looks.reduce((best, x, i) => (Math.abs(x) > Math.abs(looks[best]) + 1e-6 ? i : best), 0);
  const upright = given || looks[major] > 0 ? looks : negate(looks);
  const opening: Vec3 = p.turned ? negate(upright) : upright;
  const lip = p.lip === 'none' ? undefined : { on: p.lip, side: p.side, height: p.height, share: p.share, play: p.play };
  const r = await splitAlongLoop(
    solid,
    chain.curves,
    chain.normals,
    { opening, lip, gap: p.gap, depth: p.depth || undefined, tolerance: context.tolerance },
    context,
  );
  if (!r.ok) return failure(r.code, r.message, r.place);
  const diagnostics: Diagnostic[] = [];
  for (const [name, body] of [
    ['lower', r.lower],
    ['upper', r.upper],
  ] as const) {
    const gate = inspect(body, { watertight: true, positiveVolume: true, chord: 1 / 200 });
    if (!gate.ok)
      diagnostics.push({ severity: 'warning', code: 'gate', message: `Look at the ${name} part with care: ${gate.reasons.join('; ')}` });
  }
  if (r.corners.length)
    diagnostics.push({
      severity: 'note',
      code: 'corners',
      message: `${r.corners.length === 1 ? 'One corner was' : `${r.corners.length} corners were`} closed: near ${r.corners.length === 1 ? 'it' : 'them'} the cut turns to the common direction of both faces (up to ${formatNumber(Math.max(...r.corners.map((c) => c.angle)), 1)}° apart)`,
      place: r.corners.map((c) => c.at),
    });
  const thin = 0.25 * r.wall[0];
  if (r.beside && r.beside.least < thin)
    diagnostics.push({
      severity: 'warning',
      code: 'thin-lip',
      message:
        r.beside.least < 0
          ? `The wall leans so much that the lip leaves it here by ${formatNumber(-r.beside.least, 3)} mm: make the lip lower, or open the part where its wall stands along the opening`
          : `Beside the lip only ${formatNumber(r.beside.least, 3)} mm of the wall remain here, less than a quarter of it: make the lip lower, or the play smaller`,
      place: [r.beside.at],
    });
  const c = chain.curves[0];
  const from = pointAt(c, (domain(c)[0] + domain(c)[1]) / 2);
  const arrow = (param: string, value: number, direction: Vec3, label: string): Mark => ({
    kind: 'push',
    from,
    direction,
    value,
    param,
    template: `${label} $value`,
    min: 0,
  });
  const volume = (b: Body) => `${formatNumber(massProperties(b, undefined, true).volume, 2)} mm³`;
  return {
    outputs: { main: { kind: 'solid', body: r.lower, label: 'Lower part' }, upper: { kind: 'solid', body: r.upper, label: 'Upper part' } },
    diagnostics,
    marks: [lip ? arrow('height', p.height, scale(opening, p.lip === 'lower' ? 1 : -1), 'lip') : arrow('gap', p.gap, opening, 'gap')],
    facts: [
      { label: 'lower part', value: volume(r.lower) },
      { label: 'upper part', value: volume(r.upper) },
      ...(lip || p.gap ? [{ label: 'between them', value: `${formatNumber(r.lost, 2)} mm³` }] : []),
      {
        label: 'wall under the loop',
        value: `${formatNumber(r.wall[0], 3)} to ${formatNumber(r.wall[1], 3)} mm`,
      },
      ...(r.beside ? [{ label: 'least beside the lip', value: `${formatNumber(r.beside.least, 3)} mm` }] : []),
      { label: 'depth', value: `${formatNumber(r.depth, 2)} mm` },
      ...(r.off > 0 ? [withinFact('edges within', r.off, 0.1 * context.tolerance)] : []),
      ...(r.kernel ? [{ label: 'cut by', value: `kernel (${r.kernel})` }] : []),
    ],
  };
});
