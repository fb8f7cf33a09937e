import { boxSize, boxUnion, distance, type Vec3 } from '../math/index.ts';
import { closestOnCurve, curveBox, domain, endPoint, type NurbsCurve, pointAt, startPoint } from '../nurbs/index.ts';
import { meetings } from './flat.ts';

/** The box of a chain of curves. */
export const boxOfLoop = (loop: readonly NurbsCurve[]) => loop.map(curveBox).reduce(boxUnion);
const places = (loop: readonly NurbsCurve[]): Vec3[] =>
  loop.flatMap((c) => {
    const [a, b] = domain(c);
    return [0.11, 0.37, 0.62, 0.89].map((x) => pointAt(c, a + x * (b - a)));
  });

/** Do two chains run over the same points? */
export function sameLoop(a: readonly NurbsCurve[], b: readonly NurbsCurve[]): boolean {
  const near = 1e-7 * (1e-6 + boxSize(boxUnion(boxOfLoop(a), boxOfLoop(b))));
  const on = (p: Vec3, list: readonly NurbsCurve[]) => list.some((c) => closestOnCurve(c, p).distance <= near);
  return places(a).every((p) => on(p, b)) && places(b).every((p) => on(p, a));
}

/** Where chains cross each other, away from the ends of their curves. */
export function crossingLoops(loops: readonly (readonly NurbsCurve[])[]): Vec3[] {
  const out: Vec3[] = [];
  const boxes = loops.map(boxOfLoop);
  loops.forEach((a, i) => {
    for (let j = i + 1; j < loops.length; j++) {
      if ([0, 1, 2].some((k) => boxes[i].min[k] > boxes[j].max[k] || boxes[j].min[k] > boxes[i].max[k])) continue;
      const near = 1e-9 * (1e-6 + boxSize(boxUnion(boxes[i], boxes[j])));
      for (const c of a)
        for (const d of loops[j])
          for (const m of meetings(c, d, near)) {
            const ends = [startPoint(c), endPoint(c), startPoint(d), endPoint(d)];
            if (!ends.some((e) => distance(e, m.at) < 1e3 * near)) out.push(m.at);
          }
    }
  });
  return out;
}
