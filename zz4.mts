import { sweep } from '/work/main/core/skins/index.ts';
import { circleCurve, derivativesAt, makeCurve, pointAt, lineCurve } from '/work/main/core/nurbs/index.ts';
import { frameFromNormal, unit, distance } from '/work/main/core/math/index.ts';
import { topologyOf, edgeCurve } from '/work/main/core/brep/index.ts';
const sf = (c: any) => { const [p, d] = derivativesAt(c, c.knots[c.degree], 1); return frameFromNormal(p, unit(d)); };
const base: any = { tolerance: 1e-6, carry: { kind: 'least' }, place: 'drawn', corner: { kind: 'mitre' }, normalEnds: false, cap: false };
const sc = makeCurve(3, [[0,0,0],[10,25,5],[40,30,30],[60,0,45],[90,10,40],[110,40,60]], [0,0,0,0,.3,.7,1,1,1,1]);
for (const tolerance of [1e-3,1e-4,1e-5,1e-6]) { const t=performance.now(); const r = sweep([[circleCurve(sf(sc),5)]],[sc],{...base,tolerance},'s'); if (r.ok) console.log(tolerance, r.result.surfaces[0].countU, r.result.deviation, (performance.now()-t).toFixed(1)); }
const a = circleCurve({ origin: [0, 40, 0], x: [0, -1, 0], y: [1, 0, 0], z: [0, 0, 1] }, 40, 0, 0.8);
const end = pointAt(a, 0.8);
const r = sweep([[circleCurve(sf(a), 4)]], [a, lineCurve(end, [end[0] + 10, end[1] - 30, 12])], { ...base, cap: true }, 's');
if (!r.ok) throw r.message; const b = r.result.body; console.log(r.result.surfaces.map(s=>[s.countU,s.countV,s.degreeU]), topologyOf(b).rims.map(e=>[b.edges[e].name, b.edges[e].start, b.edges[e].end, pointAt(edgeCurve(b.edges[e]),(edgeCurve(b.edges[e]).knots[0]+edgeCurve(b.edges[e]).knots.at(-1)!)/2)]), r.result.capNotes);
