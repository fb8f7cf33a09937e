import { z } from 'zod';

/** A number, or a formula over dials. */
const number = z.union([z.number(), z.string().min(1).max(200)]);
const vector = z.tuple([number, number, number]);
const names = z.array(z.string().min(1).max(200)).max(20_000);
const some = names.min(1);
const base = { id: z.string().regex(/^[a-z][a-z0-9-]{0,23}$/), muted: z.boolean().optional() };
const frame = z.object({ x: vector, y: vector, z: vector });

/** One edit of a cage, as it stands in a recipe: what it acts on by name, and its numbers. */
export const operationSchema = z.discriminatedUnion('op', [
  z.object({
    ...base,
    op: z.literal('move'),
    vertices: some,
    by: vector.optional(),
    turn: vector.optional(),
    scale: vector.optional(),
    frame: frame.optional(),
    pivot: vector.optional(),
    radius: number.optional(),
  }),
  z.object({ ...base, op: z.literal('extrude-faces'), faces: some, by: number }),
  z.object({ ...base, op: z.literal('extrude-edges'), edges: some, by: vector }),
  z.object({ ...base, op: z.literal('insert-loop'), edge: z.string().min(1), shares: z.array(number).min(1).max(64) }),
  z.object({ ...base, op: z.literal('connect'), vertices: names.min(2) }),
  z.object({ ...base, op: z.literal('remove'), faces: some }),
  z.object({ ...base, op: z.literal('dissolve-edges'), edges: some, heal: z.boolean() }),
  z.object({ ...base, op: z.literal('dissolve-vertices'), vertices: some }),
  z.object({ ...base, op: z.literal('fill'), edge: z.string().min(1) }),
  z.object({ ...base, op: z.literal('weld'), groups: z.array(names.min(2)).min(1), place: z.enum(['middle', 'first']) }),
  z.object({ ...base, op: z.literal('bridge'), from: z.string().min(1), to: z.string().min(1), turns: number }),
  z.object({ ...base, op: z.literal('bridge-faces'), faces: names.length(2), turns: number }),
  z.object({ ...base, op: z.literal('crease'), edges: some, sharpness: number }),
  z.object({ ...base, op: z.literal('hold'), vertices: some, sharpness: number }),
  z.object({
    ...base,
    op: z.literal('flatten'),
    vertices: some,
    plane: z.object({ origin: vector, normal: vector }).optional(),
    along: vector.optional(),
    share: number,
  }),
  z.object({ ...base, op: z.literal('straighten'), vertices: some, even: z.boolean() }),
  z.object({ ...base, op: z.literal('space'), vertices: some }),
  z.object({ ...base, op: z.literal('circle'), vertices: some }),
  z.object({ ...base, op: z.literal('ring'), faces: some, share: number }),
  z.object({ ...base, op: z.literal('split-off'), faces: some }),
  z.object({ ...base, op: z.literal('copy-faces'), faces: some, by: vector }),
  z.object({ ...base, op: z.literal('thicken'), by: number }),
  z.object({ ...base, op: z.literal('slide'), edges: some, share: number }),
  z.object({ ...base, op: z.literal('refine') }),
  z.object({ ...base, op: z.literal('refine-part'), faces: some }),
  z.object({ ...base, op: z.literal('run-on'), vertices: some }),
  z.object({ ...base, op: z.literal('stop'), vertices: some }),
  z.object({ ...base, op: z.literal('calm'), vertices: some, rounds: number }),
]);
export type Operation = z.infer<typeof operationSchema>;
export const OPERATION_WORDS: Readonly<Record<Operation['op'], string>> = {
  move: 'Move',
  'extrude-faces': 'Extrude faces',
  'extrude-edges': 'Draw out edges',
  'insert-loop': 'Insert loop',
  connect: 'Connect',
  remove: 'Take faces away',
  'dissolve-edges': 'Dissolve edges',
  'dissolve-vertices': 'Dissolve vertices',
  fill: 'Fill',
  weld: 'Weld',
  bridge: 'Bridge',
  'bridge-faces': 'Way through',
  crease: 'Crease',
  hold: 'Hold vertices',
  flatten: 'Flatten',
  straighten: 'Straighten',
  space: 'Space evenly',
  circle: 'Into a circle',
  calm: 'Calm',
  ring: 'Ring inside',
  'split-off': 'Split off',
  'copy-faces': 'Copy faces',
  thicken: 'Thicken',
  slide: 'Slide',
  refine: 'Refine',
  'refine-part': 'Refine in part',
  'run-on': 'Run on',
  stop: 'Stop',
};
export const operationsSchema = z
  .array(operationSchema)
  .max(2000)
  .refine((list) => new Set(list.map((o) => o.id)).size === list.length, 'Two operations have the same id');

/** Keys whose values are numbers or lists of numbers, at any depth of an operation; everything else is names and words. */
const NUMBERS = new Set([
  'by',
  'turn',
  'scale',
  'pivot',
  'radius',
  'shares',
  'sharpness',
  'turns',
  'share',
  'rounds',
  'along',
  'x',
  'y',
  'z',
  'origin',
  'normal',
]);
/** An operation with every number put through `value`, which also tells formulas from numbers. */
export function withNumbers(o: Operation, value: (x: number | string) => number): Operation {
  const all = (x: unknown): unknown => (Array.isArray(x) ? x.map(all) : value(x as number | string));
  const walk = (x: Readonly<Record<string, unknown>>): Record<string, unknown> =>
    Object.fromEntries(
      Object.entries(x).map(([k, v]) => {
        if (NUMBERS.has(k)) return [k, all(v)];
        return [k, v && typeof v === 'object' && !Array.isArray(v) ? walk(v as Record<string, unknown>) : v];
      }),
    );
  return walk(o) as Operation;
}
