import { flipBody, surfaceBody } from '../brep/index.ts';
import { dot, formatNumber } from '../math/index.ts';
import {
  domainU,
  domainV,
  joinCurves,
  lengthTable,
  type NurbsSurface,
  planeOf,
  pointAt,
  startPoint,
  surfaceNormal,
  surfacePoint,
} from '../nurbs/index.ts';
import { bodyPiece, type Diagnostic, defineEvaluation, type Fact, failure, inputCurves, type Mark, surfaceFacts } from '../recipe/index.ts';
import {
  bendTo,
  distancesTo,
  fitScatter,
  noiseOf,
  recognise,
  regionBorders,
  regionByLoop,
  regionByNormal,
  regionByPaint,
  regionPoints,
  type Shape,
  scanMesh,
  surfaceOfShape,
} from '../scan/index.ts';
import { isRing, weave } from '../skins/index.ts';
import tool from './scan-skin.ts';

const NAMES: Record<Shape['kind'], string> = {
  plane: 'a plane',
  sphere: 'a ball',
  cylinder: 'a cylinder',
  cone: 'a cone',
  revolved: 'a turned profile',
  extruded: 'a led profile',
};
const FIT_POINTS = 8000;
export default defineEvaluation(tool, (inputs, p, context) => {
  const piece = inputs.scan[0].piece;
  if (piece.kind !== 'scan') return failure('no-scan', 'Pick a scan');
  const mesh = scanMesh(piece.mesh);
  let region: Uint32Array;
  if (p.by === 'loop') {
    const loop = joinCurves(inputs.loop.flatMap((i) => [...inputCurves(i)]));
    if (!isRing(loop)) return failure('open-loop', 'The loop is open: close it', [startPoint(loop)]);
    const plane = planeOf([loop]);
    if (!plane) return failure('straight', 'The loop encloses nothing');
    const t = lengthTable(loop);
    region = regionByLoop(
      mesh,
      Array.from({ length: 256 }, (_, i) => pointAt(loop, t.near((i / 256) * t.total))),
      plane.frame,
    );
    if (!region.length)
      return failure('beside', 'Seen square to its plane the loop lies beside the scan: move it over the scan', [startPoint(loop)]);
  } else {
    if (!p.points.length) return failure('no-place', 'Click on the scan where the skin is to be');
    region = p.by === 'paint' ? regionByPaint(mesh, p.points, p.radius) : regionByNormal(mesh, p.points, p.angle);
  }
  if (region.length < 12)
    return failure(
      'too-small',
      `Only ${region.length} triangles were taken: ${p.by === 'normal' ? 'raise the angle' : p.by === 'paint' ? 'use a larger brush' : 'make the loop larger'}, or click elsewhere`,
      p.points.slice(0, 1),
    );
  const marks: Mark[] = regionBorders(mesh, region)
    .slice(0, 8)
    .map((points) => ({ kind: 'link', points: [...points, points[0]] }));
  const { points, normals } = regionPoints(mesh, region, FIT_POINTS);
  const noise = noiseOf(mesh, region);
  const facts: Fact[] = [
    { label: 'region', value: `${region.length} triangles of ${piece.mesh.indices.length / 3}` },
    { label: 'noise of the scan', value: `${Number(noise.toPrecision(2))} mm` },
  ];
  const diagnostics: Diagnostic[] = [];
  if (noise > p.tolerance)
    diagnostics.push({
      severity: 'warning',
      code: 'noise',
      message: `The scan itself is noisy by ${formatNumber(noise, 3)} mm: nothing can lie within ${formatNumber(p.tolerance, 4)} mm of all of it`,
    });
  let surface: NurbsSurface;
  if (inputs.borders.length) {
    const list = inputs.borders.map((i) => joinCurves(inputCurves(i)));
    const base = weave(
      list.map((curve) => ({ curve })),
      { gap: Math.max(p.tolerance, 0.05), tolerance: 1e-4 },
    );
    if (!base.ok) return { ...failure(base.code, `The borders: ${base.message}`, base.place), marks, facts };
    const count = (n: number) => n || 10;
    surface = bendTo(base.result.surface, points, { countU: count(p.pointsU), countV: count(p.pointsV), calm: p.calm });
    facts.push({ label: 'borders', value: `kept, within ${Number(Math.max(base.result.miss, 1e-9).toPrecision(2))} mm` });
  } else {
    const shape = p.kind === 'auto' ? recognise(points, normals, p.tolerance) : undefined;
    if (shape) {
      surface = surfaceOfShape(shape, points, { margin: p.margin, profile: p.pointsV || 10 });
      facts.unshift({ label: 'recognised', value: NAMES[shape.kind] }, ...numbersOf(shape));
    } else {
      if (p.kind === 'auto') facts.unshift({ label: 'recognised', value: 'no simple shape: a spline' });
      const most = Math.max(p.degree + 1, Math.min(40, Math.floor(Math.sqrt(points.length / 3))));
      const sizes =
        p.pointsU && p.pointsV ? [[p.pointsU, p.pointsV]] : growing(p.degree, most).map(([a, b]) => [p.pointsU || a, p.pointsV || b]);
      let best: { surface: NurbsSurface; off: number } | undefined;
      for (const [a, b] of sizes) {
        const [countU, countV] = [Math.max(p.degree + 1, a), Math.max(p.degree + 1, b)];
        const fit = fitScatter(points, normals, { degree: p.degree, countU, countV, calm: p.calm, margin: p.margin });
        const off = fit.feet.reduce((m, f) => Math.max(m, Math.abs(f.d)), 0);
        if (!best || off < best.off) best = { surface: fit.surface, off };
        if (off <= p.tolerance) break;
      }
      surface = (best as { surface: NurbsSurface }).surface;
    }
  }
  // outside is where the scan's own normals look to
  const all = distancesTo(surface, points);
  const lean = all.feet.reduce((s, f, k) => s + dot(normals[k], surfaceNormal(surface, f.u, f.v)), 0);
  const made = surfaceBody(surface, {
    prefix: context.stepId,
    face: (i, j, n, m) => `${context.stepId}:skin${n * m > 1 ? `.${i}.${j}` : ''}`,
  }).body;
  const body = lean < 0 !== p.turned ? flipBody(made) : made;
  facts.push(
    ...surfaceFacts([surface]),
    {
      label: 'largest distance',
      value: `${formatNumber(all.worst, 4)} mm`,
      number: all.worst,
      unit: 'mm',
      limit: Math.max(p.tolerance, 3 * noise),
    },
    { label: '95 of 100 within', value: `${formatNumber(all.most, 4)} mm` },
  );
  marks.push(...mapOf(surface, all.feet, p.tolerance), { kind: 'number', at: all.at, label: `${Number(all.worst.toPrecision(2))} mm` });
  return { outputs: { main: bodyPiece(body) }, facts, diagnostics, marks };
});
/** Point counts to try, from few to many. */
function growing(degree: number, most: number): number[][] {
  const out: number[][] = [];
  for (let n = degree + 1; n <= most; n = Math.max(n + 1, Math.round(n * 1.35))) out.push([n, n]);
  return out;
}
function numbersOf(s: Shape): Fact[] {
  if (s.kind === 'sphere' || s.kind === 'cylinder') return [{ label: 'radius', value: `${formatNumber(s.radius, 4)} mm` }];
  if (s.kind === 'cone') return [{ label: 'half angle', value: `${formatNumber((s.angle * 180) / Math.PI, 3)}°` }];
  return [];
}
/** Distances of the scan as colours on the surface; places without a point beside them stay bare. */
function mapOf(s: NurbsSurface, feet: readonly { u: number; v: number; d: number }[], limit: number): Mark[] {
  const n = 28;
  const values = new Float64Array((n + 1) * (n + 1)).fill(Number.NaN);
  const [ru, rv] = [domainU(s), domainV(s)];
  for (const f of feet) {
    const i = Math.round((n * (f.u - ru[0])) / (ru[1] - ru[0]));
    const j = Math.round((n * (f.v - rv[0])) / (rv[1] - rv[0]));
    const k = i * (n + 1) + j;
    values[k] = Number.isNaN(values[k]) ? f.d : Math.max(values[k], f.d);
  }
  const points = new Float64Array(values.length * 3);
  const span = (r: readonly [number, number], x: number) => r[0] + x * (r[1] - r[0]);
  for (let i = 0; i <= n; i++)
    for (let j = 0; j <= n; j++) {
      const q = surfacePoint(s, span(ru, i / n), span(rv, j / n));
      points.set(q, 3 * (i * (n + 1) + j));
    }
  return [{ kind: 'map', points, values, columns: n + 1, limit }];
}
