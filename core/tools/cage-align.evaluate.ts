import { alignBorder } from '../cage/index.ts';
import { formatNumber } from '../math/index.ts';
import { cageFacts, type Diagnostic, defineEvaluation, type Fact, failure, inputBorder, withinFact } from '../recipe/index.ts';
import tool from './cage-align.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const { piece } = inputs.cage[0];
  if (piece.kind !== 'cage') return failure('no-cage', 'Pick a cage');
  const made = inputBorder(inputs.to, p.other ? 1 : 0, 'To', context.tolerance);
  if (!made.ok) return failure(made.code, made.message, made.place);
  const { border } = made;
  const tangent = p.grade === '1' && border.held;
  const diagnostics: Diagnostic[] = [];
  if (p.grade === '1' && !tangent)
    diagnostics.push({
      severity: 'note',
      code: 'free-curve',
      message: 'A free curve has no skin behind it: it is met with G0. Pick the edge of a skin for G1',
    });
  const r = alignBorder(
    piece.cage,
    {
      closed: border.closed,
      place: (share) => border.place(share),
      nearest: (q) => border.nearest(q),
      ...(tangent ? { behind: (share, q) => border.jet(share, q) } : {}),
    },
    { tangent, match: p.along, flip: p.flip, rows: p.rows, border: p.border - 1 },
  );
  if (!r.ok) return failure(r.code, r.message, r.at);
  const offGap = r.gap > p.tolerance;
  const offKink = tangent && r.kink > p.kink;
  if (offGap || offKink)
    diagnostics.push({
      severity: 'note',
      code: offGap ? 'gap' : 'kink',
      message: `${
        offGap ? 'The border stands off furthest' : 'The kink is largest'
      } at the mark: refine the cage, or insert loops across its border there`,
      place: [offGap ? r.at.gap : r.at.kink],
    });
  if ((offGap || offKink) && r.corners.length)
    diagnostics.push({
      severity: 'note',
      code: 'corner',
      message: `${r.corners.length === 1 ? 'A corner of a single face stands' : `${r.corners.length} corners of single faces stand`} on the border (marks): the smooth surface is held there, and the face's own sides give its tangent plane. Give the cage a round border, or dissolve that corner`,
      place: r.corners,
    });
  return {
    outputs: { main: { kind: 'cage', cage: r.cage } },
    facts: [
      withinFact('gap', r.gap, p.tolerance),
      ...(tangent
        ? [{ label: 'kink', value: `${formatNumber(r.kink, 6)}°`, number: r.kink, unit: '°', limit: p.kink } satisfies Fact]
        : []),
      { label: 'edges brought there', value: `${r.edges} of ${r.of}`, number: r.edges },
      ...(r.covers < 1 - 1e-6 ? [{ label: 'of the edge is met', value: `${formatNumber(100 * r.covers, 3)} %`, number: r.covers }] : []),
      { label: 'moved by at most', value: `${formatNumber(r.moved, 4)} mm`, number: r.moved },
      ...cageFacts(r.cage),
    ],
    diagnostics,
  };
});
