import { intersection, type OnSkin, sectionArray } from '../curves/index.ts';
import type { Vec3 } from '../math/index.ts';
import { chainsResult, defineEvaluation, failure, inputBody, inputPlane, withinFact } from '../recipe/index.ts';
import tool from './intersect-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const body = inputBody(inputs.skin[0]);
  if (!body) return failure('no-skin', 'Pick a skin or solid');
  const found: OnSkin[] = [];
  const misses: Vec3[] = [];
  for (const input of inputs.with) {
    const plane = inputPlane(input);
    const other = input.face === undefined ? inputBody(input) : undefined;
    const list: OnSkin[] = [];
    if (plane && !other) list.push(...sectionArray(body, plane, p.count, p.spacing, p.tolerance).map((x) => x.section));
    else if (other) list.push(intersection(body, other, p.tolerance));
    if (!list.some((r) => r.chains.length))
      misses.push(plane?.origin ?? (other as { vertices: readonly { point: Vec3 }[] } | undefined)?.vertices[0]?.point ?? [0, 0, 0]);
    found.push(...list);
  }
  const chains = found.flatMap((r) => r.chains.map((c) => c.curves));
  if (!chains.length) return failure('no-meeting', 'They do not meet', misses);
  return chainsResult(chains, {
    diagnostics: misses.length
      ? [
          {
            severity: 'warning',
            code: 'misses',
            message: `${misses.length} of ${inputs.with.length} do not meet the skin`,
            place: misses,
          },
        ]
      : [],
    facts: [
      withinFact('on the skin within', Math.max(...found.map((r) => r.deviation)), p.tolerance),
      { label: 'control points', value: String(found.reduce((n, r) => n + r.points, 0)) },
    ],
  });
});
