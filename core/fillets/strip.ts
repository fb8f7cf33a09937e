import { breaksAlong } from '../brep/index.ts';
import { add, along, distance, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { type FitSeed, fitLean, makeSurface, type NurbsSurface, type SampledFit } from '../nurbs/index.ts';
import type { Placed, Spine } from './spine.ts';

/** No section was found at a share of the spine. */
export class NoSection extends Error {
  constructor(
    readonly share: number,
    readonly at: Vec3,
  ) {
    super('nothing touches both faces');
  }
}
/** Degree along the spine. */
const DEGREE = 5;
/** Rails and what spans them, over a range of shares. */
export interface Along {
  readonly from: number;
  readonly to: number;
  readonly spine: Spine;
  /** How near curves and surfaces come to the true sections, mm. */
  readonly fit: number;
}
const at = (o: Along, share: number): Placed => {
  const s = o.spine.section(share);
  if (!s) throw new NoSection(share, o.spine.border.place(Math.min(1, Math.max(0, share))).point);
  return s;
};
/**
 * Where the sections are less smooth: where edges end, at knots of the edge, at points of the size's law, and where a contact crosses a knot
 * line of its face. Normals, and with them the arcs, are once less smooth than the faces. Breaks that nearly meet become one.
 */
export function seedsOf(o: Along): FitSeed[] {
  const { spine, from, to } = o;
  const crossed = breaksAlong({ total: to - from, near: (x) => from + x }, (share) => {
    const { contacts, faces } = at(o, share);
    return contacts.map((c, k) => ({ s: spine.body.faces[faces[k]].surface, uv: [c.u, c.v] as const }));
  });
  const all = [
    ...spine.border.breaks().map((b) => ({ t: b.share, multiplicity: DEGREE - Math.max(1, b.order - 1) })),
    ...(spine.rule.breaks ?? []).map((t) => ({ t, multiplicity: DEGREE - 1 })),
    ...crossed.map((b) => ({ t: from + b.t, multiplicity: Math.min(DEGREE - 1, b.multiplicity + 1) })),
  ]
    .filter((s) => s.t > from + NEAR && s.t < to - NEAR && s.multiplicity > 0)
    .sort((x, y) => y.multiplicity - x.multiplicity);
  // a closed edge starts at a knot of its own
  const out: FitSeed[] = spine.closed ? [{ t: from, multiplicity: DEGREE - 1 }] : [];
  for (const s of all) if (out.every((x) => Math.abs(x.t - s.t) > NEAR)) out.push(s);
  return out.sort((x, y) => x.t - y.t);
}
const NEAR = 1e-3;

/**
 * One fit of everything a fillet needs along its spine: contacts, the middle row of the round strip with its weight, and the normals, which
 * may be far less exact (they only say which way a rail is drawn).
 */
export class StripFit {
  readonly deviation: number;
  private readonly fit: SampledFit;
  constructor(o: Along) {
    const f = (t: number, out: Float64Array) => {
      const s = at(o, t);
      const [p, q] = s.contacts;
      out.set(p.point, 0);
      out.set(q.point, 7);
      out.set(scale(p.normal, LOOSE), 10);
      out.set(scale(q.normal, LOOSE), 13);
      out.fill(0, 3, 7);
      if (Number.isNaN(s.curvature)) return;
      const half = distance(p.point, q.point) / 2;
      const middle = scale(add(p.point, q.point), 0.5);
      const sine = Math.min(1, half * Math.abs(s.curvature));
      const w = Math.sqrt(1 - sine * sine);
      // away from the ball's centre; along the normals where the arc is flat
      const r = 1 / (Math.abs(s.curvature) > 1e-12 ? s.curvature : 1e-12);
      const away = unit(sub(middle, scale(add(along(p.point, p.normal, r), along(q.point, q.normal, r)), 0.5)));
      // the meeting of the tangents, times its weight: finite also for half a circle
      out.set(along(scale(middle, w), away, half * sine), 3);
      out[6] = w;
    };
    this.fit = fitLean(f, o.from, o.to, DIM, DEGREE, o.fit, seedsOf(o), o.spine.closed, 120);
    this.deviation = this.fit.deviation;
  }
  /** Surface of linear or quadratic rows over the spine; u runs from the left face to the right one. */
  private surface(degreeU: 1 | 2, row: (d: Float64Array) => readonly (readonly number[])[]): NurbsSurface {
    const n = this.fit.data.length / DIM;
    const points: Vec3[][] = Array.from({ length: degreeU + 1 }, () => []);
    const weights: number[][] = Array.from({ length: degreeU + 1 }, () => []);
    for (let i = 0; i < n; i++)
      row(this.fit.data.subarray(i * DIM, (i + 1) * DIM)).forEach((r, k) => {
        const w = r[3] ?? 1;
        points[k].push([r[0] / w, r[1] / w, r[2] / w]);
        weights[k].push(w);
      });
    const knotsU = [...Array<number>(degreeU + 1).fill(0), ...Array<number>(degreeU + 1).fill(1)];
    return makeSurface(degreeU, DEGREE, points, knotsU, this.fit.knots, weights);
  }
  /** Exact arcs about the ball, tangent to both faces in its contacts. */
  round(): NurbsSurface {
    return this.surface(2, (d) => [three(d, 0), [...three(d, 3), d[6]], three(d, 7)]);
  }
  /** Straight from contact to contact. */
  flat(): NurbsSurface {
    return this.surface(1, (d) => [three(d, 0), three(d, 7)]);
  }
  /** A wall that stands on one face along its contact, `reach` mm to both sides: it draws the contact into the face. */
  fence(k: 0 | 1, reach: number): NurbsSurface {
    return this.surface(1, (d) => {
      const [p, n] = [three(d, 7 * k), scale(three(d, 10 + 3 * k), reach / LOOSE)];
      return [sub(p, n), add(p, n)];
    });
  }
}
const DIM = 16;
/** Normals count this much beside lengths in mm. */
const LOOSE = 0.01;
const three = (d: Float64Array, o: number): Vec3 => [d[o], d[o + 1], d[o + 2]];
