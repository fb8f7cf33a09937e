import { loft } from '/work/main/core/skins/index.ts';
import { sectionSet } from '/work/main/core/testing/section-sets.ts';
import { surfaceJet, knotRuns } from '/work/main/core/nurbs/index.ts';
import { dot, sub, scale, add, length, type Vec3, cross, unit } from '/work/main/core/math/index.ts';
for (const seed of process.argv.slice(2).map(Number)) { const set = sectionSet(seed);
 const r = loft(set.sections, { degree: 3, ring: false, fit: 'through', match: 'auto', tolerance: 1e-5, perInterval: false, cap: false, adjust: [], pins: [] }, 's'); if (!r.ok) continue; const s = r.result.surface;
 console.log(seed, set.name, r.result.rails.map(x=>x.start.toFixed(3)+(x.reversed?'r':'')).join(' '), 'twist', r.result.twist);
 const kr = knotRuns(s.knotsV, s.degreeV); console.log(kr.values.map((v,i)=>v.toFixed(3)+'x'+kr.multiplicities[i]).join(' '));
 let W=[0,0,0]; for (let i=0;i<=24;i++){ let c: Vec3=[0,0,0]; for (let k=0;k<48;k++) c=add(c,scale(surfaceJet(s,i/24,(k+.5)/48).point,1/48)); const sg: number[]=[]; for(let j=0;j<200;j++){const q=surfaceJet(s,i/24,(j+.5)/200); sg.push(dot(q.normal,unit(sub(q.point,c))));} const pos=sg.filter(x=>x>0).length; if(pos&&pos<200) { const minority=pos<100?1:-1; console.log('u',i/24, sg.map((x,j)=>Math.sign(x)===minority?((j+.5)/200).toFixed(3)+':'+x.toFixed(2):'').filter(Boolean).slice(0,12).join(' ')); } }
}
