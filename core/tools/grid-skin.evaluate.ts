import { BodyBuilder, flipBody, joinEqualEdges, surfaceBody } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { closestOnSurface, makeSurface } from '../nurbs/index.ts';
import { type Diagnostic, defineEvaluation, deviationFact, failure, inputPoint, surfaceFacts } from '../recipe/index.ts';
import { gridOf, quadsOf, throughGrid } from '../skins/index.ts';
import tool from './grid-skin.ts';

const MOST_FACES = 4000;
export default defineEvaluation(tool, (inputs, p, context) => {
  const scan = inputs.mesh[0]?.piece;
  let rows: Vec3[][];
  const diagnostics: Diagnostic[] = [];
  if (scan?.kind === 'scan') {
    const { positions, indices } = scan.mesh;
    const { quads, single } = quadsOf(indices);
    const at = (n: number): Vec3 => [positions[3 * n], positions[3 * n + 1], positions[3 * n + 2]];
    if (!quads.length)
      return failure('no-quads', 'This mesh has no quads: its triangles do not come in pairs. For scans use "Skin from a scan"');
    const grid = single ? undefined : gridOf(quads);
    if (!grid) {
      if (quads.length > MOST_FACES)
        return failure(
          'too-many',
          `${quads.length} quads that form no single grid: at most ${MOST_FACES} become faces one by one. For scans use "Skin from a scan"`,
        );
      const builder = new BodyBuilder(1e-6);
      quads.forEach((q, k) => {
        const [a, b, c, d] = q.map(at);
        surfaceBody(
          makeSurface(
            1,
            1,
            [
              [a, d],
              [b, c],
            ],
            [0, 0, 1, 1],
            [0, 0, 1, 1],
          ),
          { prefix: `${context.stepId}.${k + 1}`, face: () => `${context.stepId}:quad${k + 1}` },
          builder,
        );
      });
      const body = joinEqualEdges(builder).body;
      return {
        outputs: { main: { kind: 'skin', body: p.turned ? flipBody(body) : body } },
        facts: [
          { label: 'faces', value: String(body.faces.length) },
          { label: 'quads', value: String(quads.length) },
        ],
        diagnostics: single
          ? [{ severity: 'warning', code: 'triangles', message: `${single} triangles without a partner were left out` }]
          : [],
      };
    }
    rows = grid.map((r) => r.map(at));
  } else {
    const all = [...inputs.points.map((i) => inputPoint(i) as Vec3), ...p.grid];
    if (all.length < 4) return failure('too-few', 'A grid needs at least two rows of two points');
    if (all.length % p.columns)
      return failure(
        'uneven-grid',
        `${all.length} points do not fill rows of ${p.columns}: ${all.length % p.columns} are left over. Change "In a row" or add points`,
        all.slice(-(all.length % p.columns)),
      );
    rows = Array.from({ length: all.length / p.columns }, (_, i) => all.slice(i * p.columns, (i + 1) * p.columns));
    if (rows.length < 2) return failure('one-row', `All ${all.length} points stand in one row: a skin needs two. Make "In a row" smaller`);
  }
  const s = throughGrid(rows, p.degree);
  if (!s) return failure('rows-together', 'Rows of the grid lie on each other: move or remove one', rows[0]);
  const made = surfaceBody(s, {
    prefix: context.stepId,
    face: (i, j, n, m) => `${context.stepId}:skin${n * m > 1 ? `.${i}.${j}` : ''}`,
  }).body;
  let off = 0;
  rows.forEach((r, i) => {
    r.forEach((q, j) => {
      if ((i * 7 + j) % Math.max(1, Math.floor((rows.length * r.length) / 400)) === 0) off = Math.max(off, closestOnSurface(s, q).distance);
    });
  });
  return {
    outputs: { main: { kind: 'skin', body: p.turned ? flipBody(made) : made } },
    diagnostics,
    facts: [
      ...surfaceFacts([s]),
      { label: 'grid', value: `${rows.length} × ${rows[0].length} points` },
      deviationFact('way from the points', off, 1e-6),
    ],
  };
});
