import { isWatertight, makeSolid } from '../brep/index.ts';
import { apart, capsOff, patchesOf, skinOf } from '../cage/index.ts';
import { formatNumber } from '../math/index.ts';
import { measureSeams } from '../proof/index.ts';
import { bodyPiece, type Diagnostic, defineEvaluation, type Fact, failure, secondLooks, withinFact } from '../recipe/index.ts';
import tool from './cage-skin.ts';

/** Kink over a smooth seam that is asked of the caps, degrees. */
const KINK = 0.01;

export default defineEvaluation(tool, (inputs, p, context) => {
  const { piece } = inputs.cage[0];
  if (piece.kind !== 'cage') return failure('no-cage', 'Pick a cage');
  const r = patchesOf(piece.cage, { degree: Number(p.degree), closer: p.closer, merge: p.merge });
  if (!r.ok) return failure('no-faces', r.message, r.place.length ? r.place : undefined);
  const made = skinOf(piece.cage, r, context.stepId);
  let { body } = made;
  const diagnostics: Diagnostic[] = [];
  if (isWatertight(body)) {
    const solid = makeSolid(body);
    if (solid.ok) body = solid.body;
    else diagnostics.push({ severity: 'warning', code: 'no-solid', message: `It is closed and no solid: ${solid.message}` });
  }
  if (r.hardened)
    diagnostics.push({
      severity: 'note',
      code: 'hardened',
      message: `Partial sharpness above ${r.hardened.above} is taken as full (${r.hardened.count} edges or vertices): rounds so narrow would take too many faces. How far that is off is told below`,
    });
  const caps = r.patches.filter((x) => x.cap).length;
  const looks = body.solids.length ? secondLooks(body, context) : undefined;
  const pending = (label: string): Fact => ({ label, value: '…', pending: true });
  return {
    outputs: { main: bodyPiece(body) },
    diagnostics,
    facts: [
      { label: 'faces', value: `${body.faces.length}: ${body.faces.length - caps} exact, ${caps} around poles`, number: body.faces.length },
      { label: 'steps of refinement', value: String(r.steps), number: r.steps },
      pending('off the smooth surface'),
      ...(r.hardened ? [pending('off by full sharpness')] : []),
      pending('kink over smooth seams'),
      ...(made.pointed.size ? [{ label: 'seams into held corners', value: String(made.pointed.size) }] : []),
      ...(looks ? [looks.volume, looks.area, ...looks.facts] : []),
    ],
    later: async () => {
      const off = capsOff(r);
      const hard = r.hardened && apart(piece.cage, r.hardened.cage);
      const seams = measureSeams(body);
      const smooth = seams.filter((s) => !made.sharp.has(s.edge) && !made.pointed.has(s.edge));
      const kink = smooth.reduce((a, b) => (b.kink > a.kink ? b : a), smooth[0]);
      const facts: Fact[] = [
        withinFact('off the smooth surface', off.most, p.tolerance),
        ...(hard ? [withinFact('off by full sharpness', hard.most, p.tolerance)] : []),
        {
          label: 'kink over smooth seams',
          value: `${formatNumber(kink?.kink ?? 0, 6)}°`,
          number: kink?.kink ?? 0,
          unit: '°',
          limit: KINK,
        },
      ];
      const found: Diagnostic[] = [];
      if (hard && hard.most > p.tolerance)
        found.push({
          severity: 'note',
          code: 'hard-place',
          message:
            'The mark shows where full sharpness stands off furthest from what was asked: make those edges softer, or the cage coarser',
          place: hard.place ? [hard.place] : undefined,
        });
      if (off.most > p.tolerance)
        found.push({
          severity: 'note',
          code: 'off-place',
          message: 'The mark shows where the faces stand off furthest: choose "Closer" once more, or a higher cap degree',
          place: off.place ? [off.place] : undefined,
        });
      const more = await looks?.later();
      return { facts: [...facts, ...(more?.facts ?? [])], diagnostics: [...found, ...(more?.diagnostics ?? [])] };
    },
  };
});
