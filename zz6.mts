import { sweep } from '/work/main/core/skins/index.ts';
import { lawOf } from '/work/main/core/math/index.ts';
import { circleCurve, controlPointCurve } from '/work/main/core/nurbs/index.ts';
const f = { origin: [0,0,0], x: [0,0,-1], y: [0,1,0], z: [1,0,0] } as any;
for (let k=0;k<4;k++){ const path = controlPointCurve([[0,0,0],[40,0,0],[60,30,0],[110,40,0]],3,false);
const t=performance.now(); const r = sweep([[circleCurve(f,9)]],[path],{tolerance:1e-4,carry:{kind:'least'},place:'drawn',corner:{kind:'mitre'},normalEnds:false,cap:true,size:lawOf([[0,1],[.5,.6],[1,1.2]],1)},'s'); console.log((performance.now()-t).toFixed(1), r.ok && r.result.surfaces[0].countU); }
