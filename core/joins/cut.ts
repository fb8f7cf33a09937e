import {
  type Body,
  bodyBox,
  combineBodies,
  KernelError,
  type KernelService,
  massProperties,
  nearestOn,
  splitBody,
  subBody,
  topologyOf,
  traceTangent,
} from '../brep/index.ts';
import { dot, sub, type Vec3 } from '../math/index.ts';
import { closestOnSurface, surfaceNormal } from '../nurbs/index.ts';
import { evenOdd } from '../proof/inside-face.ts';
import { type CutRegion, cutRegions, regionsAt } from './regions.ts';
import { splitByTools, type Unsplit } from './split.ts';

export interface CutContext {
  readonly stepId: string;
  readonly tolerance: number;
  readonly kernel: KernelService;
  readonly signal?: AbortSignal;
  readonly limit?: number;
}
export interface CutProblem {
  readonly problem: string;
  readonly short: boolean;
  /** Nothing of the tool meets the target. */
  readonly missed?: boolean;
  readonly place?: Vec3[];
}
/** What a cut left, and what of it is kept. */
export interface Kept {
  readonly body: Body;
  readonly kept: Body;
  readonly regions: readonly { region: CutRegion; body: Body }[];
  readonly keptIndex: ReadonlySet<number>;
  readonly told: CutTold;
}
/**
 * Cuts a skin or solid and keeps pieces: those clicked (the largest when none is), those on one side of the first tool, or all. A cut that
 * does not part the target is a problem with the place; `short` tells that the cutter ended inside.
 */
export async function cutAndKeep(
  target: Body,
  tools: readonly Body[],
  keep: 'picked' | 'front' | 'behind' | 'all',
  places: readonly Vec3[],
  context: CutContext,
): Promise<Kept | CutProblem> {
  const own = ownSplit(target, tools, context);
  let why = 'why' in own ? own.why : '';
  if (!('why' in own)) {
    const r = keepPieces(target, tools, own, keep, places);
    if ('problem' in r || addsUp(target, r)) return r;
    why = 'the pieces do not add up to the whole';
  }
  try {
    return keepPieces(target, tools, await kernelSplit(target, tools, context, why), keep, places);
  } catch (e) {
    if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
    return {
      short: false,
      problem: `The cut cannot be followed surely (${why}), and the kernel's was not accepted either: ${e.message}. Move the cutter by a little`,
      place: 'at' in own && own.at ? [own.at] : undefined,
    };
  }
}
/** Clicked places by the target they lie on. */
export function placesByTarget(targets: readonly Body[], places: readonly Vec3[]): Vec3[][] {
  const out: Vec3[][] = targets.map(() => []);
  for (const p of places) {
    const d = targets.length > 1 ? targets.map((t) => nearestOn(t, p)?.distance ?? Number.POSITIVE_INFINITY) : [0];
    out[d.indexOf(Math.min(...d))].push(p);
  }
  return out;
}
/** Nothing is lost by a cut: what the pieces have is what the whole had. */
function addsUp(target: Body, r: Kept): boolean {
  const whole = massProperties(target, undefined, true);
  if (!target.solids.length) return Math.abs(r.regions.reduce((s, x) => s + x.region.area, 0) - whole.area) < 1e-6 * whole.area;
  const volume = r.regions.reduce((s, x) => s + massProperties(x.body, undefined, true).volume, 0);
  return Math.abs(volume - whole.volume) < 1e-6 * Math.abs(whole.volume);
}
/** How a cut was made, and what it saw. */
export interface CutTold {
  /** Where target and tool touch without crossing. */
  readonly touches: readonly { readonly at: Vec3; readonly gap: number }[];
  /** Why the kernel had to make it; undefined when it was not needed. */
  readonly kernel?: string;
  /** How far new edges may lie beside their faces, mm. */
  readonly off: number;
}

function keepPieces(
  target: Body,
  tools: readonly Body[],
  { body, cut, short, ...told }: SplitTold,
  keep: 'picked' | 'front' | 'behind' | 'all',
  places: readonly Vec3[],
): Kept | CutProblem {
  if (!cut.length && (!target.solids.length || body.solids.length < 2))
    return {
      short,
      missed: !short,
      problem: short
        ? 'The cutter is too short: it ends inside the skin and does not part it. Extend it or use a longer one'
        : told.touches.length
          ? `The cutter touches the skin (within ${Number(Math.max(...told.touches.map((t) => Math.abs(t.gap))).toPrecision(2))} mm) but does not cross it: nothing was cut. Move it`
          : 'The cutter does not reach the skin: nothing was cut. Move it',
      place: told.touches.length ? told.touches.map((t) => t.at) : [massProperties(target, undefined, true).areaCentre],
    };
  let regions: { region: CutRegion; body: Body }[];
  if (target.solids.length) {
    regions = body.solids.map((shells) => {
      const faces = shells.flatMap((s) => body.shells[s].faces);
      const part = subBody(body, faces);
      const whole: Body = { ...part, solids: [part.shells.map((_, i) => i)] };
      const m = massProperties(body, faces, true);
      return { region: { faces, area: m.area, at: m.centre, centre: m.centre }, body: whole };
    });
  } else {
    const list = cutRegions(body, cut);
    if (list.length < 2) {
      const e = body.edges[cut[0]];
      return {
        short: true,
        problem: 'The cut ends inside the skin and does not part it: the cutter is too short. Extend it or use a longer one',
        place: [body.vertices[e.start].point, body.vertices[e.end].point],
      };
    }
    regions = list.map((region) => ({ region, body: subBody(body, region.faces) }));
  }
  regions.sort((a, b) => b.region.area - a.region.area);
  const keptIndex = new Set<number>();
  if (keep === 'all') regions.forEach((_, i) => keptIndex.add(i));
  else if (keep === 'picked') {
    if (places.length)
      for (const i of regionsAt(
        body,
        regions.map((r) => r.region),
        places,
      ))
        keptIndex.add(i);
    else keptIndex.add(0);
  } else {
    regions.forEach((r, i) => {
      if (inFront(r.region.at, tools[0]) === (keep === 'front')) keptIndex.add(i);
    });
    if (!keptIndex.size)
      return { short: false, problem: `No piece lies ${keep === 'front' ? 'in front of' : 'behind'} the cutter: choose the other side` };
  }
  const chosen = [...keptIndex].map((i) => regions[i]);
  const kept = target.solids.length
    ? mergeSolids(chosen.map((c) => c.body))
    : subBody(
        body,
        chosen.flatMap((c) => [...c.region.faces]),
      );
  return { body, kept, regions, keptIndex, told };
}
const mergeSolids = (list: Body[]): Body => (list.length === 1 ? list[0] : combineBodies(list));

function inFront(at: Vec3, tool: Body): boolean {
  let best: { d: number; side: number } = { d: Infinity, side: 0 };
  for (const f of tool.faces) {
    const foot = closestOnSurface(f.surface, at);
    const n = surfaceNormal(f.surface, foot.u, foot.v);
    const v = sub(at, foot.point);
    const side = dot(v, f.reversed ? ([-n[0], -n[1], -n[2]] as Vec3) : n);
    if (foot.distance < best.d) best = { d: foot.distance, side };
  }
  return best.side > 0;
}

type SplitTold = { readonly body: Body; readonly cut: readonly number[]; readonly short: boolean } & CutTold;
/** The kernel's split, where ours cannot follow a curve surely. */
async function kernelSplit(target: Body, tools: readonly Body[], context: CutContext, why: string): Promise<SplitTold> {
  const { kernel, tolerance, stepId, signal, limit } = context;
  const r = await splitBody(kernel, target, tools, tolerance, stepId, { signal, limit });
  const told = { touches: [], kernel: why, off: r.cut.reduce((m, e) => Math.max(m, r.body.edges[e].tolerance), 0) };
  if (target.solids.length) return { ...r, ...told };
  // edges that were rims of the target already are no cuts
  const { uses } = topologyOf(r.body);
  const cut = r.cut.filter((e) => uses[e].length > 0);
  const before = lyingOn(r.body, tools, tolerance, new Set([...cut, ...uses.flatMap((u, e) => (u.length < 2 ? [e] : []))]));
  return { body: r.body, cut: [...cut, ...before], short: r.short && !before.length, ...told };
}
/** How near new edges come to their faces, as a share of the model's tolerance. */
const FIT = 9e-4;
function ownSplit(target: Body, tools: readonly Body[], { tolerance, stepId, signal }: CutContext): SplitTold | Unsplit {
  try {
    const r = splitByTools(target, tools, { fit: FIT * tolerance, name: stepId, pause: () => signal?.throwIfAborted() });
    if (!r.ok) return r;
    return { body: r.body, cut: r.cut, short: r.loose.length > 0 && !r.cut.length, touches: r.touches, off: r.off };
  } catch (e) {
    if (signal?.aborted) throw e;
    return { ok: false, why: e instanceof Error ? e.message : String(e) };
  }
}

/** Edges that were there before the cut and lie on a tool all along: it cuts along them too, as along the seam of a closed face. */
function lyingOn(b: Body, tools: readonly Body[], tolerance: number, known: ReadonlySet<number>): number[] {
  const boxes = tools.map(bodyBox);
  const on = (p: Vec3) =>
    tools.some((t, k) => {
      if (p.some((x, d) => x < boxes[k].min[d] - tolerance || x > boxes[k].max[d] + tolerance)) return false;
      return t.faces.some((f, i) => {
        const foot = closestOnSurface(f.surface, p);
        return foot.distance <= tolerance && evenOdd(t, i, foot.u, foot.v);
      });
    });
  return b.edges.flatMap((e, i) => {
    if (known.has(i) || e.degenerate) return [];
    const [from, to] = e.range;
    return [0.5, 0.1, 0.3, 0.7, 0.9].every((s) => on(traceTangent(e, from + s * (to - from))[0])) ? [i] : [];
  });
}
