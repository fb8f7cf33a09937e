import { readFileSync } from 'node:fs';
import type { Body } from '@ample-skin/core/brep';
import { frameFromNormal, type Vec3 } from '@ample-skin/core/math';
import {
  circleCurve,
  clampedKnots,
  closestOnCurve,
  closestOnSurface,
  domainU,
  domainV,
  isoU,
  isoV,
  makeCurve,
  makeSurface,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  surfacePoint,
} from '@ample-skin/core/nurbs';
import { loft, PLAIN_LOFT, sweep, twoRails, weave } from '@ample-skin/core/skins';
import { localKernel } from '../core/brep/local.ts';
import { readText } from '../core/brep/occt/read.ts';
import { emptyModel, evaluateModel, newMemory } from '../core/recipe/index.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';
import { kernelCurve, oc, progress } from './kernel.ts';

/**
 * Our constructions of skins beside the kernel's on the same curves, in one run: time (least of some runs), control points, error.
 * The error is told by one measure for both: distance from the known shape, or of the given curves from the skin. Usage: npm run bench:skins
 */
const edge = (c: NurbsCurve) => new oc.BRepBuilderAPI_MakeEdge(kernelCurve(c)).Edge();
const wire = (c: NurbsCurve) => new oc.BRepBuilderAPI_MakeWire(edge(c)).Wire();
const back = (shape: unknown): Body => readText(oc.BRepToolsWrapper.Write(shape), 1e-6).body;

const surfaces = (b: Body) => b.faces.map((f) => f.surface);
const count = (list: readonly NurbsSurface[]) => list.reduce((n, s) => n + s.countU * s.countV, 0);
function onSkin(list: readonly NurbsSurface[], shape: (p: Vec3) => number): number {
  let worst = 0;
  for (const s of list) {
    const [[a, b], [c, d]] = [domainU(s), domainV(s)];
    for (let i = 0; i <= 60; i++)
      for (let j = 0; j <= 60; j++)
        worst = Math.max(worst, Math.abs(shape(surfacePoint(s, a + ((b - a) * i) / 60, c + ((d - c) * j) / 60))));
  }
  return worst;
}
function curvesOff(list: readonly NurbsSurface[], curves: readonly NurbsCurve[]): number {
  let worst = 0;
  for (const c of curves) {
    const [a, b] = [c.knots[c.degree], c.knots[c.knots.length - 1 - c.degree]];
    for (let i = 0; i <= 40; i++) {
      const p = pointAt(c, a + ((b - a) * i) / 40);
      worst = Math.max(worst, Math.min(...list.map((s) => closestOnSurface(s, p).distance)));
    }
  }
  return worst;
}

interface Run {
  readonly name: string;
  readonly ours: () => readonly NurbsSurface[];
  readonly theirs: () => unknown;
  readonly error: (list: readonly NurbsSurface[]) => number;
}
function least<T>(work: () => T): { ms: number; value: T } {
  let value = work();
  let ms = Infinity;
  for (let i = 0; i < 7; i++) {
    const t = performance.now();
    value = work();
    ms = Math.min(ms, performance.now() - t);
  }
  return { ms, value };
}
function must<R>(r: { ok: true; result: R } | { ok: false; message: string }): R {
  if (!r.ok) throw new Error(r.message);
  return r.result;
}

const wavy = makeSurface(
  3,
  3,
  Array.from({ length: 8 }, (_, i) =>
    Array.from({ length: 8 }, (_, j): Vec3 => [(120 * i) / 7, (90 * j) / 7, 9 * Math.sin(0.9 * i) * Math.cos(0.7 * j)]),
  ),
  clampedKnots(8, 3),
  clampedKnots(8, 3),
);
const ring = (r: number, z: number, x = 0) => circleCurve(frameFromNormal([x, 0, z], [0, 0, 1], [1, 0, 0]), r);
const rings = [ring(20, 0), ring(26, 30, 2), ring(17, 60, 5), ring(14, 90, 9)];
const TURN = 40;
const bend = (() => {
  const f = frameFromNormal([0, 0, 0], [0, 1, 0], [1, 0, 0]);
  return circleCurve(f, TURN);
})();
const start = frameFromNormal([TURN, 0, 0], [0, 0, 1], [1, 0, 0]);
const space = makeCurve(
  3,
  [
    [0, 0, 0],
    [10, 25, 5],
    [40, 30, 30],
    [60, 0, 45],
    [90, 10, 40],
    [110, 40, 60],
  ] as Vec3[],
  [0, 0, 0, 0, 0.3, 0.7, 1, 1, 1, 1],
);
const direction: Vec3 = (() => {
  const [p, q] = [pointAt(space, 0), pointAt(space, 1e-7)];
  const d: Vec3 = [q[0] - p[0], q[1] - p[1], q[2] - p[2]];
  const l = Math.hypot(...d);
  return [d[0] / l, d[1] / l, d[2] / l];
})();
const hose = circleCurve(frameFromNormal([0, 0, 0], direction), 6);
const along = {
  tolerance: 1e-6,
  carry: { kind: 'least' },
  place: 'drawn',
  corner: { kind: 'mitre' },
  normalEnds: false,
  cap: false,
} as const;
const across = [0, 0.4, 0.75, 1].map((u) => isoU(wavy, u));
const length = [0, 0.3, 0.6, 1].map((v) => isoV(wavy, v));
const borders = [across[0], across[3], length[0], length[3]];
const lofted = (list: readonly NurbsCurve[], degree: number, tolerance: number) =>
  surfaces(
    must(
      loft(
        list.map((c) => ({ kind: 'chain', curves: [c] })),
        { ...PLAIN_LOFT, degree, tolerance },
        's',
      ),
    ).body,
  );

const through = (list: readonly NurbsCurve[], ruled: boolean) => {
  const t = new oc.BRepOffsetAPI_ThruSections(false, ruled, 1e-6);
  t.CheckCompatibility(false);
  for (const c of list) t.AddWire(wire(c));
  t.Build(progress());
  return t.Shape();
};
const piped = (path: NurbsCurve, section: NurbsCurve) => {
  const p = new oc.BRepOffsetAPI_MakePipeShell(wire(path));
  p.SetTolerance(1e-6, 1e-6, 1e-3);
  p.Add(wire(section), false, false);
  p.Build(progress());
  return p.Shape();
};
const filled = (outer: readonly NurbsCurve[], inner: readonly NurbsCurve[]) => {
  const f = new oc.BRepOffsetAPI_MakeFilling(3, 15, 2, false, 1e-5, 1e-4, 1e-2, 1e-1, 8, 20);
  for (const c of outer) f.Add(edge(c), oc.GeomAbs_Shape.GeomAbs_C0, true);
  for (const c of inner) f.Add(edge(c), oc.GeomAbs_Shape.GeomAbs_C0, false);
  f.Build(progress());
  return f.Shape();
};
const fromPath = (c: NurbsCurve, r: number) => (p: Vec3) => closestOnCurve(c, p).distance - r;

const runs: Run[] = [
  {
    name: 'ruled between two circles beside each other',
    ours: () => lofted(rings.slice(0, 2), 1, 1e-6),
    theirs: () => through(rings.slice(0, 2), true),
    error: (s) => curvesOff(s, rings.slice(0, 2)),
  },
  {
    name: 'loft through four circles',
    ours: () => lofted(rings, 3, 1e-6),
    theirs: () => through(rings, false),
    error: (s) => curvesOff(s, rings),
  },
  {
    name: 'loft through four lines of a free skin',
    ours: () => lofted(across, 3, 1e-6),
    theirs: () => through(across, false),
    error: (s) => curvesOff(s, across),
  },
  {
    name: 'sweep of a circle along a circle',
    ours: () => surfaces(must(sweep([[circleCurve(start, 8)]], [bend], along, 's')).body),
    theirs: () => piped(bend, circleCurve(start, 8)),
    error: (s) => onSkin(s, (p) => Math.hypot(Math.hypot(p[0], p[2]) - TURN, p[1]) - 8),
  },
  {
    name: 'sweep of a circle along a space curve',
    ours: () => surfaces(must(sweep([[hose]], [space], along, 's')).body),
    theirs: () => piped(space, hose),
    error: (s) => onSkin(s, fromPath(space, 6)),
  },
  {
    name: 'two rails, two sections, from a free skin',
    ours: () => [must(twoRails([length[0]], [length[3]], [[across[0]], [across[3]]], { tolerance: 1e-6, height: 'kept' })).surface],
    theirs: () => filled(borders, []),
    error: (s) => curvesOff(s, borders),
  },
  {
    name: 'weave over four borders',
    ours: () => [
      must(
        weave(
          borders.map((curve) => ({ curve })),
          { gap: 0.01, tolerance: 1e-6 },
        ),
      ).surface,
    ],
    theirs: () => filled(borders, []),
    error: (s) => curvesOff(s, borders),
  },
  {
    name: 'weave over four and four curves',
    ours: () => [
      must(
        weave(
          [...across, ...length].map((curve) => ({ curve })),
          { gap: 0.01, tolerance: 1e-6 },
        ),
      ).surface,
    ],
    theirs: () => filled(borders, [across[1], across[2], length[1], length[2]]),
    error: (s) => curvesOff(s, [...across, ...length]),
  },
];
console.log('| construction | ours: ms, points, error mm | the kernel: ms, points, error mm | times faster | share of the points |');
console.log('| --- | --- | --- | --- | --- |');
for (const r of runs) {
  const a = least(r.ours);
  const mine = `${a.ms.toFixed(1)}, ${count(a.value)}, ${r.error(a.value).toExponential(1)}`;
  try {
    const b = least(r.theirs);
    const list = surfaces(back(b.value));
    console.log(
      `| ${r.name} | ${mine} | ${b.ms.toFixed(1)}, ${count(list)}, ${r.error(list).toExponential(1)} | ${(b.ms / a.ms).toFixed(1)} | ${(count(a.value) / count(list)).toFixed(2)} |`,
    );
  } catch (e) {
    console.log(`| ${r.name} | ${mine} | gives nothing (${e instanceof Error ? e.message : 'its own error'}) | | |`);
  }
}

// the body's skin of the demo, alone: the first time and once warm
const recipe = JSON.parse(readFileSync(new URL('../demo/recipes/tansy-body.json', import.meta.url), 'utf8'));
const upTo = recipe.steps.findIndex((s: { id: string }) => s.id === 's-body') + 1;
const memory = newMemory();
const times: number[] = [];
for (let i = 0; i < 15; i++) {
  const steps = recipe.steps
    .slice(0, upTo)
    .map((s: { id: string; params: { tolerance?: number } }) =>
      s.id === 's-body' ? { ...s, params: { ...s.params, tolerance: (s.params.tolerance ?? 0.001) * (1 + 1e-6 * i) } } : s,
    );
  const r = await evaluateModel(
    { ...emptyModel('bench'), dials: recipe.dials ?? [], steps },
    { tools: RUNNABLE, kernel: localKernel, memory },
  );
  times.push(r.steps.get('s-body')?.ms ?? Number.NaN);
}
const warm = times.slice(5).sort((a, b) => a - b);
console.log(
  `\nloft of the demo body: ${times[0].toFixed(0)} ms the first time, ${warm[warm.length >> 1].toFixed(0)} ms once warm (median)`,
);
process.exit(0);
