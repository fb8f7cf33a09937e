import { z } from 'zod';

/**
 * A dimensioned sketch as data, in the coordinates of its plane (mm, degrees). Curves refer to points by id, so that joined ends are one
 * point. Values of dimensions may be formulas over dials.
 */
const id = z.string().min(1).max(40);
const formula = z.union([z.number(), z.string().min(1).max(400)]);
export const sketchPoint = z.object({
  id,
  x: z.number(),
  y: z.number(),
  /** Follows a picked edge or point of a piece: number in the "Refers to" list, and share of its length. */
  follows: z.object({ pick: z.number().int().min(0), share: z.number().min(0).max(1) }).optional(),
});
export const sketchCurve = z.discriminatedUnion('type', [
  z.object({ id, type: z.literal('line'), a: id, b: id, help: z.boolean().optional() }),
  z.object({ id, type: z.literal('circle'), c: id, r: z.number().positive(), help: z.boolean().optional() }),
  /** Counter-clockwise from a to b about c. */
  z.object({ id, type: z.literal('arc'), c: id, a: id, b: id, help: z.boolean().optional() }),
  /** `a` is the end of the first half axis, `r` the second half axis. */
  z.object({ id, type: z.literal('ellipse'), c: id, a: id, r: z.number().positive(), help: z.boolean().optional() }),
  /** By control points; a closed one is smooth all round. */
  z.object({
    id,
    type: z.literal('spline'),
    points: z.array(id).min(2).max(200),
    degree: z.number().int().min(1).max(7),
    closed: z.boolean().optional(),
    help: z.boolean().optional(),
  }),
]);
export const sketchRule = z.discriminatedUnion('type', [
  z.object({ id, type: z.literal('coincident'), a: id, b: id }),
  z.object({ id, type: z.literal('on'), point: id, curve: id }),
  z.object({ id, type: z.literal('horizontal'), a: id, b: id }),
  z.object({ id, type: z.literal('vertical'), a: id, b: id }),
  z.object({ id, type: z.literal('parallel'), a: id, b: id }),
  z.object({ id, type: z.literal('perpendicular'), a: id, b: id }),
  z.object({ id, type: z.literal('tangent'), a: id, b: id }),
  z.object({ id, type: z.literal('equal'), a: id, b: id }),
  z.object({ id, type: z.literal('symmetric'), a: id, b: id, line: id }),
  z.object({ id, type: z.literal('concentric'), a: id, b: id }),
  z.object({ id, type: z.literal('midpoint'), point: id, line: id }),
  z.object({ id, type: z.literal('fixed'), point: id }),
  /** Two curves that share an end run on with equal tangent and curvature. */
  z.object({ id, type: z.literal('smooth'), a: id, b: id }),
  z.object({ id, type: z.literal('distance'), a: id, b: id, value: formula }),
  /** Along x or y, with sign. */
  z.object({ id, type: z.literal('across'), a: id, b: id, value: formula }),
  z.object({ id, type: z.literal('up'), a: id, b: id, value: formula }),
  /** From line a to line b, degrees. */
  z.object({ id, type: z.literal('angle'), a: id, b: id, value: formula }),
  z.object({ id, type: z.literal('radius'), curve: id, value: formula }),
  z.object({ id, type: z.literal('diameter'), curve: id, value: formula }),
]);
export const sketchSchema = z.object({
  points: z.array(sketchPoint).max(3000),
  curves: z.array(sketchCurve).max(1000),
  rules: z.array(sketchRule).max(3000),
});

export type SketchPoint = z.infer<typeof sketchPoint>;
export type SketchCurve = z.infer<typeof sketchCurve>;
export type SketchRule = z.infer<typeof sketchRule>;
export type Sketch = z.infer<typeof sketchSchema>;
export const emptySketch: Sketch = { points: [], curves: [], rules: [] };

const DIMENSIONS = ['distance', 'across', 'up', 'angle', 'radius', 'diameter'] as const;
export type Dimension = Extract<SketchRule, { value: unknown }>;
export const isDimension = (r: SketchRule): r is Dimension => (DIMENSIONS as readonly string[]).includes(r.type);
export const RULE_NAMES: Record<SketchRule['type'], string> = {
  coincident: 'Coincident',
  on: 'On curve',
  horizontal: 'Horizontal',
  vertical: 'Vertical',
  parallel: 'Parallel',
  perpendicular: 'Perpendicular',
  tangent: 'Tangent',
  equal: 'Equal',
  symmetric: 'Symmetric',
  concentric: 'Concentric',
  midpoint: 'Midpoint',
  fixed: 'Fixed',
  smooth: 'Curvature-continuous',
  distance: 'Distance',
  across: 'Distance along x',
  up: 'Distance along y',
  angle: 'Angle',
  radius: 'Radius',
  diameter: 'Diameter',
};

/** Ids of the points a curve stands on. */
export function pointsOf(c: SketchCurve): readonly string[] {
  if (c.type === 'line') return [c.a, c.b];
  if (c.type === 'circle') return [c.c];
  if (c.type === 'arc') return [c.c, c.a, c.b];
  return c.type === 'ellipse' ? [c.c, c.a] : c.points;
}
/** First thing that is wrong with the references of a sketch, or undefined. */
export function sketchProblem(s: Sketch): string | undefined {
  const points = new Set(s.points.map((p) => p.id));
  const curves = new Map(s.curves.map((c) => [c.id, c]));
  for (const c of s.curves) {
    const gone = pointsOf(c).find((p) => !points.has(p));
    if (gone) return `the ${c.type} "${c.id}" needs a point "${gone}" that is not there`;
  }
  for (const r of s.rules) {
    const refs = Object.entries(r).filter(([k]) => ['a', 'b', 'point', 'curve', 'line'].includes(k)) as [string, string][];
    const gone = refs.find(([, v]) => !points.has(v) && !curves.has(v));
    if (gone) return `"${RULE_NAMES[r.type]}" refers to "${gone[1]}", which is not there`;
  }
  return undefined;
}
