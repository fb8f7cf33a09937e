import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const kind = (label: string, hint: string) => param.toggle({ label, default: true, hint });

export default defineTool({
  id: 'repair',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Repair',
  hint: 'Mends what the desk lists: faces there twice, slivers, gaps and parts beside their place, short edges, turned faces, openings; tells every change',
  synonyms: ['heal', 'fix', 'mend', 'clean up', 'stitch', 'watertight', 'import trouble'],
  ask: 'Pick the skin or solid to repair',
  mistakes: [
    'Faces moved farther than expected: the largest change is told, lower the limit.',
    'What is meant to be open was filled: switch openings off.',
  ],
  icon: ['M4 7c5-3 11-3 16 0v10c-5 3-11 3-16 0z', 'M9 13l2 2 4-5'],
  slots: {
    piece: slot({
      label: 'Piece',
      accepts: ['body'],
      min: 1,
      max: 40,
      consumes: true,
      hint: 'Several are taken together, as faces of one',
    }),
  },
  params: z.object({
    most: param.length({
      label: 'Nothing moves by more than',
      default: 0.05,
      min: 1e-6,
      max: 5,
      slider: 'powers',
      hint: 'Parts further from their place than this stay where they are and are told',
    }),
    doubled: kind('Faces there twice', 'One of them goes'),
    slivers: kind('Slivers', 'Faces narrower than a few times the model tolerance go; what they filled is joined'),
    gaps: kind('Gaps', 'Parts beside their place are moved back; rims that meet are joined, also edges their faces do not meet'),
    tiny: kind('Short edges', 'Edges shorter than twice the model tolerance become corners'),
    flipped: kind('Turned faces', 'Neighbours agree on what is outside'),
    openings: kind('Openings', 'Flat ones are capped, others patched smoothly; a closed skin becomes a solid'),
    near: param.hidden(z.array(z.number()).length(3).nullable().default(null), 'Only what lies at this place'),
  }),
  examples: [{ params: {} }, { params: { openings: false, most: 0.2 } }],
});
