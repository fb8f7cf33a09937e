import type { z } from 'zod';
import { dot, type Frame, formatNumber, length, negate, sub, unit, type Vec3 } from '../math/index.ts';
import {
  domainU,
  domainV,
  elevateSurface,
  greville,
  insertSurfaceKnots,
  isClosedU,
  isClosedV,
  type NurbsSurface,
  surfaceControlPoint,
  surfaceNormal,
} from '../nurbs/index.ts';
import { carriedTrims } from '../recipe/carried-trims.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody, inputPlane, type Mark, surfaceFacts } from '../recipe/index.ts';
import tool from './edit-skin.ts';

const MOST_HANDLES = 900;
export default defineEvaluation(tool, (inputs, p, context) => {
  const input = inputs.skin[0];
  const body = inputBody(input);
  if (!body) return failure('no-skin', 'Pick a skin');
  const face = input.face ?? (body.faces.length === 1 ? 0 : undefined);
  if (face === undefined || body.faces.length > 1)
    return failure(
      'several-faces',
      `This skin has ${body.faces.length} faces: take the one to be edited out with "Copy faces" or "Unknit"`,
    );
  const f = body.faces[face];
  let s = elevateSurface(f.surface, p.raiseU, p.raiseV);
  const spread = (list: readonly number[], [a, b]: readonly [number, number]) => list.map((x) => a + x * (b - a));
  for (const x of [...p.insertU, ...p.insertV])
    if (!(x > 0 && x < 1)) return failure('share', `A knot stands at a share between 0 and 1; ${x} is not`);
  s = insertSurfaceKnots(s, spread(p.insertU, domainU(s)), spread(p.insertV, domainV(s)));
  const before = s;
  const { countU, countV } = s;
  const closed = [isClosedU(s, 1e-7), isClosedV(s, 1e-7)];
  const [gu, gv] = [greville(s.knotsU, s.degreeU), greville(s.knotsV, s.degreeV)];
  const normal = (u: number, v: number): Vec3 => {
    const n = surfaceNormal(before, gu[u], gv[v]);
    return f.reversed ? negate(n) : n;
  };
  const control = new Float64Array(s.control);
  const get = (u: number, v: number): Vec3 => {
    const o = (u * countV + v) * 4;
    return [control[o] / control[o + 3], control[o + 1] / control[o + 3], control[o + 2] / control[o + 3]];
  };
  const put = (u: number, v: number, q: Vec3): void => {
    const o = (u * countV + v) * 4;
    for (let k = 0; k < 3; k++) control[o + k] = q[k] * control[o + 3];
  };
  const diagnostics: Diagnostic[] = [];
  for (const x of p.shifts) {
    if (x.to === '$point' || x.along === '$value') continue;
    if (x.u >= countU || x.v >= countV) {
      diagnostics.push({
        severity: 'warning',
        code: 'gone',
        message: `Control point ${x.u + 1}, ${x.v + 1} was moved earlier but is no longer there`,
      });
      continue;
    }
    const members: [number, number][] =
      x.scope === 'u'
        ? Array.from({ length: countV }, (_, v) => [x.u, v])
        : x.scope === 'v'
          ? Array.from({ length: countU }, (_, u) => [u, x.v])
          : [[x.u, x.v]];
    const lead = x.to ? sub(x.to, get(x.u, x.v)) : undefined;
    const way = x.along ?? 0;
    for (const [u, v] of members) {
      const n = x.way ?? normal(u, v);
      const by: Vec3 = lead ?? ([0, 1, 2].map((k) => way * n[k]) as unknown as Vec3);
      const q = get(u, v);
      put(u, v, [q[0] + by[0], q[1] + by[1], q[2] + by[2]]);
    }
  }
  // closed directions stay closed
  if (closed[0]) for (let v = 0; v < countV; v++) put(countU - 1, v, get(0, v));
  if (closed[1]) for (let u = 0; u < countU; u++) put(u, countV - 1, get(u, 0));
  const plane = inputs.plane[0] && inputPlane(inputs.plane[0]);
  if (inputs.plane[0] && !plane) return failure('not-flat', 'The plane picked is not flat');
  const flatten = (q: Vec3): Vec3 => {
    if (p.axis !== 'none') return q.map((x, k) => ('xyz'[k] === p.axis ? p.value : x)) as unknown as Vec3;
    if (!plane) return q;
    const h = dot(sub(q, plane.origin), plane.z);
    return [q[0] - h * plane.z[0], q[1] - h * plane.z[1], q[2] - h * plane.z[2]];
  };
  const rows: [readonly number[], number, (i: number) => [number, number][]][] = [
    [p.flatU, countU, (i) => Array.from({ length: countV }, (_, v) => [i, v])],
    [p.flatV, countV, (i) => Array.from({ length: countU }, (_, u) => [u, i])],
  ];
  for (const [list, count, members] of rows)
    for (const k of list) {
      const i = Math.round(k) - 1;
      if (!(i >= 0 && i < count)) return failure('no-row', `There is no row ${k}; they are numbered 1 to ${count}`);
      if (p.axis === 'none' && !plane) return failure('no-plane', 'Rows are kept flat in a plane or on an axis value: pick one');
      for (const [u, v] of members(i)) put(u, v, flatten(get(u, v)));
    }
  s = { ...s, control };
  let most = 0;
  for (let u = 0; u < countU; u++)
    for (let v = 0; v < countV; v++) most = Math.max(most, length(sub(get(u, v), surfaceControlPoint(before, u, v))));
  const made = carriedTrims(body, face, s, context.stepId);
  return {
    outputs: { main: { kind: 'skin', body: made.body } },
    diagnostics: [...diagnostics, ...made.diagnostics],
    marks: handles(s, get, normal, p, plane, closed),
    facts: [...surfaceFacts([s]), ...made.facts, { label: 'moved by at most', value: `${formatNumber(most, 4)} mm` }],
  };
});
type Params = z.infer<typeof tool.params>;
/** Dots (or arrows along normals and rows) on the control points, and the net between them. */
function handles(
  s: NurbsSurface,
  get: (u: number, v: number) => Vec3,
  normal: (u: number, v: number) => Vec3,
  p: Params,
  plane: Frame | undefined,
  closed: readonly boolean[],
): Mark[] {
  const marks: Mark[] = [];
  const nu = s.countU - (closed[0] ? 1 : 0);
  const nv = s.countV - (closed[1] ? 1 : 0);
  if (nu * nv > MOST_HANDLES)
    return [{ kind: 'number', at: get(0, 0), label: `${nu} × ${nv} points: refit it to fewer to take hold of them` }];
  for (let u = 0; u < nu; u++)
    for (let v = 0; v < nv; v++) {
      const at = get(u, v);
      const own = { u, v, scope: p.scope };
      if (p.way === 'normal' || p.way === 'row' || p.way === 'column') {
        const [a, b] =
          p.way === 'row'
            ? [get(Math.max(0, u - 1), v), get(Math.min(s.countU - 1, u + 1), v)]
            : [get(u, Math.max(0, v - 1)), get(u, Math.min(s.countV - 1, v + 1))];
        const row = sub(b, a);
        const d = p.way === 'normal' ? normal(u, v) : length(row) > 1e-12 ? unit(row) : normal(u, v);
        marks.push({
          kind: 'push',
          from: at,
          direction: d,
          value: 0,
          param: 'shifts',
          template: [...p.shifts, { ...own, along: '$value', ...(p.way === 'normal' ? {} : { way: d }) }],
        });
      } else {
        // a point that is put somewhere again forgets where it was put before
        const others = p.scope === 'point' ? p.shifts.filter((x) => !(x.scope === 'point' && x.u === u && x.v === v && x.to)) : p.shifts;
        marks.push({
          kind: 'grip',
          at,
          ...(p.way === 'plane' && plane ? { normal: plane.z } : {}),
          param: 'shifts',
          template: [...others, { ...own, to: '$point' }],
        });
      }
    }
  for (let u = 0; u < s.countU; u++) marks.push({ kind: 'link', points: Array.from({ length: s.countV }, (_, v) => get(u, v)) });
  for (let v = 0; v < s.countV; v++) marks.push({ kind: 'link', points: Array.from({ length: s.countU }, (_, u) => get(u, v)) });
  return marks;
}
