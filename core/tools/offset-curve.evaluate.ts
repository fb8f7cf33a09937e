import { smoothPieces } from '../brep/index.ts';
import { offsetChain, offsetOnFace } from '../curves/index.ts';
import { distance, type Frame, formatNumber } from '../math/index.ts';
import { endPoint, planeOf, startPoint } from '../nurbs/index.ts';
import {
  chainsResult,
  type Diagnostic,
  defineEvaluation,
  failure,
  inputBody,
  inputCurves,
  inputPlane,
  withinFact,
} from '../recipe/index.ts';
import tool from './offset-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputs.chain.flatMap(inputCurves).flatMap(smoothPieces);
  if (!list.length) return failure('not-a-curve', 'Pick a curve or edges');
  if (Math.abs(p.distance) < 1e-9) return failure('no-distance', 'The distance is zero: the offset would be the curve itself');
  for (let i = 0; i + 1 < list.length; i++)
    if (distance(endPoint(list[i]), startPoint(list[i + 1])) > 1e-6)
      return failure('gap', `Curve ${i + 1} and the next do not meet: join them first`, [endPoint(list[i]), startPoint(list[i + 1])]);
  const on = inputs.face[0];
  const skin = on && inputBody(on);
  if (skin && on.face !== undefined) {
    const results = [];
    for (const d of p.both ? [p.distance, -p.distance] : [p.distance]) {
      const r = offsetOnFace(skin, on.face, list, d, Math.min(p.tolerance, 1e-4));
      if (!r.ok) return failure('off-face', r.message, r.place && [r.place]);
      results.push(r);
    }
    const chains = results.flatMap((r) => r.chains);
    if (!chains.length)
      return failure(
        'vanished',
        `Nothing of the offset at ${formatNumber(p.distance)} mm lies on the face: use a smaller distance or the other side`,
        [startPoint(list[0])],
      );
    const removed = results.reduce((n, r) => n + r.removed, 0);
    const diagnostics: Diagnostic[] = [];
    if (removed)
      diagnostics.push({
        severity: 'note',
        code: 'crossings',
        message: `${removed} ${removed === 1 ? 'piece' : 'pieces'} that crossed or came too near were cut away`,
      });
    if (results.some((r) => r.cut))
      diagnostics.push({ severity: 'note', code: 'border', message: 'The offset runs over the border of the face: it ends there' });
    return chainsResult(chains, {
      diagnostics,
      facts: [
        withinFact('true within', Math.max(...results.map((r) => r.deviation)), Math.max(p.tolerance, 1e-4)),
        { label: 'chain off the face', value: `${formatNumber(Math.max(...results.map((r) => r.off)), 7)} mm` },
      ],
    });
  }
  const closed = distance(endPoint(list[list.length - 1]), startPoint(list[0])) < 1e-6;
  const own = planeOf(list);
  const picked = inputs.plane[0] && inputPlane(inputs.plane[0]);
  if (!own && !picked) return failure('straight', 'A straight line lies in many planes: pick the one to offset in', [startPoint(list[0])]);
  const plane: Frame = picked ? { ...picked, origin: startPoint(list[0]) } : (own as { frame: Frame }).frame;
  if (own && own.deviation > 1e-4)
    return failure(
      'not-flat',
      `The chain is ${formatNumber(own.deviation, 4)} mm out of flat: offset works on flat chains. If it lies on a skin, pick that face under "On face"`,
      [own.frame.origin],
    );
  const sides = (p.both ? [p.distance, -p.distance] : [p.distance]).map((d) => offsetChain(list, closed, plane, d, p.corner, p.tolerance));
  const chains = sides.flatMap((s) => s.chains);
  if (!chains.length)
    return failure(
      'vanished',
      `Nothing is left at ${formatNumber(p.distance)} mm: the chain is narrower than twice that. Use a smaller distance or the other side`,
      [startPoint(list[0])],
    );
  const removed = sides.reduce((n, s) => n + s.removed, 0);
  const diagnostics: Diagnostic[] = [];
  const open = sides.flatMap((s) => s.open);
  if (open.length)
    diagnostics.push({
      severity: 'warning',
      code: 'open',
      message: 'The offset of this closed chain is not closed: a part of it was not found. Try a slightly other distance',
      place: open,
    });
  const { crossings } = sides[0];
  if (crossings.length)
    diagnostics.push({
      severity: 'note',
      code: 'crosses-itself',
      message: `The chain crosses itself ${crossings.length === 1 ? 'once' : `${crossings.length} times`}: there its offset passes from one side to the other`,
      place: crossings,
    });
  if (removed)
    diagnostics.push({
      severity: 'note',
      code: 'crossings',
      message: `${removed} ${removed === 1 ? 'piece' : 'pieces'} that crossed or came too near were cut away`,
    });
  return chainsResult(chains, {
    diagnostics,
    facts: [withinFact('true within', Math.max(...sides.map((s) => s.deviation)), p.tolerance)],
  });
});
