import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

const when = (...is: string[]) => ({ key: 'shape', is });
export default defineTool({
  id: 'primitive',
  version: 1,
  stage: 'skins',
  group: 'Begin with',
  label: 'Basic shape',
  hint: 'Box, ball, cylinder, cone, ring or ellipsoid on a plane, by typed sizes or by pulling its arrows; exact, solid or open',
  synonyms: ['box', 'cube', 'sphere', 'ball', 'cylinder', 'cone', 'torus', 'ring', 'ellipsoid', 'primitive'],
  ask: 'Click where it stands',
  mistakes: [
    'The ring runs through itself: its round is thicker than its radius.',
    'A box for cutting ends flush with what it cuts: let it reach beyond.',
  ],
  icon: ['M12 3v18', 'M4 8l8-4 8 4v8l-8 4-8-4zM4 8l8 4 8-4M12 12v8'],
  slots: { plane: planeSlot },
  params: z.object({
    shape: param.choice({
      label: 'Shape',
      options: [
        { value: 'box', label: 'Box' },
        { value: 'ball', label: 'Ball' },
        { value: 'cylinder', label: 'Cylinder' },
        { value: 'cone', label: 'Cone' },
        { value: 'ring', label: 'Ring' },
        { value: 'ellipsoid', label: 'Ellipsoid' },
      ],
      default: 'box',
    }),
    centre: param.points({ label: 'Stands at', default: [[0, 0]], minPoints: 1, dims: 3 }),
    width: param.length({ label: 'Width', default: 30, min: 1e-4, when: when('box', 'ellipsoid') }),
    depth: param.length({ label: 'Depth', default: 20, min: 1e-4, when: when('box', 'ellipsoid') }),
    height: param.length({ label: 'Height', default: 20, min: 1e-4, when: when('box', 'cylinder', 'cone', 'ellipsoid') }),
    radius: param.length({ label: 'Radius', default: 10, min: 1e-4, when: when('ball', 'cylinder', 'cone', 'ring') }),
    top: param.length({ label: 'Top radius', default: 0, min: 0, when: when('cone') }),
    thick: param.length({
      label: 'Ring radius',
      default: 3,
      min: 1e-4,
      hint: 'Of the round that is led about the axis',
      when: when('ring'),
    }),
    middle: param.toggle({
      label: 'From the middle',
      default: false,
      hint: 'The plane goes through the middle instead of the foot',
      when: when('box', 'cylinder', 'cone'),
    }),
    open: param.toggle({
      label: 'Open ends',
      default: false,
      hint: 'Only the side, without the flat ends',
      when: when('box', 'cylinder', 'cone'),
    }),
  }),
  draws: { points: 'centre', minimum: 1, maximum: 1 },
  examples: [
    { params: {} },
    { params: { shape: 'ball' } },
    { params: { shape: 'cylinder', open: true } },
    { params: { shape: 'cone', top: 4 } },
    { params: { shape: 'cone' } },
    { params: { shape: 'ring' } },
    { params: { shape: 'ellipsoid' } },
  ],
});
