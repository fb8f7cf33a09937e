import { type Body, type EdgeChain, edgePoint, makeSolid, nearestOn, subBody, surfaceBody, topologyOf, withShells } from '../brep/index.ts';
import { imprintOn, knitBodies } from '../joins/index.ts';
import { angleBetween, DEG, distance, dot, formatNumber, type Vec3 } from '../math/index.ts';
import { domainV, type NurbsSurface, surfaceNormal, surfacePoint } from '../nurbs/index.ts';
import { measureSeam, type SeamReport } from '../proof/index.ts';
import type { BlendGrade } from '../skins/index.ts';
import { childrenOf, endAt, endOf } from './ends.ts';
import { type FilletOptions, type NoFillet, no } from './options.ts';
import { fillTips, RunOutRails, runsOut } from './run-out.ts';
import { smoothStrip } from './smooth-strip.ts';
import { type Placed, Spine } from './spine.ts';
import { type Along, NoSection, StripFit } from './strip.ts';
import { largestFactor, type Survey, survey } from './survey.ts';

export interface Filleted {
  readonly ok: true;
  readonly body: Body;
  /** New edges are called `name.rail1...` and so on. */
  readonly name: string;
  /** The strip as it was before its ends were cut. */
  readonly strip: NurbsSurface;
  readonly survey: Survey;
  /** The seams along the left and the right rail, measured. */
  readonly seams: readonly (readonly SeamReport[])[];
  readonly spine: Spine;
  /** Distance of strip and rails from the true sections, mm. */
  readonly off: number;
  /** Names of the strip's faces. */
  readonly made: readonly string[];
}
/**
 * A fillet along a chain of edges of one body: the contacts are drawn into both faces, what lies between them is taken away, and a strip
 * put in its place: arcs tangent to both, straight across, or a blend of a grade. At its ends it runs to the rims, or into the faces there.
 */
export function fillet(body: Body, chain: EdgeChain, o: FilletOptions): Filleted | NoFillet {
  const { uses } = topologyOf(body);
  const bare = chain.edges.find((e) => uses[e.edge].length !== 2);
  if (bare) {
    const e = body.edges[bare.edge];
    return no('rim', 'A fillet needs a face on both sides of the edge: this one is a rim. Knit the skins first, or use a blend', [
      edgePoint(e, (e.range[0] + e.range[1]) / 2),
    ]);
  }
  const spine = new Spine(body, chain, o.rule);
  const [first, last] = [o.rule.size(0), o.rule.size(1)];
  if (spine.closed && Math.abs(first - last) > 1e-6 * Math.max(first, last))
    return no(
      'not-closed-law',
      `The edge is closed, and the size begins with ${formatNumber(first, 3)} mm and ends with ${formatNumber(last, 3)} mm: let both be the same`,
      [spine.border.place(0).point],
    );
  const turn = sharpestTurn(spine);
  if (turn.angle > FILLET_KINK) return no('corner', `The edges turn by ${formatNumber(turn.angle / DEG, 2)}° at the mark`, [turn.at]);
  const tips = ([0, 1] as const).filter((end) => runsOut(spine, end)).map((end) => spine.border.place(end).point);
  if (tips.length && (o.rule.kind !== 'tube' || o.section === 'flat' || o.section === 'round'))
    return no(
      'runs-out',
      'The faces become tangent at the end of the edge, at the mark. There the fillet runs out at a distance from the edge: set it by its distance, with a section of G1 to G3',
      tips,
    );
  const whole = attempt(spine, o);
  if (whole.ok || !o.explain || !FILLET_TOO_LARGE.has(whole.code)) return whole;
  const most = largestBuilt(body, chain, o, largestFactor(spine));
  if (most === undefined) return { ...whole, message: `${whole.message}. No size tried works along this edge` };
  const what = { ball: 'radius', width: 'width', tube: 'distance' }[o.rule.kind];
  const told =
    o.constant === undefined
      ? `${formatNumber(100 * most, 1)} % of each ${what} works`
      : `The largest ${what} found to work is ${formatNumber(most * o.constant, 6)} mm`;
  return { ...whole, message: `${whole.message}. ${told}` };
}
/** The largest factor on the size that was built, from an upper one downwards; sizes in mm are rounded down to three figures first. */
function largestBuilt(body: Body, chain: EdgeChain, o: FilletOptions, upper: number | undefined): number | undefined {
  if (upper === undefined) return undefined;
  const round = (factor: number) => {
    if (o.constant === undefined) return Math.floor(1000 * factor) / 1000;
    const unit = 10 ** (Math.floor(Math.log10(factor * o.constant)) - 2);
    return (Math.floor((factor * o.constant) / unit) * unit) / o.constant;
  };
  const built = (factor: number) => {
    const rule = { ...o.rule, size: (s: number) => factor * o.rule.size(s) };
    return factor > 0 && attempt(new Spine(body, chain, rule), { ...o, rule }).ok;
  };
  let high = upper;
  for (const part of [0.98, 0.9, 0.75, 0.5, 0.25, 0.1]) {
    let low = round(part * upper);
    if (!built(low)) {
      high = part * upper;
      continue;
    }
    for (let k = 0; k < 2 && high - low > 0.03 * low; k++) {
      const middle = round((low + high) / 2);
      if (built(middle)) low = middle;
      else high = middle;
    }
    return low;
  }
  return undefined;
}
/** What another size may put right. */
export const FILLET_TOO_LARGE: ReadonlySet<string> = new Set([
  'no-contact',
  'leaves-face',
  'too-tight',
  'not-drawn',
  'not-followed',
  'all-gone',
  'end',
  'not-joined',
  'not-closed',
  'folds',
]);
function attempt(spine: Spine, o: FilletOptions): Filleted | NoFillet {
  const seen = survey(spine);
  if ('code' in seen) return no(seen.code, seen.message, [seen.place]);
  try {
    return build(spine, seen, o);
  } catch (e) {
    if (!(e instanceof NoSection)) throw e;
    return no('no-contact', 'Nothing touches both faces at the mark', [e.at]);
  }
}

/** Turn of a chain up to which it counts as one smooth edge, radians. */
export const FILLET_KINK = 0.005 * DEG;
/** Where a chain turns most from one edge to the next, and where a closed one runs on into itself. */
function sharpestTurn(spine: Spine): { angle: number; at: Vec3 } {
  const shares = [...spine.border.breaks().filter((b) => b.order <= 1), ...(spine.closed ? [{ share: 0 }] : [])].map((b) => b.share);
  let worst: { angle: number; at: Vec3 } = { angle: 0, at: [0, 0, 0] };
  for (const s of shares) {
    const [a, b] = [spine.border.place((s - 1e-7 + 1) % 1), spine.border.place((s + 1e-7) % 1)];
    const angle = angleBetween(a.tangent, b.tangent);
    if (angle > worst.angle) worst = { angle, at: b.point };
  }
  return worst;
}
/** Shares at which both contacts have left their faces, and a little more. */
function reachOf(spine: Spine, seen: Survey): { from: number; to: number } {
  if (spine.closed) return { from: 0, to: 1 };
  const step = seen.widest / spine.total;
  const ends = ([0, 1] as const).map((end) => {
    const sign = end ? 1 : -1;
    let s: number = end;
    let left: number | undefined;
    for (let k = 0; k <= 24; k++) {
      const x = spine.section(s + sign * 0.25 * k * step);
      if (!x) break;
      if (!x.inside(0) && !x.inside(1)) {
        left = s + sign * 0.25 * k * step;
        break;
      }
    }
    s = left ?? end;
    // a margin, as far as there is something to touch; where a face stands the strip has to reach through it
    for (const more of standsAt(spine, end) ? [0.4, 0.2, 0.1, 0.05] : [0.1, 0.05])
      if (spine.section(s + sign * more * step)) return s + sign * more * step;
    return s;
  });
  return { from: ends[0], to: ends[1] };
}

/** Does a face other than the two stand at an end of the spine? */
function standsAt(spine: Spine, end: 0 | 1): boolean {
  const { body, border } = spine;
  const tip = border.place(end).point;
  const { uses } = topologyOf(body);
  const own = new Set(border.edges.map((e) => e.edge));
  return body.edges.some(
    (e, i) => !own.has(i) && uses[i].length === 2 && [e.start, e.end].some((v) => distance(body.vertices[v].point, tip) < 1e-4),
  );
}

function build(spine: Spine, seen: Survey, o: FilletOptions): Filleted | NoFillet {
  const open = ([0, 1] as const).map((end) => runsOut(spine, end));
  const outs = open.some(Boolean) ? new RunOutRails(spine, open) : undefined;
  const reach = reachOf(spine, seen);
  const range = { from: open[0] ? 0 : reach.from, to: open[1] ? 1 : reach.to };
  const along: Along = { ...range, spine, fit: Math.max(1e-7, 1e-3 * o.tolerance) };
  const sheet: Body = { ...spine.body, solids: [] };
  const chainCurves = new Set(spine.border.edges.map(({ edge }) => spine.body.edges[edge].curve));
  const names = sideNames(spine, seen, along);
  // both contacts drawn into the faces they lie on
  const fit = outs ? undefined : new StripFit(along);
  const height = 0.2 * seen.narrowest;
  const walls = ([0, 1] as const).map((k) => {
    if (fit) return { surface: fit.fence(k, height), off: fit.deviation };
    return (outs as RunOutRails).wall(k, height, along.fit, range);
  });
  const lost = walls.flatMap((w) => ('at' in w ? [w.at] : []));
  if (lost.length) return no('end', 'The fillet cannot be led round the end of the edge at the mark', lost);
  const off = Math.max(...walls.map((w) => ('off' in w ? w.off : 0)));
  // what runs out lies where its walls stand: it is told how near they are
  if (!(off < (outs ? 1 : 0.2) * o.tolerance))
    return no('not-followed', `The fillet can be followed only within ${formatNumber(off, 5)} mm`, [spine.border.place(0.5).point]);
  let drawn = sheet;
  for (const k of [0, 1] as const) {
    o.pause?.();
    const fence = walls[k];
    if ('at' in fence) continue;
    const wall = surfaceBody(fence.surface, { prefix: 'rail', face: (i, j) => `rail.${i}.${j}` }).body;
    const r = imprintOn(drawn, [wall], childrenOf(drawn, names[k]), {
      fit: outs ? 5 * along.fit : along.fit,
      name: `${o.name}.rail${k + 1}`,
      pause: o.pause,
    });
    if (!r.ok) return no('not-drawn', `The border of the fillet cannot be drawn surely: ${r.why}`, r.at && [r.at]);
    if (!r.edges || r.loose.length)
      return no('not-drawn', 'The border of the fillet ends inside a face', [r.loose[0] ?? spine.border.place(0.5).point]);
    drawn = r.body;
  }
  const gone = between(drawn, chainCurves, new Set([...names[0], ...names[1]]), o.name);
  const rest = drawn.faces.map((_, i) => i).filter((i) => !gone.has(i));
  if (!rest.length) return no('all-gone', 'Nothing of the faces is left beside the fillet', [spine.border.place(0.5).point]);
  let kept = withShells(subBody(drawn, rest));
  const made =
    fit && o.section === 'round'
      ? fit.round()
      : fit && o.section === 'flat'
        ? fit.flat()
        : smoothStrip(kept, o.section as BlendGrade, o, outs);
  if ('ok' in made) return made;
  const surface = 'long' in made ? made.surface : made;
  const bodyOf = (s: NurbsSurface) =>
    surfaceBody(s, { prefix: o.name, face: (i, j, n, m) => `${o.name}:fillet${n > 1 ? `.${i}` : ''}${m > 1 ? `.${j}` : ''}` }).body;
  const ends = spine.closed ? [] : ([0, 1] as const).flatMap((end) => (open[end] ? [] : [endOf(drawn, gone, along, end, o)]));
  const whole = 'long' in made ? made.long(([0, 1] as const).map((end) => ends.some((e) => e.end === end && e.kind !== 'free'))) : made;
  let strip = bodyOf(whole);
  const [v0, v1] = domainV(surface);
  const middle = surfacePoint(surface, 0.5, (v0 + v1) / 2);
  for (const e of ends) {
    o.pause?.();
    const r = endAt(e, kept, strip, surface, 'long' in made, middle);
    if (!('kept' in r)) return r;
    [kept, strip] = [r.kept, r.strip];
  }
  const flipped = facing(strip, seen);
  const knitted = knitBodies([kept, flipped], Math.max(20 * along.fit, 2e-5, 3 * off, 'long' in made ? 3 * made.off : 0));
  let out = withShells(knitted.body);
  if (outs) {
    const filled = fillTips(
      out,
      open.flatMap((x, end) => (x ? [spine.border.place(end).point] : [])),
      o.name,
      o.tolerance,
    );
    if ('ok' in filled) return filled;
    out = filled;
  }
  const loose = topologyOf(out).rims.find((e) => out.edges[e].name.startsWith(`${o.name}.rail`));
  if (loose !== undefined)
    return no('not-joined', 'The fillet does not join its faces at the mark', [out.vertices[out.edges[loose].start].point]);
  if (spine.body.solids.length) {
    const solid = makeSolid(out);
    if (!solid.ok) return no('not-closed', `The fillet does not close the solid: ${solid.message}`, solid.place && [solid.place]);
    out = solid.body;
  }
  const seams = [1, 2].map((k) =>
    out.edges.flatMap((e, i) =>
      e.name.startsWith(`${o.name}.rail${k}.`) && topologyOf(out).uses[i].length === 2 ? [measureSeam(out, i)] : [],
    ),
  );
  const folded = o.section === 'flat' ? undefined : seams.flat().find((s) => s.kink > 1);
  if (folded) return no('folds', `The fillet folds over (${formatNumber(folded.kink, 1)}° at its border) at the mark`, [folded.worst.kink]);
  return {
    ok: true,
    seams,
    body: out,
    name: o.name,
    strip: surface,
    survey: seen,
    spine,
    off,
    made: strip.faces.map((f) => f.name),
  };
}
/** Names of the faces that the contacts of each side run over. */
function sideNames(spine: Spine, seen: Survey, o: Along): [Set<string>, Set<string>] {
  const out: [Set<string>, Set<string>] = [new Set(), new Set()];
  const take = (s: Placed | undefined) => {
    for (const k of [0, 1] as const) if (s) out[k].add(spine.body.faces[s.faces[k]].name);
  };
  for (const s of seen.sections) take(s);
  if (!spine.closed) for (const s of [o.from, o.to]) take(spine.section(s));
  return out;
}
/** Faces between the rails: those beside the old edge, and what hangs together with them without crossing a rail. */
function between(b: Body, chain: ReadonlySet<unknown>, names: ReadonlySet<string>, name: string): Set<number> {
  const { uses } = topologyOf(b);
  const own = childrenOf(b, names);
  const isRail = (e: number) => b.edges[e].name.startsWith(`${name}.rail`);
  const queue = b.edges.flatMap((e, i) => (chain.has(e.curve) ? uses[i].map((u) => u.face) : []));
  const out = new Set(queue);
  for (const f of queue)
    for (const u of b.faces[f].loops.flat()) {
      if (isRail(u.edge)) continue;
      for (const other of uses[u.edge])
        if (!out.has(other.face) && own.has(b.faces[other.face].name)) {
          out.add(other.face);
          queue.push(other.face);
        }
    }
  return out;
}
/** The strip with its outside where the faces have theirs. */
function facing(strip: Body, seen: Survey): Body {
  const s = seen.sections[seen.sections.length >> 1];
  const p = s.contacts[0].point;
  const near = nearestOn(strip, p);
  if (!near) return strip;
  const along = surfaceNormal(strip.faces[near.face].surface, near.u, near.v);
  const agrees = dot(along, s.contacts[0].normal) > 0;
  return { ...strip, faces: strip.faces.map((x) => ({ ...x, reversed: !agrees })) };
}
