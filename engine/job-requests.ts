import { SPACE_FORMATS } from '@ample-skin/core/exchange/formats';
import { modelSchema } from '@ample-skin/core/recipe/model';
import { sweepPoints } from '@ample-skin/core/report/sweep-rows';
import { z } from 'zod';

const recipe = modelSchema;
const range = z.object({ dial: z.string().max(200), from: z.number(), to: z.number(), count: z.number().int().min(1).max(400) });
const models = z
  .array(z.object({ name: z.string().max(300), recipe }))
  .min(1)
  .max(200);
/** Heavy work that is done apart from the page: each item of it by itself, by any worker. */
export const jobSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('sweep'), recipe, ranges: z.array(range).min(1).max(2) }),
  z.object({ kind: z.literal('check'), models }),
  z.object({
    kind: z.literal('export'),
    models,
    format: z.enum(SPACE_FORMATS as unknown as [string, ...string[]]),
    unit: z.enum(['MM', 'INCH', 'M']).default('MM'),
    schema: z.enum(['AP214', 'AP242']).default('AP214'),
    /** mm */
    chord: z.number().min(1e-6).max(1000).default(0.02),
  }),
]);
export type JobRequest = z.infer<typeof jobSchema>;

/** Names of the items of a job, in order; words when there can be none. */
export function itemsOf(r: JobRequest): readonly string[] | string {
  if (r.kind !== 'sweep') return r.models.map((m) => m.name);
  const points = sweepPoints(r.recipe, r.ranges);
  return typeof points === 'string'
    ? points
    : points.map((p) =>
        Object.entries(p)
          .map(([k, v]) => `${k} ${Number(v.toPrecision(6))}`)
          .join(', '),
      );
}
export const titleOf = (r: JobRequest): string =>
  r.kind === 'sweep'
    ? `${r.recipe.name}: ${r.ranges.map((x) => x.dial).join(' and ')} swept`
    : `${r.kind === 'check' ? 'Check' : `Export as ${r.format}`}: ${r.models.length === 1 ? r.models[0].name : `${r.models.length} models`}`;
