import type { Vec3 } from '../math/index.ts';
import { evaluateSurface, knotRuns } from '../nurbs/index.ts';
import type { Face } from './body.ts';

const probe = new Float64Array(27);
/** Unit normal out of an order-2 jet; zero where the surface is singular. */
export function jetNormal(j: Float64Array): Vec3 {
  const x = j[10] * j[5] - j[11] * j[4];
  const y = j[11] * j[3] - j[9] * j[5];
  const z = j[9] * j[4] - j[10] * j[3];
  const l = Math.sqrt(x * x + y * y + z * z);
  return l > 1e-12 * (j[3] * j[3] + j[4] * j[4] + j[5] * j[5] + j[9] * j[9] + j[10] * j[10] + j[11] * j[11])
    ? [x / l, y / l, z / l]
    : [0, 0, 0];
}
/** Gaussian and mean curvature of a jet of second order with its unit normal, and how far each principal one is off the mean, 1/mm², 1/mm and 1/mm; nothing where the surface has no two directions. */
export function jetCurvature(jet: Float64Array, n: Vec3): [number, number, number] {
  const d = (a: number, c: number) => jet[a] * jet[c] + jet[a + 1] * jet[c + 1] + jet[a + 2] * jet[c + 2];
  const nn = (a: number) => jet[a] * n[0] + jet[a + 1] * n[1] + jet[a + 2] * n[2];
  const [E, F, G, L, M, N] = [d(9, 9), d(9, 3), d(3, 3), nn(18), nn(12), nn(6)];
  const D = E * G - F * F;
  if (!(D > 1e-20)) return [0, 0, 0];
  // in axes square to each other, so that where both principal curvatures are the same they are so to the last digits
  const [f, h] = [F / E, D / E];
  const [a, b, c] = [L / E, (M - f * L) / Math.sqrt(D), (N - 2 * f * M + f * f * L) / h];
  return [(L * N - M * M) / D, (a + c) / 2, Math.hypot((a - c) / 2, b)];
}
export function surfaceAt(f: Face, u: number, v: number): Vec3 {
  evaluateSurface(f.surface, u, v, 0, probe);
  return [probe[0], probe[1], probe[2]];
}

/** Mean stretch in u and v relative to the wanted triangle size, so that triangles come out well shaped where it matters. */
export function metric(f: Face, min: readonly number[], size: readonly number[], chord: number): [number, number] {
  let lu = 0;
  let lv = 0;
  let ku = 0;
  let kv = 0;
  for (let i = 0; i < 5; i++)
    for (let j = 0; j < 5; j++) {
      const u = min[0] + (size[0] * (i + 0.5)) / 5;
      const v = min[1] + (size[1] * (j + 0.5)) / 5;
      evaluateSurface(f.surface, u, v, 2, probe);
      const n = jetNormal(probe);
      const su = Math.hypot(probe[9], probe[10], probe[11]);
      const sv = Math.hypot(probe[3], probe[4], probe[5]);
      lu += su;
      lv += sv;
      if (su > 0) ku = Math.max(ku, Math.abs(probe[18] * n[0] + probe[19] * n[1] + probe[20] * n[2]) / (su * su));
      if (sv > 0) kv = Math.max(kv, Math.abs(probe[6] * n[0] + probe[7] * n[1] + probe[8] * n[2]) / (sv * sv));
    }
  const wu = Math.sqrt((8 * chord) / Math.max(ku, 1e-9));
  const wv = Math.sqrt((8 * chord) / Math.max(kv, 1e-9));
  const aspect = Math.min(8, Math.max(1 / 8, wu / wv));
  const r = Math.sqrt(aspect);
  return [lu / 25 / r || 1e-12, (lv / 25) * r || 1e-12];
}

/** Grid points from recursive halving where the surface bends, inside the loops and clear of the border. */
export function innerPoints(
  f: Face,
  loops: readonly number[][],
  uv: readonly number[],
  min: readonly number[],
  size: readonly number[],
  scale: readonly [number, number],
  { chord, angle, longest }: { readonly chord: number; readonly angle: number; readonly longest: number },
): number[] {
  const s = f.surface;
  const ku = knotRuns(s.knotsU, s.degreeU).values;
  const kv = knotRuns(s.knotsV, s.degreeV).values;
  const cuts = (k: number[], a: number, w: number) => [a, ...k.filter((t) => t > a + 1e-6 * w && t < a + w - 1e-6 * w), a + w];
  const found = new Map<string, [number, number, number]>();
  const visit = (u0: number, u1: number, v0: number, v1: number, depth: number) => {
    const um = (u0 + u1) / 2;
    const vm = (v0 + v1) / 2;
    let bendU = 0;
    let bendV = 0;
    let turnU = 0;
    let longU = 0;
    let longV = 0;
    let turnV = 0;
    for (const [u, v] of [
      [um, vm],
      [u0 * 0.9 + u1 * 0.1, v0 * 0.9 + v1 * 0.1],
      [u0 * 0.1 + u1 * 0.9, v0 * 0.1 + v1 * 0.9],
      [u0 * 0.1 + u1 * 0.9, v0 * 0.9 + v1 * 0.1],
      [u0 * 0.9 + u1 * 0.1, v0 * 0.1 + v1 * 0.9],
    ]) {
      evaluateSurface(s, u, v, 2, probe);
      const n = jetNormal(probe);
      const su = Math.hypot(probe[9], probe[10], probe[11]);
      const sv = Math.hypot(probe[3], probe[4], probe[5]);
      const suu = Math.abs(probe[18] * n[0] + probe[19] * n[1] + probe[20] * n[2]);
      const svv = Math.abs(probe[6] * n[0] + probe[7] * n[1] + probe[8] * n[2]);
      const suv = Math.abs(probe[12] * n[0] + probe[13] * n[1] + probe[14] * n[2]);
      const du = u1 - u0;
      const dv = v1 - v0;
      longU = Math.max(longU, su * du);
      longV = Math.max(longV, sv * dv);
      bendU = Math.max(bendU, (suu * du * du) / 8 + (suv * du * dv) / 8);
      bendV = Math.max(bendV, (svv * dv * dv) / 8 + (suv * du * dv) / 8);
      turnU = Math.max(turnU, su > 1e-9 ? (suu / su) * du : 0);
      turnV = Math.max(turnV, sv > 1e-9 ? (svv / sv) * dv : 0);
    }
    const small = chord * 0.02;
    const splitU = longU > longest || bendU > chord || (turnU > angle && bendU > small);
    const splitV = longV > longest || bendV > chord || (turnV > angle && bendV > small);
    if (depth < 9 && (splitU || splitV)) {
      const us = splitU ? [u0, um, u1] : [u0, u1];
      const vs = splitV ? [v0, vm, v1] : [v0, v1];
      for (let i = 0; i + 1 < us.length; i++) for (let j = 0; j + 1 < vs.length; j++) visit(us[i], us[i + 1], vs[j], vs[j + 1], depth + 1);
      return;
    }
    const reach = 0.5 * Math.min((u1 - u0) * scale[0], (v1 - v0) * scale[1]);
    for (const u of [u0, u1])
      for (const v of [v0, v1]) {
        const key = `${u},${v}`;
        const old = found.get(key);
        if (!old || old[2] > reach) found.set(key, [u, v, reach]);
      }
  };
  const us = cuts(ku, min[0], size[0]);
  const vs = cuts(kv, min[1], size[1]);
  const flat = f.record?.type === 1 && longest === Infinity;
  if (flat) return [];
  for (let i = 0; i + 1 < us.length; i++) for (let j = 0; j + 1 < vs.length; j++) visit(us[i], us[i + 1], vs[j], vs[j + 1], 0);
  const segments = loops.flatMap((ring) => ring.map((a, i) => [a, ring[(i + 1) % ring.length]] as const));
  const out: number[] = [];
  const grid = segmentGrid(segments, uv, min, size);
  for (const [u, v, reach] of found.values()) {
    if (!insideLoops(u, v, segments, uv)) continue;
    if (grid.near(u, v, scale, reach)) continue;
    out.push(u, v);
  }
  return out;
}

/** Uniform bins over border segments, so that the clearance test stays local. */
function segmentGrid(
  segments: readonly (readonly [number, number])[],
  uv: readonly number[],
  min: readonly number[],
  size: readonly number[],
) {
  const n = Math.max(1, Math.min(64, Math.ceil(Math.sqrt(segments.length))));
  const bins: number[][] = Array.from({ length: n * n }, () => []);
  const cell = (x: number, d: number) => Math.min(n - 1, Math.max(0, Math.floor(((x - min[d]) / size[d]) * n)));
  segments.forEach(([a, c], k) => {
    const [i0, i1] = [cell(Math.min(uv[2 * a], uv[2 * c]), 0), cell(Math.max(uv[2 * a], uv[2 * c]), 0)];
    const [j0, j1] = [cell(Math.min(uv[2 * a + 1], uv[2 * c + 1]), 1), cell(Math.max(uv[2 * a + 1], uv[2 * c + 1]), 1)];
    for (let i = i0; i <= i1; i++) for (let j = j0; j <= j1; j++) bins[i * n + j].push(k);
  });
  return {
    near(u: number, v: number, scale: readonly [number, number], reach: number): boolean {
      const ru = reach / scale[0];
      const rv = reach / scale[1];
      for (let i = cell(u - ru, 0); i <= cell(u + ru, 0); i++)
        for (let j = cell(v - rv, 1); j <= cell(v + rv, 1); j++)
          for (const k of bins[i * n + j]) {
            const [a, c] = segments[k];
            const ax = (uv[2 * a] - u) * scale[0];
            const ay = (uv[2 * a + 1] - v) * scale[1];
            const dx = (uv[2 * c] - uv[2 * a]) * scale[0];
            const dy = (uv[2 * c + 1] - uv[2 * a + 1]) * scale[1];
            const l = dx * dx + dy * dy;
            const t = l > 0 ? Math.min(1, Math.max(0, -(ax * dx + ay * dy) / l)) : 0;
            if (Math.hypot(ax + t * dx, ay + t * dy) < reach) return true;
          }
      return false;
    },
  };
}

function insideLoops(u: number, v: number, segments: readonly (readonly [number, number])[], uv: readonly number[]): boolean {
  let odd = false;
  for (const [a, c] of segments) {
    const va = uv[2 * a + 1];
    const vc = uv[2 * c + 1];
    if (va > v !== vc > v && u < ((uv[2 * c] - uv[2 * a]) * (v - va)) / (vc - va) + uv[2 * a]) odd = !odd;
  }
  return odd;
}
