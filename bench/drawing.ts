import { type Body, transformBody } from '@ample-skin/core/brep';
import { drawLines } from '@ample-skin/core/drawing';
import { combineBodiesAs } from '@ample-skin/core/joins';
import { cross, type Frame, translation, unit, type Vec3 } from '@ample-skin/core/math';
import { nodeKernel } from '@ample-skin/engine/node';
import { block, cone, prism } from '../core/testing/random-bodies.ts';

/** Visible and hidden lines of bodies of about a hundred faces, cold (everything that is asked of the body is new) and again. Usage: npm run bench:drawing */
const z = unit([1, 0.7, 0.5]);
const x = unit(cross([0, 0, 1], z));
const view: Frame = { origin: [0, 0, 0], x, y: cross(z, x), z };
const kernel = nodeKernel();
/** A plate with rows of bosses and holes. */
async function plate(): Promise<Body> {
  let body = block(60, 60, 4);
  for (let i = 0; i < 8; i++)
    for (let j = 0; j < 7; j++) {
      const hole = (i + j) % 2 === 1;
      const can = transformBody(cone(hole ? 3 : 2.5, hole ? 3 : 2.5, 14), translation([-52 + 15 * i, -48 + 16 * j, hole ? -7 : 3]));
      const r = await combineBodiesAs(hole ? 'subtract' : 'union', body, can, [], { stepId: `s${i}-${j}`, tolerance: 1e-3, kernel });
      if (!r.ok) throw new Error('it could not be combined');
      body = r.body;
    }
  return body;
}
const star = Array.from({ length: 98 }, (_, i): Vec3 => {
  const [a, r] = [(2 * Math.PI * i) / 98, i % 2 ? 30 : 26];
  return [r * Math.cos(a), r * Math.sin(a), 0];
});
for (const [name, body] of [
  ['a star of 98 sides', prism(star, 20)],
  ['a plate with bosses and holes', await plate()],
] as const)
  for (const how of ['cold', 'again']) {
    const start = performance.now();
    const lines = drawLines([body], view, { hidden: true, smooth: true });
    console.log(
      `${name}, ${body.faces.length} faces, ${how}: ${lines.filter((l) => l.visible).length} lines seen, ${lines.filter((l) => !l.visible).length} hidden, ${Math.round(performance.now() - start)} ms`,
    );
  }
await kernel.close();
