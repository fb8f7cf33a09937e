import type { Model, Step } from '@ample-skin/core/recipe';

const pick = (step: string) => [{ step, output: 'main' }];

/**
 * The Tansy spout: two profiles that are neither parallel nor in line, a path that leaves both along their normals, a sweep over both, a
 * wall. With a short reach the path bends so tightly that the sweep would fold: the step says where, and the dial clears it.
 */
export function tansySpout(): Model {
  const plane = (id: string, name: string, offset: (string | number)[], turns: (string | number)[]): Step => ({
    id,
    tool: 'work-plane',
    version: 2,
    name,
    inputs: {},
    params: { offset, turns, size: 40 },
  });
  const circle = (id: string, name: string, on: string, diameter: string): Step => ({
    id,
    tool: 'circle',
    version: 1,
    name,
    inputs: { plane: pick(on) },
    params: { centre: [[0, 0]], size: 'diameter', diameter },
  });
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Tansy spout',
    unit: 'mm',
    tolerance: 0.001,
    dials: [
      { name: 'inlet_d', formula: '18 mm', unit: 'length', note: 'Diameter at the pump' },
      { name: 'tip_d', formula: '9 mm', unit: 'length', note: 'Diameter at the nozzle' },
      { name: 'throw', formula: '46 mm', unit: 'length', note: 'How far the tip stands out' },
      { name: 'rise', formula: '40 mm', unit: 'length', note: 'How far it stands up' },
      { name: 'bend_reach', formula: '1', unit: 'number', note: 'Length of the legs of the path; below about 0.6 the bend folds' },
      { name: 'wall', formula: '1.2 mm', unit: 'length' },
    ],
    steps: [
      plane('p-inlet', 'Inlet plane', [0, 0, 0], [0, -8, 0]),
      plane('p-tip', 'Tip plane', ['throw', '6 mm', 'rise'], [-12, 78, 0]),
      circle('c-inlet', 'Inlet', 'p-inlet', 'inlet_d'),
      circle('c-tip', 'Tip', 'p-tip', 'tip_d'),
      {
        id: 'l-path',
        tool: 'bridge-curve',
        version: 1,
        name: 'Path',
        inputs: { ends: ['c-inlet', 'c-tip'].flatMap(pick) },
        params: { kind: 'normals', reachA: 'bend_reach' },
      },
      {
        id: 's-spout',
        tool: 'sweep',
        version: 1,
        name: 'Spout skin',
        inputs: { sections: ['c-inlet', 'c-tip'].flatMap(pick), path: pick('l-path') },
        params: { normalEnds: true, tolerance: 0.0005 },
      },
      {
        id: 'w-spout',
        tool: 'thicken',
        version: 1,
        name: 'Wall',
        inputs: { skin: pick('s-spout') },
        params: { wall: 'wall', side: 'in' },
      },
    ],
    pieces: {
      'p-inlet/main': { group: 'references', hidden: true },
      'p-tip/main': { group: 'references', hidden: true },
    },
    groups: [{ id: 'references', name: 'References' }],
    targets: { 'kind:own': 'G2' },
  };
}
