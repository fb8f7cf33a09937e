import { tube } from '/work/main/core/skins/index.ts';
import { lineCurve } from '/work/main/core/nurbs/index.ts';
import { massProperties, makeSolid, topologyOf } from '/work/main/core/brep/index.ts';
const r = tube([lineCurve([0,0,0],[40,0,0])], { radius: 3, make: 'rod', ends: 'round', corner: {kind:'mitre'}, tolerance: 1e-4 }, 't');
if (!r.ok) throw r.message;
console.log(r.body.faces.map((f,i)=>[f.name, f.reversed, massProperties(r.body,[i]).areaCentre.map(x=>x.toFixed(3)).join(' '), massProperties(r.body,[i]).area]), topologyOf(r.body).rims.length);
const s = makeSolid(r.body); if (s.ok) console.log(s.body.faces.map((f,i)=>[f.name,f.reversed, massProperties(s.body,[i]).volume]), massProperties(s.body).volume/Math.PI);
