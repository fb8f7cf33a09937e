import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const share = (label: string, start: boolean) =>
  param.ratio({ label, default: start ? 0 : 1, min: 0, max: 1, step: 0.01, rare: true, hint: 'Share of the length of this curve' });
export default defineTool({
  id: 'ruled',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Ruled',
  hint: 'Straight lines from one curve or chain to another, or to a point: by parameter, by length or by matched points',
  synonyms: ['straight between', 'connect', 'lines between', 'cone to point'],
  ask: 'Pick two curves, or a curve and a point',
  mistakes: [
    'The rulings cross: one curve runs the other way, reverse it or match by length.',
    'It should bulge: straight lines cannot, use Loft or Weave.',
  ],
  icon: ['M4 7c5-4 10 3 16-2M4 19c5-3 11 2 16 0', 'M4 7v12M9 6v12M15 7v13M20 5v14'],
  slots: {
    ends: slot({ label: 'Between', accepts: ['chain', 'point'], min: 2, max: 2, ordered: true }),
  },
  params: z.object({
    match: param.choice({
      label: 'Match',
      options: [
        { value: 'length', label: 'Length' },
        { value: 'parameter', label: 'Parameter' },
      ],
      default: 'length',
      hint: 'Parameter: lines join equal parameters, the curves are used exactly. Matched points bend the match by length',
    }),
    firstFrom: share('First from', true),
    firstTo: share('First to', false),
    secondFrom: share('Second from', true),
    secondTo: share('Second to', false),
    cap: param.toggle({ label: 'Cap flat ends', default: false }),
    tolerance: param.length({
      label: 'Fit within',
      default: 0.000001,
      min: 1e-9,
      max: 1,
      slider: 'powers',
      when: { key: 'match', is: ['length'] },
    }),
    adjust: param.hidden(
      z
        .array(z.object({ section: z.number().int(), start: z.number().min(0).max(1).optional(), flip: z.boolean().optional() }))
        .default([]),
      'Starts and directions set by hand',
    ),
    pins: param.hidden(z.array(z.array(z.number().min(0).max(1))).default([]), 'Matched points'),
  }),
  examples: [{ params: {} }, { params: { match: 'parameter' } }],
});
