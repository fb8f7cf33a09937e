import { type Body, Border, topologyOf, useUV, withShells } from '@ample-skin/core/brep';
import type { Frame } from '@ample-skin/core/math';
import { domainU, domainV, isoU, isoV, type NurbsCurve, type NurbsSurface } from '@ample-skin/core/nurbs';
import { blend, matchTo, patchRim } from '@ample-skin/core/skins';
import { readText } from '../core/brep/occt/read.ts';
import { visitOrder, writeText } from '../core/brep/occt/write.ts';
import { NEIGHBOUR_SHAPES, naturalNeighbour, placedSurface, shapeSurface, trimmedNeighbour, wavySkin } from '../core/testing/neighbours.ts';
import { randomOpening, steepOpening } from '../core/testing/openings.ts';
import { trueSeam } from '../core/testing/true-seam.ts';
import { kernelCurve, oc, progress } from './kernel.ts';

/**
 * The standard set: blends, matches and patches over analytic and free-form neighbours, beside the kernel's filling tool at its best settings
 * (degree 4, 20 points, 3 rounds, degree at most 8, 40 segments, 1e-5 mm / 1e-3, G1). Its free borders are those of our own surface. Every seam is measured from the neighbour's side, by a
 * way that shares no code with either. Usage: npm run bench:seams
 */
interface Side {
  readonly body: Body;
  readonly edge: number;
  readonly grade: 0 | 1 | 2;
}
interface Numbers {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly points: number;
  readonly ms: number;
}
/** Worst of the sides, each from its own edge: the place on the neighbour is known there, the foot on the filling is looked for. */
function worst(sides: readonly Side[], filling: NurbsSurface): Omit<Numbers, 'points' | 'ms'> {
  const out = { gap: 0, kink: 0, step: 0 };
  for (const { body, edge, grade } of sides) {
    const ref = topologyOf(body).uses[edge][0];
    const [f, e] = [body.faces[ref.face], body.edges[edge]];
    const m = trueSeam(f.surface, (s) => useUV(f, ref.use, e.range[0] + (e.range[1] - e.range[0]) * (0.002 + 0.996 * s)), filling, 41);
    out.gap = Math.max(out.gap, m.gap);
    if (grade > 0) out.kink = Math.max(out.kink, m.kink);
    if (grade > 1) out.step = Math.max(out.step, m.step);
  }
  return out;
}
const points = (s: NurbsSurface) => s.countU * s.countV;

/** The kernel's filling between edges with their faces and free curves. */
function kernelFill(sides: readonly Side[], free: readonly NurbsCurve[]): NurbsSurface {
  const op = new oc.BRepOffsetAPI_MakeFilling(4, 20, 3, false, 1e-5, 1e-5, 1e-3, 0.1, 8, 40);
  const shapes = new Map<Body, { edges: unknown[]; faces: unknown[]; order: ReturnType<typeof visitOrder> }>();
  const found = (b: Body) => {
    let x = shapes.get(b);
    if (x) return x;
    const shape = oc.BRepToolsWrapper.Read(writeText(b));
    const list = (kind: string) => {
      const all: { IsSame: (o: unknown) => boolean }[] = [];
      for (const e = new oc.TopExp_Explorer(shape, kind, 'TopAbs_SHAPE'); e.More(); e.Next()) {
        const c = e.Current();
        if (!all.some((y) => y.IsSame(c))) all.push(c);
      }
      return all;
    };
    x = { edges: list('TopAbs_EDGE'), faces: list('TopAbs_FACE'), order: visitOrder(b) };
    shapes.set(b, x);
    return x;
  };
  for (const { body, edge, grade } of sides) {
    const x = found(body);
    const e = oc.TopoDS.Edge(x.edges[x.order.edges.indexOf(edge)]);
    const face = topologyOf(body).uses[edge][0].face;
    const f = oc.TopoDS.Face(x.faces[x.order.faces.indexOf(face)]);
    op.Add(e, f, grade > 0 ? 'GeomAbs_G1' : 'GeomAbs_C0', true);
  }
  for (const c of free) op.Add(new oc.BRepBuilderAPI_MakeEdge(kernelCurve(c)).Edge(), 'GeomAbs_C0', true);
  op.Build(progress());
  if (!op.IsDone()) throw new Error('the filling could not be built');
  return readText(oc.BRepToolsWrapper.Write(op.Shape()), 1e-6).body.faces[0].surface;
}
function timed<T>(make: () => T): { value: T; ms: number } {
  const start = performance.now();
  const value = make();
  return { value, ms: performance.now() - start };
}

const here: Frame = { origin: [30, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const there: Frame = { origin: [-20, 3, -25], x: [-0.8, 0, -0.6], y: [0, 1, 0], z: [-0.6, 0, 0.8] };
const wave = [
  [0.12, 0.1],
  [0.3, 0.4],
  [0.05, 0.6],
  [0.2, 0.9],
] as const;
const wave2 = [
  [0.15, 0.1],
  [0.05, 0.4],
  [0.3, 0.6],
  [0.1, 0.9],
] as const;
const border = (s: Side) => new Border([{ body: s.body, edge: s.edge, part: [0, 1], side: 0 }]);
const aim = { gap: 2e-4, kink: 0.007, step: 0.35 };

interface Case {
  readonly name: string;
  readonly sides: readonly Side[];
  /** Free borders, as the filling tool gets them: those of our own surface. */
  readonly free: (ours: NurbsSurface) => readonly NurbsCurve[];
  readonly ours: () => NurbsSurface;
}
const cases: Case[] = [];
for (const mode of ['natural', 'trimmed'] as const)
  for (const a of NEIGHBOUR_SHAPES)
    for (const b of ['plane', 'sphere', 'wavy'] as const) {
      const [sa, sb] = [shapeSurface(a, here), shapeSurface(b, there)];
      const made =
        mode === 'natural' ? [naturalNeighbour(sa), naturalNeighbour(sb)] : [trimmedNeighbour(sa, wave), trimmedNeighbour(sb, wave2)];
      const sides = made.map((m): Side => ({ ...m, grade: 2 }));
      cases.push({
        name: `blend ${mode} ${a}-${b}`,
        sides,
        free: (x) => [isoV(x, domainV(x)[0]), isoV(x, domainV(x)[1])],
        ours: () => {
          const [x, y] = sides.map((s) => ({ border: border(s), grade: 2 as const, reach: () => 1 }));
          const r = blend(x, y, { aim, across: 'best', ends: [{ kind: 'free' }, { kind: 'free' }] });
          if (!r.ok) throw new Error(r.message);
          return r.result.surface;
        },
      });
    }
const back: Frame = { origin: [0, 0, 0], x: [-1, 0, 0], y: [0, -1, 0], z: [0, 0, 1] };
const beside: Frame = { origin: [12, 1, 4], x: [0.97, 0, 0.243], y: [0, 1, 0], z: [-0.243, 0, 0.97] };
const skin = placedSurface(wavySkin(1.5), beside);
for (const shape of NEIGHBOUR_SHAPES)
  for (const mode of ['natural', 'trimmed'] as const) {
    const s = shapeSurface(shape, back);
    const side: Side = { ...(mode === 'natural' ? naturalNeighbour(s) : trimmedNeighbour(s, wave)), grade: 2 };
    cases.push({
      name: `match ${mode} ${shape}`,
      sides: [side],
      free: (x) => [isoV(x, domainV(x)[0]), isoV(x, domainV(x)[1]), isoU(x, domainU(x)[1])],
      ours: () =>
        matchTo(skin, 'u0', border(side), { grade: 2, aim: { ...aim, step: 0.7 }, keepFar: 1, part: [0, 1], along: 'ends' }).surface,
    });
  }
for (let i = 0; i < 30; i++) {
  const make = () => (i < 22 ? randomOpening(i) : steepOpening(i - 22));
  const o = make();
  const body = withShells({ ...o.k.body(), solids: [] });
  const grades = new Map(o.chain.map((e, k) => [e, o.grades[k]]));
  cases.push({
    name: `patch ${i < 22 ? '' : 'steep '}${o.name}, ${o.n} sides`,
    sides: o.chain.map((edge, k): Side => ({ body, edge, grade: o.grades[k] })),
    free: () => [],
    ours: () => {
      const fresh = make();
      const r = patchRim(fresh.k, fresh.chain, 'p', (e) => grades.get(e) ?? 0);
      if (!r.ok) throw new Error(r.message);
      return r.result.surface;
    },
  });
}

const told = (m: Numbers | undefined) =>
  m
    ? `${m.gap.toExponential(1)} | ${m.kink.toExponential(1)} | ${m.step.toExponential(1)} | ${m.points} | ${m.ms.toFixed(0)}`
    : 'none | – | – | – | –';
console.log(
  '| case | gap mm | kink ° | step % | points | ms | kernel gap | kink | step | points | ms |\n| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |',
);
let [better, lean, within, both] = [0, 0, 0, 0];
for (const c of cases) {
  const run = (make: () => NurbsSurface): Numbers | undefined => {
    try {
      const { value, ms } = timed(make);
      return { ...worst(c.sides, value), points: points(value), ms };
    } catch {
      return undefined;
    }
  };
  const first = c.ours();
  const ours = run(c.ours);
  const kernel = run(() => kernelFill(c.sides, c.free(first)));
  if (ours && ours.gap <= 1e-3 && ours.kink <= 0.05 && ours.step <= 2) within++;
  if (ours && kernel) both++;
  // better: in no number beyond the limit while the kernel is not, and nearer in those the case asks for
  const over = (m: Numbers) => Math.max(m.gap / 1e-3, m.kink / 0.05, m.step / 2);
  if (ours && (!kernel || over(ours) < over(kernel))) better++;
  if (ours && (!kernel || ours.points <= kernel.points / 4)) lean++;
  console.log(`| ${c.name} | ${told(ours)} | ${told(kernel)} |`);
}
console.log(
  `\n${cases.length} cases: within 0.001 mm, 0.05°, 2 % in ${within}; nearer than the kernel in ${better}; with at most a quarter of its control points in ${lean}; the kernel gave a filling in ${both}`,
);
