import { angleBetween, DEG, negate, type Vec3 } from '../math/index.ts';
import { type Body, faceNormal, rimChains, topologyOf, traceTangent, useUV } from './body.ts';

/** Ways in which one pick takes more than one part: smooth neighbours of an edge, its face's loop, its rim; smooth neighbours of a face. */
export type GrowWay = 'chain' | 'loop' | 'rim' | 'smooth';
export interface EdgeChain {
  readonly edges: readonly { readonly edge: number; readonly reversed: boolean }[];
  readonly closed: boolean;
}

/** Kink up to which neighbouring edges of a chain run on smoothly, degrees. */
const SMOOTH_EDGE = 5;
/** Kink up to which faces count as one smooth area, degrees. */
const SMOOTH_FACE = 1;

/** Direction in which an edge leaves a vertex. */
function leaving(b: Body, edge: number, atStart: boolean): Vec3 {
  const e = b.edges[edge];
  const d = traceTangent(e, atStart ? e.range[0] : e.range[1])[1];
  return atStart ? d : negate(d);
}
function edgesAt(b: Body): Map<number, number[]> {
  const { uses } = topologyOf(b);
  const at = new Map<number, number[]>();
  b.edges.forEach((e, i) => {
    if (e.degenerate || !uses[i].length) return;
    for (const v of new Set([e.start, e.end])) at.set(v, [...(at.get(v) ?? []), i]);
  });
  return at;
}

/** Edges that run on smoothly from the given one at both ends, in running order. At a branching only the straightest way within 5 degrees counts. */
export function tangentChain(b: Body, edge: number): EdgeChain {
  const at = edgesAt(b);
  const out = [{ edge, reversed: false }];
  const seen = new Set([edge]);
  let closed = b.edges[edge].start === b.edges[edge].end;
  for (const forward of [true, false])
    while (!closed) {
      const tip = forward ? out[out.length - 1] : out[0];
      const e = b.edges[tip.edge];
      const tipAtStart = forward === tip.reversed;
      const v = tipAtStart ? e.start : e.end;
      const arriving = negate(leaving(b, tip.edge, tipAtStart));
      let best: { edge: number; atStart: boolean; angle: number } | undefined;
      for (const next of at.get(v) ?? [])
        for (const atStart of [true, false]) {
          if ((atStart ? b.edges[next].start : b.edges[next].end) !== v || (next === tip.edge && atStart === tipAtStart)) continue;
          const angle = angleBetween(arriving, leaving(b, next, atStart)) / DEG;
          if (angle < SMOOTH_EDGE && (!best || angle < best.angle)) best = { edge: next, atStart, angle };
        }
      if (!best) break;
      if (seen.has(best.edge)) {
        const far = forward ? out[0] : out[out.length - 1];
        closed = best.edge === far.edge;
        break;
      }
      seen.add(best.edge);
      if (forward) out.push({ edge: best.edge, reversed: !best.atStart });
      else out.unshift({ edge: best.edge, reversed: best.atStart });
    }
  return { edges: out, closed };
}

/** Edges of an unordered connected set in running order, starting at `first`. */
function runOf(b: Body, set: readonly number[], first: number): EdgeChain {
  const rest = new Set(set.filter((e) => e !== first));
  const out = [{ edge: first, reversed: false }];
  for (const forward of [true, false])
    for (;;) {
      const tip = forward ? out[out.length - 1] : out[0];
      const v = forward === tip.reversed ? b.edges[tip.edge].start : b.edges[tip.edge].end;
      const next = [...rest].find((e) => b.edges[e].start === v || b.edges[e].end === v);
      if (next === undefined) break;
      rest.delete(next);
      const atStart = b.edges[next].start === v;
      if (forward) out.push({ edge: next, reversed: !atStart });
      else out.unshift({ edge: next, reversed: atStart });
    }
  const [a, z] = [out[0], out[out.length - 1]];
  const start = a.reversed ? b.edges[a.edge].end : b.edges[a.edge].start;
  const end = z.reversed ? b.edges[z.edge].start : b.edges[z.edge].end;
  return { edges: out, closed: start === end };
}

/** The whole loop of a face that holds the edge: the first face of the edge, in the loop's own order. */
export function loopChain(b: Body, edge: number): EdgeChain {
  const use = topologyOf(b).uses[edge][0];
  if (!use) return { edges: [{ edge, reversed: false }], closed: false };
  const loop = b.faces[use.face].loops[use.loop].filter((u) => !b.edges[u.edge].degenerate);
  const k = Math.max(
    0,
    loop.findIndex((u) => u.edge === edge),
  );
  const turned = [...loop.slice(k), ...loop.slice(0, k)];
  return runOf(b, [...new Set(turned.map((u) => u.edge))], edge);
}
/** The rim that holds the edge; undefined when the edge is no rim. */
export function rimChain(b: Body, edge: number): EdgeChain | undefined {
  const chain = rimChains(b).find((c) => c.includes(edge));
  return chain && runOf(b, chain, edge);
}
export function growEdge(b: Body, edge: number, way: GrowWay): EdgeChain | undefined {
  return way === 'chain' ? tangentChain(b, edge) : way === 'loop' ? loopChain(b, edge) : way === 'rim' ? rimChain(b, edge) : undefined;
}

/** Faces that are reached from one over seams with less than a degree of kink, itself first. */
export function smoothFaces(b: Body, face: number): number[] {
  const { uses, seams } = topologyOf(b);
  const next = new Map<number, Set<number>>();
  for (const i of seams) {
    const [p, q] = uses[i];
    if (p.face === q.face) continue;
    const e = b.edges[i];
    const smooth = [0.15, 0.5, 0.85].every((k) => {
      const t = e.range[0] + (e.range[1] - e.range[0]) * k;
      const [n, m] = [p, q].map((u) => faceNormal(b.faces[u.face], ...useUV(b.faces[u.face], u.use, t)));
      return angleBetween(n, m) / DEG < SMOOTH_FACE;
    });
    if (!smooth) continue;
    for (const [x, y] of [
      [p.face, q.face],
      [q.face, p.face],
    ])
      next.set(x, (next.get(x) ?? new Set()).add(y));
  }
  const out = [face];
  for (const f of out) for (const n of next.get(f) ?? []) if (!out.includes(n)) out.push(n);
  return out;
}
