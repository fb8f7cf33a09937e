import { z } from 'zod';
import { isWatertight, makeSolid } from '../brep/index.ts';
import { along, formatNumber, length, scale } from '../math/index.ts';
import { bodyPiece, defineTool, failure, inputCurves, inputPoint, type Mark, param, slot } from '../recipe/index.ts';
import { type LoftSection, loft } from '../skins/index.ts';

export default defineTool({
  id: 'loft',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Loft',
  hint: 'Stretches a skin through two or more sections, in the order they stand in the list',
  icon: ['M5 19c3 1.500 11 1.500 14 0M7 5c2 1 8 1 10 0', 'M5 19C3 13 6 9 7 5M19 19c2-6-1-10-2-14M12 20V6'],
  slots: { sections: slot({ label: 'Sections', accepts: ['chain', 'point'], min: 2, max: 200, ordered: true, hint: 'Curves or edges, open ones or closed ones; points only at the ends' }) },
  params: z.object({
    degree: param.integer({ label: 'Degree across', default: 3, min: 1, max: 7 }),
    fit: param.choice({
      label: 'Runs',
      options: [
        { value: 'through', label: 'Through' },
        { value: 'near', label: 'Near' },
      ],
      default: 'through',
      hint: 'Near: the sections pull like control points',
    }),
    match: param.choice({
      label: 'Match',
      options: [
        { value: 'auto', label: 'Best' },
        { value: 'length', label: 'Length' },
        { value: 'points', label: 'Points' },
      ],
      default: 'auto',
      hint: 'Sections with equal points are used exactly; others meet by share of length',
    }),
    tolerance: param.length({ label: 'Fit within', default: 0.000001, min: 1e-9, max: 1, hint: 'A larger value gives fewer control points' }),
    ring: param.toggle({ label: 'Closed ring', default: false }),
    cap: param.toggle({ label: 'Cap flat ends', default: false }),
    perInterval: param.toggle({ label: 'One face per interval', default: false }),
    adjust: param.hidden(z.array(z.object({ section: z.number().int(), start: z.number().min(0).max(1).optional(), flip: z.boolean().optional() })).default([]), 'Starts and directions set by hand'),
    pins: param.hidden(z.array(z.array(z.number().min(0).max(1))).default([]), 'Matched points'),
  }),
  examples: [{ params: {} }, { params: { degree: 1, cap: true } }],
  evaluate(inputs, p, context) {
    const sections: LoftSection[] = [];
    for (const [i, input] of inputs.sections.entries()) {
      const point = inputPoint(input);
      const curves = inputCurves(input);
      if (curves.length) sections.push({ kind: 'chain', curves });
      else if (point) sections.push({ kind: 'point', point });
      else return failure('not-a-section', `Section ${i + 1} is neither a curve nor a point`);
    }
    const r = loft(sections, p, context.stepId);
    if (!r.ok) return failure(r.code, r.message, r.place);
    const { body, surface, starts, twist, exact, capNotes, fitDeviation } = r.result;
    const marks: Mark[] = starts.map((s, i) => ({
      kind: 'arrow',
      from: s.point,
      to: along(s.point, scale(s.direction, 1 / (length(s.direction) || 1)), 8),
      label: String(i + 1),
      edit: { param: 'adjust', index: i },
    }));
    const solid = p.cap && isWatertight(body) ? makeSolid(body) : undefined;
    return {
      outputs: { main: bodyPiece(solid?.ok ? solid.body : body) },
      diagnostics: capNotes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
      marks,
      facts: [
        { label: 'control points', value: `${surface.countU} × ${surface.countV}` },
        { label: 'degree', value: `${surface.degreeU} × ${surface.degreeV}` },
        { label: 'twist', value: twist < 0.05 ? 'none' : `${formatNumber(twist, 1)}°` },
        { label: 'sections', value: exact ? 'used exactly' : `within ${formatNumber(fitDeviation, 9)} mm` },
      ],
    };
  },
});
