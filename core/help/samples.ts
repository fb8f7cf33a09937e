import { z } from 'zod';
import { flatBody, makeSolid, transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { boxStart, cylinderStart, withPoints } from '../cage/index.ts';
import { hollow } from '../joins/index.ts';
import { frameFromNormal, translation, WORLD } from '../math/index.ts';
import { circleCurve, controlPointCurve, polylineCurve } from '../nurbs/index.ts';
import {
  emptyModel,
  evaluateModel,
  type Model,
  type Pick,
  type Piece,
  type RunnableTool,
  type Step,
  type StepResult,
} from '../recipe/index.ts';
import { loft } from '../skins/index.ts';
import { block } from '../testing/random-bodies.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';

const up = (z: number) => frameFromNormal([0, 0, z], [0, 0, 1], [1, 0, 0]);
export const lofted = (cap: boolean): Piece => {
  const r = loft(
    [
      { kind: 'chain', curves: [circleCurve(WORLD, 10)] },
      { kind: 'chain', curves: [circleCurve(up(30), 6)] },
    ],
    { degree: 3, ring: false, fit: 'through', match: 'auto', tolerance: 1e-6, perInterval: false, cap, adjust: [], pins: [] },
    'sample',
  );
  if (!r.ok) throw new Error(r.message);
  const s = cap ? makeSolid(r.result.body) : undefined;
  return s?.ok ? { kind: 'solid', body: s.body } : { kind: 'skin', body: r.result.body };
};
const openSkin = () => {
  const p = lofted(false);
  if (p.kind !== 'skin') throw new Error('no skin');
  return p.body;
};
export const curve = (c: ReturnType<typeof circleCurve>): Piece => ({ kind: 'curve', curves: [c] });
const outline = polylineCurve([
  [-8, -8, 1],
  [8, -8, 1],
  [8, 8, 1],
  [-8, 8, 1],
  [-8, -8, 1],
]);
const hollowBlock = (): Piece => {
  const solid = block(8, 8, 8);
  const r = hollow(
    solid,
    solid.faces.map(() => 1.5),
    { stepId: 'sample', tolerance: 1e-3 },
  );
  if (!r.ok) throw new Error(r.message);
  return { kind: 'solid', body: r.body };
};
/** Pieces that fill the slots of every tool's examples, by tool and slot, else by what the slot accepts. */
/** A can without ends that stands above the sample skin. */
function raisedCan() {
  const can = cylinderStart({ radius: 12, height: 24, segments: 12, up: 3, taper: 1.5, caps: false, rings: 1, opening: 360 });
  return withPoints(
    can,
    can.points.map((x, i) => (i % 3 === 2 ? x + 36 : x)),
  );
}
const SAMPLES: Record<string, Piece[]> = {
  'loft.sections': [curve(circleCurve(WORLD, 10)), curve(circleCurve(up(30), 6))],
  'revolve.profile': [
    curve(
      polylineCurve([
        [4, 0, 0],
        [8, 0, 10],
        [5, 0, 20],
      ]),
    ),
  ],
  'sweep.sections': [curve(circleCurve(WORLD, 4))],
  'sweep.path': [
    curve(
      controlPointCurve(
        [
          [0, 0, 0],
          [0, 0, 20],
          [10, 5, 40],
          [30, 5, 50],
        ],
        3,
        false,
      ),
    ),
  ],
  'two-rails.first': [
    curve(
      polylineCurve([
        [0, 0, 0],
        [0, 60, 0],
      ]),
    ),
  ],
  'two-rails.second': [
    curve(
      polylineCurve([
        [30, 0, 0],
        [24, 60, 5],
      ]),
    ),
  ],
  'two-rails.sections': [
    curve(
      controlPointCurve(
        [
          [0, 0, 0],
          [8, 0, 12],
          [20, 0, 9],
          [30, 0, 0],
        ],
        3,
        false,
      ),
    ),
  ],
  'weave.curves': [
    curve(
      polylineCurve([
        [0, 0, 0],
        [40, 0, 5],
      ]),
    ),
    curve(
      polylineCurve([
        [0, 30, 2],
        [40, 30, 0],
      ]),
    ),
    curve(
      polylineCurve([
        [0, 0, 0],
        [0, 30, 2],
      ]),
    ),
    curve(
      polylineCurve([
        [40, 0, 5],
        [40, 30, 0],
      ]),
    ),
  ],
  'normal-ruled.skin': [lofted(false)],
  'normal-ruled.chain': [curve(circleCurve(WORLD, 10))],
  'scan-skin.scan': [{ kind: 'scan', mesh: { positions: Float64Array.of(0, 0, 0, 9, 0, 0, 0, 9, 0), indices: Uint32Array.of(0, 1, 2) } }],
  'between-skins.skins': [lofted(false), { kind: 'skin', body: transformBody(openSkin(), translation([0, 0, 9])) }],
  'refit-skin.skin': [lofted(false)],
  'edit-skin.skin': [lofted(false)],
  'offset-skin.skin': [lofted(false)],
  'tube.path': [
    curve(
      controlPointCurve(
        [
          [0, 0, 0],
          [0, 0, 40],
          [60, 10, 50],
        ],
        2,
        false,
      ),
    ),
  ],
  'extend-curve.curve': [curve(circleCurve(WORLD, 12, 0.2, 2))],
  'trim.target': [lofted(false)],
  'imprint.target': [lofted(true)],
  'imprint.lines': [{ kind: 'plane', frame: up(15), size: 10 }],
  'split-loop.solid': [hollowBlock()],
  'split-loop.loop': [curve(outline)],
  'array.pieces': [lofted(true)],
  'align.pieces': [lofted(true)],
  'extend-skin.rim': [lofted(false)],
  'blend.first': [lofted(false)],
  'fillet.edges': [lofted(true)],
  'match-edge.edge': [lofted(false)],
  'patch.rim': [lofted(false)],
  'match-edge.to': [{ kind: 'skin', body: transformBody(openSkin(), translation([0, 0, 31])) }],
  'blend.second': [{ kind: 'skin', body: transformBody(openSkin(), translation([0, 0, 50])) }],
  'deform.pieces': [lofted(true)],
  'lattice.pieces': [lofted(true)],
  'trim.cutters': [{ kind: 'plane', frame: up(15), size: 10 }],
  'knit.skins': [lofted(false), { kind: 'skin', body: flatBody([{ outer: [circleCurve(WORLD, 10)], holes: [] }], WORLD, 'base') }],
  'close.skin': [lofted(false)],
  'thicken.skin': [lofted(false)],
  'shell.solid': [lofted(true)],
  'combine.first': [lofted(true)],
  'combine.second': [{ kind: 'solid', body: block(8, 8, 8) }],
  'export.pieces': [lofted(true)],
  'cut-sheets.pieces': [lofted(true)],
  'drawing.pieces': [lofted(true)],
  'measure.things': [lofted(true)],
  'move.pieces': [lofted(true)],
  'mirror.pieces': [lofted(false)],
  'untrim.faces': [lofted(false)],
  'unknit.faces': [lofted(true)],
  'remove-faces.faces': [lofted(true)],
  'replace-face.faces': [lofted(true)],
  'cage-align.cage': [{ kind: 'cage', cage: raisedCan() }],
  'cage-align.to': [lofted(false)],
  'replace-face.by': [{ kind: 'skin', body: flatBody([{ outer: [circleCurve(up(30), 6)], holes: [] }], up(30), 'lid') }],
};
/** What fills a slot when the tool names no sample of its own: by what the slot takes. */
export const sampleOf = (tool: RunnableTool, name: string): Piece[] => {
  const s = tool.slots[name];
  const own = SAMPLES[`${tool.id}.${name}`];
  if (own) return own;
  if (s.min === 0) return [];
  const takes = (a: (typeof s.accepts)[number]) => s.accepts.includes(a);
  const one = (k: number): Piece =>
    takes('cage')
      ? { kind: 'cage', cage: boxStart({ width: 40, depth: 30, height: 25, across: 2, along: 2, up: 2, taper: 1 }) }
      : takes('chain')
        ? curve(circleCurve(up(9 * k), 12))
        : takes('solid')
          ? lofted(true)
          : takes('body') || takes('skin') || takes('face') || takes('edge')
            ? lofted(false)
            : { kind: 'plane', frame: up(15), size: 10 };
  return Array.from({ length: s.min }, (_, k) => one(k));
};

/** Parts that are picked on the sample, by tool and slot. */
export const PARTS: Record<string, Pick['part']> = {
  'remove-faces.faces': { kind: 'face', name: 'sample:cap-end' },
  'replace-face.faces': { kind: 'face', name: 'sample:cap-end' },
  'extend-skin.rim': { kind: 'edge', name: 'sample.u1' },
  'blend.first': { kind: 'edge', name: 'sample.u1' },
  'fillet.edges': { kind: 'edge', name: 'sample.u1' },
  'blend.second': { kind: 'edge', name: 'sample.u0' },
  'match-edge.edge': { kind: 'edge', name: 'sample.u1' },
  'patch.rim': { kind: 'edge', name: 'sample.u1' },
  'match-edge.to': { kind: 'edge', name: 'sample.u0' },
  'cage-align.to': { kind: 'edge', name: 'sample.u1' },
  'align-edge.edge': { kind: 'edge', name: 'sample.u1' },
  'skin-curve.face': { kind: 'face', name: 'sample:side' },
  'wrap-curve.face': { kind: 'face', name: 'sample:side' },
};

/** Pieces, or parts of them, given to a slot instead of its samples. */
export type Given = Readonly<Record<string, readonly { readonly piece: Piece; readonly part?: Pick['part'] }[]>>;
/** What fills a slot: what is given, else the samples of the tool. */
export const inputsOf = (tool: RunnableTool, slot: string, given: Given): { readonly piece: Piece; readonly part?: Pick['part'] }[] =>
  given[slot]
    ? [...given[slot]]
    : Object.keys(given).length
      ? []
      : sampleOf(tool, slot).map((piece) => ({ piece, part: PARTS[`${tool.id}.${slot}`] }));

/** A model whose first steps are stand-ins for the sample pieces. */
export async function evaluateExample(
  tool: RunnableTool,
  params: Record<string, unknown>,
  files = false,
  fill = true,
  signal?: AbortSignal,
  given: Given = {},
): Promise<StepResult | undefined> {
  const steps: Step[] = [];
  const pieces = new Map<string, Piece>();
  const inputs: Step['inputs'] = {};
  for (const slot of Object.keys(tool.slots)) {
    inputs[slot] = (fill ? inputsOf(tool, slot, given) : []).map(({ piece, part }, i) => {
      const id = `${slot}${i}`;
      pieces.set(id, piece);
      steps.push({ id, tool: 'stand-in', version: 1, inputs: {}, params: {} });
      return { step: id, output: 'main', part };
    });
  }
  const id = 'under-test';
  const model: Model = { ...emptyModel('part'), steps: [...steps, { id, tool: tool.id, version: tool.version, inputs, params }] };
  const tools = new Map(TOOLS);
  tools.set('stand-in', {
    ...tool,
    id: 'stand-in',
    slots: {},
    params: z.object({}),
    evaluate: (_: unknown, __: unknown, c: { stepId: string }) => ({ outputs: { main: pieces.get(c.stepId) as Piece } }),
  } as unknown as RunnableTool);
  const r = await evaluateModel(model, { tools, kernel, files: files ? new Set([id]) : undefined, signal });
  return r.steps.get(id);
}
