import { type Body, BodyBuilder, edgeCurve, nearestOn, subBody, surfaceBody, topologyOf } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { domain, pointAt } from '../nurbs/index.ts';
import { type RimEdge, type RimStrip, type RimWay, rimStrips } from '../skins/rim-strip.ts';
import { knitBodies } from './knit.ts';
import { cutRegions } from './regions.ts';
import { splitByTools } from './split.ts';

export interface Extended {
  readonly ok: true;
  readonly body: Body;
  readonly strips: readonly RimStrip[];
  readonly corners: readonly Vec3[];
  /** Largest gap that was closed between the strips and the skin, mm. */
  readonly gap: number;
}
export interface NotExtended {
  readonly ok: false;
  readonly message: string;
  readonly place?: readonly Vec3[];
}

/** Rims end to end: chains in running order, each as far as it goes. */
export function rimRuns(b: Body, edges: readonly number[]): RimEdge[][] {
  const at = new Map<number, number[]>();
  for (const e of edges) for (const v of new Set([b.edges[e].start, b.edges[e].end])) at.set(v, [...(at.get(v) ?? []), e]);
  const left = new Set(edges);
  const out: RimEdge[][] = [];
  // an end of an open run first, so that it comes out in one piece
  const first = (): number | undefined => {
    for (const e of left)
      if ([b.edges[e].start, b.edges[e].end].some((v) => (at.get(v) ?? []).filter((x) => left.has(x)).length === 1)) return e;
    return left.values().next().value;
  };
  for (let e = first(); e !== undefined; e = first()) {
    left.delete(e);
    const free = (v: number) => (at.get(v) ?? []).filter((x) => left.has(x)).length === 0;
    const { start, end } = b.edges[e];
    const run: RimEdge[] = [{ edge: e, reversed: start !== end && !free(start) && free(end) }];
    let v = run[0].reversed ? start : end;
    for (;;) {
      const next = (at.get(v) ?? []).find((x) => left.has(x));
      if (next === undefined) break;
      left.delete(next);
      const reversed = b.edges[next].start !== v;
      run.push({ edge: next, reversed });
      v = reversed ? b.edges[next].start : b.edges[next].end;
    }
    out.push(run);
  }
  return out;
}

/** Skins carried on beyond rims by strips that are sewn to them. */
export function extendRims(
  b: Body,
  edges: readonly number[],
  by: number,
  way: RimWay,
  prefix: string,
  tolerance: number,
): Extended | NotExtended {
  const { uses } = topologyOf(b);
  const bad = edges.find((e) => uses[e].length !== 1);
  if (bad !== undefined) {
    const c = edgeCurve(b.edges[bad]);
    return {
      ok: false,
      message: 'Only open edges can be extended: this one already has a face on both sides',
      place: [pointAt(c, (domain(c)[0] + domain(c)[1]) / 2)],
    };
  }
  const strips: RimStrip[] = [];
  const corners: Vec3[] = [];
  const bodies: Body[] = [];
  for (const run of rimRuns(b, edges)) {
    const r = rimStrips(b, run, by, way, tolerance);
    if (!r.ok) return { ok: false, message: `It cannot be extended: ${r.message}`, place: [r.place] };
    corners.push(...r.corners);
    r.strips.forEach((s) => {
      const n = strips.push(s);
      const own = `${prefix}${n > 1 ? `.${n}` : ''}`;
      const made = surfaceBody(
        s.surface,
        { prefix: own, face: (i, j, u, v) => `${own}:more${u * v > 1 ? `.${i}.${j}` : ''}` },
        new BodyBuilder(1e-6),
      );
      bodies.push({ ...made.body, faces: made.body.faces.map((f) => ({ ...f, reversed: s.reversed })) });
    });
  }
  const knitted = knitBodies([{ ...b, solids: [] }, ...bodies], Math.max(2 * tolerance, 1e-5));
  return { ok: true, body: knitted.body, strips, corners, gap: knitted.gaps.reduce((m, g) => Math.max(m, g.gap), 0) };
}

/** Least and largest distance of rims from a body, of nine places on each. */
export function reachOf(b: Body, edges: readonly number[], to: Body): readonly [number, number] {
  let [least, most] = [Infinity, 0];
  for (const e of edges) {
    const c = edgeCurve(b.edges[e]);
    const [a, z] = domain(c);
    for (let k = 0; k <= 8; k++) {
      const d = nearestOn(to, pointAt(c, a + ((z - a) * k) / 8))?.distance ?? 0;
      least = Math.min(least, d);
      most = Math.max(most, d);
    }
  }
  return [least, most];
}

/** The part of an extended skin up to a tool: what hangs together with the faces that were there before. */
export function cutAtTool(
  extended: Body,
  before: number,
  tool: Body,
  prefix: string,
  tolerance: number,
): { ok: true; body: Body; off: number } | { ok: false; why: string; short: boolean; at?: Vec3 } {
  const r = splitByTools(extended, [tool], { fit: 0.005 * tolerance, name: prefix });
  if (!r.ok) return { ok: false, why: r.why, short: false, at: r.at };
  if (!r.cut.length || r.loose.length) return { ok: false, why: 'it ends before it gets there', short: true, at: r.loose[0] };
  const regions = cutRegions(r.body, r.cut);
  const old = new Set(extended.faces.slice(0, before).map((f) => f.name));
  const strips = extended.faces.slice(before).map((f) => f.name);
  const stays = regions.filter((x) => x.faces.some((f) => old.has(r.body.faces[f].name) && !strips.includes(r.body.faces[f].name)));
  // a part with old faces may not reach the strip's far end whole
  if (regions.length < 2 || stays.length === regions.length) return { ok: false, why: 'it ends before it gets there', short: true };
  const faces = stays.flatMap((x) => [...x.faces]).sort((x, y) => x - y);
  return { ok: true, body: subBody(r.body, faces), off: r.off };
}
