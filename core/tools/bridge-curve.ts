import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'bridge-curve',
  version: 1,
  stage: 'curves',
  group: 'Derive',
  label: 'Bridge',
  hint: 'Joins two curve ends with G0 to G3 and a reach at each, or leaves two flat profiles along their normals with equal legs',
  synonyms: ['connect', 'blend curves', 'transition', 'link'],
  ask: 'Pick two ends to connect',
  mistakes: [
    'It leaves from the wrong end: set the end by hand on the card.',
    'It loops: the reach is longer than the gap, make both smaller.',
  ],
  icon: ['M3 18c2-4 3-6 5-7M21 18c-2-4-3-6-5-7', 'M8 11c3-4 5-4 8 0'],
  slots: {
    ends: slot({
      label: 'Between',
      accepts: ['chain'],
      min: 2,
      max: 2,
      ordered: true,
      hint: 'Two curves or edges; their nearest ends are joined',
    }),
  },
  params: z.object({
    kind: param.choice({
      label: 'Joins',
      options: [
        { value: 'ends', label: 'Ends' },
        { value: 'normals', label: 'Profiles' },
      ],
      default: 'ends',
      hint: 'Profiles: a curve between the middles of two flat profiles that leaves both along their normals',
    }),
    first: param.grade({ label: 'First end', default: '2', when: { key: 'kind', is: ['ends'] } }),
    second: param.grade({ label: 'Second end', default: '2', when: { key: 'kind', is: ['ends'] } }),
    reachA: param.ratio({ label: 'Reach, first', default: 1, min: 0.01, max: 10, step: 0.05 }),
    reachB: param.ratio({ label: 'Reach, second', default: 1, min: 0.01, max: 10, step: 0.05, when: { key: 'kind', is: ['ends'] } }),
    endA: param.choice({
      label: 'First curve',
      options: [
        { value: 'auto', label: 'Nearest' },
        { value: 'start', label: 'Start' },
        { value: 'end', label: 'End' },
      ],
      default: 'auto',
      when: { key: 'kind', is: ['ends'] },
    }),
    endB: param.choice({
      label: 'Second curve',
      options: [
        { value: 'auto', label: 'Nearest' },
        { value: 'start', label: 'Start' },
        { value: 'end', label: 'End' },
      ],
      default: 'auto',
      when: { key: 'kind', is: ['ends'] },
    }),
    flipA: param.toggle({ label: 'Turn first normal', default: false, when: { key: 'kind', is: ['normals'] } }),
    flipB: param.toggle({ label: 'Turn second normal', default: false, when: { key: 'kind', is: ['normals'] } }),
  }),
  examples: [{ params: { kind: 'normals' } }],
});
