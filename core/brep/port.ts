/**
 * The one door to the B-rep kernel: bodies in, bodies with names out. Every result passes the gate; a result that does not is an error
 * with the reason, never a shape.
 */
import { boxSize } from '../math/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';
import { type Body, bodyBox, combineBodies, type Edge, type Face, subBody, topologyOf, withShells } from './body.ts';
import { inspect } from './gate.ts';
import { massProperties } from './mass.ts';
import { measuredTolerances, type ReadResult, readText } from './occt/read.ts';
import { visitOrder, writeText } from './occt/write.ts';
import { exactSeams, refitEdges } from './refit.ts';
import { type CallOptions, type IndexMap, KernelError, type KernelService } from './service.ts';

const texts = new WeakMap<Body, string>();
/** Kernel text of a body, kept for as long as the body lives. */
export function textOf(b: Body): string {
  let t = texts.get(b);
  if (!t) texts.set(b, (t = writeText(b)));
  return t;
}

/** Puts names on a read-back result: children carry their parent's name; several children get ordinals by position. */
function named(
  r: ReadResult,
  inputs: readonly Body[],
  map: IndexMap,
  extra: { faces?: Map<number, string>; edges?: Map<number, string> } = {},
): Body {
  const faceName = new Map<number, { name: string; colour?: string }>();
  const edgeName = new Map<number, string>();
  inputs.forEach((b, k) => {
    const order = visitOrder(b);
    map.faces[k]?.forEach((kids, i) => {
      const f = b.faces[order.faces[i]];
      for (const c of kids) if (!faceName.has(c) && f) faceName.set(c, { name: f.name, colour: f.colour });
    });
    map.edges[k]?.forEach((kids, i) => {
      const e = b.edges[order.edges[i]];
      for (const c of kids) if (!edgeName.has(c) && e) edgeName.set(c, e.name);
    });
  });
  for (const [i, n] of extra.faces ?? []) if (!faceName.has(i)) faceName.set(i, { name: n });
  for (const [i, n] of extra.edges ?? []) edgeName.set(i, n);
  const faces = r.body.faces.map((f, i): Face => ({ ...f, ...(faceName.get(r.faceOrder[i]) ?? { name: `new:${r.faceOrder[i]}` }) }));
  const edges = r.body.edges.map((e, i): Edge => ({ ...e, name: edgeName.get(r.edgeOrder[i]) ?? `new.${r.edgeOrder[i]}` }));
  return { ...r.body, faces, edges };
}

const gated = (b: Body, expect: Parameters<typeof inspect>[1], what: string): Body => {
  const g = inspect(b, expect);
  if (!g.ok) throw new KernelError(`${what} was not accepted: ${g.reasons.join('; ')}`);
  return b;
};

export interface SplitResult {
  readonly body: Body;
  /** Edges of `body` that were made by the cut. */
  readonly cut: readonly number[];
  /** The cutter touched the target but ended inside it. */
  readonly short: boolean;
}
/** Splits a skin or solid by tool bodies. Nothing is removed; area must be kept. */
export async function splitBody(
  kernel: KernelService,
  target: Body,
  tools: readonly Body[],
  tolerance: number,
  cutterName: string,
  options?: CallOptions,
): Promise<SplitResult> {
  const area = massProperties(target, undefined, true).area;
  let last: unknown;
  for (const fuzzy of [0, tolerance]) {
    try {
      const r = await kernel.run('split', { targets: [textOf(target)], tools: tools.map(textOf), fuzzy }, options);
      const read = readText(r.text);
      const born = new Map<number, string>();
      const cutters = new Map<number, NurbsSurface>();
      const visited = visitOrder(target).faces;
      for (const e of r.born) {
        const tool = tools[e.tool];
        const f = tool?.faces[visitOrder(tool).faces[e.toolFace]];
        if (f) cutters.set(e.edge, f.surface);
        born.set(e.edge, `${cutterName}.cut(${target.faces[visited[e.face]]?.name})`);
      }
      const raw = named(read, [target], r.map, { edges: born });
      const cut = raw.edges.map((_, i) => i).filter((i) => born.has(read.edgeOrder[i]));
      const body = measuredTolerances(refitEdges(raw, cut, 0.005 * tolerance, (i) => cutters.get(read.edgeOrder[i])));
      if (target.solids.length === 0) gated(body, { area, tolerance: Math.max(50 * tolerance, 1.5 * maxTolerance(target)) }, 'The split');
      return { body: target.solids.length ? body : withShells(body), cut, short: r.born.length > 0 && cut.length === 0 };
    } catch (e) {
      if (e instanceof KernelError && e.kind !== 'refused') throw e;
      last = e;
    }
  }
  throw last;
}
const maxTolerance = (b: Body) => b.edges.reduce((m, e) => Math.max(m, e.tolerance), 0);

export interface SewResult {
  readonly body: Body;
  readonly free: number;
  readonly multiple: number;
}
/** Joins faces along edges that lie within `tolerance` of each other. Geometry does not move: gaps become edge tolerance. */
export async function sewBodies(
  kernel: KernelService,
  bodies: readonly Body[],
  tolerance: number,
  options?: CallOptions,
): Promise<SewResult> {
  // faces go in one by one, so that each keeps its place in the history
  const single = bodies.flatMap((b) => b.faces.map((_, i) => subBody(b, [i])));
  const area = single.reduce((s, b) => s + massProperties(b, undefined, true).area, 0);
  const r = await kernel.run('sew', { inputs: single.map(textOf), tolerance, nonManifold: false }, options);
  const body = withShells(named(readText(r.text), single, r.map));
  const size = boxSize(bodyBox(combineBodies(bodies)));
  const g = inspect(body, { tolerance: Math.max(1.1 * tolerance, 1e-6 * size) });
  if (body.faces.length !== single.length) throw new KernelError(`Knitting gave ${body.faces.length} faces out of ${single.length}`);
  if (Math.abs(g.area - area) > 1e-4 * area) throw new KernelError('Knitting changed the area of the skin');
  return { body, free: r.free, multiple: r.multiple };
}

/** Offset faces meet in curves of many hundred points, or beside their faces: these are fitted anew, on both faces where they cross. */
function lighter(raw: Body, tolerance: number): Body {
  const b = exactSeams(raw);
  const { uses } = topologyOf(b);
  const heavy = b.edges.flatMap((e, i) =>
    e.tolerance > 0.02 * tolerance ||
    e.curve.control.length > 4 * HEAVY ||
    uses[i].some((u) => u.use.pcurve.curve.control.length > 3 * HEAVY)
      ? [i]
      : [],
  );
  const other = (i: number) => (uses[i].length === 2 && uses[i][0].face !== uses[i][1].face ? b.faces[uses[i][1].face].surface : undefined);
  return heavy.length || b !== raw ? measuredTolerances(refitEdges(b, heavy, 0.01 * tolerance, other)) : b;
}
const HEAVY = 150;

/** A solid with a wall: from an open skin (both sides and rims) or a solid with open faces. Offset faces come back as fitted NURBS. */
export async function thickBody(
  kernel: KernelService,
  input: Body,
  distance: number,
  openFaces: readonly number[],
  corner: 'sharp' | 'round',
  tolerance: number,
  options?: CallOptions,
): Promise<Body> {
  const sheet = input.solids.length === 0;
  const visited = visitOrder(input).faces;
  const methods: ('simple' | 'join')[] = sheet ? ['simple', 'join'] : ['join'];
  let last: unknown;
  for (const method of methods) {
    try {
      const r = await kernel.run(
        'thick',
        { input: textOf(input), distance, openFaces: openFaces.map((f) => visited.indexOf(f)), method, corner, tolerance },
        options,
      );
      const made = new Map<number, string>();
      r.made.forEach((list, i) => {
        for (const k of list) made.set(k, `${input.faces[visited[i]].name}.inner`);
      });
      return lighter(named(readText(r.text, tolerance * 0.01), [input], r.map, { faces: made }), tolerance);
    } catch (e) {
      if (e instanceof KernelError && e.kind !== 'refused') throw e;
      last = e;
    }
  }
  throw last;
}

/** The whole skin of a body moved along its normals. */
export async function offsetBody(
  kernel: KernelService,
  input: Body,
  distance: number,
  corner: 'sharp' | 'round',
  tolerance: number,
  options?: CallOptions,
): Promise<Body> {
  const r = await kernel.run('offset', { input: textOf(input), distance, method: 'join', corner, tolerance }, options);
  const made = new Map<number, string>();
  const visited = visitOrder(input).faces;
  r.made.forEach((list, i) => {
    for (const k of list) made.set(k, `${input.faces[visited[i]].name}.inner`);
  });
  return lighter(named(readText(r.text, tolerance * 0.01), [], { faces: [], edges: [] }, { faces: made }), tolerance);
}

/** Two solids combined by the kernel; an empty body when nothing is left. */
export async function booleanByKernel(
  kernel: KernelService,
  first: Body,
  second: Body,
  kind: 'union' | 'subtract' | 'intersect',
  tolerance: number,
  options?: CallOptions,
): Promise<Body> {
  const r = await kernel.run('boolean', { first: [textOf(first)], second: [textOf(second)], kind, fuzzy: 0 }, options);
  return lighter(named(readText(r.text), [first, second], r.map), tolerance);
}

/**
 * Edges rounded (a rolling ball) or cut flat by the kernel, also where several meet in a corner. It hands out shapes for sizes that do not
 * fit, so the result has to be valid, closed where the input was, and no looser than its fits.
 */
export async function filletByKernel(
  kernel: KernelService,
  input: Body,
  edges: readonly number[],
  size: number,
  kind: 'round' | 'flat',
  name: string,
  tolerance: number,
  options?: CallOptions,
): Promise<Body> {
  const visited = visitOrder(input).edges;
  const r = await kernel.run('fillet', { input: textOf(input), edges: edges.map((e) => visited.indexOf(e)), size, kind }, options);
  const made = new Map<number, string>();
  r.made.forEach((list, i) => {
    for (const k of list) made.set(k, `${name}:fillet.${i}`);
  });
  const b = lighter(named(readText(r.text), [input], r.map, { faces: made }), tolerance);
  const faces = b.faces.map((f) => (f.name.startsWith('new:') ? { ...f, name: `${name}:corner.${f.name.slice(4)}` } : f));
  const out = { ...b, faces };
  if (input.solids.length && (out.solids.length !== input.solids.length || topologyOf(out).rims.length))
    throw new KernelError('the fillet does not close the solid');
  gated(out, { tolerance: Math.max(20 * tolerance, 1.5 * maxTolerance(input)) }, 'The fillet');
  const verdict = await checkBody(kernel, out, options);
  if (!verdict.valid) throw new KernelError('the fillet crosses itself or leaves its faces');
  return out;
}

/** The kernel's yes or no per face. */
export async function checkBody(kernel: KernelService, b: Body, options?: CallOptions): Promise<{ valid: boolean; badFaces: number[] }> {
  const r = await kernel.run('check', { input: textOf(b) }, options);
  const { faces } = visitOrder(b);
  return { valid: r.valid, badFaces: r.badFaces.map((f) => faces[f]) };
}
