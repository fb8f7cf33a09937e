import { z } from 'zod';
import { joinChain } from '../curves/index.ts';
import { DEG, formatNumber } from '../math/index.ts';
import { joinCurves } from '../nurbs/index.ts';
import { chainResult, type Diagnostic, defineTool, failure, inputCurves, type Mark, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'join-curves',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Join',
  hint: 'Puts curves end to end into one chain, tells every gap and kink, and closes gaps within a tolerance',
  icon: ['M4 16c3-6 6-6 8-3', 'M12 13c2 3 5 3 8-5', 'M12 13h.01'],
  slots: { curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 200, consumes: true }) },
  params: z.object({
    tolerance: param.length({ label: 'Close gaps to', default: 0.01, min: 0, max: 5 }),
    kink: param.angle({ label: 'Tell kinks over', default: 0.1, min: 0, max: 180 }),
    one: param.toggle({
      label: 'Make one curve',
      default: false,
      hint: 'One spline with full knots at the joints; otherwise a chain whose parts keep their form',
    }),
  }),
  examples: [{ params: {} }],
  evaluate(inputs, p) {
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
  },
});
