import type { Model } from '@ample-skin/core/recipe';
import summaries from './files/summaries.json' with { type: 'json' };
import { packagingBuck } from './packaging-buck.ts';
import { returnedCap } from './returned-cap.ts';
import { seedPod } from './seed-pod.ts';
import { GRIP_PICTURE, GRIP_SCAN, squeezeGrip } from './squeeze-grip.ts';
import { SIDE_PICTURE, tansyBody } from './tansy-body.ts';
import { tansyShroud } from './tansy-shroud.ts';
import { tansySpout } from './tansy-spout.ts';

export interface DemoModel {
  readonly slug: string;
  readonly blurb: string;
  readonly model: Model;
  /** What the home page shows before the model was opened once: measured when the pictures were made (`npm run screenshots`). */
  readonly summary?: { pieces?: number; seams?: string; state?: string };
  /** Files in demo/files that its recipe refers to, by the parameter text used there. */
  readonly files: readonly { readonly reference: string; readonly name: string }[];
}
export const DEMO_MODELS: readonly DemoModel[] = [
  {
    slug: 'tansy-body',
    blurb: 'Sections, a loft, two cuts, base and collar, knitted to a solid with a 1.2 mm wall',
    model: tansyBody(),
    summary: summaries['tansy-body'],
    files: [{ reference: SIDE_PICTURE, name: 'tansy-side.png' }],
  },
  {
    slug: 'tansy-spout',
    blurb: 'Two skew profiles, a sweep that leaves both along their normals, a wall; a dial shows what a fold is',
    model: tansySpout(),
    summary: (summaries as Record<string, DemoModel['summary']>)['tansy-spout'],
    files: [],
  },
  {
    slug: 'tansy-shroud',
    blurb: 'Half a trigger shroud woven over five curves, square to its mirror plane, mirrored, knitted, walled',
    model: tansyShroud(),
    summary: (summaries as Record<string, DemoModel['summary']>)['tansy-shroud'],
    files: [],
  },
  {
    slug: 'seed-pod',
    blurb: 'A hollow pod with three lobes, opened along a different wave on each, a lip on its lower half',
    model: seedPod(),
    summary: (summaries as Record<string, DemoModel['summary']>)['seed-pod'],
    files: [],
  },
  {
    slug: 'packaging-buck',
    blurb: 'The full body as 24 sections of cardboard, nested on sheets with names and score lines',
    model: packagingBuck(),
    summary: (summaries as Record<string, DemoModel['summary']>)['packaging-buck'],
    files: [{ reference: SIDE_PICTURE, name: 'tansy-side.png' }],
  },
  {
    slug: 'squeeze-grip',
    blurb: 'Quads paved over a drawing, mirrored, laid onto a clay scan, as NURBS faces joined to a collar: a solid',
    model: squeezeGrip(),
    summary: (summaries as Record<string, DemoModel['summary']>)['squeeze-grip'],
    files: [
      { reference: GRIP_SCAN, name: 'grip-scan.ply' },
      { reference: GRIP_PICTURE, name: 'grip-side.png' },
    ],
  },
  {
    slug: 'returned-cap',
    blurb: 'An import that came back damaged: gaps, a flipped face, a sliver, a duplicate, a missing face',
    model: returnedCap(),
    summary: summaries['returned-cap'],
    files: [{ reference: '../files/returned-cap.step', name: 'returned-cap.step' }],
  },
];
export { packagingBuck, returnedCap, seedPod, squeezeGrip, tansyBody, tansyShroud, tansySpout };
