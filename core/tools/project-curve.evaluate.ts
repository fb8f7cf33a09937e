import type { Body } from '../brep/index.ts';
import { chainsOf, joinWithin, type OnSkin, projectAlong, pull } from '../curves/index.ts';
import { dot, type Vec3 } from '../math/index.ts';
import { domain, planeOf, pointAt } from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, inputBody, inputCurves, inputPlane, withinFact } from '../recipe/index.ts';
import tool from './project-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const body = inputBody(inputs.onto[0]);
  if (!body) return failure('no-skin', 'Pick a skin or solid to project onto');
  if (inputs.onto.some((i) => i.piece !== inputs.onto[0].piece))
    return failure('several', 'Project onto one skin at a time: knit them, or take one step for each');
  const picked = inputs.onto.flatMap((i) => (i.face === undefined ? [] : [i.face]));
  const faces = picked.length ? new Set(picked) : undefined;
  const curves = inputs.curves.flatMap(inputCurves);
  if (!curves.length) return failure('no-curves', 'Pick curves to project');
  const of = (): Vec3 | string => {
    if (p.direction === 'x') return [1, 0, 0];
    if (p.direction === 'y') return [0, 1, 0];
    if (p.direction === 'z') return [0, 0, 1];
    if (p.direction === 'typed') return Math.hypot(...p.vector) > 1e-9 ? p.vector : 'The direction is zero: type one';
    if (p.direction === 'picked') {
      const input = inputs.along[0];
      if (!input) return 'Pick a line or a plane for the direction';
      const line = inputCurves(input)[0];
      if (line) {
        const [a, b] = domain(line);
        const [s, e] = [pointAt(line, a), pointAt(line, b)];
        return [e[0] - s[0], e[1] - s[1], e[2] - s[2]];
      }
      return inputPlane(input)?.z ?? 'The direction picked is neither a line nor flat';
    }
    const plane = planeOf(curves);
    return plane && plane.deviation < 1e-3 ? plane.frame.z : 'These curves lie in no common plane: choose a direction';
  };
  const place = (c: (typeof curves)[number]) => pointAt(c, (domain(c)[0] + domain(c)[1]) / 2);
  if (p.direction === 'normals') {
    const found = curves.map((c) => pull(body, c, p.side, { faces, tolerance: p.tolerance }));
    const chains = endToEnd(found, body);
    if (!chains.length) return failure('misses', 'No normal of the skin meets the curves on that side', curves.map(place));
    const left = found.flatMap((f) => f.left ?? []);
    const share = left.reduce((t, x) => t + x.share, 0) / curves.length;
    return chainsResult(chains, {
      facts: facts(found, p.tolerance),
      diagnostics: left.length
        ? [
            {
              severity: 'warning',
              code: 'part-misses',
              message: `No normal of the skin meets ${share < 0.01 ? 'less than 1' : Math.round(100 * share)} % of the curves there: that part is left out`,
              place: left.map((x) => x.place),
            },
          ]
        : [],
    });
  }
  const d = of();
  if (typeof d === 'string') return failure('direction', d);
  const found = curves.map((c) => projectAlong(body, c, d, p.side, { faces, tolerance: p.tolerance }));
  const miss = curves.filter((_, i) => !found[i].chains.length);
  const chains = endToEnd(found, body);
  if (!chains.length)
    return failure(
      'misses',
      'Seen along this direction the curves miss the skin: choose another direction, or move them',
      curves.map(place),
    );
  return chainsResult(chains, {
    facts: facts(found, p.tolerance),
    diagnostics: miss.length
      ? [
          {
            severity: 'warning',
            code: 'misses',
            message: `${miss.length} of ${curves.length} curves miss the skin`,
            place: miss.map(place),
          },
        ]
      : [],
    actions: p.side === 'both' && chains.length > 1 && dot(d, d) > 0 ? [{ label: 'Only the near side', params: { side: 'near' } }] : [],
  });
});

/** What came of neighbouring curves is one chain again where it meets. */
const endToEnd = (list: readonly OnSkin[], body: Body) =>
  chainsOf(
    list.flatMap((f) => f.chains.flatMap((c) => c.curves)),
    joinWithin(body),
  ).map((c) => c.curves);

const facts = (list: readonly OnSkin[], tolerance: number) => [
  withinFact('on the skin within', Math.max(...list.map((f) => f.deviation)), tolerance),
  { label: 'control points', value: String(list.reduce((n, f) => n + f.points, 0)) },
];
