import { z } from 'zod';
import { intersection, type OnSkin, sectionArray } from '../curves/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { chainsResult, defineTool, failure, inputBody, inputPlane, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'intersect-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Intersection',
  hint: 'The curves in which a skin meets other skins or planes, as clean chains, also at a number of planes in steps',
  icon: ['M3 15c6-3 12-3 18 0M8 4c-2 6-2 10 0 16', 'M7.200 8c-.500 3-.500 5-.200 6'],
  slots: {
    skin: slot({ label: 'Skin', accepts: ['body'], min: 1, max: 1 }),
    with: slot({ label: 'With', accepts: ['body', 'flat'], min: 1, max: 50 }),
  },
  params: z.object({
    count: param.integer({
      label: 'Planes',
      default: 1,
      min: 1,
      max: 500,
      hint: 'For planes: so many, each a step further along its normal',
    }),
    spacing: param.length({ label: 'Step', default: 10, min: 1e-6 }),
    tolerance: param.length({ label: 'Within', default: 0.000002, min: 1e-8, max: 1 }),
  }),
  examples: [],
  evaluate(inputs, p) {
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
        { label: 'on the skin within', value: `${formatNumber(Math.max(...found.map((r) => r.deviation)), 8)} mm` },
        { label: 'control points', value: String(found.reduce((n, r) => n + r.points, 0)) },
      ],
    });
  },
});
