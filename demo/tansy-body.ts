import type { Model, Step } from '@ample-skin/core/recipe';
import type { Sketch } from '@ample-skin/core/sketch';

/** The file of the side drawing, seen from the recipes' folder. */
export const SIDE_PICTURE = '../files/tansy-side.png';

/** Shares of a section's own measures: a flat back, full sides, a round front. Eight control points from the front, over the left side. */
const SHAPE = {
  corner: [0.88, 0.6],
  side: [0.12, 1],
  back: [1, 0.74],
} as const;

/**
 * The waist as a dimensioned sketch: a closed spline of eight control points, alike on both sides of its help line, its back one straight row,
 * its front drawn in under the fingers by the recess.
 */
function waistSketch(): Sketch {
  const at: Record<string, [number, number]> = {
    o: [0, 0],
    front: [19.4, 0],
    fl: [17, 12.4],
    left: [2.5, 20.8],
    bl: [-20.5, 15.4],
    back: [-20.5, 0],
    br: [-20.5, -15.4],
    right: [2.5, -20.8],
    fr: [17, -12.4],
  };
  const rules: Sketch['rules'] = [
    { id: 'r1', type: 'fixed', point: 'o' },
    { id: 'r2', type: 'horizontal', a: 'o', b: 'front' },
    { id: 'r3', type: 'horizontal', a: 'o', b: 'back' },
    { id: 'r4', type: 'symmetric', a: 'left', b: 'right', line: 'axis' },
    { id: 'r5', type: 'symmetric', a: 'fl', b: 'fr', line: 'axis' },
    { id: 'r6', type: 'symmetric', a: 'bl', b: 'br', line: 'axis' },
    { id: 'r7', type: 'vertical', a: 'back', b: 'bl' },
    { id: 'd1', type: 'across', a: 'o', b: 'front', value: 'grip_width*0.47 - recess_depth' },
    { id: 'd2', type: 'across', a: 'o', b: 'back', value: '-grip_width*0.38' },
    { id: 'd3', type: 'across', a: 'o', b: 'fl', value: '(grip_width*0.47 - recess_depth)*0.88' },
    { id: 'd4', type: 'up', a: 'o', b: 'fl', value: 'grip_width*0.385*0.6' },
    { id: 'd5', type: 'across', a: 'o', b: 'left', value: '(grip_width*0.47 - recess_depth)*0.12' },
    { id: 'd6', type: 'up', a: 'o', b: 'left', value: 'grip_width*0.385' },
    { id: 'd7', type: 'up', a: 'o', b: 'bl', value: 'grip_width*0.385*0.74' },
  ];
  return {
    points: Object.entries(at).map(([id, [x, y]]) => ({ id, x, y })),
    curves: [
      { id: 'waist', type: 'spline', points: ['front', 'fl', 'left', 'bl', 'back', 'br', 'right', 'fr'], degree: 3, closed: true },
      { id: 'axis', type: 'line', a: 'back', b: 'front', help: true },
    ],
    rules,
  };
}

/** The Tansy body: a drawing to go by, leaning sections with a flat back over dials (the waist a dimensioned sketch), loft, two cuts, flat base and collar, knit, solid, wall. */
export function tansyBody(): Model {
  /** A level plane on the leaning axis. */
  const plane = (id: string, name: string, height: string): Step => ({
    id,
    tool: 'work-plane',
    version: 2,
    name,
    inputs: {},
    params: { offset: [`(${height})*tan(lean)`, 0, height], size: 70 },
  });
  const pick = (step: string) => [{ step, output: 'main' }];
  /** A closed section with a flat back: ways from the axis to the front, to the back and to the side. */
  const section = (id: string, name: string, on: string, front: string, back: string, side: string): Step => {
    const at = (x: string, y: string): [string, string] => [x, y];
    const half = (sign: string): [string, string][] => [
      at(`(${front})*${SHAPE.corner[0]}`, `${sign}(${side})*${SHAPE.corner[1]}`),
      at(`(${front})*${SHAPE.side[0]}`, `${sign}(${side})`),
      at(`-(${back})`, `${sign}(${side})*${SHAPE.back[1]}`),
    ];
    return {
      id,
      tool: 'spline',
      version: 1,
      name,
      inputs: { plane: pick(on) },
      params: { points: [at(front, '0'), ...half(''), at(`-(${back})`, '0'), ...half('-').reverse()], degree: 3, closed: true },
    };
  };
  /** A place of the recess's outline: shares of the grip's width across and of the body's length up. */
  const thumb = (across: number, up: number): [string, string] => [`grip_width*${across}`, `body_length*${up}`];
  /** A place under the back, at a share of the recess's depth. */
  const deep = (up: number, share: number): [string, number, string] => [
    `body_length*${up}*tan(lean) - grip_width*0.38 + recess_depth*${share}`,
    0,
    `body_length*${up}`,
  ];
  const recessEdge = (step: string, up: number, settings?: Record<string, string>) => ({
    step,
    output: 'main',
    part: {
      kind: 'edge' as const,
      name: 't-recess.cut(s-body:side)',
      near: [182 * up * Math.tan((9 * Math.PI) / 180) - 20.5, 0, 182 * up] as [number, number, number],
    },
    ...(settings ? { settings } : {}),
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
      { name: 'shoulder_reach', formula: '0.35', unit: 'number', note: 'How far up the shoulder stands: 0 at the waist, 1 at the collar' },
      { name: 'recess_depth', formula: '6 mm', unit: 'length', note: 'How far the waist draws in under the fingers' },
      { name: 'wall', formula: '1.2 mm', unit: 'length' },
      { name: 'collar_d', formula: '28 mm', unit: 'length', note: 'Diameter at the pump collar' },
      { name: 'lean', formula: '9 deg', unit: 'angle', note: 'How far the whole body leans towards the fingers' },
      { name: 'foot_tilt', formula: '2 deg', unit: 'angle', note: 'The foot is cut a little askew so that it stands back' },
    ],
    steps: [
      {
        id: 'p-side',
        tool: 'work-plane',
        version: 2,
        name: 'Side',
        inputs: {},
        params: { base: 'xz', offset: [0, 0, '-grip_width*1.1'], size: 200 },
      },
      {
        id: 'pic-side',
        tool: 'picture',
        version: 1,
        name: 'Side drawing',
        inputs: { plane: pick('p-side') },
        params: {
          file: SIDE_PICTURE,
          size: 'places',
          // the crosses on the drawing: middle of the foot and of the collar, 182 mm apart
          a: [420 / 880, 1 - 1130 / 1240],
          b: [420 / 880, 1 - (1130 - 182 * 5.6) / 1240],
          between: '182 mm',
          along: 'y',
          anchor: 'a',
          opacity: 0.5,
        },
      },
      plane('p-low', 'Belly', 'body_length*0.24'),
      plane('p-waist', 'Waist', 'body_length*0.53'),
      plane('p-shoulder', 'Shoulder', 'body_length*(0.6 + 0.4*shoulder_reach)'),
      plane('p-neck', 'Neck', 'body_length*0.9'),
      plane('p-collar', 'Collar top', 'body_length + 6 mm'),
      section('c-foot', 'Foot section', 'p-foot', 'grip_width*0.46', 'grip_width*0.42', 'grip_width*0.4'),
      section('c-low', 'Belly section', 'p-low', 'grip_width*0.6', 'grip_width*0.4', 'grip_width*0.44'),
      {
        id: 'c-waist',
        tool: 'sketch',
        version: 1,
        name: 'Waist section',
        inputs: { plane: pick('p-waist') },
        params: { sketch: waistSketch() },
      },
      section('c-shoulder', 'Shoulder section', 'p-shoulder', 'grip_width*0.43', 'grip_width*0.36', 'grip_width*0.36'),
      {
        id: 'c-neck',
        tool: 'circle',
        version: 1,
        name: 'Neck section',
        inputs: { plane: pick('p-neck') },
        params: { centre: [[0, 0]], radius: 'collar_d*0.56' },
      },
      {
        id: 'c-collar',
        tool: 'circle',
        version: 1,
        name: 'Collar section',
        inputs: { plane: pick('p-collar') },
        params: { centre: [[0, 0]], size: 'diameter', diameter: 'collar_d' },
      },
      {
        id: 's-body',
        tool: 'loft',
        version: 1,
        name: 'Body skin',
        inputs: { sections: ['c-foot', 'c-low', 'c-waist', 'c-shoulder', 'c-neck', 'c-collar'].flatMap(pick) },
        params: { degree: 3, tolerance: 0.0005 },
      },
      plane('p-cut', 'Foot cut', '8 mm'),
      {
        id: 't-foot',
        tool: 'trim',
        version: 1,
        name: 'Cut the foot',
        inputs: { target: pick('s-body'), cutters: pick('p-cut') },
        params: { keep: 'front' },
      },
      plane('p-top', 'Collar cut', 'body_length'),
      {
        id: 't-collar',
        tool: 'trim',
        version: 1,
        name: 'Cut the collar',
        inputs: { target: pick('t-foot'), cutters: pick('p-top') },
        params: { keep: 'behind' },
      },
      // the shoulder, blended anew between the body and the neck
      plane('p-shoulder-low', 'Below the shoulder', 'body_length*0.77'),
      plane('p-shoulder-high', 'Above the shoulder', 'body_length*0.9'),
      {
        id: 't-shoulder',
        tool: 'trim',
        version: 1,
        name: 'Body up to the shoulder',
        inputs: { target: pick('t-collar'), cutters: pick('p-shoulder-low') },
        params: { keep: 'behind' },
      },
      {
        id: 't-neck',
        tool: 'trim',
        version: 1,
        name: 'Neck above the shoulder',
        inputs: { target: pick('t-collar'), cutters: pick('p-shoulder-high') },
        params: { keep: 'front' },
      },
      {
        id: 'f-shoulder',
        tool: 'blend',
        version: 1,
        name: 'Shoulder blend',
        inputs: {
          first: [{ step: 't-shoulder', output: 'main', part: { kind: 'edge', name: 't-shoulder.cut(s-body:side)' } }],
          second: [{ step: 't-neck', output: 'main', part: { kind: 'edge', name: 't-neck.cut(s-body:side)' } }],
        },
        params: { gradeFirst: '2', gradeSecond: '2' },
      },
      // the thumb recess: its outline on a plane inside the body, cut through the back alone
      {
        id: 'p-thumb',
        tool: 'work-plane',
        version: 2,
        name: 'Inside the back',
        inputs: {},
        params: { base: 'yz', offset: [0, 0, 'body_length*0.53*tan(lean)'], size: 70 },
      },
      {
        id: 'l-root',
        tool: 'polyline',
        version: 1,
        name: 'Root of the recess',
        inputs: { plane: pick('p-thumb') },
        params: { points: [thumb(-0.15, 0.4), thumb(0.15, 0.4)] },
      },
      {
        id: 'l-thumb',
        tool: 'spline-through',
        version: 1,
        name: 'Outline of the recess',
        inputs: { plane: pick('p-thumb') },
        params: {
          points: [
            [0.15, 0.4],
            [0.19, 0.5],
            [0.14, 0.61],
            [0, 0.645],
            [-0.14, 0.61],
            [-0.19, 0.5],
            [-0.15, 0.4],
          ].map(([y, z]) => thumb(y, z)),
        },
      },
      {
        id: 'l-recess',
        tool: 'join-curves',
        version: 1,
        name: 'Recess all round',
        inputs: { curves: [...pick('l-root'), ...pick('l-thumb')] },
        params: {},
      },
      {
        id: 'e-recess',
        tool: 'extrude',
        version: 2,
        name: 'Recess cutter',
        inputs: { profile: pick('l-recess') },
        params: { distance: '-grip_width' },
      },
      {
        id: 't-recess',
        tool: 'trim',
        version: 1,
        name: 'Open the recess',
        inputs: { target: pick('t-shoulder'), cutters: pick('e-recess') },
        params: { keep: 'picked', places: [[0, 23, 60]] },
      },
      {
        id: 'l-depth',
        tool: 'spline-through',
        version: 1,
        name: 'Depth of the recess',
        inputs: {},
        params: { flat: false, points: [deep(0.46, 0.15), deep(0.53, 0.4), deep(0.59, 0.47)] },
      },
      {
        id: 'f-recess',
        tool: 'patch',
        version: 1,
        name: 'Floor of the recess',
        inputs: {
          rim: [recessEdge('t-recess', 0.4, { grade: '2' }), recessEdge('t-recess', 0.645, { grade: '0' })],
          through: pick('l-depth'),
        },
        params: { points: 20 },
      },
      {
        id: 'k-recess',
        tool: 'knit',
        version: 1,
        name: 'Knit the recess',
        inputs: { skins: [...pick('t-recess'), ...pick('f-recess')] },
        params: { tolerance: 0.005 },
      },
      {
        id: 'r-recess',
        tool: 'fillet',
        version: 1,
        name: 'Sides of the recess',
        inputs: { edges: [recessEdge('k-recess', 0.645)] },
        params: { rule: 'tube', distance: 2.5, section: '2' },
      },
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
      {
        id: 'k-body',
        tool: 'knit',
        version: 1,
        name: 'Knit the body',
        inputs: { skins: ['r-recess', 'f-shoulder', 't-neck', 'f-base', 'f-collar'].flatMap(pick) },
        params: { tolerance: 0.005 },
      },
      { id: 'b-body', tool: 'close', version: 1, name: 'Solid', inputs: { skin: pick('k-body') }, params: {} },
      {
        id: 'w-body',
        tool: 'shell',
        version: 1,
        name: 'Wall',
        inputs: { solid: pick('b-body'), open: [{ step: 'b-body', output: 'main', part: { kind: 'face', name: 'f-collar:region' } }] },
        params: { wall: 'wall' },
      },
      {
        id: 'x-body',
        tool: 'export',
        version: 1,
        name: 'For the toolmaker',
        inputs: { pieces: pick('w-body') },
        params: { format: 'step' },
      },
    ].flatMap((s): Step[] =>
      s.id === 'p-low'
        ? [plane('p-foot', 'Foot', '0'), s as Step]
        : s.id === 'p-cut'
          ? [{ ...(s as Step), params: { offset: [0, 0, '8 mm'], turns: [0, '-foot_tilt', 0], size: 90 } }]
          : [s as Step],
    ),
    pieces: Object.fromEntries([
      ['pic-side/main', { group: 'references' }],
      ...['p-side', 'p-foot', 'p-low', 'p-waist', 'p-shoulder', 'p-neck', 'p-collar', 'p-cut', 'p-top'].map((p) => [
        `${p}/main`,
        { group: 'references', hidden: true },
      ]),
      ...['p-shoulder-low', 'p-shoulder-high', 'p-thumb', 'l-root', 'l-thumb', 'l-recess', 'l-depth', 'e-recess'].map((p) => [
        `${p}/main`,
        { group: 'recess', hidden: true },
      ]),
      ...['c-foot', 'c-low', 'c-waist', 'c-shoulder', 'c-neck', 'c-collar'].map((c) => [`${c}/main`, { group: 'sections' }]),
    ]),
    groups: [
      { id: 'references', name: 'References', locked: true },
      { id: 'sections', name: 'Sections' },
      { id: 'recess', name: 'Shoulder and recess' },
    ],
    targets: { 'kind:own': 'G2', 'kind:smooth': 'G2' },
  };
}
