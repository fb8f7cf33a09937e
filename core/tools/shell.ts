import { z } from 'zod';
import { type Body, checkBody, combineBodies, flipBody, inspect, makeSolid, massProperties, offsetBody, smallestInnerRadius, thickBody } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { defineTool, failure, inputBody, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'shell',
  version: 1,
  stage: 'solids',
  group: 'Give a wall',
  label: 'Shell',
  hint: 'Hollows a solid to a wall; picked faces are left open',
  icon: ['M5 7v11c0 2 14 2 14 0V7', 'M5 7c0-3 14-3 14 0M8 8v8c0 1.500 8 1.500 8 0V8'],
  slots: {
    solid: slot({ label: 'Solid', accepts: ['solid'], min: 1, max: 1, consumes: true }),
    open: slot({ label: 'Open faces', accepts: ['face'], min: 0, max: 100, hint: 'None: a closed hollow' }),
  },
  params: z.object({
    wall: param.length({ label: 'Wall', default: 1.2, min: 1e-4 }),
    side: param.choice({
      label: 'Grows',
      options: [
        { value: 'in', label: 'Inwards' },
        { value: 'out', label: 'Outwards' },
      ],
      default: 'in',
    }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'sharp', label: 'Sharp' },
        { value: 'round', label: 'Round' },
      ],
      default: 'sharp',
    }),
  }),
  examples: [{ params: {} }],
  async evaluate(inputs, p, context) {
    const solid = inputBody(inputs.solid[0]);
    if (!solid?.solids.length) return failure('not-a-solid', 'Pick a solid');
    const call = { signal: context.signal, limit: context.limit };
    const open = inputs.open.map((i) => i.face).filter((f): f is number => f !== undefined);
    const tight = smallestInnerRadius(solid, p.side === 'in');
    if (p.wall >= tight.radius)
      return failure(
        'too-thick',
        `The wall of ${formatNumber(p.wall)} mm is thicker than the smallest radius of ${formatNumber(tight.radius)} mm: it would fold there. Make the wall thinner or the place rounder`,
        [tight.at],
      );
    const before = massProperties(solid);
    const d = p.side === 'in' ? -p.wall : p.wall;
    let raw: Body;
    if (open.length) raw = await thickBody(context.kernel, solid, d, open, p.corner, context.tolerance, call);
    else {
      const other = await offsetBody(context.kernel, solid, d, p.corner, context.tolerance, call);
      raw = p.side === 'in' ? combineBodies([solid, flipBody(other)]) : combineBodies([other, flipBody(solid)]);
    }
    const made = makeSolid({ ...raw, solids: [] });
    if (!made.ok) return failure('no-solid', `The wall does not close: ${made.message}`, made.place ? [made.place] : undefined);
    const gate = inspect(made.body, { watertight: true, positiveVolume: true, tolerance: 0.1 * p.wall });
    if (!gate.ok) return failure('gate', `The wall was not accepted: ${gate.reasons.join('; ')}. Try round corners, or a thinner wall`);
    const m = massProperties(made.body);
    if (p.side === 'in' && m.volume > 0.9999 * before.volume) return failure('too-thick', 'The wall is too thick for this solid: nothing would be hollow');
    const openArea = open.length ? massProperties(solid, open).area : 0;
    const expected = (before.area - openArea) * p.wall;
    if (m.volume > 2.5 * expected || m.volume < 0.25 * expected)
      return failure('gate', `The wall was not accepted: its volume of ${formatNumber(m.volume, 1)} mm³ does not fit the area and thickness`);
    const check = await checkBody(context.kernel, made.body, call);
    return {
      outputs: { main: { kind: 'solid', body: made.body } },
      diagnostics: check.valid ? [] : [{ severity: 'warning', code: 'checker', message: 'The independent checker objects to this solid' }],
      facts: [
        { label: 'volume', value: `${formatNumber(m.volume, 3)} mm³` },
        { label: 'smallest radius', value: `${formatNumber(tight.radius, 3)} mm` },
        { label: 'checker', value: check.valid ? 'valid' : 'objects' },
      ],
    };
  },
});
