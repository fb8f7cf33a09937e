import type { SketchRule } from './model.ts';
import { directions, gapOf, offLine, type Scene } from './scene.ts';

/** One number that is zero when a rule holds, a length in mm, and the unknowns it depends on. */
export type Part = readonly [variables: readonly number[], value: (x: Float64Array) => number];
type Rule<T extends SketchRule['type']> = Extract<SketchRule, { type: T }>;
type Kind<T extends SketchRule['type']> = (r: Rule<T>, k: Scene, number: number) => readonly Part[];
type Pair = { readonly a: string; readonly b: string };

const both = (a: number, b: number): Part[] => [0, 1].map((k): Part => [[a + k, b + k], (x) => x[a + k] - x[b + k]]);
const alike =
  (k: 0 | 1) =>
  (r: Pair, s: Scene): Part[] => {
    const [a, b] = [s.P(r.a) + k, s.P(r.b) + k];
    return [[[a, b], (x) => x[a] - x[b]]];
  };
const apartAlong =
  (k: 0 | 1) =>
  (r: Pair, s: Scene, number: number): Part[] => {
    const [a, b] = [s.P(r.a) + k, s.P(r.b) + k];
    return [[[a, b], (x) => x[b] - x[a] - number]];
  };
/** Of two lines, by their directions; the result is a length across the first. */
const ofLines =
  (value: (ax: number, ay: number, bx: number, by: number, number: number) => number) =>
  (r: Pair, s: Scene, number: number): Part[] => {
    const [l, m] = [s.line(r.a), s.line(r.b)];
    if (!l || !m) return [];
    return [
      [
        [...l.v, ...m.v],
        (x) => {
          const [ax, ay, bx, by] = directions(x, l, m);
          return value(ax, ay, bx, by, number) / (Math.hypot(ax, ay) || 1e-9);
        },
      ],
    ];
  };
const sized =
  (share: number) =>
  (r: { readonly curve: string }, s: Scene, number: number): Part[] => {
    const o = s.round(r.curve);
    return o ? [[o.v, (x) => o.r(x) - share * number]] : [];
  };

/** Curves that share an end leave it along one line; smooth ones with one curvature as well. */
function atSharedEnd(r: Rule<'tangent' | 'smooth'>, s: Scene): Part[] | undefined {
  const [ca, cb] = [s.curve(r.a), s.curve(r.b)];
  const shared = ca && cb && s.sharedEnd(ca, cb);
  if (!shared) return undefined;
  const [e, f] = [s.endOf(ca, shared[0]), s.endOf(cb, shared[1])];
  if (!e || !f) return [];
  const v = [...e.v, ...f.v];
  const tangent: Part = [
    v,
    (x) => {
      const [t, w] = [e.t(x), f.t(x)];
      return (t[0] * w[1] - t[1] * w[0]) / (Math.hypot(t[0], t[1]) || 1e-9);
    },
  ];
  if (r.type === 'tangent') return [tangent];
  const curved: Part = [
    v,
    (x) => {
      const t = e.t(x);
      // out of a shared end the two curves bend to opposite sides of travel
      return (e.k(x) + f.k(x)) * (t[0] * t[0] + t[1] * t[1]);
    },
  ];
  return [tangent, curved];
}
/** Tangency away from ends: a line and a round curve, or two round ones, on the side where they are now. */
function touching(r: Pair, s: Scene): Part[] {
  const [l, o] = s.line(r.a) ? [s.line(r.a), s.round(r.b)] : [s.line(r.b), s.round(r.a)];
  if (l && o) {
    const side = offLine(s.start, s.start[o.c], s.start[o.c + 1], l) < 0 ? -1 : 1;
    return [[[...l.v, ...o.v], (x) => side * offLine(x, x[o.c], x[o.c + 1], l) - o.r(x)]];
  }
  const [p, q] = [s.round(r.a), s.round(r.b)];
  if (!p || !q) return [];
  const d = gapOf(s.start, p.c, q.c);
  const [sum, difference] = [p.r(s.start) + q.r(s.start), Math.abs(p.r(s.start) - q.r(s.start))];
  const outside = Math.abs(d - sum) <= Math.abs(d - difference);
  return [[[...p.v, ...q.v], (x) => gapOf(x, p.c, q.c) - (outside ? p.r(x) + q.r(x) : Math.abs(p.r(x) - q.r(x)))]];
}
const tangency = (r: Rule<'tangent' | 'smooth'>, s: Scene): Part[] => atSharedEnd(r, s) ?? touching(r, s);

/** A point on a line, a round curve or an ellipse. */
const onCurve: Kind<'on'> = (r, s) => {
  const p = s.P(r.point);
  const [l, o, c] = [s.line(r.curve), s.round(r.curve), s.curve(r.curve)];
  if (l) return [[[p, p + 1, ...l.v], (x) => offLine(x, x[p], x[p + 1], l)]];
  if (o) return [[[p, p + 1, ...o.v], (x) => gapOf(x, p, o.c) - o.r(x)]];
  if (c?.type !== 'ellipse') return [];
  const [m, a, k] = [s.P(c.c), s.P(c.a), s.radius(c.id)];
  // in lengths of the ellipse as it is now: one that could shrink with it would be zero for an ellipse of no size
  const size = Math.max(1e-9, Math.min(gapOf(s.start, a, m), Math.abs(s.start[k])));
  return [
    [
      [p, p + 1, ...s.xy(c.c), ...s.xy(c.a), k],
      (x) => {
        const [ax, ay] = [x[a] - x[m], x[a + 1] - x[m + 1]];
        const ra = Math.hypot(ax, ay) || 1e-9;
        const [dx, dy] = [x[p] - x[m], x[p + 1] - x[m + 1]];
        const [e, f] = [(dx * ax + dy * ay) / ra, (dy * ax - dx * ay) / ra];
        return (Math.hypot(e / ra, f / x[k]) - 1) * size;
      },
    ],
  ];
};

/** What each kind of rule asks of the unknowns. A new kind is a line here, its schema and its name in the model. */
export const RULES: { readonly [T in SketchRule['type']]: Kind<T> } = {
  coincident: (r, s) => both(s.P(r.a), s.P(r.b)),
  horizontal: alike(1),
  vertical: alike(0),
  fixed: (r, s) => {
    const p = s.P(r.point);
    return [0, 1].map((k): Part => [[p + k], (x) => x[p + k] - s.start[p + k]]);
  },
  on: onCurve,
  parallel: ofLines((ax, ay, bx, by) => ax * by - ay * bx),
  perpendicular: ofLines((ax, ay, bx, by) => ax * bx + ay * by),
  angle: ofLines((ax, ay, bx, by, degrees) => {
    // the second line against the first one turned by the angle
    const a = (degrees * Math.PI) / 180;
    const [tx, ty] = [ax * Math.cos(a) - ay * Math.sin(a), ax * Math.sin(a) + ay * Math.cos(a)];
    return tx * by - ty * bx;
  }),
  tangent: tangency,
  smooth: tangency,
  equal: (r, s) => {
    const [l, m] = [s.line(r.a), s.line(r.b)];
    if (l && m) return [[[...l.v, ...m.v], (x) => gapOf(x, l.b, l.a) - gapOf(x, m.b, m.a)]];
    const [p, q] = [s.round(r.a), s.round(r.b)];
    return p && q ? [[[...p.v, ...q.v], (x) => p.r(x) - q.r(x)]] : [];
  },
  symmetric: (r, s) => {
    const [a, b, l] = [s.P(r.a), s.P(r.b), s.line(r.line)];
    if (!l) return [];
    const v = [...s.xy(r.a), ...s.xy(r.b), ...l.v];
    return [
      [v, (x) => offLine(x, (x[a] + x[b]) / 2, (x[a + 1] + x[b + 1]) / 2, l)],
      [
        v,
        (x) => {
          const [dx, dy] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1]];
          return ((x[b] - x[a]) * dx + (x[b + 1] - x[a + 1]) * dy) / (Math.hypot(dx, dy) || 1e-9);
        },
      ],
    ];
  },
  concentric: (r, s) => {
    const centre = (id: string) => {
      const c = s.curve(id);
      return c && 'c' in c ? s.P(c.c) : undefined;
    };
    const [a, b] = [centre(r.a), centre(r.b)];
    return a === undefined || b === undefined || a === b ? [] : both(a, b);
  },
  midpoint: (r, s) => {
    const [p, l] = [s.P(r.point), s.line(r.line)];
    if (!l) return [];
    return [0, 1].map((k): Part => [[p + k, l.a + k, l.b + k], (x) => x[p + k] - (x[l.a + k] + x[l.b + k]) / 2]);
  },
  distance: (r, s, number) => {
    const l = s.line(r.b);
    if (l && s.isPoint(r.a)) {
      const p = s.P(r.a);
      const side = offLine(s.start, s.start[p], s.start[p + 1], l) < 0 ? -1 : 1;
      return [[[...s.xy(r.a), ...l.v], (x) => side * offLine(x, x[p], x[p + 1], l) - number]];
    }
    const [a, b] = [s.P(r.a), s.P(r.b)];
    return [[[...s.xy(r.a), ...s.xy(r.b)], (x) => gapOf(x, a, b) - number]];
  },
  across: apartAlong(0),
  up: apartAlong(1),
  radius: sized(1),
  diameter: sized(0.5),
};
/** What one rule asks. */
export function partsOf(r: SketchRule, s: Scene, number: number): readonly Part[] {
  const kind = RULES[r.type] as unknown as (rule: SketchRule, scene: Scene, value: number) => readonly Part[];
  return kind(r, s, number);
}
