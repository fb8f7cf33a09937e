import { loft, type LoftOptions } from '/work/main/core/skins/index.ts';
import { sectionSet } from '/work/main/core/testing/section-sets.ts';
import { surfaceJet, isoU, closestOnCurve, joinCurves, pointAt, domain } from '/work/main/core/nurbs/index.ts';
import { dot, sub, scale, add, type Vec3, lerp, length, cross } from '/work/main/core/math/index.ts';
const base: LoftOptions = { degree: Number(process.env.DEG ?? 3), ring: false, fit: 'through', match: 'auto', tolerance: 1e-5, perInterval: false, cap: false, adjust: [], pins: [] };
const from = Number(process.argv[2] ?? 0), to = Number(process.argv[3] ?? 100);
let bad = 0, tol = 0; let ms = 0; const cols: number[] = [], times:number[] = [];
for (let seed = from; seed < to; seed++) {
  const set = sectionSet(seed);
  const t = performance.now();
  let r; try { r = loft(set.sections, base, 's'); } catch (e) { console.log(seed, set.name, 'THROW', (e as Error).message); bad++; continue; }
  times.push(performance.now() - t);
  if (!r.ok) { console.log(seed, set.name, r.message); bad++; continue; }
  const { surface: s, fitDeviation } = r.result; cols.push(s.countV);
  if (fitDeviation > base.tolerance) { tol++; console.log(seed, set.name, 'dev', fitDeviation.toExponential(1), s.countV); }
  // between sections normals must look away from spine
  const n = set.frames.length; let pos = 0, neg = 0;
  for (let i = 0; i <= 24; i++) for (let j = 0; j < 48; j++) { const u = i / 24, v = (j + 0.5) / 48; const q = surfaceJet(s, u, v);
    // nearest spine place by row centroid
    let c: Vec3 = [0,0,0]; 
    if (set.closed) { for (let k = 0; k < 24; k++) c = add(c, scale(surfaceJet(s, u, (k + 0.5) / 24).point, 1/24)); }
    else { c = lerp(surfaceJet(s,u,0).point, surfaceJet(s,u,1).point, 0.5); }
    const d = dot(q.normal, sub(q.point, c)); if (d > 0) pos++; else neg++; }
  const share = Math.min(pos, neg) / (pos + neg);
  if (share > 0) { bad++; console.log(seed, set.name, 'flipped', share.toFixed(3), 'twist', r.result.twist.toFixed(0)); }
}
times.sort((a,b)=>a-b); cols.sort((a,b)=>a-b);
console.log({ bad, tol, medianMs: times[times.length>>1], maxMs: times[times.length-1], medianCols: cols[cols.length>>1], maxCols: cols[cols.length-1] });
