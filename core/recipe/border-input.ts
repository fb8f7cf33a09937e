import { Border, BorderGap, type BorderPart, edgeCurve } from '../brep/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { arcLength } from '../nurbs/index.ts';
import { inputBody, inputCurves } from './inputs.ts';
import type { Input } from './tool.ts';

export type BorderOutcome =
  | { readonly ok: true; readonly border: Border }
  | { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };

/** Edges of a pick as parts: a grown chain with its cut ends, or the one edge. Free curves have no skin behind them. */
function partsOf(input: Input, side: 0 | 1): BorderPart[] {
  const body = inputBody(input);
  if (!body || (!input.chain && input.edge === undefined)) return inputCurves(input).map((curve) => ({ curve }));
  if (!input.chain) return [{ body, edge: input.edge as number, part: [0, 1], side }];
  const { edges } = input.chain.edges;
  const lengths = edges.map((e) => arcLength(edgeCurve(body.edges[e.edge])));
  const total = lengths.reduce((a, b) => a + b, 0);
  const [from, to] = input.chain.cut;
  let done = 0;
  return edges.flatMap((e, k): BorderPart[] => {
    const [a, b] = [Math.max(0, (from * total - done) / lengths[k]), Math.min(1, (to * total - done) / lengths[k])];
    done += lengths[k];
    if (!(b - a > 1e-9)) return [];
    return [{ body, edge: e.edge, part: e.reversed ? [1 - b, 1 - a] : [a, b], side }];
  });
}
/** One border out of the picks of a slot, put end to end; `label` names the slot in messages. */
export function inputBorder(inputs: readonly Input[], side: 0 | 1, label: string, tolerance: number): BorderOutcome {
  const parts = inputs.flatMap((i) => partsOf(i, side));
  if (!parts.length) return { ok: false, code: 'no-edges', message: `"${label}" holds no edge or curve` };
  try {
    return { ok: true, border: new Border(parts, Math.max(tolerance, 1e-5)) };
  } catch (e) {
    if (!(e instanceof BorderGap)) throw e;
    return {
      ok: false,
      code: 'not-one-chain',
      message: `The edges of "${label}" are not one chain: one ends ${formatNumber(e.gap, 4)} mm before the next. Pick the edges between, or close the gap`,
      place: [e.place],
    };
  }
}
