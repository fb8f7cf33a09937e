import { add, cross, distance, dot, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { domain, type NurbsCurve, pointAt } from './curve.ts';
import { lengthTable } from './length-table.ts';
import { circleCurve } from './make.ts';

/** Centre, axis and angle when the curve is a circular arc (to rounding). */
export function arcOf(c: NurbsCurve): { centre: Vec3; axis: Vec3; angle: number; radius: number } | undefined {
  const [a, b] = domain(c);
  const t = lengthTable(c);
  const at = (x: number) => pointAt(c, t.near(x * t.total));
  const [p, q, r] = [at(0), at(1 / 3), at(2 / 3)];
  const [u, v] = [sub(q, p), sub(r, p)];
  const n = cross(u, v);
  const nn = dot(n, n);
  if (nn < 1e-16 * dot(u, u) * dot(v, v)) return undefined;
  const centre = add(p, scale(cross(sub(scale(v, dot(u, u)), scale(u, dot(v, v))), n), -1 / (2 * nn)));
  const right = Math.abs(distance(centre, p) - distance(centre, q)) < 1e-9 * distance(centre, p);
  const middle = right ? centre : add(p, scale(cross(sub(scale(v, dot(u, u)), scale(u, dot(v, v))), n), 1 / (2 * nn)));
  const axis = unit(n);
  const radius = distance(middle, p);
  for (let i = 0; i <= 40; i++) {
    const x = pointAt(c, a + ((b - a) * i) / 40);
    if (Math.abs(distance(x, middle) - radius) > 1e-9 * radius || Math.abs(dot(sub(x, middle), axis)) > 1e-9 * radius) return undefined;
  }
  return { centre: middle, axis, angle: Math.min(2 * Math.PI, t.total / radius), radius };
}

/** A full circle that starts at a share of its length and runs the other way if asked: exact, unlike a cut and joined one of a single span. */
export function turnedCircle(c: NurbsCurve, start: number, reversed: boolean): NurbsCurve | undefined {
  const arc = arcOf(c);
  if (!arc || arc.angle < 2 * Math.PI - 1e-9) return undefined;
  const t = lengthTable(c);
  const x = unit(sub(pointAt(c, t.exact(start * t.total)), arc.centre));
  const z = reversed ? scale(arc.axis, -1) : arc.axis;
  return circleCurve({ origin: arc.centre, x, y: cross(z, x), z }, arc.radius);
}
