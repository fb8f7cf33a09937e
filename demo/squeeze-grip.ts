import type { Model, Step } from '@ample-skin/core/recipe';

export const GRIP_SCAN = '../files/grip-scan.ply';
export const GRIP_PICTURE = '../files/grip-side.png';
/** Vertices of the half's open border, from the front of the seam to its back. */
const BORDER = [
  'c-run v 0 1',
  'k4(c-run v 0 1~k1(c-run v 0 1))',
  'k1(c-run v 0 1)',
  'k4#0b563e50d28b',
  'k3(k1(c-run v 0 1)~k1(c-run v 1 1))',
  'k4#4a81dfc1fe4c',
  'k1(c-run v 1 1)',
  'k4(c-run v 1 1~k1(c-run v 1 1))',
  'c-run v 1 1',
];
const borderEdges = BORDER.slice(1).map((b, i) => (BORDER[i] < b ? `${BORDER[i]}~${b}` : `${b}~${BORDER[i]}`));
const rim = (step: string, name: string) => ({
  step,
  output: 'main',
  part: { kind: 'edge' as const, name },
  grow: { way: 'rim' as const },
});
const pick = (step: string) => [{ step, output: 'main' }];

/**
 * The Squeeze grip: quads paved over a side picture, drawn out to half a grip, mirrored, laid onto a clay scan, its rim made round for a collar, as NURBS
 * faces joined to the collar's ring: a solid that is compared with the scan.
 */
export function squeezeGrip(): Model {
  const steps: Step[] = [
    { id: 'i-scan', tool: 'import', version: 2, name: 'Clay scan', inputs: {}, params: { file: GRIP_SCAN } },
    { id: 'p-side', tool: 'work-plane', version: 2, name: 'Side', inputs: {}, params: { base: 'xz', size: 130 } },
    {
      id: 'p-picture',
      tool: 'work-plane',
      version: 2,
      name: 'Behind',
      inputs: {},
      params: { base: 'xz', offset: [0, 0, '-40 mm'], size: 130 },
    },
    {
      id: 'pic-side',
      tool: 'picture',
      version: 1,
      name: 'Side drawing',
      inputs: { plane: pick('p-picture') },
      params: {
        file: GRIP_PICTURE,
        size: 'places',
        a: [310 / 620, 1 - 780 / 860],
        b: [310 / 620, 1 - (780 - 112 * 6) / 860],
        between: '112 mm',
        along: 'y',
        anchor: 'a',
        opacity: 0.5,
      },
    },
    {
      id: 'c-run',
      tool: 'pave',
      version: 1,
      name: 'Quads over the drawing',
      inputs: { plane: pick('p-side') },
      params: {
        points: [
          [0, 4],
          [-1, 20],
          [0, 38],
          [2, 56],
          [5, 74],
          [9, 92],
          [14, 112],
        ],
        width: 26,
        end: 20,
      },
    },
    {
      id: 'c-half',
      tool: 'cage-edit',
      version: 1,
      name: 'Drawn out and mirrored',
      inputs: { cage: pick('c-run'), mirror: pick('p-side') },
      params: {
        operations: [
          {
            id: 'k1',
            op: 'extrude-faces',
            faces: ['c-run f 0 0', 'c-run f 0 1/6', 'c-run f 0 1/3', 'c-run f 0 1/2', 'c-run f 0 2/3', 'c-run f 0 5/6'],
            by: 'grip_half',
          },
          { id: 'k2', op: 'remove', faces: ['k1(c-run v 0 1~c-run v 1 1)'] },
          { id: 'k3', op: 'insert-loop', edge: 'k1(c-run v 0 0)~k1(c-run v 1 0)', shares: [0.5] },
          { id: 'k4', op: 'refine' },
        ],
      },
    },
    {
      id: 'c-fit',
      tool: 'cage-fit',
      version: 1,
      name: 'Onto the clay',
      inputs: { cage: pick('c-half'), onto: pick('i-scan') },
      params: { tolerance: '0.4 mm', rounds: 60, even: 0.12, hold: false },
    },
    {
      id: 'c-rim',
      tool: 'cage-edit',
      version: 1,
      name: 'Rim, level and creased',
      inputs: { cage: pick('c-fit'), mirror: pick('p-side') },
      params: {
        within: '0.3 mm',
        operations: [
          { id: 'r1', op: 'flatten', vertices: BORDER, plane: { origin: [0, 0, 'rim_height'], normal: [0, 0, 1] }, share: 1 },
          { id: 'r2', op: 'extrude-edges', edges: borderEdges, by: [0, 0, '4 mm'] },
          { id: 'r3', op: 'crease', edges: borderEdges, sharpness: 2 },
        ],
      },
    },
    { id: 'n-grip', tool: 'cage-skin', version: 1, name: 'Grip as NURBS faces', inputs: { cage: pick('c-rim') }, params: {} },
    {
      id: 's-collar',
      tool: 'primitive',
      version: 1,
      name: 'Collar ring',
      inputs: {},
      params: { shape: 'cylinder', centre: [[13.6, 0, 'rim_height + 12 mm']], radius: 'collar_d/2', height: '7 mm', open: true },
    },
    {
      id: 'b-neck',
      tool: 'blend',
      version: 1,
      name: 'Neck',
      inputs: { first: [rim('n-grip', 'n-grip:k4#008e602a4c14|rim')], second: [rim('s-collar', 's-collar.side.u0')] },
      params: { gradeFirst: '2', gradeSecond: '2' },
    },
    {
      id: 'k-open',
      tool: 'knit',
      version: 1,
      name: 'Grip with its collar',
      inputs: { skins: [...pick('n-grip'), ...pick('b-neck'), ...pick('s-collar')] },
      params: { tolerance: 0.005 },
    },
    { id: 'k-grip', tool: 'close', version: 1, name: 'Squeeze grip', inputs: { skin: pick('k-open') }, params: {} },
  ];
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Squeeze grip',
    unit: 'mm',
    tolerance: 0.001,
    dials: [
      { name: 'grip_half', formula: '10 mm', unit: 'length', note: 'How far the paved quads are drawn out to the side' },
      { name: 'rim_height', formula: '110 mm', unit: 'length' },
      { name: 'collar_d', formula: '18 mm', unit: 'length' },
    ],
    steps,
    pieces: { 'i-scan/main': { name: 'Clay scan' } },
    groups: [],
    targets: {},
  };
}
