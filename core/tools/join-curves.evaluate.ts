import { joinChain } from '../curves/index.ts';
import { DEG, formatNumber } from '../math/index.ts';
import { joinCurves } from '../nurbs/index.ts';
import { chainResult, type Diagnostic, defineEvaluation, failure, inputCurves, type Mark } from '../recipe/index.ts';
import tool from './join-curves.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputs.curves.flatMap(inputCurves);
  if (!list.length) return failure('no-curves', 'Pick curves or edges to join');
  const r = joinChain(list, p.tolerance);
  const diagnostics: Diagnostic[] = [];
  const marks: Mark[] = [];
  r.joints.forEach((j, i) => {
    if (j.gap > p.tolerance && j.gap > 1e-9)
      diagnostics.push({
        severity: 'warning',
        code: 'gap',
        message: `Joint ${i + 1} stays open by ${formatNumber(j.gap, 5)} mm: raise "Close gaps to", or mend the curves`,
        place: [j.at],
      });
    else if (j.mended && j.gap > 1e-9)
      diagnostics.push({
        severity: 'note',
        code: 'gap-closed',
        message: `Joint ${i + 1}: a gap of ${formatNumber(j.gap, 6)} mm was closed`,
        place: [j.at],
      });
    if (j.kink > p.kink * DEG) {
      diagnostics.push({
        severity: 'note',
        code: 'kink',
        message: `Joint ${i + 1} has a kink of ${formatNumber(j.kink / DEG, 3)}°`,
        place: [j.at],
      });
      marks.push({ kind: 'number', at: j.at, label: `${formatNumber(j.kink / DEG, 1)}°` });
    }
  });
  const open = r.joints.some((j) => j.gap > p.tolerance && j.gap > 1e-9);
  return chainResult(p.one && !open ? [joinCurves(r.curves)] : r.curves, {
    diagnostics,
    marks,
    facts: [
      { label: 'joints', value: String(r.joints.length) },
      { label: 'widest gap', value: `${formatNumber(Math.max(0, ...r.joints.map((j) => j.gap)), 6)} mm` },
      { label: 'largest kink', value: `${formatNumber(Math.max(0, ...r.joints.map((j) => j.kink / DEG)), 3)}°` },
    ],
  });
});
