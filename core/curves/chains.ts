import { distance } from '../math/index.ts';
import { endPoint, type NurbsCurve, reverseCurve, startPoint } from '../nurbs/index.ts';

export interface Chain {
  readonly curves: readonly NurbsCurve[];
  readonly closed: boolean;
}

/** Puts curves end to end into chains, longest runs first; ends within `tolerance` meet. Curves are reversed where needed. */
export function chainsOf(list: readonly NurbsCurve[], tolerance: number): Chain[] {
  const rest = [...list];
  const out: Chain[] = [];
  while (rest.length) {
    const chain = [rest.shift() as NurbsCurve];
    for (const forward of [true, false]) {
      for (;;) {
        if (
          distance(startPoint(chain[0]), endPoint(chain[chain.length - 1])) <= tolerance &&
          (chain.length > 1 || isRing(chain[0], tolerance))
        )
          break;
        const end = forward ? endPoint(chain[chain.length - 1]) : startPoint(chain[0]);
        let best = -1;
        let least = tolerance;
        rest.forEach((c, i) => {
          const d = Math.min(distance(startPoint(c), end), distance(endPoint(c), end));
          if (d <= least) [best, least] = [i, d];
        });
        if (best < 0) break;
        const c = rest.splice(best, 1)[0];
        const meetsStart = distance(startPoint(c), end) <= distance(endPoint(c), end);
        if (forward) chain.push(meetsStart ? c : reverseCurve(c));
        else chain.unshift(meetsStart ? reverseCurve(c) : c);
      }
    }
    out.push({
      curves: chain,
      closed:
        distance(startPoint(chain[0]), endPoint(chain[chain.length - 1])) <= tolerance && (chain.length > 1 || isRing(chain[0], tolerance)),
    });
  }
  return out.sort((a, b) => b.curves.length - a.curves.length);
}
const isRing = (c: NurbsCurve, tolerance: number) => distance(startPoint(c), endPoint(c)) <= tolerance && c.control.length > 8;
