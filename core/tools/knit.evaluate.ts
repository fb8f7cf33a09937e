import { flipBody, isWatertight, mergeOneSurface, orientConsistently, topologyOf } from '../brep/index.ts';
import { knitBodies } from '../joins/index.ts';
import { formatNumber } from '../math/index.ts';
import { measureRims, measureSeams } from '../proof/index.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody } from '../recipe/index.ts';
import { outwardFlux } from '../skins/index.ts';
import tool from './knit.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const bodies = inputs.skins.map(inputBody).filter((b) => b !== undefined);
  if (!bodies.length) return failure('no-skins', 'Pick at least one skin');
  const before = bodies.reduce((s, b) => s + topologyOf(b).rims.length, 0);
  const r = knitBodies(bodies, p.tolerance);
  const oriented = orientConsistently(r.body);
  let body = oriented.body;
  if (outwardFlux(body) < 0 !== p.turned) body = flipBody(body);
  const single = p.merge ? mergeOneSurface(body, context.tolerance) : { body, merged: 0 };
  body = single.body;
  const seams = measureSeams(body);
  const rims = measureRims(body);
  const worst = seams.reduce((m, s) => Math.max(m, s.gap), 0);
  const steps = [1e-4, 1e-3, 1e-2, 1e-1];
  const histogram = steps
    .map((t, i) => `${seams.filter((s) => s.gap <= t && (i === 0 || s.gap > steps[i - 1])).length} ≤ ${t}`)
    .join(' · ');
  const diagnostics: Diagnostic[] = [];
  if (!oriented.ok)
    diagnostics.push({
      severity: 'warning',
      code: 'one-sided',
      message: 'The knitted skin is one-sided: faces cannot all agree on an outside',
    });
  if (r.crowded || topologyOf(body).crowded.length)
    diagnostics.push({ severity: 'warning', code: 'crowded', message: 'More than two faces meet at an edge: remove the extra one' });
  if (rims.length)
    diagnostics.push({
      severity: 'note',
      code: 'rims-open',
      message: `${rims.length === 1 ? 'One rim stays' : `${rims.length} rims stay`} open, ${formatNumber(
        rims.reduce((s, x) => s + x.length, 0),
        3,
      )} mm in all`,
      place: rims.map((x) => x.at),
    });
  return {
    outputs: { main: { kind: 'skin', body: { ...body, solids: [] } } },
    diagnostics,
    facts: [
      { label: 'faces', value: String(body.faces.length) },
      { label: 'rims joined', value: `${before - topologyOf(body).rims.length} of ${before}` },
      { label: 'seams', value: String(seams.length) },
      ...(p.merge ? [{ label: 'faces merged', value: String(single.merged) }] : []),
      { label: 'largest gap', value: `${formatNumber(worst, 6)} mm` },
      { label: 'gaps (mm)', value: histogram },
      { label: 'turned over', value: String(oriented.flipped.length) },
      { label: 'state', value: isWatertight(body) ? 'watertight' : `${rims.length} rims open` },
    ],
  };
});
