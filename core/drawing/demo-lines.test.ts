import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { type Body, bodyBox, meshBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { add, boxSize, cross, type Frame, scale, unit, type Vec3 } from '../math/index.ts';
import { arcLength, domain, pointAt } from '../nurbs/index.ts';
import { TriangleProbe } from '../proof/surface-probe.ts';
import { evaluateModel, type Model } from '../recipe/index.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { drawLines } from './hidden-lines.ts';

let body: Body;
beforeAll(async () => {
  const recipe = JSON.parse(readFileSync(new URL('../../demo/recipes/tansy-body.json', import.meta.url), 'utf8')) as Model;
  const steps = recipe.steps.filter((s) => !['p-side', 'pic-side', 'x-body'].includes(s.id));
  const r = await evaluateModel({ ...recipe, steps }, { tools: RUNNABLE, kernel, looks: false });
  const wall = r.steps.get('w-body')?.outputs.main;
  if (wall?.kind !== 'solid') throw new Error('no wall');
  body = wall.body;
}, 120_000);

/**
 * Is a place of a line seen? By rays against triangles, which share nothing with what draws: from a hair in front of it, and from four
 * places beside it; undecided where those do not agree, which is beside an outline or an edge.
 */
function seen(triangles: TriangleProbe, p: Vec3, eye: Vec3, hair: number): boolean | undefined {
  const x = unit(cross(Math.abs(eye[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0], eye));
  const y = cross(eye, x);
  const clear = [0, 1, 2, 3].map((k) => {
    const a = (k * Math.PI) / 2 + 0.4;
    const o = add(add(p, scale(x, hair * Math.cos(a))), scale(y, hair * Math.sin(a)));
    return !triangles.hits(o, eye, 8 * hair).length;
  });
  return clear.every((c) => c === clear[0]) ? clear[0] : undefined;
}
const viewFrom = (z: Vec3): Frame => {
  const d = unit(z);
  const x = unit(cross([0, 0, 1], d));
  return { origin: [0, 0, 0], x, y: cross(d, x), z: d };
};

describe('the demo body as lines', () => {
  it('what is told as seen or hidden is so at 2,000 random places, from four sides', () => {
    const size = boxSize(bodyBox(body));
    const mesh = meshBody(body, { chord: size / 12_000, angle: 0.1 });
    const triangles = new TriangleProbe(mesh.positions, mesh.indices);
    const random = randomFrom(17);
    let [decided, wrong] = [0, 0];
    const where: unknown[] = [];
    for (const z of [
      [1, 0.2, 0.3],
      [-0.6, -0.8, 0.5],
      [0.2, 1, -0.35],
      [-0.4, 0.3, 1],
    ] as Vec3[]) {
      const view = viewFrom(z);
      const lines = drawLines([body], view, { smooth: true, hidden: true });
      const lengths = lines.map((l) => arcLength(l.curve));
      const total = lengths.reduce((s, x) => s + x, 0);
      for (let k = 0; k < 900; k++) {
        let at = random() * total;
        let i = 0;
        while (at > lengths[i] && i < lines.length - 1) at -= lengths[i++];
        const w = at / lengths[i];
        // within a hair of where it changes either answer is right
        if (w < 0.01 || w > 0.99) continue;
        const [a, e] = domain(lines[i].curve);
        const q = pointAt(lines[i].curve, a + w * (e - a));
        const p = [0, 1, 2].map((d) => q[0] * view.x[d] + q[1] * view.y[d] + q[2] * view.z[d]) as unknown as Vec3;
        const truth =
          lines[i].kind === 'outline' ? outlineSeen(triangles, p, view.z, size / 4000) : seen(triangles, p, view.z, size / 4000);
        if (truth === undefined) continue;
        decided++;
        if (truth !== lines[i].visible) {
          wrong++;
          where.push([z, lines[i].kind, lines[i].visible, p.map((x) => x.toFixed(2)).join(' ')]);
        }
      }
    }
    expect(decided).toBeGreaterThan(2000);
    expect([wrong, where.slice(0, 5)]).toEqual([0, []]);
  }, 180_000);
});
/** An outline touches the ray: of the places beside it those on the body's side are covered by the body itself, the others decide. */
function outlineSeen(triangles: TriangleProbe, p: Vec3, eye: Vec3, hair: number): boolean | undefined {
  const x = unit(cross(Math.abs(eye[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0], eye));
  const y = cross(eye, x);
  const clear = (from: number) =>
    Array.from({ length: 12 }, (_, k) => {
      const a = (k * Math.PI) / 6;
      const o = add(add(p, scale(x, hair * Math.cos(a))), scale(y, hair * Math.sin(a)));
      return !triangles.hits(o, eye, from).length;
    });
  const far = clear(60 * hair);
  if (far.some((c) => c !== far[0])) return undefined;
  // beside an outline that is seen there is nothing at all; where something stands within those 60 hairs the rays say nothing
  return far[0] && !clear(hair).includes(true) ? undefined : far[0];
}
