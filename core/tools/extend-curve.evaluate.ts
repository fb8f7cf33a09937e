import { carryOn, crossings, meetings } from '../curves/index.ts';
import { boxSize, distance, formatNumber } from '../math/index.ts';
import {
  arcLength,
  clipCurve,
  curveBox,
  domain,
  endPoint,
  extendCurve,
  growCurve,
  joinCurves,
  type NurbsCurve,
  reverseCurve,
  startPoint,
} from '../nurbs/index.ts';
import { chainResult, defineEvaluation, failure, inputCurves, inputPlane } from '../recipe/index.ts';
import tool from './extend-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const given = inputCurves(inputs.curve[0]);
  if (!given.length) return failure('not-a-curve', 'Pick a curve or an edge');
  if (given.length === 1 && distance(startPoint(given[0]), endPoint(given[0])) < 1e-7)
    return failure('closed', 'A closed curve has no end to extend: cut it first', [startPoint(given[0])]);
  const target = inputs.upTo[0];
  const reach = target ? 3 * Math.max(boxSize(curveBox(joinCurves(given))), ...inputCurves(target).map((c) => boxSize(curveBox(c)))) : p.by;
  let chain: NurbsCurve[] = [...given];
  const notes: string[] = [];
  for (const end of p.end === 'both' ? (['start', 'end'] as const) : [p.end]) {
    const k = end === 'end' ? chain.length - 1 : 0;
    const c = chain[k];
    const hits = (piece: NurbsCurve) => {
      const plane = inputPlane(target);
      const curves = inputCurves(target);
      return curves.length
        ? curves.flatMap((x) => meetings(piece, x, 1e-6)).map((m) => m.t)
        : plane
          ? crossings(piece, plane).map((m) => m.t)
          : [];
    };
    if (p.how === 'natural') {
      let longer: NurbsCurve | undefined;
      if (target) {
        const [a, b] = domain(c);
        for (const by of [0.25, 0.5, 1, 2, 4]) {
          const grown = growCurve(c, end === 'start' ? by * (b - a) : 0, end === 'end' ? by * (b - a) : 0, 'natural');
          const part = grown && (end === 'end' ? clipCurve(grown, b, domain(grown)[1]) : clipCurve(grown, domain(grown)[0], a));
          const found = part ? hits(part).sort((x, y) => (end === 'end' ? x - y : y - x)) : [];
          if (grown && found.length) {
            longer = end === 'end' ? clipCurve(grown, a, found[0]) : clipCurve(grown, found[0], b);
            break;
          }
        }
      } else longer = extendCurve(c, end === 'start' ? p.by : 0, end === 'end' ? p.by : 0, 'natural');
      if (!longer)
        return failure(
          'no-reach',
          target
            ? 'The curve, carried on with its own curvature, does not meet what it should reach: try "Straight"'
            : 'The weights of this curve do not let it go on so far: try "Straight"',
          [end === 'end' ? endPoint(c) : startPoint(c)],
        );
      notes.push(`${formatNumber(arcLength(longer) - arcLength(c), 3)} mm`);
      chain[k] = longer;
    } else {
      let piece = carryOn(c, end, reach, p.how === 'arc' ? 'arc' : 'line');
      if (target) {
        const found = hits(piece).filter((t) => t > domain(piece)[0] + 1e-12);
        if (!found.length)
          return failure(
            'no-reach',
            `The curve, carried on ${p.how === 'arc' ? 'as an arc' : 'straight'}, does not meet what it should reach`,
            [end === 'end' ? endPoint(c) : startPoint(c)],
          );
        piece = clipCurve(piece, domain(piece)[0], Math.min(...found));
      }
      notes.push(`${formatNumber(arcLength(piece), 3)} mm`);
      chain = end === 'end' ? [...chain, piece] : [reverseCurve(piece), ...chain];
    }
  }
  return chainResult(chain, { facts: [{ label: 'longer by', value: notes.join(', ') }] });
});
