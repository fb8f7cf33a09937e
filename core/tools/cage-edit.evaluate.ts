import { type Cage, halfOf, mirrored, OPERATION_WORDS, type OperationOutcome, pointOf, replay, seamOf } from '../cage/index.ts';
import { type Frame, formatNumber, scale } from '../math/index.ts';
import { cageFacts, cageNotes, type Diagnostic, defineEvaluation, type Fact, failure, inputPlane } from '../recipe/index.ts';
import tool from './cage-edit.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const { piece } = inputs.cage[0];
  if (piece.kind !== 'cage') return failure('no-cage', 'Pick a cage');
  let start: Cage = piece.cage;
  let mirror: Frame | undefined;
  let seam = new Set<string>();
  if (inputs.mirror[0]) {
    const plane = inputPlane(inputs.mirror[0]);
    if (!plane) return failure('not-flat', 'What was picked as mirror is not flat');
    mirror = p.other ? { ...plane, z: scale(plane.z, -1), y: scale(plane.y, -1) } : plane;
    const half = halfOf(start, mirror, p.within);
    if (!half.ok)
      return failure(
        'mirror',
        half.message,
        half.at.map((v) => pointOf(piece.cage.points, v)),
      );
    start = half.cage;
    seam = new Set(seamOf(start, mirror, p.within));
    if (!seam.size)
      return failure(
        'mirror',
        'No border of the cage lies in the mirror plane: the two sides would have nothing in common. Move the plane or the cage',
      );
  }
  const { cage: done, outcomes } = replay(start, p.operations);
  const diagnostics = outcomes.flatMap((o, i): Diagnostic[] => told(o, i, OPERATION_WORDS[p.operations[i].op]));
  // what a mirror before has made are elements like all others
  let cage = done.image ? { ...done, image: undefined } : done;
  if (mirror) {
    const whole = mirrored(done, mirror, p.within, seam);
    if (!whole.ok)
      return failure(
        'mirror',
        whole.message,
        whole.at.map((v) => pointOf(done.points, v)),
      );
    cage = whole.cage;
    const beyond = whole.beyond ?? [];
    if (beyond.length)
      diagnostics.push({
        severity: 'warning',
        code: 'beyond',
        message: `${beyond.length === 1 ? 'A vertex lies' : `${beyond.length} vertices lie`} beyond the mirror plane, up to ${formatNumber(Math.max(...beyond.map((x) => x.by)), 3)} mm: both sides run through each other there`,
        place: beyond.map((x) => pointOf(done.points, x.vertex)),
      });
  }
  return {
    outputs: { main: { kind: 'cage', cage } },
    diagnostics: [...diagnostics, ...cageNotes(cage)],
    facts: [
      ...cageFacts(cage),
      ...outcomes.flatMap((o, i): Fact[] =>
        o.off === undefined
          ? []
          : [{ label: `off by refining in part (${i + 1})`, value: `${Number(o.off.toPrecision(2))} mm`, number: o.off, unit: 'mm' }],
      ),
      { label: 'operations', value: String(p.operations.filter((o) => !o.muted).length) },
    ],
  };
});

/** What an operation that did not go as it was meant says on the card. */
function told(o: OperationOutcome, index: number, word: string): Diagnostic[] {
  if (o.state === 'fine' || o.state === 'muted') return [];
  const head = `Operation ${index + 1}, ${word.toLowerCase()}: `;
  return [
    { severity: 'warning', code: `operation-${o.state}`, message: `${head}${o.message}`, place: o.place?.length ? o.place : undefined },
  ];
}
