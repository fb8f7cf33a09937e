import { loft } from '/work/main/core/skins/index.ts';
import { sectionSet } from '/work/main/core/testing/section-sets.ts';
import { surfaceJet, closestOnCurve, joinCurves } from '/work/main/core/nurbs/index.ts';
const set = sectionSet(488);
const r = loft(set.sections, { degree: 3, ring: false, fit: 'through', match: 'auto', tolerance: 1e-5, perInterval: false, cap: false, adjust: [], pins: [] }, 's'); if (!r.ok) throw 1; const s = r.result.surface;
const c = joinCurves((set.sections[1] as any).curves);
let b = [9,0]; for (let i=0;i<=1000;i++){ const d=closestOnCurve(c, surfaceJet(s,i/1000,0.3).point).distance; if(d<b[0]) b=[d,i/1000]; } console.log(b);
for (const u of [0, b[1], 1]) for (let v = 0.0; v < 0.28; v += 0.01) { const q = surfaceJet(s, u, v); console.log(u, v.toFixed(3), q.point.map(x=>x.toFixed(3)).join(' '), 'v', q.v.map(x=>x.toFixed(1)).join(' ')); }
