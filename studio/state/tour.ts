import type { Change, Model, Step } from '@ample-skin/core/recipe';

/** A stop of the round: what is told, where it points, and what it adds to the model when the person goes on. */
export interface Stop {
  readonly title: string;
  readonly text: string;
  /** What the person may do by hand instead; then what they made is used. */
  readonly hand?: string;
  /** Where it points. */
  readonly at: 'route' | 'dials' | 'bench' | 'view' | 'look' | 'section' | 'sheet' | 'desk' | 'verdict' | 'none';
  /** Label of the tool on the bench it points at. */
  readonly tool?: string;
  readonly stage?: string;
  /** Ids of the steps it adds, in the order of the recipe. */
  readonly adds?: readonly string[];
  /** The step that the person may make by hand: one of the same tool, made by them and fine, takes its place. */
  readonly own?: string;
  readonly look?: 'sides' | 'stripes';
  readonly desk?: boolean;
  readonly targets?: boolean;
}
export const STOPS: readonly Stop[] = [
  {
    title: 'Ten minutes, one part',
    text: 'We build the Tansy body together: a sprayer’s grip with a shoulder, a thumb recess and a wall. Each stop adds its steps when you press Next; look round, turn the model, try things: nothing can break, and everything can be undone.',
    at: 'none',
  },
  {
    title: 'The route',
    text: 'The work goes from left to right: references, curves, skins, joins, proof, solids, output. Under each stage stands how many steps it has, and how they are.',
    at: 'route',
  },
  {
    title: 'Dials first',
    text: 'The numbers that will change have names: the length of the body, the width of the grip, the wall. Any field takes such a name, or a formula with it.',
    at: 'dials',
  },
  {
    title: 'Sections on planes',
    text: 'Six planes up the body, and a closed curve on each: four splines and two circles. Their points are formulas of the dials. Next draws them.',
    at: 'view',
    stage: 'curves',
    adds: [
      'p-foot',
      'p-low',
      'p-waist',
      'p-shoulder',
      'p-neck',
      'p-collar',
      'c-foot',
      'c-low',
      'c-waist',
      'c-shoulder',
      'c-neck',
      'c-collar',
    ],
  },
  {
    title: 'A skin through the sections',
    text: 'Loft stretches one smooth skin through them, in the order they are picked.',
    hand: 'By hand: choose Loft, click the six curves from the foot up, and press Keep.',
    at: 'bench',
    tool: 'Loft',
    stage: 'skins',
    adds: ['s-body'],
    own: 's-body',
    look: 'sides',
  },
  {
    title: 'Judge it by eye',
    text: 'These stripes are the reflection of evenly spaced bands, computed from the exact surface. Turn the body: where they run smoothly the surface does. The look is chosen here.',
    at: 'look',
    look: 'stripes',
  },
  {
    title: 'Cut the foot and the collar',
    text: 'A plane, a little askew, cuts the foot so that the body stands back; another cuts the collar square to its axis. Click the pieces that stay; here they are chosen.',
    at: 'bench',
    tool: 'Trim',
    stage: 'joins',
    adds: ['p-cut', 't-foot', 'p-top', 't-collar'],
    look: 'sides',
  },
  {
    title: 'A shoulder of its own',
    text: 'Two planes take a strip out, and a blend bridges it with curvature continuity to both sides. Its reach is a handle in the view while its card is open.',
    at: 'bench',
    tool: 'Blend',
    stage: 'joins',
    adds: ['p-shoulder-low', 'p-shoulder-high', 't-shoulder', 't-neck', 'f-shoulder'],
  },
  {
    title: 'Judge it by number',
    text: 'The desk measures every seam all along: gap, kink, step of the curvature. Next sets a target: all smooth seams shall be G2. What misses it is told, with changes that would mend it.',
    at: 'desk',
    desk: true,
    targets: true,
  },
  {
    title: 'A recess for the thumb',
    text: 'An outline drawn on a plane cuts the back open; a patch fills it, tangent at its root and as deep as a dial says; the edge round it is filleted at one distance.',
    at: 'view',
    stage: 'joins',
    adds: ['p-thumb', 'l-root', 'l-thumb', 'l-recess', 'e-recess', 't-recess', 'l-depth', 'f-recess', 'k-recess', 'r-recess'],
  },
  {
    title: 'Close it',
    text: 'A base, a lid, and one skin of all five: Knit joins what meets within the tolerance. Look at the sign on the right of the desk: it says watertight only when no rim is open.',
    at: 'verdict',
    stage: 'joins',
    adds: ['f-base', 'f-collar', 'k-body'],
  },
  {
    title: 'A solid with a wall',
    text: 'Close makes the skin a solid, Shell hollows it to the wall of the dial, open at the collar.',
    at: 'bench',
    tool: 'Shell',
    stage: 'solids',
    adds: ['b-body', 'w-body'],
  },
  {
    title: 'Now change your mind',
    text: 'Everything follows the dials. Set grip_width to 58 mm and watch the whole body follow, down to the wall.',
    at: 'dials',
  },
  {
    title: 'Look inside',
    text: 'A section opens the view; its cap is cut from the exact surfaces. Maps, in the list of looks, colour the wall’s thickness or the draft.',
    at: 'section',
  },
  {
    title: 'Hand it over',
    text: 'Export writes STEP, IGES or triangles; each file is read back and compared before you get it. Find (key /) finds any tool, F1 explains it with a picture.',
    at: 'bench',
    tool: 'Export',
    stage: 'output',
    adds: ['x-body'],
  },
  {
    title: 'It is yours',
    text: 'The model is saved, with every step to change. Ctrl+S gives its state a name; a sweep runs it over the values of a dial; start your own with New model.',
    at: 'sheet',
  },
];

/** Ids of steps that the person made instead, by the id of the round's. */
export type Own = Readonly<Record<string, string>>;

/** The body the round builds: the demo's, without the drawing beneath it. */
export function roundModel(demo: Model): Model {
  const left = new Set(['p-side', 'pic-side']);
  return {
    ...demo,
    name: 'My Tansy body',
    steps: demo.steps.filter((s) => !left.has(s.id)),
    pieces: Object.fromEntries(Object.entries(demo.pieces).filter(([k]) => !left.has(k.split('/')[0]))),
  };
}
/** What stands in the model before the first stop: the dials and the groups. */
export const beginning = (round: Model): Model => ({ ...round, steps: [], pieces: {}, targets: {} });

/** A step that the person made for this stop: of its tool, with the same picks, and new. */
export function ownOf(stop: Stop, round: Model, now: Model, fine: (id: string) => boolean): string | undefined {
  const wanted = round.steps.find((s) => s.id === stop.own);
  if (!wanted || now.steps.some((s) => s.id === wanted.id)) return undefined;
  const picks = (s: Step) => JSON.stringify(Object.values(s.inputs).flatMap((l) => l.map((p) => p.step)));
  return now.steps.find((s) => s.tool === wanted.tool && !s.muted && picks(s) === picks(wanted) && fine(s.id))?.id;
}
/** Changes that add what a stop adds and the model does not have yet; picks of steps that the person made instead go to those. */
export function changesOf(stop: Stop, round: Model, now: Model, own: Own): Change[] {
  const instead = (text: string): string =>
    Object.entries(own).reduce((t, [id, mine]) => t.replaceAll(new RegExp(`\\b${id}\\b`, 'g'), mine), text);
  const mine = new Set(Object.keys(own));
  const steps = round.steps.filter((s) => stop.adds?.includes(s.id) && !mine.has(s.id) && !now.steps.some((x) => x.id === s.id));
  const adds = steps.map((s): Change => ({ type: 'addStep', step: { ...(JSON.parse(instead(JSON.stringify(s))) as Step), id: s.id } }));
  const looks = steps.flatMap((s) =>
    Object.entries(round.pieces).flatMap(([key, look]): Change[] =>
      key.split('/')[0] === s.id && !now.pieces[key] ? [{ type: 'setPiece', key, look }] : [],
    ),
  );
  const targets = stop.targets
    ? Object.entries(round.targets).flatMap(([key, target]): Change[] =>
        now.targets[key] === target ? [] : [{ type: 'setTarget', key, target }],
      )
    : [];
  return [...adds, ...looks, ...targets];
}
