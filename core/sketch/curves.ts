import { type Frame, toWorld, type Vec3 } from '../math/index.ts';
import { circleCurve, controlPointCurve, lineCurve, type NurbsCurve, smoothArc } from '../nurbs/index.ts';
import type { Sketch } from './model.ts';

/** Exact curves of a sketch in space, help lines left out; each with the id it came from. */
export function sketchCurves(s: Sketch, frame: Frame): { id: string; curve: NurbsCurve }[] {
  const at = new Map(s.points.map((p) => [p.id, p]));
  const place = (id: string): Vec3 => {
    const p = at.get(id) as { x: number; y: number };
    return toWorld(frame, [p.x, p.y]);
  };
  return s.curves.flatMap((c): { id: string; curve: NurbsCurve }[] => {
    if (c.help) return [];
    const local = (id: string) => at.get(id) as { x: number; y: number };
    switch (c.type) {
      case 'line':
        return Math.hypot(local(c.a).x - local(c.b).x, local(c.a).y - local(c.b).y) > 1e-9
          ? [{ id: c.id, curve: lineCurve(place(c.a), place(c.b)) }]
          : [];
      case 'circle':
        return [{ id: c.id, curve: circleCurve({ ...frame, origin: place(c.c) }, c.r) }];
      case 'arc': {
        const [m, a, b] = [local(c.c), local(c.a), local(c.b)];
        const r = Math.hypot(a.x - m.x, a.y - m.y);
        if (r < 1e-9) return [];
        const from = Math.atan2(a.y - m.y, a.x - m.x);
        let to = Math.atan2(b.y - m.y, b.x - m.x);
        if (to <= from + 1e-9) to += 2 * Math.PI;
        return [{ id: c.id, curve: circleCurve({ ...frame, origin: place(c.c) }, r, from, to) }];
      }
      case 'ellipse': {
        const [m, a] = [local(c.c), local(c.a)];
        const [dx, dy] = [a.x - m.x, a.y - m.y];
        const r = Math.hypot(dx, dy);
        if (r < 1e-9) return [];
        const x: Vec3 = [0, 1, 2].map((k) => (frame.x[k] * dx + frame.y[k] * dy) / r) as unknown as Vec3;
        const y: Vec3 = [0, 1, 2].map((k) => (frame.y[k] * dx - frame.x[k] * dy) / r) as unknown as Vec3;
        return [{ id: c.id, curve: smoothArc({ origin: place(c.c), x, y, z: frame.z }, r, c.r) }];
      }
      case 'spline': {
        return c.closed && c.points.length < 3 ? [] : [{ id: c.id, curve: controlPointCurve(c.points.map(place), c.degree, !!c.closed) }];
      }
    }
  });
}
