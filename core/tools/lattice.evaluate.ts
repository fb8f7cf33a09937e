import { inspect, type Lattice, latticeIndex, latticeJet, latticeMap, latticeRest } from '../brep/index.ts';
import { distance, formatNumber, toLocal, toWorld, type Vec3, WORLD } from '../math/index.ts';
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
import tool from './lattice.ts';

/** Places along each side of the box at which space is looked at. */
const LOOKS = 9;
/** A side of the box without extent is given this share of the longest. */
const THIN = 0.02;

export default defineEvaluation(tool, (inputs, p, context) => {
  const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const stiff = inputs.pieces.find((i) => i.piece.kind === 'plane' || i.piece.kind === 'picture');
  if (stiff) return failure('stays-flat', `A ${stiff.piece.kind} stays flat: take it out and move it instead`);
  const places = inputs.pieces.flatMap((i) => placesOf(i.piece)).map((q) => toLocal(frame, q));
  const ends = [0, 1, 2].map((d) => [Math.min(...places.map((q) => q[d])), Math.max(...places.map((q) => q[d]))]);
  const longest = Math.max(...ends.map(([a, b]) => b - a));
  if (!(longest > 1e-9)) return failure('no-size', 'The pieces have no extent: pick others');
  const wide = ends.map(([a, b]) => {
    const more = p.around + (b - a < THIN * longest ? (THIN * longest - (b - a)) / 2 : 0);
    return [a - more, b + more];
  });
  const counts = [p.across, p.along, p.up] as const;
  const box = {
    frame,
    low: wide.map((x) => x[0]) as unknown as Vec3,
    high: wide.map((x) => x[1]) as unknown as Vec3,
    counts,
  };
  const moved: Vec3[] = [];
  for (let k = 0; k < counts[2]; k++)
    for (let j = 0; j < counts[1]; j++) for (let i = 0; i < counts[0]; i++) moved.push(latticeRest(box, i, j, k));
  const left = p.shifts.filter(({ point: q }) => q.some((n, d) => n < 0 || n >= counts[d]));
  for (const { point: q, to } of p.shifts)
    if (!left.some((x) => x.point === q)) moved[latticeIndex(box, q[0], q[1], q[2])] = to as unknown as Vec3;
  const lattice: Lattice = { ...box, moved };
  const marks: Mark[] = [];
  for (let k = 0; k < counts[2]; k++)
    for (let j = 0; j < counts[1]; j++)
      for (let i = 0; i < counts[0]; i++) {
        const at = moved[latticeIndex(box, i, j, k)];
        const others = p.shifts.filter(({ point: q }) => q[0] !== i || q[1] !== j || q[2] !== k);
        marks.push({ kind: 'grip', at, param: 'shifts', template: [...others, { point: [i, j, k], to: '$point' }] });
        for (const [a, b, c] of [
          [i + 1, j, k],
          [i, j + 1, k],
          [i, j, k + 1],
        ])
          if (a < counts[0] && b < counts[1] && c < counts[2])
            marks.push({ kind: 'link', points: [at, moved[latticeIndex(box, a, b, c)]] });
      }
  const diagnostics: Diagnostic[] = left.length
    ? [
        {
          severity: 'note',
          code: 'left',
          message: `${left.length} moved points are not in the box any more, since it has fewer points: they are kept and do nothing`,
        },
      ]
    : [];
  let least = { ratio: Infinity, at: [0, 0, 0] as Vec3 };
  for (let i = 0; i < LOOKS; i++)
    for (let j = 0; j < LOOKS; j++)
      for (let k = 0; k < LOOKS; k++) {
        const q = toWorld(frame, [i, j, k].map((n, d) => box.low[d] + ((box.high[d] - box.low[d]) * n) / (LOOKS - 1)) as unknown as Vec3);
        const r = latticeJet(lattice, q);
        if (r.ratio < least.ratio) least = { ratio: r.ratio, at: r.at };
      }
  if (!(least.ratio > 0))
    return {
      ...failure(
        'inside-out',
        'Space is turned inside out there: a point was pulled past its neighbours. Pull it back, or pull its neighbours along',
        [least.at],
      ),
      marks,
    };
  const map = latticeMap(lattice);
  const outputs: Record<string, Piece> = {};
  let deviation = 0;
  let beside = 0;
  inputs.pieces.forEach((i, k) => {
    context.signal?.throwIfAborted();
    const r = p.shifts.length ? deformed(i.piece, map, p.tolerance) : { piece: i.piece, deviation: 0 };
    deviation = Math.max(deviation, r.deviation);
    beside = Math.max(beside, 'beside' in r ? (r.beside ?? 0) : 0);
    outputs[k === 0 ? 'main' : `piece${k + 1}`] = r.piece;
    if (r.piece.kind !== 'solid') return;
    const gate = inspect(r.piece.body, { watertight: true, positiveVolume: true, chord: 1 / 200 });
    if (!gate.ok)
      diagnostics.push({ severity: 'warning', code: 'gate', message: `Look at the result with care: ${gate.reasons.join('; ')}` });
  });
  const farthest = Math.max(0, ...p.shifts.map(({ point: q, to }) => distance(latticeRest(box, q[0], q[1], q[2]), to as unknown as Vec3)));
  return {
    outputs,
    diagnostics,
    marks,
    actions: p.shifts.length ? [{ label: 'All points back', params: { shifts: [] } }] : [],
    facts: [
      { label: 'points moved', value: String(p.shifts.length - left.length) },
      { label: 'farthest', value: `${formatNumber(farthest, 2)} mm` },
      { label: 'least share of volume', value: formatNumber(least.ratio, 3), number: least.ratio },
      deviationFact('off the way asked', deviation, p.tolerance),
      ...(beside > 0 ? [withinFact('edges beside their faces', beside, 2 * p.tolerance)] : []),
    ],
  };
});
