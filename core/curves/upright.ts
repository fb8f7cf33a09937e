import { cross, distance, sub, type Vec3 } from '../math/index.ts';
import { domainU, domainV, evaluateSurface, isClosedU, isClosedV, type NurbsSurface, surfaceNormal } from '../nurbs/index.ts';

/** A place of a surface whose normal passes through a given point. */
export interface Foot {
  readonly u: number;
  readonly v: number;
  readonly point: Vec3;
  readonly distance: number;
}

const jet = new Float64Array(27);
const TURN = 2 * Math.PI;

/** How the parameters of a surface hang together: which directions close, and which borders are one point (poles). */
interface Ways {
  readonly u: readonly [number, number];
  readonly v: readonly [number, number];
  readonly closed: readonly [boolean, boolean];
  /** Index of the parameter that measures the distance from the poles, and the poles' values of it; the other one goes round. */
  readonly poles?: { readonly out: 0 | 1; readonly at: readonly number[] };
}
const known = new WeakMap<NurbsSurface, Ways>();
export function waysOf(s: NurbsSurface): Ways {
  const before = known.get(s);
  if (before) return before;
  const ranges = [domainU(s), domainV(s)] as const;
  const closed = [isClosedU(s, 1e-7), isClosedV(s, 1e-7)] as const;
  const poles = ([0, 1] as const).flatMap((out) => {
    if (!closed[1 - out]) return [];
    const at = ranges[out].filter((x) => {
      const round = Array.from({ length: 5 }, (_, i): Vec3 => {
        const y = ranges[1 - out][0] + ((ranges[1 - out][1] - ranges[1 - out][0]) * i) / 5;
        evaluateSurface(s, out ? y : x, out ? x : y, 0, jet);
        return [jet[0], jet[1], jet[2]];
      });
      return round.every((p) => distance(p, round[0]) < 1e-9);
    });
    return at.length ? [{ out, at }] : [];
  })[0];
  const made = { u: ranges[0], v: ranges[1], closed, poles };
  known.set(s, made);
  return made;
}

/** Parameters round the nearer pole as rectangular ones: a and b of a plane with the pole in its origin, regular where (u, v) is not. */
interface PoleChart {
  readonly out: 0 | 1;
  readonly pole: number;
  /** +1 where the parameter grows away from the pole. */
  readonly sign: number;
  readonly start: number;
  /** The going round, parameter by radian. */
  readonly rate: number;
}
function chartAt(s: NurbsSurface, u: number, v: number): PoleChart | undefined {
  const ways = waysOf(s);
  if (!ways.poles) return undefined;
  const { out, at } = ways.poles;
  const [here, range, round] = out ? [v, ways.v, ways.u] : [u, ways.u, ways.v];
  const pole = at.reduce((p, q) => (Math.abs(q - here) < Math.abs(p - here) ? q : p));
  if (Math.abs(here - pole) > 0.6 * (range[1] - range[0])) return undefined;
  return { out, pole, sign: pole === range[0] ? 1 : -1, start: round[0], rate: (round[1] - round[0]) / TURN };
}
const toChart = (c: PoleChart, u: number, v: number): readonly [number, number] => {
  const rho = c.sign * ((c.out ? v : u) - c.pole);
  const theta = ((c.out ? u : v) - c.start) / c.rate;
  return [rho * Math.cos(theta), rho * Math.sin(theta)];
};

/** Does the way between two feet cross the seam of a closed direction? Through a pole and beside it too. */
export function crossesSeam(s: NurbsSurface, p: Foot, q: Foot): boolean {
  const ways = waysOf(s);
  const chart = chartAt(s, p.u, p.v);
  if (chart) {
    const [[a, b], [c, d]] = [toChart(chart, p.u, p.v), toChart(chart, q.u, q.v)];
    const on = Math.abs(b) < 1e-9 * Math.hypot(a, b) || Math.abs(d) < 1e-9 * Math.hypot(c, d);
    return !on && b * d < 0 && a + ((c - a) * b) / (b - d) > 0;
  }
  return ([0, 1] as const).some((k) => {
    const [x, y, range] = k ? [p.v, q.v, ways.v] : [p.u, q.u, ways.u];
    const wide = range[1] - range[0];
    // a foot on the seam itself has both values: it lies on either side
    const on = [x, y].some((q) => Math.min(q - range[0], range[1] - q) < 1e-9 * wide);
    return ways.closed[k] && !on && Math.abs(x - y) > 0.5 * wide;
  });
}

/**
 * Newton's method on both conditions that the line to the point stands upright on the surface, from a place near by; finds nearest and
 * farthest places alike. It goes on over seams, and over poles, where it counts in rectangular parameters. Nothing when it does not settle,
 * or leaves the surface.
 */
export function upright(s: NurbsSurface, p: Vec3, u0: number, v0: number): Foot | undefined {
  const { u: ru, v: rv, closed } = waysOf(s);
  const [wu, wv] = [ru[1] - ru[0], rv[1] - rv[0]];
  let [u, v] = [u0, v0];
  for (let k = 0; k < 40; k++) {
    evaluateSurface(s, u, v, 2, jet);
    const r = [jet[0] - p[0], jet[1] - p[1], jet[2] - p[2]];
    const d = (o: number) => r[0] * jet[o] + r[1] * jet[o + 1] + r[2] * jet[o + 2];
    const m = (a: number, b: number) => jet[a] * jet[b] + jet[a + 1] * jet[b + 1] + jet[a + 2] * jet[b + 2];
    // gradient and second derivatives of half the squared distance by (u, v)
    let [g, h] = [d(9), d(3)];
    let [a, b, c] = [m(9, 9) + d(18), m(9, 3) + d(12), m(3, 3) + d(6)];
    const chart = chartAt(s, u, v);
    let toUV = (x: number, y: number): readonly [number, number] => [x, y];
    if (chart) {
      const rho = Math.max(1e-11 * (chart.out ? wv : wu), Math.abs((chart.out ? v : u) - chart.pole));
      const theta = ((chart.out ? u : v) - chart.start) / chart.rate;
      const [co, si] = [Math.cos(theta), Math.sin(theta)];
      // by the way out (1) and round (2)
      const [g1, g2] = chart.out ? [h, g] : [g, h];
      const [h11, h12, h22] = chart.out ? [c, b, a] : [a, b, c];
      const [e, t] = [chart.sign, chart.rate];
      const [ra, rb, ta, tb] = [e * co, e * si, (-t * si) / rho, (t * co) / rho];
      const second = (x: number, y: number, z: number, w: number, rr: number, tt: number) =>
        h11 * x * y + h12 * (x * w + y * z) + h22 * z * w + g1 * e * rr + g2 * t * tt;
      [g, h] = [g1 * ra + g2 * ta, g1 * rb + g2 * tb];
      [a, b, c] = [
        second(ra, ra, ta, ta, (si * si) / rho, (2 * si * co) / rho ** 2),
        second(ra, rb, ta, tb, (-si * co) / rho, (si * si - co * co) / rho ** 2),
        second(rb, rb, tb, tb, (co * co) / rho, (-2 * si * co) / rho ** 2),
      ];
      toUV = (x, y) => {
        const [na, nb] = [rho * co + x, rho * si + y];
        const out = chart.pole + e * Math.hypot(na, nb);
        const round = chart.start + t * ((Math.atan2(nb, na) + TURN) % TURN);
        return chart.out ? [round - u, out - v] : [out - u, round - v];
      };
    }
    const det = a * c - b * b;
    if (Math.abs(det) < 1e-14 * (Math.abs(a * c) + b * b + 1e-300)) break;
    let [x, y] = [-(c * g - b * h) / det, -(a * h - b * g) / det];
    const [lx, ly] = chart ? [chart.out ? wv : wu, chart.out ? wv : wu] : [wu, wv];
    const scale = Math.max(1, Math.abs(x) / (0.1 * lx), Math.abs(y) / (0.1 * ly));
    x /= scale;
    y /= scale;
    const [du, dv] = toUV(x, y);
    u += du;
    v += dv;
    if (closed[0] && (u < ru[0] || u > ru[1])) u += u < ru[0] ? wu : -wu;
    if (closed[1] && (v < rv[0] || v > rv[1])) v += v < rv[0] ? wv : -wv;
    if (u < ru[0] - 0.02 * wu || u > ru[1] + 0.02 * wu || v < rv[0] - 0.02 * wv || v > rv[1] + 0.02 * wv) return undefined;
    u = Math.min(ru[1], Math.max(ru[0], u));
    v = Math.min(rv[1], Math.max(rv[0], v));
    if (Math.abs(x) / lx + Math.abs(y) / ly < 1e-15) break;
  }
  evaluateSurface(s, u, v, 0, jet);
  const point: Vec3 = [jet[0], jet[1], jet[2]];
  const r = sub(point, p);
  const l = Math.hypot(...r);
  if (l > 1e-9 && Math.hypot(...cross(r, surfaceNormal(s, u, v))) > 1e-7 * l) return undefined;
  return { u, v, point, distance: l };
}
