import { expect, it } from 'vitest';
import { type Body, massProperties, transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { combineBodiesAs } from '../joins/index.ts';
import { translation } from '../math/index.ts';
import { ball, block, ringBody } from '../testing/random-bodies.ts';
import { readStep, writeStep } from './index.ts';

/** A torus as other systems write it: an analytic surface, two circles as its seams. */
const torusFile = (R: number, r: number) => `ISO-10303-21;
HEADER;
FILE_DESCRIPTION(('ring'),'2;1');
FILE_NAME('ring','2026-01-01T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));
ENDSEC;
DATA;
#1=CARTESIAN_POINT('',(0.,0.,0.));
#2=DIRECTION('',(0.,0.,1.));
#3=DIRECTION('',(1.,0.,0.));
#4=AXIS2_PLACEMENT_3D('',#1,#2,#3);
#5=TOROIDAL_SURFACE('',#4,${R}.,${r}.);
#6=CARTESIAN_POINT('',(${R + r}.,0.,0.));
#7=VERTEX_POINT('',#6);
#8=CIRCLE('',#4,${R + r}.);
#9=EDGE_CURVE('',#7,#7,#8,.T.);
#10=CARTESIAN_POINT('',(${R}.,0.,0.));
#11=DIRECTION('',(0.,-1.,0.));
#12=AXIS2_PLACEMENT_3D('',#10,#11,#3);
#13=CIRCLE('',#12,${r}.);
#14=EDGE_CURVE('',#7,#7,#13,.T.);
#15=ORIENTED_EDGE('',*,*,#9,.T.);
#16=ORIENTED_EDGE('',*,*,#14,.T.);
#17=ORIENTED_EDGE('',*,*,#9,.F.);
#18=ORIENTED_EDGE('',*,*,#14,.F.);
#19=EDGE_LOOP('',(#15,#16,#17,#18));
#20=FACE_BOUND('',#19,.T.);
#21=ADVANCED_FACE('ring',(#20),#5,.T.);
#22=CLOSED_SHELL('',(#21));
#23=MANIFOLD_SOLID_BREP('ring',#22);
#24=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));
#25=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));
#26=(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT());
#27=UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-07),#24,'distance_accuracy_value','');
#28=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#27))GLOBAL_UNIT_ASSIGNED_CONTEXT((#24,#25,#26))REPRESENTATION_CONTEXT('',''));
#29=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#4,#23),#28);
#30=APPLICATION_CONTEXT('automotive design');
#31=PRODUCT_CONTEXT('',#30,'mechanical');
#32=PRODUCT('ring','ring','',(#31));
#33=PRODUCT_DEFINITION_FORMATION('','',#32);
#34=PRODUCT_DEFINITION_CONTEXT('part definition',#30,'design');
#35=PRODUCT_DEFINITION('','',#33,#34);
#36=PRODUCT_DEFINITION_SHAPE('','',#35);
#37=SHAPE_DEFINITION_REPRESENTATION(#36,#29);
ENDSEC;
END-ISO-10303-21;
`;
const bytes = (t: string) => new TextEncoder().encode(t);
async function readOne(text: string): Promise<Body> {
  const r = await readStep(bytes(text), kernel);
  if (!r.ok) throw new Error(r.message);
  return r.parts[0].body;
}
const context = { stepId: 'x', tolerance: 1e-3, kernel };
const tools: Record<string, Body> = {
  ball: transformBody(ball(9), translation([20, 3, 2])),
  block: transformBody(block(8, 8, 3), translation([18, 2, 4])),
  ring: transformBody(ringBody(17, 5), translation([9, 4, 3])),
};

it('a torus comes in with its closed form', async () => {
  const m = massProperties(await readOne(torusFile(20, 6)));
  expect(Math.abs(m.volume / (2 * Math.PI ** 2 * 20 * 36) - 1)).toBeLessThan(1e-12);
  expect(Math.abs(m.area / (4 * Math.PI ** 2 * 120) - 1)).toBeLessThan(1e-12);
});
it.each([
  ['imported', 'ball', 'union'],
  ['imported', 'ball', 'intersect'],
  ['imported', 'block', 'subtract'],
  ['imported', 'ring', 'union'],
  ['drawn', 'ball', 'union'],
  ['drawn', 'ring', 'subtract'],
] as const)('%s torus with spline edges from a %s (%s): what came in goes out, twice over', async (from, tool, how) => {
  const torus = from === 'drawn' ? ringBody(20, 6) : await readOne(torusFile(20, 6));
  const r = await combineBodiesAs(how, torus, tools[tool], [], context);
  if (!r.ok) throw new Error(r.why);
  const m = massProperties(r.body);
  let body = r.body;
  for (let k = 0; k < 2; k++) {
    body = await readOne(await writeStep([{ name: 'a', body }], kernel));
    expect(body.faces.length).toBe(r.body.faces.length);
    const n = massProperties(body);
    expect(Math.abs(n.area / m.area - 1)).toBeLessThan(1e-8);
    expect(Math.abs(n.volume / m.volume - 1)).toBeLessThan(1e-8);
  }
});
