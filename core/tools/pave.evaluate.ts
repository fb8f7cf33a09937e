import { joined, paveRun, pointOf } from '../cage/index.ts';
import { cageFacts, cageNotes, type Diagnostic, defineEvaluation, doubled, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './pave.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const points = onPlane(frame, p.points);
  const twice = doubled(points, p.closed);
  if (twice !== undefined)
    return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % points.length) + 1} fall together: move or remove one`, [
      points[twice],
    ]);
  const run = paveRun(context.stepId, points, frame.z, { width: p.width, end: p.end > 0 ? p.end : p.width, closed: p.closed });
  if (!run.ok) return failure('no-run', run.message, points.slice(0, 4));
  const before = inputs.joins[0]?.piece;
  if (!before) return { outputs: { main: { kind: 'cage', cage: run.cage } }, facts: cageFacts(run.cage), diagnostics: cageNotes(run.cage) };
  if (before.kind !== 'cage') return failure('no-cage', 'What is joined has to be a cage');
  const both = joined(before.cage, run.cage, p.within);
  if (!both.ok)
    return failure(
      'no-join',
      both.message,
      both.at.map((v) => pointOf(run.cage.points, Math.min(v, run.cage.shape.vertices - 1))),
    );
  const diagnostics: Diagnostic[] = both.met
    ? []
    : [
        {
          severity: 'warning',
          code: 'apart',
          message: `The run meets no border of the cage within ${p.within} mm: both stand side by side. Come nearer, or let it meet farther off`,
          place: [points[0], points[points.length - 1]],
        },
      ];
  return {
    outputs: { main: { kind: 'cage', cage: both.cage } },
    facts: [...cageFacts(both.cage), { label: 'vertices met', value: String(both.met ?? 0), number: both.met ?? 0 }],
    diagnostics: [...diagnostics, ...cageNotes(both.cage)],
  };
});
