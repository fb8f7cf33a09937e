import type { Model, Step } from '@ample-skin/core/recipe';

/** The Tansy body in its first form: sections, loft, two cuts, flat base and collar, knit, solid, wall. */
export function tansyBody(): Model {
  const plane = (id: string, name: string, height: string, turn = 0): Step => ({
    id,
    tool: 'work-plane',
    version: 1,
    name,
    inputs: {},
    params: { offset: [0, 0, height], turns: [turn, 0, 0], size: 70 },
  });
  const pick = (step: string) => [{ step, output: 'main' }];
  const ellipse = (id: string, name: string, on: string, x: string, y: string): Step => ({
    id,
    tool: 'ellipse',
    version: 1,
    name,
    inputs: { plane: pick(on) },
    params: { centre: [[0, 0]], radiusX: x, radiusY: y },
  });
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Tansy body',
    unit: 'mm',
    tolerance: 0.001,
    dials: [
      { name: 'body_length', formula: '182 mm', unit: 'length', note: 'Foot to collar' },
      { name: 'grip_width', formula: '54 mm', unit: 'length', note: 'Widest part of the grip' },
      { name: 'wall', formula: '1.2 mm', unit: 'length' },
      { name: 'collar_d', formula: '28 mm', unit: 'length', note: 'Diameter at the pump collar' },
      { name: 'foot_tilt', formula: '2 deg', unit: 'angle', note: 'The foot is cut a little askew so that it stands back' },
    ],
    steps: [
      plane('p-low', 'Grip low', 'body_length*0.2'),
      plane('p-waist', 'Waist', 'body_length*0.48'),
      plane('p-shoulder', 'Shoulder', 'body_length*0.74'),
      plane('p-neck', 'Neck', 'body_length*0.9'),
      plane('p-collar', 'Collar top', 'body_length+6 mm'),
      ellipse('c-foot', 'Foot section', 'p-foot', 'grip_width*0.46', 'grip_width*0.36'),
      ellipse('c-low', 'Grip section', 'p-low', 'grip_width*0.5', 'grip_width*0.41'),
      {
        id: 'c-waist',
        tool: 'spline',
        version: 1,
        name: 'Waist section',
        inputs: { plane: pick('p-waist') },
        params: {
          closed: true,
          degree: 3,
          points: [
            ['grip_width*0.44', 0],
            ['grip_width*0.36', 'grip_width*0.27'],
            [0, 'grip_width*0.36'],
            ['-grip_width*0.36', 'grip_width*0.27'],
            ['-grip_width*0.44', 0],
            ['-grip_width*0.34', '-grip_width*0.31'],
            [0, '-grip_width*0.41'],
            ['grip_width*0.34', '-grip_width*0.31'],
          ],
        },
      },
      ellipse('c-shoulder', 'Shoulder section', 'p-shoulder', 'grip_width*0.47', 'grip_width*0.4'),
      { id: 'c-neck', tool: 'circle', version: 1, name: 'Neck section', inputs: { plane: pick('p-neck') }, params: { centre: [[0, 0]], radius: 'collar_d*0.56' } },
      { id: 'c-collar', tool: 'circle', version: 1, name: 'Collar section', inputs: { plane: pick('p-collar') }, params: { centre: [[0, 0]], size: 'diameter', diameter: 'collar_d' } },
      {
        id: 's-body',
        tool: 'loft',
        version: 1,
        name: 'Body skin',
        inputs: { sections: ['c-foot', 'c-low', 'c-waist', 'c-shoulder', 'c-neck', 'c-collar'].flatMap(pick) },
        params: { degree: 3, tolerance: 0.0005 },
      },
      plane('p-cut', 'Foot cut', '8 mm'),
      { id: 't-foot', tool: 'trim', version: 1, name: 'Cut the foot', inputs: { target: pick('s-body'), cutters: pick('p-cut') }, params: { keep: 'front' } },
      plane('p-top', 'Collar cut', 'body_length'),
      { id: 't-collar', tool: 'trim', version: 1, name: 'Cut the collar', inputs: { target: pick('t-foot'), cutters: pick('p-top') }, params: { keep: 'behind' } },
      {
        id: 'f-base',
        tool: 'flat-skin',
        version: 1,
        name: 'Base',
        inputs: { loops: [{ step: 't-collar', output: 'main', part: { kind: 'edge', name: 't-foot.cut(s-body:side)' } }] },
        params: { flatness: 0.001 },
      },
      {
        id: 'f-collar',
        tool: 'flat-skin',
        version: 1,
        name: 'Collar lid',
        inputs: { loops: [{ step: 't-collar', output: 'main', part: { kind: 'edge', name: 't-collar.cut(s-body:side)' } }] },
        params: { flatness: 0.001 },
      },
      { id: 'k-body', tool: 'knit', version: 1, name: 'Knit the body', inputs: { skins: ['t-collar', 'f-base', 'f-collar'].flatMap(pick) }, params: { tolerance: 0.005 } },
      { id: 'b-body', tool: 'close', version: 1, name: 'Solid', inputs: { skin: pick('k-body') }, params: {} },
      {
        id: 'w-body',
        tool: 'shell',
        version: 1,
        name: 'Wall',
        inputs: { solid: pick('b-body'), open: [{ step: 'b-body', output: 'main', part: { kind: 'face', name: 'f-collar:region' } }] },
        params: { wall: 'wall' },
      },
      { id: 'x-body', tool: 'export', version: 1, name: 'For the toolmaker', inputs: { pieces: pick('w-body') }, params: { format: 'step' } },
    ].flatMap((s): Step[] =>
      s.id === 'p-low' ? [plane('p-foot', 'Foot', '0'), s as Step] : s.id === 'p-cut' ? [{ ...(s as Step), params: { offset: [0, 0, '8 mm'], turns: ['foot_tilt', 0, 0], size: 90 } }] : [s as Step],
    ),
    pieces: Object.fromEntries(['p-foot', 'p-low', 'p-waist', 'p-shoulder', 'p-neck', 'p-collar', 'p-cut', 'p-top'].map((p) => [`${p}/main`, { hidden: true }])),
    groups: [],
    targets: { 'w-body/main/s-body.u0': 'G2' },
  };
}
