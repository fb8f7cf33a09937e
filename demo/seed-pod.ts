import type { Model, Step } from '@ample-skin/core/recipe';

const pick = (step: string) => [{ step, output: 'main' }];
const LOBES = 3;

/**
 * The Seed pod: a closed skin with three lobes, hollowed, and opened along a loop that has a wave of its own on each lobe. The lower half
 * carries a lip that leads the upper one; a little play and a gap keep them from jamming.
 */
export function seedPod(): Model {
  const plane = (id: string, name: string, height: string): Step => ({
    id,
    tool: 'work-plane',
    version: 2,
    name,
    inputs: {},
    params: { offset: [0, 0, height], size: 60 },
  });
  /** A three-lobed closed spline: a control point every 20 degrees, full on the lobes and drawn in between them. */
  const section = (id: string, name: string, on: string, share: number): Step => ({
    id,
    tool: 'spline',
    version: 1,
    name,
    inputs: { plane: pick(on) },
    params: {
      points: Array.from({ length: 18 }, (_, k) => {
        const angle = (Math.PI * k) / 9;
        const full = (1 + Math.cos(LOBES * angle)) / 2;
        const r = `(pod_width/2*${share} - lobe_depth*${share}*${Number((1 - full).toFixed(6))})`;
        return [`${r}*${Number(Math.cos(angle).toFixed(9))}`, `${r}*${Number(Math.sin(angle).toFixed(9))}`];
      }),
      degree: 3,
      closed: true,
    },
  });
  /** Points of the loop's guide, twelve round the pod: up and down differently on each lobe. */
  const guide: [string, string, string][] = Array.from({ length: 12 }, (_, k) => {
    const angle = (Math.PI * k) / 6;
    const lobe = Math.floor((k + 2) / 4) % LOBES;
    const within = (k + 2) % 4;
    const wave = ['wave_a', 'wave_b', 'wave_c'][lobe];
    const share = [
      [0, 0.5, 1, 0.5],
      [0, -0.5, -1, -0.5],
      [0, 1, 0, -1],
    ][lobe][within];
    const r = `pod_width*${Number((0.5 - 0.06 * (1 - Math.cos(3 * angle))).toFixed(6))}`;
    return [
      `${r}*${Number(Math.cos(angle).toFixed(9))}`,
      `${r}*${Number(Math.sin(angle).toFixed(9))}`,
      `pod_height*seam_level + ${share}*${wave}`,
    ];
  });
  const levels: readonly (readonly [string, number])[] = [
    ['0 mm', 0.32],
    ['pod_height*0.14', 0.74],
    ['pod_height*0.42', 1],
    ['pod_height*0.72', 0.86],
    ['pod_height*0.92', 0.48],
    ['pod_height', 0.26],
  ];
  return {
    format: 'ample-skin-recipe',
    version: 1,
    name: 'Seed pod',
    unit: 'mm',
    tolerance: 0.001,
    dials: [
      { name: 'pod_height', formula: '62 mm', unit: 'length' },
      { name: 'pod_width', formula: '46 mm', unit: 'length', note: 'Across the lobes' },
      { name: 'lobe_depth', formula: '7 mm', unit: 'length', note: 'How far the skin draws in between the lobes' },
      { name: 'wall', formula: '1.8 mm', unit: 'length' },
      { name: 'seam_level', formula: '0.52', unit: 'number', note: 'Where the pod opens: 0 at the foot, 1 at the tip' },
      { name: 'wave_a', formula: '5 mm', unit: 'length', note: 'Crest on the first lobe' },
      { name: 'wave_b', formula: '3 mm', unit: 'length', note: 'Valley on the second lobe' },
      { name: 'wave_c', formula: '2.5 mm', unit: 'length', note: 'Crest and valley on the third lobe' },
      { name: 'lip_height', formula: '1.4 mm', unit: 'length' },
      { name: 'lift', formula: '16 mm', unit: 'length', note: 'How far the upper half is shown off' },
    ],
    steps: [
      ...levels.map(([height], i) => plane(`p-${i + 1}`, `Level ${i + 1}`, height)),
      ...levels.map(([, share], i) => section(`c-${i + 1}`, `Section ${i + 1}`, `p-${i + 1}`, share)),
      {
        id: 's-pod',
        tool: 'loft',
        version: 1,
        name: 'Pod skin',
        inputs: { sections: levels.flatMap((_, i) => pick(`c-${i + 1}`)) },
        params: { degree: 3, tolerance: 0.0005 },
      },
      { id: 'b-pod', tool: 'close', version: 1, name: 'Pod solid', inputs: { skin: pick('s-pod') }, params: {} },
      { id: 'w-pod', tool: 'shell', version: 1, name: 'Pod wall', inputs: { solid: pick('b-pod') }, params: { wall: 'wall' } },
      {
        id: 'l-guide',
        tool: 'spline-through',
        version: 1,
        name: 'Waves',
        inputs: {},
        params: { points: guide, degree: 3, closed: true, flat: false },
      },
      {
        id: 'l-loop',
        tool: 'project-curve',
        version: 1,
        name: 'Opening',
        inputs: { curves: pick('l-guide'), onto: [{ step: 's-pod', output: 'main' }] },
        params: { direction: 'normals' },
      },
      {
        id: 'h-pod',
        tool: 'split-loop',
        version: 1,
        name: 'Two halves',
        inputs: { solid: pick('w-pod'), loop: pick('l-loop') },
        params: { lip: 'lower', height: 'lip_height', play: 0.06, gap: 0.1 },
      },
      {
        id: 'm-top',
        tool: 'move',
        version: 1,
        name: 'Upper half, lifted',
        inputs: { pieces: [{ step: 'h-pod', output: 'upper' }] },
        params: { by: [0, 0, 'lift'] },
      },
    ],
    pieces: {
      ...Object.fromEntries(levels.map((_, i) => [`p-${i + 1}/main`, { group: 'references', hidden: true }])),
      ...Object.fromEntries(levels.map((_, i) => [`c-${i + 1}/main`, { group: 'sections', hidden: true }])),
      'l-guide/main': { group: 'sections', hidden: true },
      'l-loop/main': { group: 'sections', hidden: true },
    },
    groups: [
      { id: 'references', name: 'References' },
      { id: 'sections', name: 'Sections' },
    ],
    targets: { 'kind:own': 'G2', 'kind:smooth': 'G1' },
  };
}
