import { z } from 'zod';
import { MAP_KINDS } from '../proof/map-kinds.ts';

/** Names used as keys of records: never one that every object has already. */
export const keySchema = z
  .string()
  .min(1)
  .max(400)
  .refine(
    (k) => !['__proto__', 'constructor', 'prototype', 'toString', 'valueOf', 'hasOwnProperty'].includes(k),
    'this name cannot be used',
  );

/** Part of a piece, found again by name; `near` tells apart several with one name. */
export const partSchema = z.object({
  kind: z.enum(['face', 'edge', 'vertex']),
  name: z.string().max(2000),
  near: z.tuple([z.number(), z.number(), z.number()]).optional(),
});
export const pickSchema = z.object({
  step: keySchema,
  output: keySchema.default('main'),
  part: partSchema.optional(),
  at: z.number().optional(),
  /** How the picked part was grown into more: kept, so that the pick follows edits upstream. `cut` pulls the ends of a chain in, as shares of its length. */
  grow: z
    .object({
      way: z.enum(['chain', 'loop', 'rim', 'smooth']),
      cut: z.tuple([z.number().min(0).max(1), z.number().min(0).max(1)]).optional(),
    })
    .optional(),
  /** Settings of this pick alone, where its slot has them. */
  settings: z.record(keySchema, z.unknown()).optional(),
});
export const stepSchema = z.object({
  id: keySchema,
  tool: keySchema,
  version: z.number().int().min(1).default(1),
  name: z.string().max(120).optional(),
  inputs: z.record(keySchema, z.array(pickSchema).max(20_000)).default({}),
  params: z.record(keySchema, z.unknown()).default({}),
  muted: z.boolean().optional(),
});
export const dialSchema = z.object({
  name: keySchema.regex(/^[A-Za-z_][A-Za-z0-9_]*$/, 'a dial name has letters, digits and _ and starts with a letter'),
  formula: z.string().min(1).max(400),
  unit: z.enum(['length', 'angle', 'number']).default('length'),
  note: z.string().max(2000).optional(),
});
/** How pieces are shaded; `map`: in the colours of the model's map. */
export const LOOKS = ['clay', 'sides', 'stripes', 'bars', 'gloss', 'wire', 'glass', 'lines', 'map'] as const;
export const lookSchema = z.object({
  name: z.string().max(120).optional(),
  hidden: z.boolean().optional(),
  colour: z
    .string()
    .regex(/^#[0-9a-fA-F]{6}$/)
    .optional(),
  group: z.string().optional(),
  /** Seen but not picked in the view. */
  locked: z.boolean().optional(),
  /** Shaded so, whatever the view's look. */
  look: z.enum(LOOKS).optional(),
});
/** A plane that opens the view of what is cut: what its normal points to is taken away. */
export const sectionSchema = z.object({
  id: keySchema.max(60),
  origin: z.tuple([z.number(), z.number(), z.number()]),
  normal: z.tuple([z.number(), z.number(), z.number()]).refine((n) => Math.hypot(...n) > 1e-9, 'the direction of a section has no length'),
  off: z.boolean().optional(),
  /** With the comb of its curves. */
  comb: z.boolean().optional(),
});
/** What is shown as colours, and how. */
export const mapSchema = z.object({
  kind: z.enum(MAP_KINDS),
  /** Draft: direction in which the mould opens. */
  direction: z.tuple([z.number(), z.number(), z.number()]).optional(),
  /** Distance: the piece it is measured to. */
  to: keySchema.optional(),
  /** Ends of the colours, set by hand. */
  range: z.tuple([z.number(), z.number()]).optional(),
  /** Without a range: share of the area beyond the ends of the colours. */
  beyond: z.number().min(0).max(0.5).default(0.02),
  /** Number of bands; 0 is smooth. */
  bands: z.number().int().min(0).max(24).default(0),
});
/** A named set of pieces; what it says holds for each piece that does not say otherwise. */
export const groupSchema = z.object({
  id: keySchema.max(60),
  name: z.string().min(1).max(120),
  colour: lookSchema.shape.colour,
  hidden: z.boolean().optional(),
  locked: z.boolean().optional(),
});
export const targetSchema = z.enum(['G0', 'G1', 'G2', 'G3', 'free']);

/** The model as data: what is saved, what the command line runs. */
export const modelSchema = z.object({
  format: z.literal('ample-skin-recipe'),
  version: z.literal(1),
  name: z.string().min(1).max(200),
  unit: z.enum(['mm', 'cm', 'm', 'in']).default('mm'),
  tolerance: z.number().min(1e-6).max(1).default(0.001),
  dials: z.array(dialSchema).max(2000).default([]),
  steps: z.array(stepSchema).max(20_000).default([]),
  /** Appearance and names of pieces, by `step/output`. */
  pieces: z.record(keySchema, lookSchema).default({}),
  groups: z.array(groupSchema).max(200).default([]),
  /** Continuity seams must have: by seam key `step/output/edge name`, by group of pieces (`group:id`) or by kind of seam (`kind:smooth`). */
  targets: z.record(keySchema, targetSchema).default({}),
  /** The map that pieces are coloured by. */
  map: mapSchema.optional(),
  sections: z.array(sectionSchema).max(8).optional(),
});

export type Part = z.infer<typeof partSchema>;
export type Pick = z.infer<typeof pickSchema>;
export type Step = z.infer<typeof stepSchema>;
export type Dial = z.infer<typeof dialSchema>;
export type PieceLook = z.infer<typeof lookSchema>;
export type Look = (typeof LOOKS)[number];
export type ModelSection = z.infer<typeof sectionSchema>;
export type ModelMap = z.infer<typeof mapSchema>;
export type PieceGroup = z.infer<typeof groupSchema>;
export type Model = z.infer<typeof modelSchema>;

export const emptyModel = (name: string): Model => ({
  format: 'ample-skin-recipe',
  version: 1,
  name,
  unit: 'mm',
  tolerance: 0.001,
  dials: [],
  steps: [],
  pieces: {},
  groups: [],
  targets: {},
});

/** An id that no step has yet, nor any of `taken`: the base with a number. */
export function freeId(model: Model, base: string, taken: ReadonlySet<string> = new Set()): string {
  for (let n = 1; ; n++) {
    const id = `${base}-${n}`;
    if (!taken.has(id) && !model.steps.some((s) => s.id === id)) return id;
  }
}
export const pieceKey = (step: string, output: string): string => `${step}/${output}`;
export const samePick = (a: Pick, b: Pick): boolean =>
  a.step === b.step &&
  a.output === b.output &&
  a.part?.kind === b.part?.kind &&
  a.part?.name === b.part?.name &&
  JSON.stringify(a.part?.near) === JSON.stringify(b.part?.near);

export type ParseModel = { ok: true; model: Model } | { ok: false; message: string; place: string };
/** Reads a recipe; tells the place of the first thing that is wrong. */
export function parseModel(data: unknown): ParseModel {
  const r = modelSchema.safeParse(data);
  if (r.success) {
    const ids = new Set<string>();
    for (const s of r.data.steps) {
      if (ids.has(s.id)) return { ok: false, message: `two steps have the id "${s.id}"`, place: 'steps' };
      ids.add(s.id);
    }
    return { ok: true, model: r.data };
  }
  const issue = r.error.issues[0];
  return { ok: false, message: issue.message, place: issue.path.join('.') || 'the whole file' };
}
