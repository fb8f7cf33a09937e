import type { Sketch, SketchRule } from './model.ts';
import { solveSketch } from './solve.ts';

/**
 * Adds what is missing until nothing moves: lines that lie nearly level or upright are made so, then radii, lengths and distances from the
 * first point are given their present values; the first point is fixed. Each rule is kept only when it takes a freedom away.
 */
export function pinEverything(s: Sketch): { sketch: Sketch; added: number } {
  let sketch = s;
  let { freedom } = solveSketch(s);
  let added = 0;
  const at = new Map(s.points.map((p) => [p.id, p]));
  const name = (k: number) => `pin${k}-${s.rules.length}`;
  const offer = (rule: SketchRule) => {
    if (freedom <= 0) return;
    const next = { ...sketch, rules: [...sketch.rules, rule] };
    const r = solveSketch(next);
    if (!r.solved || r.conflicts.length || r.freedom >= freedom) return;
    sketch = { ...next, points: r.sketch.points, curves: r.sketch.curves };
    freedom = r.freedom;
    added++;
  };
  let k = 0;
  const origin = s.points.find((p) => p.follows) ?? s.points[0];
  if (origin && !origin.follows) offer({ id: name(k++), type: 'fixed', point: origin.id });
  for (const c of s.curves)
    if (c.type === 'line') {
      const [a, b] = [at.get(c.a), at.get(c.b)];
      if (!a || !b) continue;
      const [dx, dy] = [Math.abs(b.x - a.x), Math.abs(b.y - a.y)];
      if (dy < 0.01 * dx) offer({ id: name(k++), type: 'horizontal', a: c.a, b: c.b });
      else if (dx < 0.01 * dy) offer({ id: name(k++), type: 'vertical', a: c.a, b: c.b });
    }
  const now = () => new Map(sketch.points.map((p) => [p.id, p]));
  for (const c of s.curves) {
    const p = now();
    const d = (a: string, b: string) => Math.hypot((p.get(a)?.x ?? 0) - (p.get(b)?.x ?? 0), (p.get(a)?.y ?? 0) - (p.get(b)?.y ?? 0));
    if (c.type === 'line') offer({ id: name(k++), type: 'distance', a: c.a, b: c.b, value: d(c.a, c.b) });
    else if (c.type === 'circle') offer({ id: name(k++), type: 'radius', curve: c.id, value: c.r });
    else if (c.type === 'arc') offer({ id: name(k++), type: 'radius', curve: c.id, value: d(c.c, c.a) });
  }
  if (origin)
    for (const q of s.points) {
      if (freedom <= 0) break;
      if (q.id === origin.id) continue;
      const p = now();
      const [o, e] = [p.get(origin.id), p.get(q.id)];
      if (!o || !e) continue;
      offer({ id: name(k++), type: 'across', a: origin.id, b: q.id, value: e.x - o.x });
      offer({ id: name(k++), type: 'up', a: origin.id, b: q.id, value: e.y - o.y });
    }
  return { sketch, added };
}
