import { createRequire } from 'node:module';
import { surfaceBody, textOf } from '@ample-skin/core/brep';
import { outline, planeSection, projectAlong, sectionArray } from '@ample-skin/core/curves';
import type { Vec3 } from '@ample-skin/core/math';
import { frameFromNormal } from '@ample-skin/core/math';
import { circleCurve, clampedKnots, closestOnSurface, evaluateGrid, makeSurface, surfacePoint } from '@ample-skin/core/nurbs';
import { type Sketch, solveSketch } from '@ample-skin/core/sketch';
import { tansyBody } from '@ample-skin/demo';
import { demoAsset } from '@ample-skin/demo/node';
import { Session } from '@ample-skin/engine';
import { nodeKernel } from '@ample-skin/engine/node';

/** Same work for everybody, in one run; only the ratios mean something. Usage: npm run bench */
const require = createRequire(import.meta.url);
const line = (name: string, ms: number, ratio?: number) =>
  console.log(`${name.padEnd(58)} ${ms.toFixed(1).padStart(10)} ms${ratio === undefined ? '' : `   ${ratio.toFixed(1)} x ours`}`);
function best(runs: number, work: () => void): number {
  let least = Infinity;
  for (let i = 0; i < runs; i++) {
    const t = performance.now();
    work();
    least = Math.min(least, performance.now() - t);
  }
  return least;
}

const N = 20;
const M = 256;
const points = Array.from({ length: N }, (_, i) =>
  Array.from({ length: N }, (_, j): Vec3 => [i * 5, j * 5, 4 * Math.sin(i) * Math.cos(j)]),
);
const weights = points.map((r, i) => r.map((_, j) => 1 + 0.1 * ((i + j) % 3)));
const knots = clampedKnots(N, 3);
const surface = makeSurface(3, 3, points, knots, knots, weights);
const at = Float64Array.from({ length: M }, (_, i) => i / (M - 1));

console.log(`\nRational bicubic ${N}x${N}, ${M}x${M} positions and unit normals`);
const positions = new Float64Array(M * M * 3);
const normals = new Float64Array(M * M * 3);
const ours = best(20, () => evaluateGrid(surface, at, at, positions, normals));
line('ours', ours);

// the common library: a derivative evaluation per point gives position and normal; a quarter of the rows, scaled
const verb = require('verb-nurbs-web');
const theirs = verb.geom.NurbsSurface.byKnotsControlPointsWeights(
  3,
  3,
  Array.from(knots),
  Array.from(knots),
  points.map((r) => r.map((p) => [...p])),
  weights,
);
const share = 4;
const common =
  share *
  best(2, () => {
    for (let i = 0; i < M; i += share)
      for (let j = 0; j < M; j++) {
        const d = theirs.derivatives(at[i], at[j], 1);
        const [u, v] = [d[1][0], d[0][1]];
        const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        const l = Math.hypot(n[0], n[1], n[2]);
        n[0] /= l;
      }
  });
line('the common JavaScript NURBS library', common, common / ours);

const generic = require('nurbs')({
  points: points.map((r) => r.map((p) => [...p])),
  weights,
  degree: [3, 3],
  knots: [Array.from(knots), Array.from(knots)],
});
const [du, dv] = [generic.evaluator([1, 0]), generic.evaluator([0, 1])];
const out: number[] = [];
const [a, b]: [number[], number[]] = [[], []];
const second = best(3, () => {
  for (let i = 0; i < M; i++)
    for (let j = 0; j < M; j++) {
      const [s, t] = [Math.min(at[i], 1 - 1e-12), Math.min(at[j], 1 - 1e-12)];
      generic.evaluate(out, s, t);
      du(a, s, t);
      dv(b, s, t);
    }
});
line('a second JavaScript NURBS library', second, second / ours);

const kernel = nodeKernel();
const body = surfaceBody(surface, { prefix: 's', face: () => 's' }).body;
let native = Infinity;
for (let k = 0; k < 4; k++) {
  const r = await kernel.run('evaluate', { input: textOf(body), us: at, vs: at });
  native = Math.min(native, r.ms);
  if (k === 0) {
    let worst = 0;
    for (let i = 0; i < r.positions.length; i++)
      worst = Math.max(worst, Math.abs(r.positions[i] - positions[i]), Math.abs(Math.abs(r.normals[i]) - Math.abs(normals[i])));
    console.log(`   (largest difference from the kernel ${worst.toExponential(1)})`);
  }
}
line("the kernel's own point evaluation", native, native / ours);

console.log('\nClosest points on the same surface, 2,000 of them');
const probes = Array.from({ length: 2000 }, (_, i): Vec3 => {
  const p = surfacePoint(surface, (i * 0.618) % 1, (i * 0.382) % 1);
  return [p[0], p[1], p[2] + 3 * Math.sin(i)];
});
line(
  'ours',
  best(3, () => probes.forEach((p) => closestOnSurface(surface, p))),
);

console.log('\nTansy body, whole recipe');
const session = new Session(kernel, demoAsset);
const model = tansyBody();
let t = performance.now();
let shown = 0;
// the whole sheet is there to be seen before it has been looked at a second time
const onPartial = (u: { whole?: boolean }) => {
  if (u.whole) shown = performance.now() - t;
};
const cold = await session.update(model, { onPartial });
line('cold, built and drawn', shown);
line('   with checker, mesh library and exact mass', performance.now() - t);
const touched = {
  ...model,
  steps: model.steps.map((s) => (s.id === 'c-neck' ? { ...s, params: { ...s.params, radius: 'collar_d*0.57' } } : s)),
};
t = performance.now();
await session.update(touched, { onPartial });
line('after a change of one curve, built and drawn', shown);
line('   with checker, mesh library and exact mass', performance.now() - t);
for (const s of [...cold.steps].sort((x, y) => y.ms - x.ms).slice(0, 6)) line(`   ${model.steps.find((x) => x.id === s.id)?.name}`, s.ms);

console.log('\nSketch of 500 rules (a ladder of level and upright lines with lengths)');
const ladder = (() => {
  const points = [{ id: 'p0', x: 0, y: 0 }];
  const curves: Sketch['curves'] = [];
  const rules: Sketch['rules'] = [{ id: 'f', type: 'fixed', point: 'p0' }];
  let [x, y] = [0, 0];
  for (let i = 1; i <= 250; i++) {
    const l = 5 + (i % 7);
    if (i % 2) x += l;
    else y += l;
    points.push({ id: `p${i}`, x: x + 0.8 * Math.sin(9 * i), y: y + 0.8 * Math.cos(7 * i) });
    curves.push({ id: `l${i}`, type: 'line', a: `p${i - 1}`, b: `p${i}` });
    rules.push(
      { id: `h${i}`, type: i % 2 ? 'horizontal' : 'vertical', a: `p${i - 1}`, b: `p${i}` },
      { id: `d${i}`, type: 'distance', a: `p${i - 1}`, b: `p${i}`, value: l },
    );
  }
  return { points, curves, rules };
})();
line(
  'solved, freedoms and contradictions looked for',
  best(7, () => solveSketch(ladder)),
);
line(
  'solved only (as while dragging)',
  best(7, () => solveSketch(ladder, { quick: true })),
);

console.log('\nCurves on the Tansy body (outer skin)');
const skin = session.pieceOf('t-collar/main');
if (skin?.kind === 'skin') {
  const badge = circleCurve(frameFromNormal([0, -60, 90], [0, 1, 0]), 11);
  const rows: [string, () => ReturnType<typeof outline>][] = [
    ['a circle projected, near side', () => projectAlong(skin.body, badge, [0, 1, 0], 'near')],
    ['outline for a pull along y', () => outline(skin.body, [0, 1, 0])],
    ['plane section', () => planeSection(skin.body, frameFromNormal([0, 0, 70], [0.2, 0.1, 1]))],
  ];
  for (const [name, work] of rows) {
    const r = work();
    line(`${name}: ${r.points} points, within ${r.deviation.toExponential(1)} mm`, best(3, work));
  }
  line(
    'fifty level sections, within 1e-5 mm',
    best(3, () => sectionArray(skin.body, frameFromNormal([0, 0, 12], [0, 0, 1]), 50, 3.3)),
  );
}
kernel.close();
