import { describe, expect, it } from 'vitest';
import {
  type Body,
  combineBodies,
  crackCount,
  flatBody,
  flipBody,
  makeSolid,
  massProperties,
  meshBody,
  topologyOf,
  transformBody,
} from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { frameFromNormal, translation, WORLD } from '../math/index.ts';
import { circleCurve } from '../nurbs/index.ts';
import { loft } from '../skins/index.ts';
import { outMeshes, readStep, readStl, stepTrouble, writeStep, writeStl } from './index.ts';

function cup(): Body {
  const r = loft(
    [
      { kind: 'chain', curves: [circleCurve(WORLD, 10)] },
      { kind: 'chain', curves: [circleCurve(frameFromNormal([0, 0, 30], [0, 0, 1], [1, 0, 0]), 6)] },
    ],
    { degree: 3, ring: false, fit: 'through', match: 'auto', tolerance: 1e-6, perInterval: false, cap: true, adjust: [], pins: [] },
    'cup',
  );
  if (!r.ok) throw new Error(r.message);
  const s = makeSolid(r.result.body);
  if (!s.ok) throw new Error(s.message);
  return s.body;
}
const bytes = (t: string) => new TextEncoder().encode(t);

describe('STEP', () => {
  it.each([
    ['AP214', 'MM'],
    ['AP242', 'MM'],
    ['AP214', 'INCH'],
    ['AP203', 'M'],
  ] as const)('%s in %s: out and in again, same faces, area, volume, no new rim', async (schema, unit) => {
    const b = cup();
    const text = await writeStep([{ name: 'Cup', body: b }], kernel, { schema, unit });
    const r = await readStep(bytes(text), kernel);
    if (!r.ok) throw new Error(r.message);
    const back = r.parts[0].body;
    const [m, n] = [massProperties(b), massProperties(back)];
    expect(back.faces.length).toBe(b.faces.length);
    expect(Math.abs(n.volume / m.volume - 1)).toBeLessThan(1e-9);
    expect(Math.abs(n.area / m.area - 1)).toBeLessThan(1e-9);
    expect(topologyOf(back).rims.length).toBe(0);
    expect(r.report.unit).toBe({ MM: 'mm', INCH: 'in', M: 'm' }[unit]);
  });
  it('names of parts and faces and colours travel, also strange ones', async () => {
    const b = cup();
    const coloured: Body = {
      ...b,
      faces: b.faces.map((f, i) => ({ ...f, name: ["Seite 'A'", 'föot ✓', 'top'][i], colour: ['#b5432a', '#2f6b4f', '#b5432a'][i] })),
    };
    const text = await writeStep([{ name: "Fernhollow 'cup' №1", body: coloured }], kernel);
    const r = await readStep(bytes(text), kernel);
    if (!r.ok) throw new Error(r.message);
    expect(r.parts[0].name).toBe("Fernhollow 'cup' №1");
    expect(r.parts[0].body.faces.map((f) => f.name)).toEqual(["Seite 'A'", 'föot ✓', 'top']);
    expect(r.parts[0].body.faces.map((f) => f.colour)).toEqual(['#b5432a', '#2f6b4f', '#b5432a']);
  });
  it('several solids and loose skins become parts', async () => {
    const b = cup();
    const disc = flatBody(
      [{ outer: [circleCurve(frameFromNormal([0, 0, 80], [0, 0, 1], [1, 0, 0]), 5)], holes: [] }],
      frameFromNormal([0, 0, 80], [0, 0, 1], [1, 0, 0]),
      'disc',
    );
    const text = await writeStep(
      [
        { name: 'one', body: b },
        { name: 'two', body: transformBody(b, translation([50, 0, 0])) },
        { name: 'disc', body: disc },
      ],
      kernel,
    );
    const r = await readStep(bytes(text), kernel);
    if (!r.ok) throw new Error(r.message);
    expect(r.parts.length).toBe(3);
    const all = combineBodies(r.parts.map((p) => p.body));
    expect(all.solids.length).toBe(2);
    expect(all.faces.length).toBe(7);
  });
  it.each([
    ['', 'empty'],
    ['hello there', 'does not begin'],
    ['\u0000\u0001\u0002', 'binary'],
    ['ISO-10303-21;\nDATA;', 'cut off'],
  ])('says what is wrong with %j', (text, why) => expect(stepTrouble(bytes(text))).toContain(why));
});

describe('STL', () => {
  it('only solid meshes of closed parts are written, and the refusal says which and why', async () => {
    const good = await outMeshes([{ name: 'Cup', body: cup() }], 0.05, true);
    expect(good).toMatchObject({ ok: true, solids: [{ name: 'Cup', verdict: { solid: true, parts: 1, genus: 0 } }] });
    const turned = await outMeshes([{ name: 'Turned', body: flipBody(cup()) }], 0.05, true);
    expect(turned).toMatchObject({ ok: false, message: expect.stringContaining('the mesh of Turned is inside out') });
  });
  it('binary out and in: same triangles, closed', () => {
    const mesh = meshBody(cup(), { chord: 0.05 });
    const r = readStl(writeStl([mesh]));
    if (!r.ok) throw new Error(r.message);
    expect(r.mesh.indices.length).toBe(mesh.indices.length);
    expect(
      crackCount({
        ...mesh,
        positions: r.mesh.positions,
        indices: r.mesh.indices,
        shared: Uint32Array.from({ length: r.mesh.positions.length / 3 }, (_, i) => i),
      }),
    ).toBe(0);
  });
  it('text form, with an unfinished end', () => {
    const facet = (z: number) => `facet normal 0 0 1\nouter loop\nvertex 0 0 ${z}\nvertex 1 0 ${z}\nvertex 0 1 ${z}\nendloop\nendfacet\n`;
    const whole = readStl(bytes(`solid a\n${facet(0)}${facet(1)}endsolid a\n`));
    expect(whole.ok && whole.mesh.indices.length).toBe(6);
    const cut = readStl(bytes(`solid a\n${facet(0)}facet normal 0 0 1\nouter loop\nvertex 0 0 3\n`));
    expect(cut.ok && cut.notes.length).toBe(2);
  });
  it('a cut-off binary file says how many triangles are there', () => {
    const whole = writeStl([meshBody(cup(), { chord: 0.2 })]);
    const r = readStl(whole.slice(0, 84 + 50 * 10));
    expect(r.ok ? '' : r.message).toContain('holds 10');
  });
});
