import { distance, dot, unit } from '../math/index.ts';
import { derivativesAt, domain, endPoint, type NurbsCurve, reverseCurve, startPoint } from '../nurbs/index.ts';

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
        const gaps = rest.map((c) => Math.min(distance(startPoint(c), end), distance(endPoint(c), end)));
        const least = Math.min(...gaps);
        if (!(least <= tolerance)) break;
        // where branches cross, several begin at the same point: the one that goes straight on
        const near = gaps.flatMap((g, i) => (g <= Math.min(tolerance, least + 1e-6 * tolerance) ? [i] : []));
        const out = forward ? leaving(chain[chain.length - 1], false) : leaving(chain[0], true);
        const straight = near.map((i) =>
          dot(leaving(rest[i], distance(startPoint(rest[i]), end) <= distance(endPoint(rest[i]), end)), out),
        );
        const best = near.length > 1 ? near[straight.indexOf(Math.min(...straight))] : near[0];
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
/** Unit direction in which a curve leaves one of its ends, into itself. */
const leaving = (c: NurbsCurve, atStart: boolean) => {
  const [a, b] = domain(c);
  const d = derivativesAt(c, atStart ? a : b, 1)[1];
  return unit(atStart ? d : [-d[0], -d[1], -d[2]]);
};
const isRing = (c: NurbsCurve, tolerance: number) => distance(startPoint(c), endPoint(c)) <= tolerance && c.control.length > 8;
