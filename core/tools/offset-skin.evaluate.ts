import {
  type Body,
  bodyBox,
  faceNormal,
  massProperties,
  smallestInnerRadius,
  subBody,
  topologyOf,
  usedRange,
  useUV,
} from '../brep/index.ts';
import { angleBetween, boxSize, DEG, distance, formatNumber, type Vec3 } from '../math/index.ts';
import { closestOnSurface, surfacePoint } from '../nurbs/index.ts';
import { type Diagnostic, defineEvaluation, failure, type Input, inputBody, type Piece, surfaceFacts, wallArrow } from '../recipe/index.ts';
import { offsetFaces } from '../skins/index.ts';
import tool from './offset-skin.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const body = chosen(inputs.skin);
  if (!body) return failure('several', 'Pick one skin, or faces of one skin');
  if (Math.abs(p.distance) < 1e-9) return failure('no-distance', 'The distance is zero: use "Copy faces" for a copy in place');
  const marks = [wallArrow(body, Math.abs(p.distance), p.side)].map((m) =>
    m.kind === 'push' ? { ...m, label: undefined, param: 'distance', rate: p.side === 'both' ? 1 : m.rate } : m,
  );
  const d = p.distance;
  const sides = p.side === 'both' ? [d, -d] : [p.side === 'in' ? -d : d];
  for (const s of sides) {
    const tight = smallestInnerRadius(body, s < 0);
    if (Math.abs(s) >= tight.radius * (1 - 1e-6))
      return {
        ...failure(
          'self-crossing',
          `At ${formatNumber(Math.abs(s), 3)} mm the skin would run through itself: it bends with a radius of ${formatNumber(tight.radius, 4)} mm to that side. The largest distance that works is ${formatNumber(0.98 * tight.radius, 4)} mm`,
          [tight.at, ...tightPlaces(body, s < 0, Math.abs(s))],
        ),
        marks,
        actions: [
          {
            label: `Take ${formatNumber(0.95 * tight.radius, 3)} mm`,
            params: { distance: Number((Math.sign(p.distance) * 0.95 * tight.radius).toPrecision(5)) },
          },
        ],
      };
  }
  const diagnostics: Diagnostic[] = [];
  const crease = creaseOf(body);
  if (crease.angle > 0.5)
    diagnostics.push({
      severity: 'warning',
      code: 'creased',
      message: `Faces meet at an angle of up to ${formatNumber(crease.angle, 1)}° here: shifted faces do not meet there any more. Use "Thicken" for a wall with closed corners`,
      place: [crease.at],
    });
  const outputs: Record<string, Piece> = {};
  const surfaces = [];
  let worst = 0;
  for (const [k, s] of sides.entries()) {
    const made = offsetFaces(
      body,
      body.faces.map((_, i) => i),
      s,
      p.tolerance,
    );
    worst = Math.max(worst, trueMiss(body, made.body, Math.abs(s)));
    surfaces.push(...made.body.faces.map((f) => f.surface));
    outputs[k === 0 ? 'main' : 'other'] = { kind: 'skin', body: made.body };
  }
  return {
    outputs,
    marks,
    diagnostics,
    facts: [
      ...surfaceFacts(surfaces),
      { label: 'off the true distance', value: `${Number(worst.toPrecision(2))} mm`, number: worst, unit: 'mm', limit: p.tolerance },
      {
        label: 'area',
        value: `${formatNumber(
          Object.values(outputs).reduce((n, o) => n + (o.kind === 'skin' ? massProperties(o.body).area : 0), 0),
          3,
        )} mm²`,
      },
    ],
  };
});
function chosen(list: readonly Input[]): Body | undefined {
  const body = inputBody(list[0]);
  if (!body || list.some((i) => i.piece !== list[0].piece)) return undefined;
  const faces = list.flatMap((i) => (i.face === undefined ? [] : [i.face]));
  return faces.length ? subBody(body, [...new Set(faces)]) : body;
}
/** Largest difference between the wished distance and the true one, at points that were not fitted. */
function trueMiss(from: Body, to: Body, d: number): number {
  let worst = 0;
  to.faces.forEach((f, k) => {
    const r = usedRange(f, to);
    for (let i = 0; i < 14; i++)
      for (let j = 0; j < 14; j++) {
        const [u, v] = [r[0] + ((r[1] - r[0]) * (i + 0.37)) / 14, r[2] + ((r[3] - r[2]) * (j + 0.61)) / 14];
        const foot = closestOnSurface(from.faces[k].surface, surfacePoint(f.surface, u, v), [u, v]);
        worst = Math.max(worst, Math.abs(foot.distance - d));
      }
  });
  return worst;
}
function creaseOf(b: Body): { angle: number; at: Vec3 } {
  const { seams, uses } = topologyOf(b);
  let best = { angle: 0, at: [0, 0, 0] as Vec3 };
  for (const e of seams) {
    const [p, q] = uses[e];
    for (const k of [0.1, 0.5, 0.9]) {
      const t = b.edges[e].range[0] + k * (b.edges[e].range[1] - b.edges[e].range[0]);
      const [n, m] = [p, q].map((x) => faceNormal(b.faces[x.face], ...useUV(b.faces[x.face], x.use, t)));
      const angle = angleBetween(n, m) / DEG;
      if (angle > best.angle) best = { angle, at: surfacePoint(b.faces[p.face].surface, ...useUV(b.faces[p.face], p.use, t)) };
    }
  }
  return best;
}
/** Places where the skin bends more tightly than the distance: a few dots that show the zone. */
function tightPlaces(b: Body, inwards: boolean, d: number): Vec3[] {
  const out: Vec3[] = [];
  const apart = boxSize(bodyBox(b)) / 40;
  for (const f of b.faces) {
    const r = usedRange(f, b);
    for (let i = 0; i < 24 && out.length < 60; i++)
      for (let j = 0; j < 24; j++) {
        const [u, v] = [r[0] + ((r[1] - r[0]) * (i + 0.5)) / 24, r[2] + ((r[3] - r[2]) * (j + 0.5)) / 24];
        const n = faceNormal(f, u, v);
        const q = surfacePoint(f.surface, u, v);
        const moved: Vec3 = [0, 1, 2].map((k) => q[k] + (inwards ? -1 : 1) * d * n[k]) as unknown as Vec3;
        // a shifted point that is nearer to the skin than the distance lies in the zone
        if (closestOnSurface(f.surface, moved).distance < d * (1 - 1e-3) && out.every((x) => distance(x, q) > apart)) out.push(q);
      }
  }
  return out;
}
