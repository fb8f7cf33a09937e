import type { Model, Step } from '@ample-skin/core/recipe';
import { tansyBody } from './tansy-body.ts';

/** The Tansy body, full and without its wall, as 24 sections of cardboard nested on sheets: a buck for the packaging to be tried on. */
export function packagingBuck(): Model {
  const body = tansyBody();
  const last = body.steps.findIndex((s) => s.id === 'b-body');
  const steps: Step[] = [
    ...body.steps.slice(0, last + 1),
    {
      id: 'buck',
      tool: 'cut-sheets',
      version: 1,
      name: 'Cardboard sheets',
      inputs: { pieces: [{ step: 'b-body', output: 'main' }] },
      params: { count: 24, thickness: 'board', width: 300, height: 200, gap: 3, margin: 8, format: 'svg' },
    },
  ];
  return {
    ...body,
    name: 'Packaging buck',
    dials: [
      ...body.dials.filter((d) => d.name !== 'wall'),
      { name: 'board', formula: '7', unit: 'length', note: 'Thickness of the corrugated board' },
    ],
    steps,
  };
}
