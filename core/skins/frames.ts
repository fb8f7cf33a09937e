import { add, angleBetween, cross, dot, type Frame, length, negate, rotateAbout, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { derivativesAt, domain, knotRuns, type LengthTable, lengthTable, type NurbsCurve } from '../nurbs/index.ts';

/** How a section is carried along a path: turning as little as possible, with one direction kept, or with the normal of a skin. */
export type Carrying =
  | { readonly kind: 'least' }
  /** x stays square to the direction. */
  | { readonly kind: 'fixed'; readonly direction: Vec3 }
  /** y follows the given normals. */
  | { readonly kind: 'normal'; readonly normal: (p: Vec3) => Vec3 };

/** Frames along one smooth leg of a path: origin on the path, z along it. */
export interface PathFrames {
  readonly path: NurbsCurve;
  readonly table: LengthTable;
  readonly length: number;
  /** Frame at a length from the start; the path's parameter there saves looking for it, and is exact. */
  readonly at: (s: number, parameter?: number) => Frame;
  /** Curvature vector of the path (1/mm, towards the centre). */
  readonly bend: (s: number) => Vec3;
}
const STATIONS = 240;

interface Jet {
  readonly p: Vec3;
  readonly t: Vec3;
  readonly k: Vec3;
}
function jetAt(c: NurbsCurve, table: LengthTable, s: number, parameter?: number): Jet {
  const [p, d1, d2] = derivativesAt(c, parameter ?? table.near(Math.min(table.total, Math.max(0, s))), 2);
  const v = length(d1);
  const t = scale(d1, 1 / v);
  return { p, t, k: scale(sub(d2, scale(t, dot(d2, t))), 1 / (v * v)) };
}
/** x carried from one place to the next by two reflections (Wang, Jüttler, Zheng, Liu, ACM TOG 27(1), 2008). */
function reflected(x: Vec3, a: Jet, b: Jet): Vec3 {
  const v1 = sub(b.p, a.p);
  const c1 = dot(v1, v1);
  if (c1 < 1e-24) return x;
  const xl = sub(x, scale(v1, (2 * dot(v1, x)) / c1));
  const tl = sub(a.t, scale(v1, (2 * dot(v1, a.t)) / c1));
  const v2 = sub(b.t, tl);
  const c2 = dot(v2, v2);
  if (c2 < 1e-24) return xl;
  return sub(xl, scale(v2, (2 * dot(v2, xl)) / c2));
}
const square = (x: Vec3, t: Vec3): Vec3 => unit(sub(x, scale(t, dot(x, t))));

export type FramesOutcome =
  | { readonly ok: true; readonly frames: PathFrames }
  | { readonly ok: false; readonly message: string; readonly place: Vec3 };
/**
 * Frames of a smooth curve by length. `first` is the wished x at the start (its part square to the path counts). For a closed smooth path
 * the turn left over after one round is spread over the length, so that the last frame is the first.
 */
export function pathFrames(path: NurbsCurve, how: Carrying, first: Vec3 | undefined, closed: boolean): FramesOutcome {
  const table = lengthTable(path);
  const L = table.total;
  const start = jetAt(path, table, 0);
  const helper: Vec3 = Math.abs(start.t[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0];
  if (how.kind !== 'least') {
    const xOf = (j: Jet): Vec3 | undefined => {
      const d = how.kind === 'fixed' ? how.direction : how.normal(j.p);
      const x = cross(d, j.t);
      return length(x) > 0.02 * length(d) ? unit(x) : undefined;
    };
    for (let i = 0; i <= STATIONS; i++)
      if (!xOf(jetAt(path, table, (L * i) / STATIONS)))
        return {
          ok: false,
          message:
            how.kind === 'fixed'
              ? 'The path runs along the kept direction here: choose another direction, or least twist'
              : 'The path leaves the skin along its normal here: choose least twist',
          place: jetAt(path, table, (L * i) / STATIONS).p,
        };
    return {
      ok: true,
      frames: {
        path,
        table,
        length: L,
        at: (s, parameter) => {
          const j = jetAt(path, table, s, parameter);
          // between the stations it may come nearer to the kept direction than at them
          const x = xOf(j) ?? square(helper, j.t);
          return { origin: j.p, x, y: cross(j.t, x), z: j.t };
        },
        bend: (s) => jetAt(path, table, s).k,
      },
    };
  }
  // stations never reach over a knot of the path
  const { values } = knotRuns(path.knots, path.degree);
  const cuts = values.map((t) => table.lengthAt(t));
  const stations: number[] = [0];
  for (let i = 0; i + 1 < cuts.length; i++) {
    const n = Math.max(2, Math.ceil((STATIONS * (cuts[i + 1] - cuts[i])) / L));
    for (let k = 1; k <= n; k++) stations.push(cuts[i] + ((cuts[i + 1] - cuts[i]) * k) / n);
  }
  const jets = stations.map((s) => jetAt(path, table, s));
  const xs: Vec3[] = [square(first ?? cross(helper, start.t), start.t)];
  for (let i = 1; i < stations.length; i++) xs.push(square(reflected(xs[i - 1], jets[i - 1], jets[i]), jets[i].t));
  let spread = 0;
  if (closed) {
    const last = xs[xs.length - 1];
    const t = jets[0].t;
    spread = Math.atan2(dot(cross(last, xs[0]), t), dot(last, xs[0])) / L;
  }
  const at = (s: number, parameter?: number): Frame => {
    let low = 0;
    let high = stations.length - 1;
    while (high - low > 1) {
      const mid = (low + high) >> 1;
      if (stations[mid] <= s) low = mid;
      else high = mid;
    }
    const near = s - stations[low] > stations[high] - s ? high : low;
    const j = jetAt(path, table, s, parameter);
    let x = square(reflected(xs[near], jets[near], j), j.t);
    if (spread) x = rotateAbout(x, j.t, spread * s);
    return { origin: j.p, x, y: cross(j.t, x), z: j.t };
  };
  return { ok: true, frames: { path, table, length: L, at, bend: (s) => jetAt(path, table, s).k } };
}

/** The smallest turn that takes direction a to direction b, applied to v. */
export function turnWith(a: Vec3, b: Vec3, v: Vec3): Vec3 {
  const axis = cross(a, b);
  const s = length(axis);
  if (s < 1e-12) return dot(a, b) > 0 ? v : negate(v);
  return rotateAbout(v, scale(axis, 1 / s), Math.atan2(s, dot(a, b)));
}
/** Curves of a chain joined where they run on smoothly: the legs of a path between its corners. */
export const cornerAngle = (a: NurbsCurve, b: NurbsCurve): number => {
  const out = derivativesAt(a, domain(a)[1], 1)[1];
  const into = derivativesAt(b, domain(b)[0], 1)[1];
  return angleBetween(out, into);
};

/** Point of a frame's own coordinates in space. */
export const inFrame = (f: Frame, p: Vec3): Vec3 => add(f.origin, add(add(scale(f.x, p[0]), scale(f.y, p[1])), scale(f.z, p[2])));
