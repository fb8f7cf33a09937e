import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'project-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Project',
  hint: 'Lays curves onto a skin along a direction or along its normals: the near side, the far side or both, across faces as one chain',
  synonyms: ['drop', 'cast', 'shadow', 'onto skin'],
  ask: 'Pick curves, then the skins they fall on',
  mistakes: [
    'The curve lands on the far side too: choose the near one.',
    'It misses: seen along this direction it lies beside the skin. Choose along the normals, or another direction.',
  ],
  icon: ['M4 5c5-2 9-2 14 0', 'M4 18c5-5 11-5 16 0M8 6v6M14 6v6', 'M7 14.800c3-1.800 6-1.800 9 0'],
  slots: {
    curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 100 }),
    onto: slot({ label: 'Onto', accepts: ['body', 'face'], min: 1, max: 50, hint: 'A skin or solid, or chosen faces of one' }),
    along: slot({
      label: 'Along',
      accepts: ['chain', 'flat'],
      min: 0,
      max: 1,
      hint: 'A line, or a plane whose normal is taken',
      when: { key: 'direction', is: ['picked'] },
    }),
  },
  asSeen: { label: 'Along the view', when: { key: 'direction', is: ['typed'] }, eye: 'vector' },
  params: z.object({
    direction: param.choice({
      label: 'Along',
      options: [
        { value: 'own', label: "Curve's plane" },
        { value: 'normals', label: 'Normals' },
        { value: 'x', label: 'x' },
        { value: 'y', label: 'y' },
        { value: 'z', label: 'z' },
        { value: 'picked', label: 'Picked' },
        { value: 'typed', label: 'Typed' },
      ],
      default: 'own',
      hint: "Curve's plane: along the normal of the plane in which the curve lies",
    }),
    vector: param.vector({
      label: 'Direction',
      default: [0, 0, 1],
      hint: 'Filled with the direction of view by "As seen"',
      when: { key: 'direction', is: ['typed'] },
    }),
    side: param.choice({
      label: 'Side',
      options: [
        { value: 'near', label: 'Near' },
        { value: 'far', label: 'Far' },
        { value: 'both', label: 'Both' },
      ],
      default: 'near',
      hint: 'Nearest to the curve, farthest from it, or everything it meets',
    }),
    tolerance: param.length({ label: 'Within', default: 0.000002, min: 1e-8, max: 1 }),
  }),
  examples: [],
});
