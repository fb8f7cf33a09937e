import { isWatertight, makeSolid } from '../brep/index.ts';
import { formatNumber, lerp, unit, type Vec3 } from '../math/index.ts';
import { bodyPiece, defineEvaluation, failure, inputCurves, inputPoint, type Mark, type StepAction } from '../recipe/index.ts';
import { type LoftSection, loft } from '../skins/index.ts';
import tool from './loft.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
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
  const { body, surface, rails, closed, twist, exact, capNotes, fitDeviation } = r.result;
  const marks: Mark[] = rails.map((r, i): Mark => {
    const own = p.adjust.find((x) => x.section === r.section);
    const others = p.adjust.filter((x) => x.section !== r.section);
    return {
      kind: 'slide',
      points: r.points,
      closed,
      at: r.start,
      label: String(i + 1),
      arrow: unit(r.direction),
      param: 'adjust',
      template: closed ? [...others, { ...own, section: r.section, start: '$share' }] : undefined,
      click: {
        params: { adjust: [...others, { ...own, section: r.section, flip: !own?.flip }] },
        hint: closed ? 'Drag to move the start, click to turn the direction' : 'Click to turn the direction',
      },
    };
  });
  // a matched point is given as shares of the lined-up sections; its dots slide on the sections themselves
  const toOwn = (k: number, share: number) => {
    const raw = rails[k].start + (rails[k].reversed ? -share : share);
    return closed ? raw - Math.floor(raw) : Math.min(1, Math.max(0, raw));
  };
  p.pins.forEach((pin, n) => {
    if (pin.length !== rails.length) return;
    const on = rails.map((r, k) => pointOn(r.points, toOwn(k, pin[k])));
    marks.push({ kind: 'link', points: on });
    rails.forEach((r, k) => {
      // points listed in the direction of the lined-up section, so that the share is its own
      const along = Array.from({ length: 65 }, (_, i) => pointOn(r.points, toOwn(k, i / 64)));
      marks.push({
        kind: 'slide',
        points: along,
        closed: false,
        at: pin[k],
        param: 'pins',
        template: p.pins.map((q, m) => (m === n ? q.map((x, j) => (j === k ? '$share' : x)) : q)),
      });
    });
  });
  const pins = [0, ...p.pins.filter((q) => q.length === rails.length).map((q) => q[0]), 1].sort((x, y) => x - y);
  const widest = pins.slice(1).reduce((best, x, i) => (x - pins[i] > pins[best + 1] - pins[best] ? i : best), 0);
  const middle = (pins[widest] + pins[widest + 1]) / 2;
  const actions: StepAction[] = [
    {
      label: 'Add matched points',
      params: { pins: [...p.pins, rails.map(() => middle)], match: p.match === 'points' ? 'auto' : p.match },
    },
  ];
  if (p.pins.length) actions.push({ label: 'Remove the last matched points', params: { pins: p.pins.slice(0, -1) } });
  if (p.adjust.length) actions.push({ label: 'Line up by itself again', params: { adjust: [] } });
  const solid = p.cap && isWatertight(body) ? makeSolid(body) : undefined;
  return {
    outputs: { main: bodyPiece(solid?.ok ? solid.body : body) },
    diagnostics: capNotes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
    marks,
    actions,
    facts: [
      { label: 'control points', value: `${surface.countU} × ${surface.countV}` },
      { label: 'degree', value: `${surface.degreeU} × ${surface.degreeV}` },
      { label: 'twist', value: twist < 0.05 ? 'none' : `${formatNumber(twist, 1)}°` },
      {
        label: 'sections',
        value: exact ? 'used exactly' : `within ${Number(fitDeviation.toPrecision(2))} mm`,
        ...(exact ? {} : { number: fitDeviation, unit: 'mm', limit: p.tolerance }),
      },
    ],
  };
});

function pointOn(points: readonly Vec3[], share: number): Vec3 {
  const x = share * (points.length - 1);
  const i = Math.min(points.length - 2, Math.max(0, Math.floor(x)));
  return lerp(points[i], points[i + 1], x - i);
}
