import { chainCurves, isWatertight, makeSolid, normalNear } from '../brep/index.ts';
import { formatNumber, lawOf, type Vec3 } from '../math/index.ts';
import { arcLength, startPoint } from '../nurbs/index.ts';
import {
  bodyPiece,
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  failure,
  inputBody,
  inputCurves,
  inputDirection,
  surfaceFacts,
} from '../recipe/index.ts';
import { lineUpActions, lineUpMarks } from '../recipe/line-up.ts';
import { type Carrying, sweep } from '../skins/index.ts';
import tool from './sweep.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const sections = inputs.sections.map((i) => inputCurves(i));
  const empty = sections.findIndex((s) => !s.length);
  if (empty >= 0) return failure('not-a-section', `Section ${empty + 1} is no curve`);
  const chains = chainCurves(
    inputs.path.flatMap((i) => [...inputCurves(i)]),
    Math.max(context.tolerance, 1e-6),
  );
  const paths = [...chains.closed, ...chains.open.map((o) => o.chain)];
  if (!paths.length) return failure('no-path', 'Pick the curves of the path');
  if (paths.length > 1)
    return failure(
      'path-parted',
      `The path falls into ${paths.length} chains that do not meet: join them, or sweep each by itself`,
      paths.map((c) => startPoint(c[0])),
    );
  const path = paths[0];
  const body = inputs.skin[0] && inputBody(inputs.skin[0]);
  const carry: Carrying =
    p.carry === 'normal' && body
      ? { kind: 'normal', normal: (q: Vec3) => normalNear(body, q) }
      : p.carry === 'fixed'
        ? { kind: 'fixed', direction: (inputs.upright[0] && inputDirection(inputs.upright[0])) ?? [0, 0, 1] }
        : { kind: 'least' };
  const r = sweep(
    sections,
    path,
    {
      tolerance: p.tolerance,
      adjust: p.adjust,
      pins: p.pins,
      carry,
      place: p.place,
      normalEnds: p.normalEnds,
      corner: p.corner === 'round' ? { kind: 'round', radius: p.radius } : { kind: 'mitre' },
      twist: p.twist.length ? lawOf(p.twist, 0) : undefined,
      size: p.size.length ? lawOf(p.size, 1) : undefined,
      cap: p.cap,
    },
    context.stepId,
  );
  if (!r.ok) {
    const fold = r.folds?.reduce((a, b) => (b.factor < a.factor ? b : a));
    const base = failure(r.code, r.message, r.place);
    if (!fold) return base;
    const share = Math.max(0.01, Math.floor(95 * fold.factor) / 100);
    const size = p.size.length ? p.size.map(([at, v]) => [at, Number((v * share).toPrecision(4))]) : [[0, share]];
    return {
      ...base,
      marks: [
        { kind: 'link', points: fold.points },
        ...fold.points.slice(0, 1).map((at) => ({ kind: 'number' as const, at, label: `R ${formatNumber(fold.radius, 2)}` })),
      ],
      actions: [{ label: `Make the section ${Math.round(100 * share)} %`, params: { size } }],
      facts: [
        { label: 'tightest radius there', value: `${formatNumber(fold.radius, 3)} mm` },
        { label: 'section reaches inwards', value: `${formatNumber(fold.reach, 3)} mm` },
      ],
    };
  }
  const s = r.result;
  const diagnostics: Diagnostic[] = s.capNotes.map((message) => ({ severity: 'warning', code: 'cap', message }));
  if (s.margin < 0.05)
    diagnostics.push({
      severity: 'warning',
      code: 'nearly-folds',
      message: `The sweep nearly folds: ${(100 * s.margin).toFixed(1)} % of the room is left on the inner side of its tightest bend`,
    });
  if (s.meets)
    diagnostics.push({
      severity: 'warning',
      code: 'crosses-itself',
      message: 'Two stretches of the sweep run into each other: make the section smaller or lead the path further apart',
      place: s.meets.at,
    });
  const solid = p.cap && isWatertight(s.body) ? makeSolid(s.body) : undefined;
  return {
    outputs: { main: bodyPiece(solid?.ok ? solid.body : s.body) },
    diagnostics,
    marks:
      sections.length > 1
        ? lineUpMarks(
            s.rails.map((x, section) => ({ ...x, section })),
            s.closedSections,
            p.adjust,
            p.pins,
          )
        : [],
    actions: sections.length > 1 ? lineUpActions(s.rails.length, p) : [],
    facts: [
      ...surfaceFacts(s.surfaces),
      {
        label: 'path',
        value: `${formatNumber(
          s.path.reduce((n, c) => n + arcLength(c), 0),
          3,
        )} mm`,
      },
      { label: 'tightest radius', value: s.tightest > 1e6 ? 'straight' : `${formatNumber(s.tightest, 3)} mm` },
      { label: 'room before it folds', value: `${(100 * Math.min(1, s.margin)).toFixed(0)} %` },
      s.exact ? { label: 'fit', value: 'exact' } : deviationFact('fit', s.deviation, p.tolerance),
    ],
  };
});
