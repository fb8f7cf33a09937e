import type { Model } from '@ample-skin/core/recipe';

/** The Returned cap: a damaged import, to be looked at and mended. */
export function returnedCap(): Model {
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Returned cap',
    unit: 'mm',
    tolerance: 0.001,
    dials: [],
    steps: [
      { id: 'i-cap', tool: 'import', version: 1, name: 'Cap as it came back', inputs: {}, params: { file: '../files/returned-cap.step' } },
    ],
    pieces: {},
    groups: [],
    targets: {},
  };
}
