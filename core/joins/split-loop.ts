import { type Body, bodyBox, faceNormal, kinksOf, massProperties, nearestOn } from '../brep/index.ts';
import { add, boxSize, cross, dot, length, negate, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { derivativesAt, domain, domainU, type NurbsCurve, pointAt, surfacePoint } from '../nurbs/index.ts';
import { normalRuled } from '../skins/normal-ruled.ts';
import { type CutContext, cutAndKeep } from './cut.ts';
import { inBody, placeInFace, rayHits } from './inside-body.ts';

export interface LoopSplitOptions {
  /** Direction in which the upper part comes off (unit). */
  readonly opening: Vec3;
  /** Which part carries the lip; its height along the opening, its thickness as a share of the thinnest wall, and play across it (mm). */
  readonly lip?: {
    readonly on: 'lower' | 'upper';
    readonly side: 'inside' | 'outside';
    readonly height: number;
    readonly share: number;
    readonly play: number;
  };
  /** Way between both parts along the opening, mm. */
  readonly gap: number;
  /** How deep the cut goes, mm; measured when undefined. */
  readonly depth?: number;
  readonly tolerance: number;
}
export interface LoopSplit {
  readonly ok: true;
  readonly lower: Body;
  readonly upper: Body;
  /** Thinnest and thickest wall found under the loop, mm, and where it is thinnest. */
  readonly wall: readonly [number, number];
  readonly thinAt: Vec3;
  readonly depth: number;
  /** Least material left beside the lip's step, mm, with its place; below zero where the step leaves the wall. */
  readonly beside?: { readonly least: number; readonly at: Vec3 };
  readonly corners: readonly { readonly at: Vec3; readonly angle: number }[];
  /** Largest distance of a new edge from its faces, mm. */
  readonly off: number;
  /** Volume that is in neither part, mm³. */
  readonly lost: number;
  readonly kernel?: string;
}
export interface NoLoopSplit {
  readonly ok: false;
  readonly code: string;
  readonly message: string;
  readonly place?: readonly Vec3[];
}
/** Corners flatter than this (degrees) are not worth a word. */
const TOLD = 0.5;
interface Sample {
  readonly at: Vec3;
  readonly tangent: Vec3;
  readonly normal: Vec3;
}

/** Area vector of a loop of samples (Newell 1972), as a unit direction: what the loop looks along. */
export function loopDirection(curves: readonly NurbsCurve[]): Vec3 | undefined {
  const p = curves.flatMap((c) => {
    const [a, b] = domain(c);
    return Array.from({ length: 32 }, (_, k) => pointAt(c, a + ((b - a) * k) / 32));
  });
  const n = p.reduce((s, x, i) => add(s, cross(sub(x, p[0]), sub(p[(i + 1) % p.length], p[0]))), [0, 0, 0] as Vec3);
  return length(n) > 1e-12 ? unit(n) : undefined;
}

/**
 * Parts a hollow body along a closed chain on its outside: a wall is raised along the normals through the thickness (with a step, when a
 * lip is asked for), and both sides of it become solids of their own. The lip's step runs along the opening direction, so that both parts
 * slide together. With play or a gap each part is cut by a wall of its own.
 */
export async function splitAlongLoop(
  body: Body,
  curves: readonly NurbsCurve[],
  normals: readonly ((p: Vec3) => Vec3)[],
  o: LoopSplitOptions,
  context: CutContext,
): Promise<LoopSplit | NoLoopSplit> {
  const samples = samplesOf(curves, normals);
  const found = measureUnder(body, curves, normals, samples, o.tolerance);
  if (!found.ok) return found;
  const { wall, thinAt, next } = found;
  const rise = o.lip ? (o.lip.on === 'lower' ? 1 : -1) * o.lip.height : 0;
  const leaning = Math.max(...samples.map((s) => Math.abs(dot(s.normal, o.opening))));
  const shift = Math.abs(rise) + o.gap;
  // past the inner side everywhere, also where the step climbs along a leaning wall
  const depth = o.depth ?? wall[1] + Math.max(0.25 * wall[1], 2 * leaning * shift, 20 * o.tolerance);
  const out = 0.25 * wall[1] + leaning * shift + 20 * o.tolerance;
  if (depth >= next.distance)
    return {
      ok: false,
      code: 'too-deep',
      message: `The cut would go ${depth.toPrecision(3)} mm deep and reach the opposite wall, ${next.distance.toPrecision(3)} mm from the loop: give a smaller depth`,
      place: [next.at],
    };
  if (depth < wall[1])
    return {
      ok: false,
      code: 'too-shallow',
      message: `A depth of ${depth.toPrecision(3)} mm does not go through the wall of ${wall[1].toPrecision(3)} mm: give a larger one, or none`,
      place: [found.thickAt],
    };
  let face = 0;
  if (o.lip) {
    const thick = o.lip.share * wall[0];
    face = o.lip.side === 'inside' ? wall[0] - thick : thick;
    const rest = wall[0] - thick - o.lip.play;
    if (rest <= 0.1 * wall[0])
      return {
        ok: false,
        code: 'lip-too-thick',
        message: `A lip of ${thick.toPrecision(3)} mm with ${o.lip.play.toPrecision(2)} mm of play leaves nothing of the wall of ${wall[0].toPrecision(3)} mm: make it thinner`,
        place: [thinAt],
      };
  }
  const corners: { at: Vec3; angle: number }[] = [];
  /** Wall with its step at `face` below the outside, everything lifted by `lift`. */
  const cutter = (face: number, lift: number): Body | NoLoopSplit => {
    const inner = !o.lip || o.lip.side === 'inside' ? rise : 0;
    const outer = o.lip && o.lip.side === 'outside' ? rise : 0;
    const r = normalRuled(
      curves,
      normals,
      {
        out,
        in: depth,
        angle: 0,
        tolerance: 0.1 * o.tolerance,
        lean: true,
        rise: o.opening,
        section: o.lip
          ? [
              { along: -depth, up: inner + lift },
              { along: -face, up: inner + lift },
              { along: -face, up: outer + lift },
              { along: out, up: outer + lift },
            ]
          : [
              { along: -depth, up: lift },
              { along: out, up: lift },
            ],
      },
      context.stepId,
    );
    if (!r.ok) return r;
    corners.splice(0, corners.length, ...r.result.corners.filter((c) => c.angle > TOLD));
    return r.result.body;
  };
  const away = o.lip?.side === 'outside' ? 1 : -1;
  const carrier = o.lip?.on ?? 'lower';
  const play = o.lip?.play ?? 0;
  const walls = {
    own: cutter(face, 0),
    other: play || o.gap ? cutter(face + away * play, carrier === 'lower' ? o.gap : -o.gap) : undefined,
  };
  const parts: Partial<Record<'lower' | 'upper', Body>> = {};
  let off = 0;
  let kernel: string | undefined;
  for (const [w, wanted] of [
    [walls.own, walls.other ? [carrier] : ['lower', 'upper']],
    [walls.other, walls.other ? [carrier === 'lower' ? 'upper' : 'lower'] : []],
  ] as const) {
    if (!w || !wanted.length) continue;
    if ('ok' in w) return w;
    const r = await cutAndKeep(body, [w], 'all', [], context);
    if ('problem' in r)
      return {
        ok: false,
        code: 'no-split',
        message: r.short
          ? 'The wall raised on the loop ends inside the part and does not go through it: give a larger depth'
          : `The loop does not part the body: ${r.problem}`,
        place: r.place,
      };
    const sided = r.regions.map((x) => ({ body: x.body, ...sideOf(x.body, context.stepId, o.opening) }));
    const unsure = sided.find((x) => !x.side);
    if (sided.length !== 2 || unsure || sided[0].side === sided[1].side) {
      const step = o.lip && besideStep(body, samples, o.opening, face, 0, rise, 0);
      if (step && step.least < 0)
        return {
          ok: false,
          code: 'lip-leaves-wall',
          message: `The wall leans so much here that a lip of ${Math.abs(rise).toPrecision(3)} mm leaves it (by ${(-step.least).toPrecision(2)} mm): make the lip lower, or open the part where its wall stands along the opening`,
          place: [step.at],
        };
      return {
        ok: false,
        code: 'pieces',
        message: `The loop does not leave one part on each side but ${sided.length} pieces: see whether it runs once round the part and does not cross itself`,
        place: sided.map((x) => x.at),
      };
    }
    for (const name of wanted) parts[name as 'lower' | 'upper'] = sided.find((x) => x.side === (name === 'lower' ? 1 : -1))?.body;
    off = Math.max(off, r.told.off);
    kernel ??= r.told.kernel;
  }
  const { lower, upper } = parts as Record<'lower' | 'upper', Body>;
  const volume = (b: Body) => massProperties(b, undefined, true).volume;
  const lost = volume(body) - volume(lower) - volume(upper);
  return {
    ok: true,
    lower,
    upper,
    wall,
    thinAt,
    depth,
    beside: o.lip && besideStep(body, samples, o.opening, face, away * play, rise, o.gap * (carrier === 'lower' ? 1 : -1)),
    corners,
    off,
    lost,
    kernel,
  };
}

function samplesOf(curves: readonly NurbsCurve[], normals: readonly ((p: Vec3) => Vec3)[]): Sample[] {
  return curves.flatMap((c, i) => {
    const [a, b] = domain(c);
    const stops = [a, ...kinksOf(c), b];
    return stops.slice(1).flatMap((end, k) => {
      const n = Math.max(12, Math.ceil(48 / (curves.length * (stops.length - 1))));
      return Array.from({ length: n }, (_, j) => {
        const [at, d] = derivativesAt(c, stops[k] + ((end - stops[k]) * (j + 0.5)) / n, 1);
        const tangent = unit(d);
        const given = normals[i](at);
        return { at, tangent, normal: unit(sub(given, scale(tangent, dot(given, tangent)))) };
      });
    });
  });
}
/** A straight line of the raised wall: from the loop inwards; `share` is its way per mm of depth (more than 1 in corners). */
interface Ruling {
  readonly at: Vec3;
  readonly inwards: Vec3;
  readonly share: number;
}
const START = 1e-3;
/** Thickness under the loop along the lines of the wall that will be raised, and how near the wall opposite comes (depths in mm). */
function measureUnder(
  body: Body,
  curves: readonly NurbsCurve[],
  normals: readonly ((p: Vec3) => Vec3)[],
  samples: readonly Sample[],
  tolerance: number,
): { ok: true; wall: [number, number]; thinAt: Vec3; thickAt: Vec3; next: { distance: number; at: Vec3 } } | NoLoopSplit {
  const reach = 1.5 * boxSize(bodyBox(body));
  const start = Math.max(5 * tolerance, START);
  const hitsFrom = ({ at, inwards }: Pick<Ruling, 'at' | 'inwards'>) =>
    rayHits(body, add(at, scale(inwards, -start)), inwards, reach)
      .map((x) => x - start)
      .filter((x) => x > 2 * start);
  const firsts = samples.map((s) => hitsFrom({ at: s.at, inwards: negate(s.normal) })[0] as number | undefined);
  const none = firsts.indexOf(undefined);
  if (none >= 0)
    return {
      ok: false,
      code: 'no-wall',
      message: 'Nothing lies under the loop here: it must run on the outside of the part. Project it onto the part first',
      place: [samples[none].at],
    };
  // corners turn the lines of the wall, so they are measured on a wall of about the right height
  const about = [...(firsts as number[])].sort((x, y) => x - y)[firsts.length >> 1];
  const raised = normalRuled(curves, normals, { out: 0.25 * about, in: 1.25 * about, angle: 0, tolerance: 1e-3, lean: true }, 'measure');
  if (!raised.ok) return raised;
  const wall: [number, number] = [Infinity, 0];
  let thinAt = samples[0].at;
  let thickAt = samples[0].at;
  const next = { distance: Infinity, at: samples[0].at };
  const each = Math.max(12, Math.ceil(96 / raised.result.surfaces.length));
  for (const s of raised.result.surfaces) {
    const [u0, u1] = domainU(s);
    for (let k = 0; k < each; k++) {
      const u = u0 + ((u1 - u0) * (k + 0.5)) / each;
      const [low, high] = [surfacePoint(s, u, 0), surfacePoint(s, u, 1)];
      const line = sub(low, high);
      const at = add(high, scale(line, 1 / 6));
      const share = length(line) / (1.5 * about);
      const hits = hitsFrom({ at, inwards: unit(line) }).map((x) => x / share);
      if (!hits.length) continue;
      if (hits[0] < wall[0]) {
        wall[0] = hits[0];
        thinAt = at;
      }
      if (hits[0] > wall[1]) {
        wall[1] = hits[0];
        thickAt = at;
      }
      // a part that is not hollow has nothing behind its first way out
      const far = hits.length > 1 ? hits[1] : hits[0];
      if (far < next.distance) {
        next.distance = far;
        next.at = at;
      }
    }
  }
  if (next.distance <= wall[1] * (1 + 1e-9))
    return {
      ok: false,
      code: 'not-hollow',
      message:
        'The part is not hollow under the loop: a wall raised along the normals would meet itself in the middle. Hollow it first (Shell), or trim it by a skin',
      place: [next.at],
    };
  return { ok: true, wall, thinAt, thickAt, next };
}
/** 1 when a part lies against the opening direction (its cut looks along it), -1 on the other side, 0 when the cut tells nothing. */
function sideOf(part: Body, prefix: string, opening: Vec3): { side: number; at: Vec3 } {
  let flux = 0;
  let area = 0;
  let at: Vec3 = [0, 0, 0];
  part.faces.forEach((f, i) => {
    const m = massProperties(part, [i], true);
    if (f.name.startsWith(`${prefix}:`) || f.name.startsWith(`${prefix}.`)) {
      const place = placeInFace(part, i);
      flux += m.area * dot(faceNormal(f, ...place.uv), opening);
      area += m.area;
    }
    if (i === 0) at = m.areaCentre;
  });
  return { side: area > 0 && Math.abs(flux) > 1e-6 * area ? Math.sign(flux) : 0, at };
}
/** What remains between the step and the skins of the wall, at both of its ends. */
function besideStep(
  body: Body,
  samples: readonly Sample[],
  opening: Vec3,
  face: number,
  play: number,
  rise: number,
  lift: number,
): { least: number; at: Vec3 } {
  let best = { least: Infinity, at: samples[0].at };
  const heights = [0, rise, lift, rise + lift];
  for (const s of samples)
    for (const depth of [face, face + play])
      for (const h of heights) {
        const p = add(add(s.at, scale(s.normal, -depth)), scale(opening, h));
        const way = nearestOn(body, p)?.distance ?? 0;
        // where the wall leans, the top of the step may leave it
        const d = Math.abs(h) > 0.5 * Math.abs(rise) && !inBody(body, p) ? -way : way;
        if (d < best.least) best = { least: d, at: p };
      }
  return best;
}
