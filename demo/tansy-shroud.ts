import type { Model, Step } from '@ample-skin/core/recipe';

type Row = [number | string, number | string, number | string];
const pick = (step: string) => [{ step, output: 'main' }];

/**
 * The Tansy shroud: half of it woven over three curves along and two across, square to the plane of symmetry; its cheek opened and filled
 * anew (the ways that were tried stand beside it, muted); mirrored and knitted, so that the seam in the middle is smooth in its curvature;
 * then a wall.
 */
export function tansyShroud(): Model {
  const spline = (id: string, name: string, points: Row[], start?: number[], end?: number[]): Step => ({
    id,
    tool: 'spline-through',
    version: 1,
    name,
    inputs: {},
    params: {
      points,
      flat: false,
      ...(start && end ? { ends: 'given', startDirection: start, endDirection: end } : {}),
    },
  });
  // where the curves meet: front and back of the crown (in the mirror plane), of the cheek, and of the lower edge
  const front: Row[] = [
    ['shroud_length', 0, 18],
    ['shroud_length - 3', 'shroud_width*0.36', 13],
    ['shroud_length - 9', 'shroud_width*0.5', -2],
  ];
  const back: Row[] = [
    [0, 0, 34],
    [-1, 'shroud_width*0.42', 26],
    [-3, 'shroud_width*0.58', 2],
  ];
  const between = (k: number, lift: number, out: string): Row => [
    `(${front[k][0]} + ${back[k][0]})*0.5`,
    k ? `(${front[k][1]} + ${back[k][1]})*0.5 + ${out}` : 0,
    `(${front[k][2]} + ${back[k][2]})*0.5 + ${lift}`,
  ];
  const openRim = (grade: string) => ({
    step: 't-cheek',
    output: 'main',
    part: { kind: 'edge' as const, name: 't-cheek.cut(s-half:weave)' },
    grow: { way: 'rim' as const },
    settings: { grade },
  });
  const otherCheek = (id: string, name: string, grade: string): Step => ({
    id,
    tool: 'patch',
    version: 1,
    name,
    inputs: { rim: [openRim(grade)] },
    params: {},
    muted: true,
  });
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Tansy shroud',
    unit: 'mm',
    tolerance: 0.001,
    dials: [
      { name: 'shroud_length', formula: '62 mm', unit: 'length', note: 'Back to front over the crown' },
      { name: 'shroud_width', formula: '40 mm', unit: 'length', note: 'Over both cheeks' },
      { name: 'crown', formula: '7 mm', unit: 'length', note: 'How far the crown stands over the straight line' },
      { name: 'wall', formula: '1.6 mm', unit: 'length' },
    ],
    steps: [
      spline('l-crown', 'Crown line', [front[0], [`(${front[0][0]} + ${back[0][0]})*0.5`, 0, '26 + crown'], back[0]]),
      spline('l-cheek', 'Cheek line', [front[1], between(1, 4, '1'), back[1]]),
      spline('l-edge', 'Lower edge', [front[2], between(2, 1, '1.5'), back[2]]),
      spline('l-front', 'Front arch', front, [0, 1, 0], [-0.2, 0.1, -1]),
      spline('l-back', 'Back arch', back, [0, 1, 0], [-0.1, 0.1, -1]),
      {
        id: 's-half',
        tool: 'weave',
        version: 1,
        name: 'Half of the shroud',
        inputs: {
          curves: [
            { step: 'l-crown', output: 'main', settings: { meets: 'mirror' } },
            ...['l-cheek', 'l-edge', 'l-front', 'l-back'].flatMap(pick),
          ],
        },
        params: { gap: 0.05, tolerance: 0.00001 },
      },
      {
        id: 'p-side',
        tool: 'work-plane',
        version: 2,
        name: 'Side',
        inputs: {},
        params: { base: 'xz', size: 70 },
      },
      {
        id: 'l-cheek-opening',
        tool: 'polyline',
        version: 1,
        name: 'Outline of the cheek opening',
        inputs: { plane: pick('p-side') },
        params: {
          points: [
            ['shroud_length*0.2', 7],
            ['shroud_length*0.66', 5],
            ['shroud_length*0.62', 15],
            ['shroud_length*0.24', 18],
          ],
          closed: true,
        },
      },
      {
        id: 't-cheek',
        tool: 'trim',
        version: 1,
        name: 'Open the cheek',
        inputs: { target: pick('s-half'), cutters: pick('l-cheek-opening') },
        params: { keep: 'picked', places: [[31, 4, 30]] },
      },
      {
        id: 'f-cheek',
        tool: 'patch',
        version: 1,
        name: 'Cheek',
        inputs: { rim: [openRim('2')] },
        params: {},
      },
      // what else was tried for the opening
      { ...otherCheek('f-cheek-four', 'Cheek, four-sided faces (variant)', '2'), params: { faces: 'four' } },
      otherCheek('f-cheek-g1', 'Cheek, G1 (variant)', '1'),
      {
        id: 'k-half',
        tool: 'knit',
        version: 1,
        name: 'Half with its cheek',
        inputs: { skins: [...pick('t-cheek'), ...pick('f-cheek')] },
        params: { tolerance: 0.005 },
      },
      {
        id: 's-other',
        tool: 'mirror',
        version: 2,
        name: 'Other half',
        inputs: { pieces: pick('k-half') },
        params: { world: 'xz', keep: true },
      },
      {
        id: 'k-shroud',
        tool: 'knit',
        version: 1,
        name: 'Knit the halves',
        inputs: { skins: [{ step: 's-other', output: 'original' }, ...pick('s-other')] },
        params: { tolerance: 0.005 },
      },
      {
        id: 'w-shroud',
        tool: 'thicken',
        version: 1,
        name: 'Wall',
        inputs: { skin: pick('k-shroud') },
        params: { wall: 'wall', side: 'in' },
      },
    ],
    pieces: Object.fromEntries(['l-crown', 'l-cheek', 'l-edge', 'l-front', 'l-back'].map((c) => [`${c}/main`, { group: 'curves' }])),
    groups: [{ id: 'curves', name: 'Curves' }],
    targets: { 'kind:own': 'G2', 'kind:smooth': 'G2' },
  };
}
