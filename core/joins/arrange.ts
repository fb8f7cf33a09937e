import { type Edge, type EdgeUse, type Face, type Trace, traceBreaks, useUV, type Vertex } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import { cellsOf } from './cells.ts';

/** An edge that a cut laid on a face, with its image there. */
export interface CutOnFace {
  readonly edge: number;
  readonly image: Trace;
}
export interface Arrangement {
  /** Loops of each part of the face, the outer one first. */
  readonly parts: readonly (readonly (readonly EdgeUse[])[])[];
  /** Where cuts end inside the face without parting it. */
  readonly loose: readonly Vec3[];
  readonly problem?: string;
}
type Place = readonly [number, number];
interface Half {
  readonly use: EdgeUse;
  readonly from: number;
  readonly to: number;
  /** Directions in which it leaves its start, and its end when run backwards, close by and a little further on. */
  readonly out: readonly number[];
  readonly back: readonly number[];
  readonly line: readonly Place[];
  twin?: Half;
  next?: Half;
  done?: boolean;
}
const jet = new Float64Array(12);
const TAU = 2 * Math.PI;
const turnTo = (x: number) => ((x % TAU) + TAU) % TAU;

/** Signed area of a polygon. */
function area(r: readonly Place[]): number {
  let s = 0;
  for (let i = 0; i < r.length; i++) {
    const p = r[i];
    const q = r[(i + 1) % r.length];
    s += p[0] * q[1] - p[1] * q[0];
  }
  return s / 2;
}
function within(p: Place, r: readonly Place[]): boolean {
  let odd = false;
  for (let i = 0, j = r.length - 1; i < r.length; j = i++)
    if (r[i][1] > p[1] !== r[j][1] > p[1] && p[0] < ((r[j][0] - r[i][0]) * (p[1] - r[i][1])) / (r[j][1] - r[i][1]) + r[i][0]) odd = !odd;
  return odd;
}

/**
 * The parts into which cuts divide a face: half-edges round every node in order of their directions in (u, v), then the walk that keeps
 * the face on its left. Nodes are vertices at one place of the parameter plane: seams and poles have several.
 */
export function arrangeFace(
  f: Face,
  loops: readonly (readonly EdgeUse[])[],
  cuts: readonly CutOnFace[],
  edges: readonly Edge[],
  vertices: readonly Vertex[],
): Arrangement {
  const { domain } = cellsOf(f.surface);
  evaluateSurface(f.surface, (domain[0] + domain[1]) / 2 + 1e-3 * (domain[1] - domain[0]), (domain[2] + domain[3]) / 2, 1, jet);
  const su = Math.hypot(jet[6], jet[7], jet[8]) || 1;
  let sv = Math.hypot(jet[3], jet[4], jet[5]) || 1;
  const at = (u: EdgeUse, t: number): Place => {
    const p = useUV(f, u, t);
    return [p[0] * su, p[1] * sv];
  };
  const lineOf = (use: EdgeUse, steps: number): Place[] => {
    const e = edges[use.edge];
    const [a, z] = use.reversed ? [e.range[1], e.range[0]] : e.range;
    const inner = traceBreaks(use.pcurve, e.range[0], e.range[1]);
    const n = use.pcurve.curve.degree === 1 && inner.length === 2 ? 4 : Math.max(steps, 3 * inner.length);
    return Array.from({ length: n }, (_, i) => at(use, a + ((z - a) * i) / n));
  };
  // loops that run the other way round are seen in a mirror
  if (loops.reduce((s, l) => s + area(l.flatMap((u) => lineOf(u, 24))), 0) < 0) sv = -sv;

  const nodes: { vertex: number; x: number; y: number }[] = [];
  const near = 1e-4 * Math.hypot((domain[1] - domain[0]) * su, (domain[3] - domain[2]) * sv);
  const node = (vertex: number, p: Place) => {
    const k = nodes.findIndex((n) => n.vertex === vertex && Math.hypot(n.x - p[0], n.y - p[1]) < near);
    return k >= 0 ? k : nodes.push({ vertex, x: p[0], y: p[1] }) - 1;
  };
  const half = (use: EdgeUse): Half => {
    const e = edges[use.edge];
    const [a, z] = use.reversed ? [e.range[1], e.range[0]] : e.range;
    const [start, end] = use.reversed ? [e.end, e.start] : [e.start, e.end];
    const leaving = (from: number, to: number) =>
      [0.004, 0.06].map((k) => {
        const [o, r] = [at(use, from), at(use, from + k * (to - from))];
        return Math.atan2(r[1] - o[1], r[0] - o[0]);
      });
    return {
      use,
      from: node(start, at(use, a)),
      to: node(end, at(use, z)),
      out: leaving(a, z),
      back: leaving(z, a),
      line: lineOf(use, 32),
    };
  };
  const halves = loops.flatMap((l) => l.map(half));
  let pairs = cuts.map((c) => {
    const [p, q] = [false, true].map((reversed) => half({ edge: c.edge, pcurve: c.image, reversed }));
    p.twin = q;
    q.twin = p;
    return [p, q] as const;
  });
  const loose: Vec3[] = [];
  for (;;) {
    const degree = new Int32Array(nodes.length);
    for (const h of halves) degree[h.from]++;
    for (const [h] of pairs) {
      degree[h.from]++;
      degree[h.to]++;
    }
    const bad = pairs.findIndex(([h]) => h.from !== h.to && (degree[h.from] < 2 || degree[h.to] < 2));
    if (bad < 0) break;
    const [h] = pairs[bad];
    loose.push(vertices[nodes[degree[h.from] < 2 ? h.from : h.to].vertex].point);
    pairs = pairs.filter((_, i) => i !== bad);
  }
  if (!pairs.length) return { parts: [loops], loose };
  for (const [h, g] of pairs) halves.push(h, g);
  joinHalves(halves, nodes.length);

  const cycles: { list: Half[]; line: Place[]; area: number }[] = [];
  for (const h of halves) {
    if (h.done) continue;
    const list: Half[] = [];
    let c: Half | undefined = h;
    while (c && !c.done) {
      c.done = true;
      list.push(c);
      c = c.next;
    }
    if (c !== h) return { parts: [loops], loose, problem: 'the loops of a face do not close' };
    const line = list.flatMap((x) => x.line);
    cycles.push({ list, line, area: area(line) });
  }
  const outer = cycles.filter((c) => c.area > 0).sort((p, q) => p.area - q.area);
  const parts = outer.map((c) => [c.list.map((h) => h.use)]);
  for (const c of cycles) {
    if (c.area > 0) continue;
    const probe = c.list[0].line[c.list[0].line.length >> 1];
    const k = outer.findIndex(
      (x) => x.area > -c.area * (1 - 1e-9) && within(probe, x.line) && !x.list.every((h) => h.twin && c.list.includes(h.twin)),
    );
    if (k < 0) return { parts: [loops], loose, problem: 'a hole of a face lies in no part of it' };
    parts[k].push(c.list.map((h) => h.use));
  }
  return { parts, loose };
}

/** Sets what follows each half: the first one to the right of the way back, so that the face stays on the left. */
function joinHalves(halves: readonly Half[], nodes: number): void {
  const leaving: Half[][] = Array.from({ length: nodes }, () => []);
  for (const h of halves) leaving[h.from].push(h);
  for (const h of halves) {
    let best: Half | undefined;
    let least = Infinity;
    for (const c of leaving[h.to]) {
      if (c === h.twin) continue;
      let k = turnTo(h.back[0] - c.out[0]);
      // tangent to each other: told apart a little further on
      if (k < 1e-5 || k > TAU - 1e-5) {
        const m = turnTo(h.back[1] - c.out[1]);
        k = m > Math.PI ? TAU - 1e-9 : 1e-9 + 1e-9 * m;
      }
      if (k < least) {
        least = k;
        best = c;
      }
    }
    h.next = best ?? h.twin;
  }
}
