import { inspect, type SpaceMap } from '../brep/index.ts';
import { DEG, type Frame, formatNumber, gaussRule, toLocal, toWorld, type Vec3, WORLD } from '../math/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deformed,
  deviationFact,
  failure,
  inputPlane,
  type Mark,
  type Piece,
  placesOf,
  withinFact,
} from '../recipe/index.ts';
import tool from './deform.ts';

type Given = Parameters<Parameters<typeof defineEvaluation<typeof tool.params, typeof tool.slots>>[1]>;

export default defineEvaluation(tool, (inputs, p, context) => {
  const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const stiff = inputs.pieces.find((i) => i.piece.kind === 'plane' || i.piece.kind === 'picture');
  if (stiff) return failure('stays-flat', `A ${stiff.piece.kind} stays flat: take it out and move it instead`);
  const places = inputs.pieces.flatMap((i) => placesOf(i.piece)).map((q) => toLocal(frame, q));
  const heights = places.map((q) => q[2]);
  const [low, high] = p.over === 'all' ? [Math.min(...heights), Math.max(...heights)] : [p.from, p.to];
  if (!(high - low > 1e-9))
    return failure('no-length', p.over === 'all' ? 'The pieces have no extent along z: pick another plane' : '"To" must lie above "From"');
  const map = mapOf(frame, low, high, p);
  if (p.what === 'bend' && p.angle) {
    // what lies further to the inside than the centre of the bend would turn over
    // an eased bend is 15/8 times as tight in its middle
    const radius = (high - low) / (Math.abs(p.angle) * DEG) / (p.over === 'all' ? 1 : 15 / 8);
    const side = Math.sign(p.angle);
    const [c, s] = [Math.cos(p.towards * DEG), Math.sin(p.towards * DEG)];
    const inmost = places.reduce((best, q) => (side * (q[0] * c + q[1] * s) > side * (best[0] * c + best[1] * s) ? q : best));
    if (side * (inmost[0] * c + inmost[1] * s) >= radius * (1 - 1e-9))
      return failure(
        'folds',
        `The bend has its centre ${formatNumber(radius, 2)} mm from the axis and the pieces reach ${formatNumber(side * (inmost[0] * c + inmost[1] * s), 2)} mm: they would fold. Bend less, or over a longer way`,
        [toWorld(frame, inmost)],
      );
  }
  const outputs: Record<string, Piece> = {};
  const diagnostics: Diagnostic[] = [];
  let deviation = 0;
  let beside = 0;
  inputs.pieces.forEach((i, k) => {
    context.signal?.throwIfAborted();
    const r = deformed(i.piece, map, p.tolerance);
    deviation = Math.max(deviation, r.deviation);
    beside = Math.max(beside, r.beside ?? 0);
    outputs[k === 0 ? 'main' : `piece${k + 1}`] = r.piece;
    if (r.piece.kind !== 'solid') return;
    const gate = inspect(r.piece.body, { watertight: true, positiveVolume: true, chord: 1 / 200 });
    if (!gate.ok)
      diagnostics.push({ severity: 'warning', code: 'gate', message: `Look at the result with care: ${gate.reasons.join('; ')}` });
  });
  const beyond = p.over === 'part' && heights.some((h) => h < low - 1e-9 || h > high + 1e-9);
  if (beyond)
    diagnostics.push({
      severity: 'note',
      code: 'eased',
      message: 'The part begins and ends gently, so that skins run on smoothly into what is left as it was',
    });
  const at = (h: number): Vec3 => toWorld(frame, [0, 0, h]);
  const marks: Mark[] =
    p.what === 'taper'
      ? []
      : [
          {
            kind: 'turn',
            centre: at(p.what === 'bend' ? low : high),
            axis: p.what === 'bend' ? turnAxis(frame, p.towards) : frame.z,
            zero: p.what === 'bend' ? frame.z : frame.x,
            value: p.angle,
            param: 'angle',
            template: '$value',
          },
        ];
  return {
    outputs,
    diagnostics,
    marks,
    facts: [
      { label: 'over', value: `${formatNumber(low, 2)} to ${formatNumber(high, 2)} mm` },
      ...(p.what === 'bend' && p.angle
        ? [{ label: 'radius of the bend', value: `${formatNumber((high - low) / (Math.abs(p.angle) * DEG), 3)} mm` }]
        : []),
      deviationFact('off the way asked', deviation, p.tolerance),
      ...(beside > 0 ? [withinFact('edges beside their faces', beside, 2 * p.tolerance)] : []),
    ],
  };
});

function turnAxis(f: Frame, towards: number): Vec3 {
  const [c, s] = [Math.cos(towards * DEG), Math.sin(towards * DEG)];
  return [0, 1, 2].map((k) => -s * f.x[k] + c * f.y[k]) as unknown as Vec3;
}
/** The way space goes: heights below the part stay, those above it move as one. */
function mapOf(frame: Frame, low: number, high: number, p: Given[1]): SpaceMap {
  const span = high - low;
  const [c, s] = [Math.cos(p.towards * DEG), Math.sin(p.towards * DEG)];
  // over all of it evenly; where something is left beyond, with gentle ends (quintic step)
  const share = (z: number): number => {
    const x = (z - low) / span;
    if (p.over === 'all') return x;
    return x <= 0 ? 0 : x >= 1 ? 1 : x * x * x * (10 - 15 * x + 6 * x * x);
  };
  if (p.what === 'twist')
    return (q) => {
      const [x, y, z] = toLocal(frame, q);
      const a = p.angle * DEG * share(z);
      return toWorld(frame, [x * Math.cos(a) - y * Math.sin(a), x * Math.sin(a) + y * Math.cos(a), z]);
    };
  if (p.what === 'taper')
    return (q) => {
      const [x, y, z] = toLocal(frame, q);
      const k = 1 + (p.end - 1) * share(z);
      return toWorld(frame, [x * k, y * k, z]);
    };
  const whole = p.angle * DEG;
  const { nodes, weights } = gaussRule(24);
  return (q) => {
    const [x, y, z] = toLocal(frame, q);
    if (!whole) return q;
    // in the plane of the bend: `d` towards its centre, `e` beside it
    const [d, e] = [x * c + y * s, -x * s + y * c];
    let [a, up, aside] = [0, 0, 0];
    if (p.over === 'all') {
      const r = span / whole;
      a = (whole * (z - low)) / span;
      [up, aside] = [low + r * Math.sin(a), r * (1 - Math.cos(a))];
    } else {
      // the line that keeps its length turns gently; beyond the part it goes straight on
      a = whole * share(z);
      const inner = Math.min(high, Math.max(low, z));
      const h = (inner - low) / 2;
      for (let g = 0; g < nodes.length; g++) {
        const b = whole * share(low + h * (1 + nodes[g]));
        up += weights[g] * h * Math.cos(b);
        aside += weights[g] * h * Math.sin(b);
      }
      const rest = z - inner;
      [up, aside] = [low + up + rest * Math.cos(a), aside + rest * Math.sin(a)];
    }
    const [height, out] = [up - d * Math.sin(a), aside + d * Math.cos(a)];
    return toWorld(frame, [out * c - e * s, out * s + e * c, height]);
  };
}
