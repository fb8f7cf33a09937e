import type { Sketch, SketchCurve, SketchRule } from './model.ts';

/**
 * Residuals of a sketch: each rule gives one or a few numbers, lengths in mm, that are zero when it holds. Unknowns are the coordinates of
 * points, radii of circles and second radii of ellipses.
 */
export interface Residual {
  /** Rule it comes from; -1 for what a curve asks by itself (an arc's two radii). */
  readonly rule: number;
  readonly variables: readonly number[];
  readonly value: (x: Float64Array) => number;
}
export interface Unknowns {
  readonly x: Float64Array;
  readonly point: ReadonlyMap<string, number>;
  readonly radius: ReadonlyMap<string, number>;
  /** What each unknown belongs to: point or curve id. */
  readonly owner: readonly string[];
}

export function unknownsOf(s: Sketch): Unknowns {
  const x: number[] = [];
  const owner: string[] = [];
  const point = new Map<string, number>();
  const radius = new Map<string, number>();
  for (const p of s.points) {
    point.set(p.id, x.length);
    x.push(p.x, p.y);
    owner.push(p.id, p.id);
  }
  for (const c of s.curves)
    if (c.type === 'circle' || c.type === 'ellipse') {
      radius.set(c.id, x.length);
      x.push(c.r);
      owner.push(c.id);
    }
  return { x: Float64Array.from(x), point, radius, owner };
}

/** All residuals; `values` gives the numbers of dimensions by rule index. Sides (which way round a tangency is) are taken from `start`. */
export function residualsOf(s: Sketch, u: Unknowns, values: ReadonlyMap<number, number>, start: Float64Array): Residual[] {
  const out: Residual[] = [];
  const curves = new Map(s.curves.map((c) => [c.id, c]));
  const P = (id: string) => u.point.get(id) as number;
  const add = (rule: number, variables: readonly number[], value: (x: Float64Array) => number) =>
    out.push({ rule, variables: [...new Set(variables)], value });
  const xy = (id: string) => [P(id), P(id) + 1];
  /** Radius of a round curve and the unknowns it depends on. */
  const round = (c: SketchCurve): { r: (x: Float64Array) => number; v: number[]; c: number } | undefined => {
    if (c.type === 'circle') {
      const k = u.radius.get(c.id) as number;
      return { r: (x) => x[k], v: [k, ...xy(c.c)], c: P(c.c) };
    }
    if (c.type === 'arc') {
      const [m, a] = [P(c.c), P(c.a)];
      return { r: (x) => Math.hypot(x[a] - x[m], x[a + 1] - x[m + 1]), v: [...xy(c.c), ...xy(c.a)], c: m };
    }
    return undefined;
  };
  const line = (id: string) => {
    const c = curves.get(id);
    return c?.type === 'line' ? { a: P(c.a), b: P(c.b), v: [...xy(c.a), ...xy(c.b)] } : undefined;
  };
  const offLine = (x: Float64Array, px: number, py: number, l: { a: number; b: number }) => {
    const [dx, dy] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1]];
    return (dx * (py - x[l.a + 1]) - dy * (px - x[l.a])) / (Math.hypot(dx, dy) || 1e-9);
  };
  for (const c of s.curves)
    if (c.type === 'arc') {
      const [m, a, b] = [P(c.c), P(c.a), P(c.b)];
      add(
        -1,
        [...xy(c.c), ...xy(c.a), ...xy(c.b)],
        (x) => Math.hypot(x[b] - x[m], x[b + 1] - x[m + 1]) - Math.hypot(x[a] - x[m], x[a + 1] - x[m + 1]),
      );
    }
  /** Tangent and curvature of a curve at one of its ends (or at the point shared with another), as functions of the unknowns. */
  const endOf = (
    c: SketchCurve,
    shared: string,
  ): { t: (x: Float64Array) => [number, number]; k: (x: Float64Array) => number; v: number[] } | undefined => {
    if (c.type === 'line') {
      const [from, to] = c.a === shared ? [P(c.a), P(c.b)] : [P(c.b), P(c.a)];
      return { t: (x) => [x[to] - x[from], x[to + 1] - x[from + 1]], k: () => 0, v: [...xy(c.a), ...xy(c.b)] };
    }
    if (c.type === 'arc') {
      const [m, e] = [P(c.c), P(shared)];
      const out = c.a === shared ? 1 : -1;
      return {
        t: (x) => [-out * (x[e + 1] - x[m + 1]), out * (x[e] - x[m])],
        k: (x) => out / (Math.hypot(x[e] - x[m], x[e + 1] - x[m + 1]) || 1e-9),
        v: [...xy(c.c), ...xy(shared)],
      };
    }
    if (c.type === 'spline') {
      const ids = c.points[0] === shared ? c.points : [...c.points].reverse();
      const [p0, p1, p2] = [P(ids[0]), P(ids[1]), P(ids[Math.min(2, ids.length - 1)])];
      const p = Math.min(c.degree, ids.length - 1);
      // uniform clamped knots: end derivatives of the first spans (Piegl & Tiller 3.8)
      const spans = ids.length - p;
      const h1 = 1 / spans;
      const h2 = Math.min(2, spans) / spans;
      return {
        t: (x) => [x[p1] - x[p0], x[p1 + 1] - x[p0 + 1]],
        k: (x) => {
          if (p < 2 || ids.length < 3) return 0;
          const d1 = [(p / h1) * (x[p1] - x[p0]), (p / h1) * (x[p1 + 1] - x[p0 + 1])];
          const q = [(p / h2) * (x[p2] - x[p1]), (p / h2) * (x[p2 + 1] - x[p1 + 1])];
          const d2 = [((p - 1) / h1) * (q[0] - d1[0]), ((p - 1) / h1) * (q[1] - d1[1])];
          return (d1[0] * d2[1] - d1[1] * d2[0]) / (Math.hypot(d1[0], d1[1]) ** 3 || 1e-9);
        },
        v: [...xy(ids[0]), ...xy(ids[1]), ...xy(ids[Math.min(2, ids.length - 1)])],
      };
    }
    return undefined;
  };
  const endsOf = (c: SketchCurve): string[] =>
    c.type === 'line' || c.type === 'arc'
      ? [c.a, c.b]
      : c.type === 'spline' && !c.closed
        ? [c.points[0], c.points[c.points.length - 1]]
        : [];
  const near = (p: string, q: string) => Math.hypot(start[P(p)] - start[P(q)], start[P(p) + 1] - start[P(q) + 1]);
  const sharedEnd = (a: SketchCurve, b: SketchCurve): [string, string] | undefined => {
    const joined = new Set(s.rules.flatMap((r) => (r.type === 'coincident' ? [`${r.a}|${r.b}`, `${r.b}|${r.a}`] : [])));
    for (const p of endsOf(a)) for (const q of endsOf(b)) if (p === q || joined.has(`${p}|${q}`) || near(p, q) < 1e-6) return [p, q];
    return undefined;
  };

  s.rules.forEach((r: SketchRule, i) => {
    const number = values.get(i) ?? 0;
    switch (r.type) {
      case 'coincident': {
        const [a, b] = [P(r.a), P(r.b)];
        add(i, [a, b], (x) => x[a] - x[b]);
        add(i, [a + 1, b + 1], (x) => x[a + 1] - x[b + 1]);
        break;
      }
      case 'horizontal':
      case 'vertical': {
        const k = r.type === 'horizontal' ? 1 : 0;
        const [a, b] = [P(r.a) + k, P(r.b) + k];
        add(i, [a, b], (x) => x[a] - x[b]);
        break;
      }
      case 'fixed': {
        const p = P(r.point);
        const [fx, fy] = [start[p], start[p + 1]];
        add(i, [p], (x) => x[p] - fx);
        add(i, [p + 1], (x) => x[p + 1] - fy);
        break;
      }
      case 'on': {
        const p = P(r.point);
        const c = curves.get(r.curve);
        const l = line(r.curve);
        const o = c && round(c);
        if (l) add(i, [p, p + 1, ...l.v], (x) => offLine(x, x[p], x[p + 1], l));
        else if (o) add(i, [p, p + 1, ...o.v], (x) => Math.hypot(x[p] - x[o.c], x[p + 1] - x[o.c + 1]) - o.r(x));
        else if (c?.type === 'ellipse') {
          const [m, a, k] = [P(c.c), P(c.a), u.radius.get(c.id) as number];
          add(i, [p, p + 1, ...xy(c.c), ...xy(c.a), k], (x) => {
            const [ax, ay] = [x[a] - x[m], x[a + 1] - x[m + 1]];
            const ra = Math.hypot(ax, ay) || 1e-9;
            const [dx, dy] = [x[p] - x[m], x[p + 1] - x[m + 1]];
            const [e, f] = [(dx * ax + dy * ay) / ra, (dy * ax - dx * ay) / ra];
            return (Math.hypot(e / ra, f / x[k]) - 1) * Math.min(ra, Math.abs(x[k]));
          });
        }
        break;
      }
      case 'parallel':
      case 'perpendicular': {
        const [l, m] = [line(r.a), line(r.b)];
        if (!l || !m) break;
        const cross = r.type === 'parallel';
        add(i, [...l.v, ...m.v], (x) => {
          const [ax, ay, bx, by] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1], x[m.b] - x[m.a], x[m.b + 1] - x[m.a + 1]];
          return (cross ? ax * by - ay * bx : ax * bx + ay * by) / (Math.hypot(ax, ay) || 1e-9);
        });
        break;
      }
      case 'tangent':
      case 'smooth': {
        const [ca, cb] = [curves.get(r.a), curves.get(r.b)];
        if (!ca || !cb) break;
        const shared = sharedEnd(ca, cb);
        if (shared) {
          const [e, f] = [endOf(ca, shared[0]), endOf(cb, shared[1])];
          if (!e || !f) break;
          add(i, [...e.v, ...f.v], (x) => {
            const [t, w] = [e.t(x), f.t(x)];
            return (t[0] * w[1] - t[1] * w[0]) / (Math.hypot(t[0], t[1]) || 1e-9);
          });
          if (r.type === 'smooth')
            add(i, [...e.v, ...f.v], (x) => {
              const t = e.t(x);
              // out of a shared end the two curves bend to opposite sides of travel
              return (e.k(x) + f.k(x)) * (t[0] * t[0] + t[1] * t[1]);
            });
          break;
        }
        const [l, o] = line(r.a) ? [line(r.a), round(cb)] : [line(r.b), round(ca)];
        if (l && o) {
          const side = offLine(start, start[o.c], start[o.c + 1], l) < 0 ? -1 : 1;
          add(i, [...l.v, ...o.v], (x) => side * offLine(x, x[o.c], x[o.c + 1], l) - o.r(x));
          break;
        }
        const [p, q] = [round(ca), round(cb)];
        if (p && q) {
          const d = Math.hypot(start[p.c] - start[q.c], start[p.c + 1] - start[q.c + 1]);
          const apart = Math.abs(d - (p.r(start) + q.r(start))) <= Math.abs(d - Math.abs(p.r(start) - q.r(start)));
          add(
            i,
            [...p.v, ...q.v],
            (x) => Math.hypot(x[p.c] - x[q.c], x[p.c + 1] - x[q.c + 1]) - (apart ? p.r(x) + q.r(x) : Math.abs(p.r(x) - q.r(x))),
          );
        }
        break;
      }
      case 'equal': {
        const [l, m] = [line(r.a), line(r.b)];
        if (l && m) {
          add(
            i,
            [...l.v, ...m.v],
            (x) => Math.hypot(x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1]) - Math.hypot(x[m.b] - x[m.a], x[m.b + 1] - x[m.a + 1]),
          );
          break;
        }
        const [p, q] = [curves.get(r.a), curves.get(r.b)].map((c) => c && round(c));
        if (p && q) add(i, [...p.v, ...q.v], (x) => p.r(x) - q.r(x));
        break;
      }
      case 'symmetric': {
        const [a, b, l] = [P(r.a), P(r.b), line(r.line)];
        if (!l) break;
        add(i, [...xy(r.a), ...xy(r.b), ...l.v], (x) => offLine(x, (x[a] + x[b]) / 2, (x[a + 1] + x[b + 1]) / 2, l));
        add(i, [...xy(r.a), ...xy(r.b), ...l.v], (x) => {
          const [dx, dy] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1]];
          return ((x[b] - x[a]) * dx + (x[b + 1] - x[a + 1]) * dy) / (Math.hypot(dx, dy) || 1e-9);
        });
        break;
      }
      case 'concentric': {
        const centre = (id: string) => {
          const c = curves.get(id);
          return c && 'c' in c ? P(c.c) : undefined;
        };
        const [a, b] = [centre(r.a), centre(r.b)];
        if (a === undefined || b === undefined || a === b) break;
        add(i, [a, b], (x) => x[a] - x[b]);
        add(i, [a + 1, b + 1], (x) => x[a + 1] - x[b + 1]);
        break;
      }
      case 'midpoint': {
        const [p, l] = [P(r.point), line(r.line)];
        if (!l) break;
        for (const k of [0, 1]) add(i, [p + k, l.a + k, l.b + k], (x) => x[p + k] - (x[l.a + k] + x[l.b + k]) / 2);
        break;
      }
      case 'distance': {
        const l = line(r.b);
        if (l && u.point.has(r.a)) {
          const p = P(r.a);
          const side = offLine(start, start[p], start[p + 1], l) < 0 ? -1 : 1;
          add(i, [...xy(r.a), ...l.v], (x) => side * offLine(x, x[p], x[p + 1], l) - number);
        } else {
          const [a, b] = [P(r.a), P(r.b)];
          add(i, [...xy(r.a), ...xy(r.b)], (x) => Math.hypot(x[a] - x[b], x[a + 1] - x[b + 1]) - number);
        }
        break;
      }
      case 'across':
      case 'up': {
        const k = r.type === 'across' ? 0 : 1;
        const [a, b] = [P(r.a) + k, P(r.b) + k];
        add(i, [a, b], (x) => x[b] - x[a] - number);
        break;
      }
      case 'angle': {
        const [l, m] = [line(r.a), line(r.b)];
        if (!l || !m) break;
        const a = (number * Math.PI) / 180;
        add(i, [...l.v, ...m.v], (x) => {
          const [ax, ay, bx, by] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1], x[m.b] - x[m.a], x[m.b + 1] - x[m.a + 1]];
          // the second line against the first one turned by the angle
          const [tx, ty] = [ax * Math.cos(a) - ay * Math.sin(a), ax * Math.sin(a) + ay * Math.cos(a)];
          return (tx * by - ty * bx) / (Math.hypot(ax, ay) || 1e-9);
        });
        break;
      }
      case 'radius':
      case 'diameter': {
        const c = curves.get(r.curve);
        const o = c && round(c);
        if (o) add(i, o.v, (x) => o.r(x) - (r.type === 'radius' ? number : number / 2));
        break;
      }
    }
  });
  return out;
}
