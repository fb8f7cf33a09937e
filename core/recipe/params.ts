import { z } from 'zod';
import { type Operation, operationsSchema } from '../cage/operation-schema.ts';
import type { Vec3 } from '../math/index.ts';
import { type Sketch, sketchSchema } from '../sketch/model.ts';

/**
 * Parameter kinds. Each is a zod schema whose `meta` tells the card how to draw it. Numbers may be saved as formulas (text); they are
 * evaluated before a tool sees them, so a tool's parameter type says plain number.
 */
export interface ParamMeta {
  readonly control:
    | 'number'
    | 'integer'
    | 'choice'
    | 'toggle'
    | 'text'
    | 'vector'
    | 'points'
    | 'numbers'
    | 'places'
    | 'law'
    | 'asset'
    | 'sketch'
    | 'operations'
    | 'hidden';
  readonly label: string;
  readonly quantity?: 'length' | 'angle' | 'ratio';
  readonly hint?: string;
  /** Seldom changed: stands behind "More". */
  readonly rare?: boolean;
  readonly min?: number;
  readonly max?: number;
  readonly step?: number;
  readonly options?: readonly { value: string; label: string }[];
  /** Shown only while another parameter has one of these values. */
  readonly when?: { readonly key: string; readonly is: readonly unknown[] };
  /** A slider stands under the field: even steps, or even in powers of ten. */
  readonly slider?: 'even' | 'powers';
  readonly dims?: 2 | 3;
  readonly minPoints?: number;
  readonly closedKey?: string;
  /** File names an asset may have, by their endings, with the dot. */
  readonly files?: readonly string[];
  /** Largest size of an asset, in megabytes. */
  readonly megabytes?: number;
}
type Common = { label: string; hint?: string; rare?: boolean; when?: ParamMeta['when'] };

const formula = z.union([z.number(), z.string().min(1).max(400)]);
const withMeta = <T>(schema: z.ZodType, meta: ParamMeta): z.ZodType<T> =>
  schema.meta(meta as unknown as Record<string, unknown>) as unknown as z.ZodType<T>;

export const length = (o: Common & { default: number | string; min?: number; max?: number; slider?: ParamMeta['slider'] }) =>
  withMeta<number>(formula.default(o.default), { control: 'number', quantity: 'length', ...strip(o) });
export const angle = (o: Common & { default: number | string; min?: number; max?: number; slider?: ParamMeta['slider'] }) =>
  withMeta<number>(formula.default(o.default), { control: 'number', quantity: 'angle', ...strip(o) });
export const ratio = (o: Common & { default: number | string; min?: number; max?: number; step?: number; slider?: ParamMeta['slider'] }) =>
  withMeta<number>(formula.default(o.default), { control: 'number', quantity: 'ratio', ...strip(o) });
export const integer = (o: Common & { default: number; min: number; max: number; slider?: ParamMeta['slider'] }) =>
  withMeta<number>(formula.default(o.default), { control: 'integer', ...strip(o) });
export const toggle = (o: Common & { default: boolean }) =>
  withMeta<boolean>(z.boolean().default(o.default), { control: 'toggle', ...strip(o) });
export const text = (o: Common & { default: string; max?: number }) =>
  withMeta<string>(
    z
      .string()
      .max(o.max ?? 200)
      .default(o.default),
    { control: 'text', label: o.label, hint: o.hint, when: o.when },
  );
export function choice<const T extends string>(o: Common & { options: readonly { value: T; label: string }[]; default: NoInfer<T> }) {
  return withMeta<T>(z.enum(o.options.map((x) => x.value) as [T, ...T[]]).default(o.default as never), { control: 'choice', ...strip(o) });
}
/** Continuity that is wanted, as text '0' to '3'. */
export const grade = (o: Common & { default: '0' | '1' | '2' | '3' }) =>
  choice({ ...o, options: (['0', '1', '2', '3'] as const).map((value) => ({ value, label: `G${value}` })) });
/** Three numbers; each may be a formula. */
export const vector = (o: Common & { default: readonly [number, number, number]; quantity?: 'length' | 'angle' }) =>
  withMeta<Vec3>(z.tuple([formula, formula, formula]).default([...o.default]), { control: 'vector', ...strip(o) });
/** Points in the step's plane; the third number is the height above it. */
export const points = (o: Common & { default: readonly (readonly number[])[]; minPoints: number; dims?: 2 | 3; closedKey?: string }) =>
  withMeta<Vec3[]>(
    z
      .array(z.array(formula).min(2).max(3))
      .max(2000)
      .default(o.default.map((p) => [...p])),
    { control: 'points', quantity: 'length', ...strip(o) },
  );
export const numbers = (o: Common & { default: readonly number[] }) =>
  withMeta<number[]>(
    z
      .array(formula)
      .max(2000)
      .default([...o.default]),
    { control: 'numbers', ...strip(o) },
  );
/** Values along a length: pairs of share (0..1) and value, which may be a formula; drawn as a curve. Empty means none. */
export const law = (
  o: Common & { default: readonly (readonly [number, number])[]; quantity?: ParamMeta['quantity']; min?: number; max?: number },
) =>
  withMeta<(readonly [number, number])[]>(
    z
      .array(z.tuple([z.number().min(0).max(1), formula]))
      .max(60)
      .default(o.default.map((p) => [...p] as [number, number])),
    { control: 'law', ...strip(o) },
  );
/** Places in space that mark pieces to keep: filled by clicking in the view. */
export const places = (o: Common) =>
  withMeta<Vec3[]>(
    z
      .array(z.tuple([z.number(), z.number(), z.number()]))
      .max(200)
      .default([]),
    { control: 'places', ...strip(o) },
  );
/** Content address of a stored file. */
export const asset = (o: Common & { files: readonly string[]; megabytes?: number }) =>
  withMeta<string>(z.string().default(''), { control: 'asset', ...strip(o) });
/** A dimensioned sketch; values of its dimensions may be formulas. Drawn and edited in the view. */
export const sketch = (o: Common) =>
  withMeta<Sketch>(sketchSchema.default({ points: [], curves: [], rules: [] }), { control: 'sketch', ...strip(o) });
/** Edits of a cage, one after the other; their numbers may be formulas. Made and changed in the view and on the card. */
export const operations = (o: Common) => withMeta<Operation[]>(operationsSchema.default([]), { control: 'operations', ...strip(o) });
/** Data that a handle in the view edits; not shown on the card. */
export const hidden = <T>(schema: z.ZodType<T>, label: string) => withMeta<T>(schema, { control: 'hidden', label });

function strip<O extends Common>(o: O): Omit<O, 'default'> & { label: string } {
  const { default: _, ...rest } = o as O & { default: unknown };
  return rest as never;
}

export const metaOf = (schema: z.ZodType): ParamMeta => (schema.meta() as unknown as ParamMeta) ?? { control: 'hidden', label: '' };
