import { type Body, BodyBuilder, bodyBox, planeRecordOf, surfaceBody } from '../brep/index.ts';
import { add, boxCentre, boxSize, distance, type Frame, scale, translation, type Vec3 } from '../math/index.ts';
import { closestOnSurface, domain, extrudedSurface, fitFunction, joinCurves, makeCurve, type NurbsCurve, planeSurface, pointAt, ruledSurface, surfaceNormal, transformCurve } from '../nurbs/index.ts';

/** A flat cutter that reaches past everything in `target`. */
export function planeCutter(frame: Frame, target: Body): Body {
  const box = bodyBox(target);
  const c = boxCentre(box);
  const r = boxSize(box) + 1;
  const d = [c[0] - frame.origin[0], c[1] - frame.origin[1], c[2] - frame.origin[2]] as Vec3;
  const x = d[0] * frame.x[0] + d[1] * frame.x[1] + d[2] * frame.x[2];
  const y = d[0] * frame.y[0] + d[1] * frame.y[1] + d[2] * frame.y[2];
  const b = surfaceBody(planeSurface(frame, x - r, x + r, y - r, y + r), { prefix: 'plane', face: () => 'plane' }, new BodyBuilder()).body;
  return { ...b, faces: b.faces.map((f) => ({ ...f, record: planeRecordOf(frame) })) };
}

/** Curves swept along a direction, both ways, past everything in `target`. */
export function curtainCutter(curves: readonly NurbsCurve[], direction: Vec3, target: Body): Body {
  const box = bodyBox(target);
  const joined = joinCurves(curves);
  const reach = boxSize(box) + distance(boxCentre(box), pointAt(joined, domain(joined)[0])) + 1;
  const start = transformCurve(joined, translation(scale(direction, -reach)));
  return surfaceBody(extrudedSurface(start, scale(direction, 2 * reach)), { prefix: 'curtain', face: (i, j) => `curtain.${i}.${j}` }).body;
}

/** A strip through the curve along the normals of the nearest face of `target`, `reach` mm to both sides. */
export function normalCutter(curves: readonly NurbsCurve[], target: Body, reach: number, tolerance: number): Body {
  const c = joinCurves(curves);
  const [a, b] = domain(c);
  const fit = fitFunction(
    (t, out) => {
      const p = pointAt(c, t);
      let best = { distance: Infinity, normal: [0, 0, 1] as Vec3 };
      for (const f of target.faces) {
        const foot = closestOnSurface(f.surface, p);
        if (foot.distance < best.distance) best = { distance: foot.distance, normal: surfaceNormal(f.surface, foot.u, foot.v) };
      }
      out.set(add(p, scale(best.normal, -reach)));
      out.set(add(p, scale(best.normal, reach)), 3);
    },
    a,
    b,
    6,
    3,
    tolerance,
    [],
    200,
  );
  const rows = fit.data.length / 6;
  const low = makeCurve(
    3,
    Array.from({ length: rows }, (_, i) => Array.from(fit.data.subarray(i * 6, i * 6 + 3))),
    fit.knots,
  );
  const high = makeCurve(
    3,
    Array.from({ length: rows }, (_, i) => Array.from(fit.data.subarray(i * 6 + 3, i * 6 + 6))),
    fit.knots,
  );
  return surfaceBody(ruledSurface(low, high), { prefix: 'strip', face: (i, j) => `strip.${i}.${j}` }).body;
}
