import { type Body, Border, edgeCurve, edgePoint, flipBody, Neighbour, orderChain, surfaceBody, topologyOf } from '../brep/index.ts';
import { knitBodies } from '../joins/index.ts';
import { angleBetween, DEG, distance, length, sub, type Vec3 } from '../math/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';
import { blend, weave } from '../skins/index.ts';

type Chain = readonly number[];
/** What goes on smoothly leads to the other side within this angle, degrees. */
const HEADS = 60;
const free = [{ kind: 'free' }, { kind: 'free' }] as const;
const borderOf = (b: Body, chain: Chain) => new Border(chain.map((edge) => ({ body: b, edge, part: [0, 1] as const, side: 0 as const })));
const bodyOf = (s: NurbsSurface, name: string): Body =>
  surfaceBody(s, { prefix: name, face: (i, j, n, m) => (n * m > 1 ? `${name}.${i}.${j}` : name) }).body;

/** The body with the filling knitted in, when all the given rims are closed by it and nothing else comes open. */
export function closedBy(b: Body, filling: Body, rims: number, tolerance: number): Body | undefined {
  const knit = (x: Body) => {
    const { body } = knitBodies([b, x], tolerance);
    return topologyOf(body).rims.length <= topologyOf(b).rims.length - rims ? body : undefined;
  };
  const first = knit(filling);
  return first && turnedIn(first, new Set(filling.faces.map((f) => f.name))) ? knit(flipBody(filling)) : first;
}
/** Does the outside of the named faces go on as the inside of those they meet? */
function turnedIn(b: Body, names: ReadonlySet<string>): boolean {
  let [same, against] = [0, 0];
  for (const uses of topologyOf(b).uses) {
    if (uses.length !== 2) continue;
    const own = uses.filter((u) => names.has(b.faces[u.face].name)).length;
    if (own !== 1) continue;
    const [x, y] = uses.map((u) => u.use.reversed !== b.faces[u.face].reversed);
    if (x === y) same++;
    else against++;
  }
  return same > against;
}
/** Largest angle, in degrees, between how the skin behind a border goes on and the way to the other border. */
function heading(from: Border, to: Border): number {
  let worst = 0;
  for (let i = 0; i < 16; i++) {
    const s = (i + 0.5) / 16;
    const p = from.place(s).point;
    const way = sub(to.place(to.nearest(p)).point, p);
    if (length(way) < 1e-9) continue;
    worst = Math.max(worst, angleBetween(from.jet(s).away, way) / DEG);
  }
  return worst;
}

/** A smooth strip between two closed rims whose skins lead to each other, with the curvature of both. */
export function bridge(b: Body, first: Chain, second: Chain, name: string): Body | undefined {
  const [p, q] = [borderOf(b, first), borderOf(b, second)];
  if (!p.closed || !q.closed || !p.held || !q.held || heading(p, q) > HEADS || heading(q, p) > HEADS) return undefined;
  const side = (border: Border) => ({ border, grade: 2 as const, reach: () => 1 });
  const r = blend(side(p), side(q), { aim: { gap: 1e-4, kink: 0.01, step: 0.5 }, across: 'best', ends: free });
  return r.ok ? bodyOf(r.result.surface, name) : undefined;
}

/** A strip of straight lines over a rim with two straight edges across from each other: as walls have them. */
export function straightStrip(b: Body, chain: Chain, name: string, tolerance: number): Body | undefined {
  const ordered = orderChain(chain, b.edges);
  if (!ordered || ordered.length < 4) return undefined;
  const n = ordered.length;
  const lengthOf = ordered.map(({ edge }) => {
    const e = b.edges[edge];
    return distance(edgePoint(e, e.range[0]), edgePoint(e, e.range[1]));
  });
  const straight = ordered.map(({ edge }, i) => lengthOf[i] > 10 * tolerance && offChord(b, edge) <= tolerance / 10);
  const pairs: [number, number][] = [];
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) if (straight[i] && straight[j] && !(i === 0 && j === n - 1)) pairs.push([i, j]);
  pairs.sort((x, y) => lengthOf[x[0]] + lengthOf[x[1]] - lengthOf[y[0]] - lengthOf[y[1]]);
  for (const [i, j] of pairs.slice(0, 4)) {
    const one = ordered.slice(i + 1, j).map((x) => x.edge);
    const other = [...ordered.slice(j + 1), ...ordered.slice(0, i)].map((x) => x.edge);
    // lines that are sides of a wall are shorter than what they span
    const span = Math.min(...[one, other].map((c) => borderOf(b, c).total));
    if (Math.max(lengthOf[i], lengthOf[j]) > 2 * span) continue;
    const side = (c: Chain) => ({ border: borderOf(b, c), grade: 0 as const, reach: () => 1 });
    const r = blend(side(one), side(other), { aim: { gap: 1e-5, kink: 1, step: 100 }, across: 'best', ends: free });
    if (!r.ok) continue;
    const made = bodyOf(r.result.surface, name);
    if (closedBy(b, made, n, tolerance)) return made;
  }
  return undefined;
}
/** How far an edge leaves the chord of its ends, mm. */
function offChord(b: Body, edge: number): number {
  const e = b.edges[edge];
  const at = (s: number) => edgePoint(e, e.range[0] + (e.range[1] - e.range[0]) * s);
  const [p, q] = [at(0), at(1)];
  const l = distance(p, q);
  let worst = 0;
  for (let i = 1; i < 24; i++) {
    const x = at(i / 24);
    const s = l > 0 ? ((x[0] - p[0]) * (q[0] - p[0]) + (x[1] - p[1]) * (q[1] - p[1]) + (x[2] - p[2]) * (q[2] - p[2])) / (l * l) : 0;
    worst = Math.max(worst, distance(x, [0, 1, 2].map((d) => p[d] + s * (q[d] - p[d])) as unknown as Vec3));
  }
  return worst;
}

/** A skin woven over a rim of four edges, with the curvature of the skins that lead into it. */
export function wovenStrip(b: Body, chain: Chain, name: string, tolerance: number): Body | undefined {
  const ordered = orderChain(chain, b.edges);
  if (ordered?.length !== 4) return undefined;
  const borders = ordered.map(({ edge }) => borderOf(b, [edge]));
  if (!borders.every((x) => x.held)) return undefined;
  const leads = borders.map((x, i) => heading(x, borders[(i + 2) % 4]) < HEADS);
  // where no two sides lead to each other, nothing tells what lay between
  if (!(leads[0] && leads[2]) && !(leads[1] && leads[3])) return undefined;
  const r = weave(
    ordered.map(({ edge, reversed }, i) => ({
      curve: edgeCurve(b.edges[edge]),
      meets: leads[i] ? { kind: 'neighbour' as const, neighbour: new Neighbour(b, [{ edge, reversed }]), grade: 2 as const } : undefined,
    })),
    { gap: tolerance, tolerance: tolerance / 10 },
  );
  if (!r.ok || r.result.miss > tolerance || r.result.clashes.some((c) => c.angle > 1)) return undefined;
  const made = bodyOf(r.result.surface, name);
  return closedBy(b, made, 4, tolerance) ? made : undefined;
}
