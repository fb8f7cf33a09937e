import { add, cross, type Frame, scale, unit, type Vec3 } from '../math/index.ts';
import {
  circleCurve,
  controlPointCurve,
  domain,
  ellipseArc,
  joinCurves,
  lineCurve,
  makeCurve,
  moveStart,
  type NurbsCurve,
  polylineCurve,
  reverseCurve,
} from '../nurbs/index.ts';
import type { LoftSection } from '../skins/index.ts';

/** Park-Miller numbers in 0..1, the same on every machine. */
export function randomFrom(seed: number): () => number {
  let r = (seed * 7919 + 17) % 2147483647 || 1;
  const next = () => {
    r = (r * 16807) % 2147483647;
    return r / 2147483647;
  };
  for (let i = 0; i < 4; i++) next();
  return next;
}
const at = (f: Frame, x: number, y: number): Vec3 => add(add(f.origin, scale(f.x, x)), scale(f.y, y));

/** Rectangle with round corners, half sizes w and h, corner radius r: eight curves, lines and arcs. */
export function roundedRectangle(f: Frame, w: number, h: number, r: number): NurbsCurve[] {
  const [x, y] = [w - r, h - r];
  const corner = (cx: number, cy: number, from: number) => ellipseArc({ ...f, origin: at(f, cx, cy) }, r, r, from, from + Math.PI / 2);
  const line = (a: number, b: number, c: number, d: number) => lineCurve(at(f, a, b), at(f, c, d));
  return [
    line(w, -y, w, y),
    corner(x, y, 0),
    line(x, h, -x, h),
    corner(-x, y, Math.PI / 2),
    line(-w, y, -w, -y),
    corner(-x, -y, Math.PI),
    line(-x, -h, x, -h),
    corner(x, -y, 1.5 * Math.PI),
  ];
}
export const regularPolygon = (f: Frame, n: number, radius: number, turn = 0): NurbsCurve =>
  polylineCurve(
    Array.from({ length: n + 1 }, (_, i) => {
      const a = turn + (2 * Math.PI * (i % n)) / n;
      return at(f, radius * Math.cos(a), radius * Math.sin(a));
    }),
  );
export interface SectionSet {
  readonly seed: number;
  readonly name: string;
  readonly closed: boolean;
  readonly sections: LoftSection[];
  /** Where each section stands; its z leads on. */
  readonly frames: readonly Frame[];
}
/**
 * A set a modeler could draw: two to five sections along a bent spine, turned by up to 30 degrees in their planes and up to 30 degrees out of square to
 * the spine, closed or open, of mixed kinds and corner counts, with starts and directions at random.
 */
export function sectionSet(seed: number): SectionSet {
  const rnd = randomFrom(seed);
  const closed = rnd() < 0.7;
  const count = 2 + Math.floor(rnd() * 4);
  const sections: LoftSection[] = [];
  const frames: Frame[] = [];
  let name = '';
  let [heading, pitch] = [0, 0];
  let origin: Vec3 = [0, 0, 0];
  for (let k = 0; k < count; k++) {
    const radius = 9 + 12 * rnd();
    const forward: Vec3 = [Math.sin(heading) * Math.cos(pitch), Math.sin(pitch), Math.cos(heading) * Math.cos(pitch)];
    if (k) origin = add(origin, scale(forward, 26 + 20 * rnd()));
    heading += (rnd() - 0.5) * 0.7;
    pitch += (rnd() - 0.5) * 0.7;
    // a frame square to the way, then tilted
    const lean: Vec3 = [forward[0] + 0.35 * (rnd() - 0.5), forward[1] + 0.35 * (rnd() - 0.5), forward[2]];
    const z = unit(lean);
    const x0 = unit(cross([0, 1, 0], z));
    const y0 = cross(z, x0);
    const turn = (rnd() - 0.5) * (Math.PI / 3);
    const x = add(scale(x0, Math.cos(turn)), scale(y0, Math.sin(turn)));
    const frame: Frame = { origin, x, y: cross(z, x), z };
    frames.push(frame);
    const kind = 'crpse'[Math.floor(rnd() * 5)];
    name += kind;
    const flat = 0.7 + 0.5 * rnd();
    if (closed) {
      const straight: Frame = { origin, x: x0, y: y0, z };
      let curve: NurbsCurve =
        kind === 'c'
          ? circleCurve(straight, radius)
          : kind === 'e'
            ? ellipseArc(frame, radius, radius * flat)
            : kind === 'r'
              ? joinCurves(roundedRectangle(frame, radius, radius * flat, radius * (0.15 + 0.4 * rnd())))
              : kind === 'p'
                ? regularPolygon(straight, 3 + Math.floor(rnd() * 6), radius, Math.PI * 2 * rnd())
                : controlPointCurve(
                    Array.from({ length: 8 }, (_, j): Vec3 => {
                      const a = (2 * Math.PI * j) / 8;
                      const q = radius * (0.85 + 0.3 * rnd());
                      return at(frame, q * Math.cos(a), flat * q * Math.sin(a));
                    }),
                    3,
                    true,
                  );
      const [a, b] = domain(curve);
      if (rnd() < 0.6) curve = moveStart(curve, a + (b - a) * rnd());
      if (rnd() < 0.5) curve = reverseCurve(curve);
      sections.push({ kind: 'chain', curves: [curve] });
    } else {
      const straight: Frame = { origin, x: x0, y: y0, z };
      let curve: NurbsCurve =
        kind === 'c'
          ? circleCurve(straight, radius, 0.3, Math.PI - 0.3)
          : kind === 'e'
            ? ellipseArc(straight, radius, radius * flat, 0.1, Math.PI - 0.2)
            : kind === 'p'
              ? polylineCurve([
                  at(straight, radius, 0),
                  at(straight, 0.3 * radius, flat * radius),
                  at(straight, -0.5 * radius, flat * radius),
                  at(straight, -radius, 0),
                ])
              : kind === 'r'
                ? joinCurves([
                    lineCurve(at(straight, radius, -4), at(straight, radius, 0)),
                    circleCurve(straight, radius, 0, Math.PI),
                    lineCurve(at(straight, -radius, 0), at(straight, -radius, -4)),
                  ])
                : makeCurve(
                    3,
                    [0, 1, 2, 3, 4].map((j) => at(straight, radius * (1 - j / 2), (j % 4 ? 0.7 + 0.4 * rnd() : 0.1) * radius)),
                    [0, 0, 0, 0, 0.5, 1, 1, 1, 1],
                  );
      if (rnd() < 0.5) curve = reverseCurve(curve);
      sections.push({ kind: 'chain', curves: [curve] });
    }
  }
  return { seed, name: `${closed ? 'closed' : 'open'} ${name}`, closed, sections, frames };
}
