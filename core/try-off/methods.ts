import type { Pick, Step } from '../recipe/index.ts';
import type { Picked, RimEdge } from './sides.ts';

/** A way to fill an opening, or to bridge two borders: a step of the recipe, without id and name. */
export interface Method {
  readonly key: string;
  readonly label: string;
  /** What it does, in a sentence. */
  readonly about: string;
  readonly step: StepOfMethod;
}
type StepOfMethod = { readonly tool: string; readonly inputs: Step['inputs']; readonly params: Step['params'] };
const plain = (p: Pick): Pick => ({
  step: p.step,
  output: p.output,
  ...(p.part ? { part: p.part } : {}),
  ...(p.grow ? { grow: p.grow } : {}),
});
const graded = (list: readonly Pick[], key: string, value: string): Pick[] =>
  list.map((p) => ({ ...plain(p), settings: { [key]: value } }));

/** Every method that takes what is picked; whether it can be built is for whoever tries it to find out. */
export function methodsFor(picked: Picked): Method[] {
  return picked.kind === 'opening' ? forOpening(picked) : forPair(picked.sides);
}

function forOpening(p: Extract<Picked, { kind: 'opening' }>): Method[] {
  const patch = (key: string, label: string, about: string, params: Step['params'], grade = '2'): Method => ({
    key,
    label,
    about,
    step: { tool: 'patch', inputs: { rim: graded(p.picks, 'grade', grade) }, params },
  });
  const out: Method[] = [patch('patch', 'Patch, G2', 'One face, meeting all sides with G2', {})];
  const { sides } = p;
  if (sides.length >= 3 && !p.cornerless)
    out.push(patch('four', 'Four-sided faces, G2', 'Untrimmed faces that meet in the middle', { faces: 'four' }));
  if (sides.length === 4) {
    if (sides.every((s) => s.length === 1))
      out.push({
        key: 'weave',
        label: 'Woven over its borders, G2',
        about: 'A four-sided skin over the four borders, meeting the skins behind them',
        step: {
          tool: 'weave',
          inputs: { curves: sides.flatMap((s) => graded([s[0].pick], 'meets', s[0].body ? 'G2' : 'touch')) },
          params: {},
        },
      });
    out.push(
      blended(
        'blend-a',
        'Blend one way, G2',
        'A strip between two opposite sides with G2; the other two are left',
        sides[0],
        sides[2],
        '2',
      ),
    );
    out.push(blended('blend-b', 'Blend other way, G2', 'A strip between the other two sides with G2', sides[1], sides[3], '2'));
  }
  if (sides.length === 2)
    out.push(blended('blend-a', 'Blend of its sides, G2', 'A strip from one side to the other', sides[0], sides[1], '2'));
  out.push(
    patch('taut', 'Patch, taut', 'G2 with a low crown', { taut: 4 }),
    patch('slack', 'Patch, slack', 'G2 with a high crown', { taut: 0.25 }),
    patch('g1', 'Patch, G1', 'Tangent only: fewer demands, a calmer middle', {}, '1'),
    patch('plane', 'Patch over a plane', 'G2, displaced from a plane', { start: 'plane' }),
    patch('ball', 'Patch over a ball', 'G2, displaced from a ball', { start: 'ball' }),
    {
      key: 'flat',
      label: 'Flat skin',
      about: 'A plane inside the borders, where they are flat',
      step: { tool: 'flat-skin', inputs: { loops: p.picks.map(plain) }, params: {} },
    },
  );
  return out;
}
function blended(key: string, label: string, about: string, a: readonly RimEdge[], b: readonly RimEdge[], grade: string): Method {
  const [first, ...firstMore] = a.map((e) => plain(e.pick));
  const [second, ...secondMore] = b.map((e) => plain(e.pick));
  const inputs: Record<string, Pick[]> = { first: [first], second: [second] };
  if (firstMore.length) inputs.firstMore = firstMore;
  if (secondMore.length) inputs.secondMore = secondMore;
  return { key, label, about, step: { tool: 'blend', inputs, params: { gradeFirst: grade, gradeSecond: grade } } };
}
function forPair([a, b]: readonly [readonly RimEdge[], readonly RimEdge[]]): Method[] {
  const one = (key: string, label: string, about: string, tool: string, slot: string, params: Step['params'] = {}): Method[] =>
    a.length === 1 && b.length === 1
      ? [{ key, label, about, step: { tool, inputs: { [slot]: [plain(a[0].pick), plain(b[0].pick)] }, params } }]
      : [];
  return [
    blended('blend-2', 'Blend, G2', 'Meets both skins with the same curvature', a, b, '2'),
    blended('blend-1', 'Blend, G1', 'Tangent to both skins', a, b, '1'),
    blended('blend-3', 'Blend, G3', 'Meets both skins also in the flow of curvature', a, b, '3'),
    ...one('loft-2', 'Loft, G2 at both', 'A loft whose ends meet both skins', 'loft', 'sections', { start: 'G2', end: 'G2' }),
    ...one('ruled', 'Ruled', 'Straight lines from one border to the other', 'ruled', 'ends'),
    ...one('loft', 'Loft', 'Stretched between the borders, held to nothing', 'loft', 'sections'),
  ];
}
