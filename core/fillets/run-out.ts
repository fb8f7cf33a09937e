import { type Body, type BodyBuilder, Border, builderFrom, rimChains, topologyOf, withShells } from '../brep/index.ts';
import { add, DEG, distance, scale, sub, type Vec3 } from '../math/index.ts';
import { closestOnCurve, fitLean, makeSurface, type NurbsSurface } from '../nurbs/index.ts';
import { patchRim } from '../skins/index.ts';
import { type Contact, stepOn, tubeContact } from './contact.ts';
import { type NoFillet, no } from './options.ts';
import type { Placed, Spine } from './spine.ts';
import { seedsOf } from './strip.ts';

/** Normals up to this far apart (radians) count as tangent at the end of an edge. */
const TANGENT = 0.5 * DEG;

/**
 * Does the edge run out at this end: its faces become tangent there and go on beyond it, all round its tip? Then the rails are joined by an arc
 * about the tip, drawn over what lies beyond, and the end of the strip is filled up to it.
 */
export function runsOut(spine: Spine, end: 0 | 1): boolean {
  if (spine.closed || spine.angleAt(end) > TANGENT) return false;
  const { body, border } = spine;
  const { uses } = topologyOf(body);
  const tip = border.place(end).point;
  const own = new Set(border.edges.map((e) => e.edge));
  const there = body.edges.flatMap((e, i) =>
    !own.has(i) && !e.degenerate && [e.start, e.end].some((v) => distance(body.vertices[v].point, tip) < 1e-4) ? [i] : [],
  );
  return there.length > 0 && there.every((i) => uses[i].length === 2);
}

const DEGREE = 5;
/** Normals count this much beside lengths in mm: they only say which way a wall stands. */
const LOOSE = 0.01;
/** Of the rail on the other side, as a share of its distance from the edge, that goes with the arc. */
const BACK = 2.5;
interface Turn {
  readonly end: 0 | 1;
  readonly size: number;
  readonly at: Vec3;
  /** Out of the end, and from the tip to the rail on the left and right as seen walking on. */
  readonly out: Vec3;
  readonly into: readonly [Vec3, Vec3];
  /** Lengths of the arc and of what comes after it, as shares of the spine's length. */
  readonly arc: number;
  readonly back: number;
  readonly known: readonly [Contact[], Contact[]];
}

/**
 * Walls on both faces that draw the rails into them where ends run out: each rail, the half circle about the tip, and a piece of the other
 * rail backwards, in one smooth curve; what lies outside of the face is cut off by its border.
 */
export class RunOutRails {
  private readonly turns: readonly Turn[];
  constructor(
    private readonly spine: Spine,
    ends: readonly boolean[],
  ) {
    this.turns = ([0, 1] as const).flatMap((end) => (ends[end] ? [this.turn(end)] : []));
  }
  private turn(end: 0 | 1): Turn {
    const { spine } = this;
    const b = spine.beside(end);
    const size = spine.rule.size(end);
    const t: Turn = {
      end,
      size,
      at: b.at,
      out: end ? b.tangent : scale(b.tangent, -1),
      into: b.into,
      arc: (Math.PI * size) / spine.total,
      back: (BACK * size) / spine.total,
      known: [[], []],
    };
    // places along the way, each found from the one before: where the fit begins to look
    for (const k of [0, 1] as const) {
      let last = spine.section(end)?.contacts[k];
      const face = spine.body.faces[spine.section(end)?.faces[k] ?? b.faces[k]];
      let left: Vec3 | undefined;
      for (let i = 0; i <= STEPS && last; i++) {
        last = this.solve(t, k, ((t.arc + t.back) * i) / STEPS, last, face);
        if (!last) break;
        t.known[k].push(last);
        // outside of the face nothing is drawn, and its surface soon means nothing
        if (spine.isInside(spine.body.faces.indexOf(face), last.u, last.v)) left = undefined;
        else if (!left) left = last.point;
        else if (distance(left, last.point) > MARGIN * size) break;
      }
    }
    return t;
  }
  private solve(t: Turn, k: 0 | 1, beyond: number, from: Contact, face = this.faceOf(t, k)): Contact | undefined {
    const { spine } = this;
    if (beyond <= t.arc) {
      const angle = (Math.PI * beyond) / t.arc;
      const [c, s] = [Math.cos(angle), Math.sin(angle)];
      const a = t.into[k];
      const want = add(t.at, scale(add(scale(a, c), scale(t.out, s)), t.size));
      const [u, v] = stepOn(face, from.u, from.v, sub(want, from.point));
      return tubeContact(face, t.size, { point: t.at, tangent: add(scale(a, -s), scale(t.out, c)) }, u, v);
    }
    const share = t.end ? 1 - (beyond - t.arc) : beyond - t.arc;
    const b = spine.beside(Math.min(1, Math.max(0, share)));
    const want = add(b.at, scale(b.into[1 - k], spine.rule.size(share)));
    const [u, v] = stepOn(face, from.u, from.v, sub(want, from.point));
    return tubeContact(face, spine.rule.size(share), { point: b.at, tangent: b.tangent }, u, v);
  }
  private faceOf(t: Turn, k: 0 | 1) {
    return this.spine.body.faces[this.spine.section(t.end)?.faces[k] ?? this.spine.beside(t.end).faces[k]];
  }
  /** Contact on one side; below 0 and above 1 it is on the arc about the tip, and after it. */
  private contact(k: 0 | 1, at: number): Contact | undefined {
    const t = this.turns.find((x) => (x.end ? at > 1 : at < 0));
    if (!t) return this.beside(k, Math.min(1, Math.max(0, at)));
    const beyond = t.end ? at - 1 : -at;
    const i = Math.min(t.known[k].length - 1, Math.round((beyond / (t.arc + t.back)) * STEPS));
    const from = t.known[k][i];
    return from && this.solve(t, k, beyond, from);
  }
  private readonly table: (Placed | undefined)[] = [];
  /** Contact on one side of the edge: from the nearest of a row of sections, where that lies on the same face as its neighbours. */
  private beside(k: 0 | 1, share: number): Contact | undefined {
    const { spine, table } = this;
    if (!table.length) for (let i = 0; i <= ROW; i++) table.push(spine.section(i / ROW));
    const i = Math.round(share * ROW);
    const near = [i - 1, i, i + 1].map((j) => table[Math.min(ROW, Math.max(0, j))]);
    const [, from] = near;
    if (!from || near.some((x) => x?.faces[k] !== from.faces[k])) return spine.section(share)?.contacts[k];
    const at = spine.border.place(share);
    const c = from.contacts[k];
    return tubeContact(spine.body.faces[from.faces[k]], spine.rule.size(share), at, c.u, c.v) ?? spine.section(share)?.contacts[k];
  }
  /** Range of a wall, and where it is less smooth: a little beyond where it leaves its face, before the end of the edge or after. */
  private range(k: 0 | 1): { from: number; to: number; breaks: number[] } {
    const { spine } = this;
    const inside = (share: number) => spine.section(share)?.inside(k) ?? false;
    const reach = (end: 0 | 1) => {
      const t = this.turns.find((x) => x.end === end);
      if (!t) return 0;
      const step = (0.1 * t.size) / spine.total;
      const at = (j: number) => (end ? 1 - j * step : j * step);
      if (inside(at(0.1))) return ((t.known[k].length - 1) / STEPS) * (t.arc + t.back);
      let j = 1;
      while (j < 60 && !inside(at(j))) j++;
      return -(j - 1 - 10 * MARGIN) * step;
    };
    const breaks = this.turns.flatMap((t) => (t.end ? [1, 1 + t.arc] : [0, -t.arc]));
    return { from: -reach(0), to: 1 + reach(1), breaks };
  }
  /** A wall on one face along its rail and round the ends; `along` is how far it goes where an end does not run out. */
  wall(
    k: 0 | 1,
    height: number,
    fit: number,
    along: { readonly from: number; readonly to: number },
  ): { readonly surface: NurbsSurface; readonly off: number } | { readonly at: Vec3 } {
    const { spine } = this;
    const own = this.range(k);
    const from = this.turns.some((t) => !t.end) ? own.from : along.from;
    const to = this.turns.some((t) => t.end) ? own.to : along.to;
    const between = seedsOf({ spine, fit, from: Math.max(0, from), to: Math.min(1, to) });
    // the speed jumps where an arc begins
    const jumps = own.breaks.filter((x) => x > from + 1e-3 && x < to - 1e-3).map((t) => ({ t, multiplicity: DEGREE }));
    // arcs turn more than edges do: the fit is told
    const arcs = this.turns.flatMap((t) =>
      [1, 2, 3, 4, 5]
        .map((i) => ({ t: t.end ? 1 + (i * t.arc) / 6 : (-i * t.arc) / 6, multiplicity: 1 }))
        .filter((x) => x.t > from && x.t < to),
    );
    const seeds = [...arcs, ...jumps, ...between.filter((x) => jumps.every((j) => Math.abs(j.t - x.t) > 1e-3))].sort((x, y) => x.t - y.t);
    let lost: Vec3 | undefined;
    const r = fitLean(
      (t, out) => {
        const c = t < 0 || t > 1 ? (this.contact(k, t) ?? spine.section(t)?.contacts[k]) : this.contact(k, t);
        if (!c) {
          lost ??= spine.border.place(Math.min(1, Math.max(0, t))).point;
          out.fill(0);
          return;
        }
        out.set(c.point, 0);
        out.set(scale(c.normal, LOOSE), 3);
      },
      from,
      to,
      6,
      DEGREE,
      fit,
      seeds,
      false,
      260,
    );
    if (lost) return { at: lost };
    const rows = [-1, 1].map((sign) =>
      Array.from({ length: r.data.length / 6 }, (_, i): Vec3 => {
        const at = (o: number): Vec3 => [r.data[6 * i + o], r.data[6 * i + o + 1], r.data[6 * i + o + 2]];
        return add(at(0), scale(at(3), (sign * height) / LOOSE));
      }),
    );
    return { surface: makeSurface(1, DEGREE, rows, [0, 0, 1, 1], r.knots), off: r.deviation };
  }
  /** The rim that a rail left, without the arcs at its ends: what the strip is held by. */
  rail(kept: Body, name: string, k: 0 | 1): Border | undefined {
    const { border } = this.spine;
    const edges = topologyOf(kept).rims.filter((e) => kept.edges[e].name.startsWith(`${name}.rail${k + 1}.`));
    const corners = this.turns.flatMap((t) => {
      const c = this.spine.section(t.end)?.contacts[k];
      return c ? [c.point] : [];
    });
    const range = border.curve.knots;
    const [a, b] = [range[0], range[range.length - 1]];
    const parts = edges.flatMap((edge) => {
      const whole = new Border([{ body: kept, edge, part: [0, 1], side: 0 }]);
      const cuts = corners
        .map((c) => shareOf(whole, c))
        .filter((x) => x.off < 1e-3 && x.share > 1e-6 && x.share < 1 - 1e-6)
        .map((x) => x.share)
        .sort((x, y) => x - y);
      const bounds = [0, ...cuts, 1];
      return bounds.slice(1).flatMap((to, i) => {
        const middle = whole.place((bounds[i] + to) / 2).point;
        const foot = closestOnCurve(border.curve, middle).t;
        // beside the edge itself, not beyond its end
        const within = this.turns.every((t) => (t.end ? foot < b - 1e-9 * (b - a) : foot > a + 1e-9 * (b - a)));
        return within ? [{ body: kept, edge, part: [bounds[i], to] as const, side: 0 as const }] : [];
      });
    });
    return parts.length ? new Border(parts) : undefined;
  }
}
const STEPS = 160;
/** Sections kept along the edge. */
const ROW = 240;
/** How far a wall goes beyond its face, as a share of its distance from the edge. */
const MARGIN = 0.3;
/** Share of a border's length that is nearest to a place. */
function shareOf(b: Border, p: Vec3): { share: number; off: number } {
  const foot = closestOnCurve(b.curve, p);
  return { share: b.table.lengthAt(foot.t) / b.total, off: foot.distance };
}

/** Fills what is left open round the tips of ends that run out, with the curvature of all that stands there. */
export function fillTips(b: Body, tips: readonly Vec3[], name: string, tolerance: number): Body | NoFillet {
  let out = b;
  for (const [i, tip] of tips.entries()) {
    const near = (chain: readonly number[]) =>
      Math.max(...chain.flatMap((e) => [out.edges[e].start, out.edges[e].end].map((v) => distance(out.vertices[v].point, tip))));
    const chain = rimChains(out)
      .filter((c) => c.some((e) => out.edges[e].name.startsWith(`${name}.rail`)))
      .sort((x, y) => near(x) - near(y))[0];
    if (!chain) return no('end', 'The fillet does not run out at the mark: nothing is open there', [tip]);
    const k: BodyBuilder = builderFrom(out);
    const target = { gap: Math.min(2e-4, 0.2 * tolerance), kink: 0.02, step: 0.015 };
    const r = patchRim(k, chain, `${name}:fillet.end${i ? i + 1 : ''}`, 2, target);
    if (!r.ok) return no('end', `The end of the fillet cannot be filled at the mark: ${r.message}`, [r.place ?? tip]);
    out = withShells(k.body());
  }
  return out;
}
