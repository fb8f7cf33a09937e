import { fitOnto } from '../cage/index.ts';
import { formatNumber } from '../math/index.ts';
import { cageFacts, defineEvaluation, failure, withinFact } from '../recipe/index.ts';
import { nearestOn } from '../recipe/nearest-on.ts';
import tool from './cage-fit.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const { piece } = inputs.cage[0];
  if (piece.kind !== 'cage') return failure('no-cage', 'Pick a cage');
  const nearest = nearestOn(inputs.onto[0].piece);
  if (!nearest) return failure('no-scan', 'Pick a scan, a skin or a solid to lay it onto');
  const r = fitOnto(piece.cage, nearest, { within: p.tolerance, rounds: p.rounds, even: p.even, holdBorders: p.hold });
  const missed = r.most > p.tolerance;
  return {
    outputs: { main: { kind: 'cage', cage: r.cage } },
    facts: [
      withinFact('off at most', r.most, p.tolerance),
      { label: 'off on the mean', value: `${formatNumber(r.mean, 4)} mm`, number: r.mean },
      { label: 'rounds', value: String(r.rounds), number: r.rounds },
      ...cageFacts(r.cage),
    ],
    diagnostics: missed
      ? [
          {
            severity: 'note',
            code: 'off-place',
            message: 'The mark shows where it stands off furthest: insert a loop there, or allow more rounds',
            place: [r.worst],
          },
        ]
      : [],
  };
});
