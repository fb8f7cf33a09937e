import { distance, factWord, formatNumber, type Vec3 } from '../math/index.ts';
import { pointAt } from '../nurbs/index.ts';
import { factsOf, type MeasuredFact, type Thing, turnedBox } from '../proof/index.ts';
import { type Diagnostic, defineEvaluation, type Fact, failure, inputThing, type Mark } from '../recipe/index.ts';
import tool from './measure.ts';

const PLACES = 5;
export default defineEvaluation(tool, (inputs, p) => {
  const things = inputs.things.flatMap((i) => inputThing(i) ?? []);
  if (things.length < inputs.things.length)
    return failure('no-measure', 'Nothing can be measured of that: pick a skin, a solid, a curve or a place');
  if (things.length === 2 && inputs.things[0].piece === inputs.things[1].piece && things.every((t) => t.kind === 'faces' && t.whole))
    return failure('same', 'It is the same piece twice: pick another one, or a part of it');
  const measured = factsOf(things, p.density);
  const marks: Mark[] = [];
  const box = p.box && things.length === 1 ? smallest(things[0]) : undefined;
  const facts = [...measured, ...(box?.facts ?? [])];
  if (box) marks.push(...box.marks);
  const shown = p.shown === 'nothing' ? undefined : p.shown === 'first' ? facts[0] : facts.find((f) => factWord(f.label) === p.shown);
  const diagnostics: Diagnostic[] = [];
  if (p.shown !== 'nothing' && p.shown !== 'first' && !shown) {
    const there = facts.map((f) => f.label).join(', ');
    diagnostics.push({
      severity: 'warning',
      code: 'not-there',
      message: `What is picked has no ${p.shown.replace('_', ' ')}; it has ${there}`,
    });
  }
  if (p.box && !box)
    diagnostics.push({
      severity: 'warning',
      code: 'no-box',
      message: 'The smallest box is that of one whole skin or solid: pick one alone',
    });
  const line = shown && lineOf(shown, facts, things);
  if (shown && line) marks.push({ kind: 'dimension', points: line, label: shown.value, what: factWord(shown.label), number: shown.number });
  const [least, most] = [p.limit === 'least' || p.limit === 'between', p.limit === 'most' || p.limit === 'between'];
  if (least && most && p.least > p.most) return failure('limits', `The limits are crossed: at least ${p.least}, at most ${p.most}`);
  if (shown && least && shown.number < p.least)
    diagnostics.push(missed(`${shown.label} is ${shown.value}, at least ${formatNumber(p.least)} is asked`, line));
  if (shown && most && shown.number > p.most)
    diagnostics.push(missed(`${shown.label} is ${shown.value}, at most ${formatNumber(p.most)} is asked`, line));
  if (p.limit !== 'none' && !shown)
    diagnostics.push({ severity: 'warning', code: 'no-limit', message: 'A limit is set, and nothing is shown that it could be for' });
  return {
    outputs: {},
    marks,
    diagnostics,
    facts: facts.map((f): Fact => ({ label: f.label, value: f.value, number: f.number, unit: f.unit || undefined })),
  };
});
const missed = (message: string, place: readonly Vec3[] | undefined): Diagnostic => ({
  severity: 'warning',
  code: 'beyond-limit',
  message,
  place,
});

/** Where a fact is drawn: between its places, along an axis for one of its parts, at the middle of the thing for others. */
function lineOf(f: MeasuredFact, all: readonly MeasuredFact[], things: readonly Thing[]): Vec3[] | undefined {
  const ends = f.places ?? all.find((x) => x.places?.length === 2)?.places;
  const axis = ['along x', 'along y', 'along z'].indexOf(f.label);
  if (axis >= 0 && ends?.length === 2) {
    const turn = [...ends[0]] as [number, number, number];
    turn[axis] = ends[1][axis];
    return [ends[0], turn];
  }
  // the length of what bends is not that between its ends
  const [only] = things;
  const length = f.label === 'length' && only.kind === 'curves' && ends?.length === 2;
  if (length && Math.abs(distance(ends[0], ends[1]) - f.number) > 1e-6 * f.number) return [curveMiddle(only.curves)];
  if (ends?.length === 2) return [...ends];
  const centre = ['centre x', 'centre y', 'centre z'].map((n) => all.find((x) => x.label === n)?.number);
  if (centre.every((x) => x !== undefined)) return [centre as unknown as Vec3];
  const t = things[0];
  if (t.kind === 'point') return [t.point];
  if (t.kind === 'plane') return [t.frame.origin];
  return t.kind === 'curves' ? [curveMiddle(t.curves)] : undefined;
}
const curveMiddle = (curves: (Thing & { kind: 'curves' })['curves']): Vec3 => {
  const c = curves[curves.length >> 1];
  return pointAt(c, (c.knots[0] + c.knots[c.knots.length - 1]) / 2);
};

function smallest(t: Thing): { facts: MeasuredFact[]; marks: Mark[] } | undefined {
  if (t.kind !== 'faces' || !t.whole) return undefined;
  const { frame, sides, volume } = turnedBox(t.body);
  const fact = (label: string, number: number, unit: MeasuredFact['unit']): MeasuredFact => ({
    label,
    number,
    unit,
    value: `${formatNumber(number, PLACES)} ${unit}`,
  });
  const at = (a: number, b: number, c: number): Vec3 =>
    [0, 1, 2].map(
      (k) => frame.origin[k] + 0.5 * (a * sides[0] * frame.x[k] + b * sides[1] * frame.y[k] + c * sides[2] * frame.z[k]),
    ) as unknown as Vec3;
  const ring = (c: number) => [at(-1, -1, c), at(1, -1, c), at(1, 1, c), at(-1, 1, c), at(-1, -1, c)];
  const lines = [
    ring(-1),
    ring(1),
    ...[
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ].map(([a, b]) => [at(a, b, -1), at(a, b, 1)]),
  ];
  return {
    facts: [
      fact('box longest', sides[0], 'mm'),
      fact('box middle', sides[1], 'mm'),
      fact('box shortest', sides[2], 'mm'),
      fact('box volume', volume, 'mm³'),
    ],
    marks: lines.map((points) => ({ kind: 'link', points })),
  };
}
