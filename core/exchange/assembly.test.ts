import { describe, expect, it } from 'vitest';
import { massProperties } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { bodyOf, run, step } from '../testing/run.ts';
import { readStep, writeStep } from './index.ts';
import { placedSolids } from './step-text.ts';

/** A file with a block and a post as parts of their own, as the kernel writes it. */
async function parts(): Promise<string> {
  const r = await run(
    step('a', 'rectangle', {
      points: [
        [0, 0],
        [4, 3],
      ],
    }),
    step('b', 'circle', { radius: 1 }),
    step('block', 'extrude', { distance: 2 }, { profile: ['a'] }),
    step('post', 'extrude', { distance: 5 }, { profile: ['b'] }),
  );
  return writeStep(
    [
      { name: 'Block', body: bodyOf(r, 'block') },
      { name: 'Post', body: bodyOf(r, 'post') },
    ],
    kernel,
  );
}
const id = (text: string, pattern: RegExp): string => pattern.exec(text)?.[1] ?? '0';
/**
 * The same geometry as an assembly: Mister holds a Head and a Post; the Head holds the block twice. Each occurrence has its own place.
 */
async function assembly(): Promise<{ text: string; moves: readonly number[] }> {
  const text = (await parts()).replace(/\s*\n\s*/g, ' ');
  const definitions = [...text.matchAll(/#(\d+) = PRODUCT_DEFINITION\('/g)].map((m) => m[1]);
  const names = definitions.map((d) => {
    const formation = id(text, new RegExp(`#${d} = PRODUCT_DEFINITION\\('[^']*','[^']*',#(\\d+)`));
    const product = id(text, new RegExp(`#${formation} = PRODUCT_DEFINITION_FORMATION[A-Z_]*\\('[^']*','[^']*',#(\\d+)`));
    return id(text, new RegExp(`#${product} = PRODUCT\\( ?'([^']*)'`));
  });
  const of = (name: string) => definitions[names.indexOf(name)];
  const repOf = (d: string) => {
    const shape = id(text, new RegExp(`#(\\d+) = PRODUCT_DEFINITION_SHAPE\\('[^']*','[^']*',#${d}\\)`));
    return id(text, new RegExp(`SHAPE_DEFINITION_REPRESENTATION\\(#${shape},#(\\d+)\\)`));
  };
  const context = id(text, /#\d+ = PRODUCT\( ?'[^']*', ?'[^']*', ?'[^']*', ?\(#(\d+)\)/);
  const stage = id(text, /PRODUCT_DEFINITION\('[^']*','[^']*',#\d+,#(\d+)\)/);
  const space = id(text, /ADVANCED_BREP_SHAPE_REPRESENTATION\('[^']*',\([^)]*\),#(\d+)\)/);
  const axis = (rep: string) => id(text, new RegExp(`#${rep} = [A-Z_]+\\('[^']*',\\(#(\\d+)`));
  let next = 90000;
  const lines: string[] = [];
  const put = (body: string): string => {
    const n = String(next++);
    lines.push(`#${n} = ${body};`);
    return n;
  };
  const placement = (x: number): string => {
    const p = put(`CARTESIAN_POINT('',(${x}.,0.,0.))`);
    const z = put(`DIRECTION('',(0.,0.,1.))`);
    const d = put(`DIRECTION('',(1.,0.,0.))`);
    return put(`AXIS2_PLACEMENT_3D('',#${p},#${z},#${d})`);
  };
  const holder = (name: string) => {
    const product = put(`PRODUCT('${name}','${name}','',(#${context}))`);
    const formation = put(`PRODUCT_DEFINITION_FORMATION('','',#${product})`);
    const definition = put(`PRODUCT_DEFINITION('design','',#${formation},#${stage})`);
    const shape = put(`PRODUCT_DEFINITION_SHAPE('','',#${definition})`);
    const own = placement(0);
    const rep = put(`SHAPE_REPRESENTATION('',(#${own}),#${space})`);
    put(`SHAPE_DEFINITION_REPRESENTATION(#${shape},#${rep})`);
    return { definition, rep, own };
  };
  const hang = (into: ReturnType<typeof holder>, child: { definition: string; rep: string; own: string }, x: number, name: string) => {
    const use = put(`NEXT_ASSEMBLY_USAGE_OCCURRENCE('${name}','${name}','',#${into.definition},#${child.definition},$)`);
    const shape = put(`PRODUCT_DEFINITION_SHAPE('Placement','',#${use})`);
    const to = placement(x);
    const move = put(`ITEM_DEFINED_TRANSFORMATION('','',#${child.own},#${to})`);
    const relation = put(
      `(REPRESENTATION_RELATIONSHIP('','',#${child.rep},#${into.rep})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#${move})SHAPE_REPRESENTATION_RELATIONSHIP())`,
    );
    put(`CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#${relation},#${shape})`);
  };
  const part = (name: string) => ({ definition: of(name), rep: repOf(of(name)), own: axis(repOf(of(name))) });
  const mister = holder('Mister');
  const head = holder('Head');
  hang(head, part('Block'), 10, 'one');
  hang(head, part('Block'), 30, 'two');
  hang(mister, head, 100, 'head');
  hang(mister, part('Post'), 50, 'post');
  const close = text.lastIndexOf('ENDSEC;');
  return { text: `${text.slice(0, close)}${lines.join('\n')}\n${text.slice(close)}`, moves: [110, 130, 50] };
}

describe('a STEP file with an assembly', () => {
  it('names its parts by the way down to them, each where it is placed', async () => {
    const { text, moves } = await assembly();
    expect(placedSolids(text).map(({ path, faces }) => ({ path, faces }))).toEqual([
      { path: ['Mister', 'Head', 'Block'], faces: 6 },
      { path: ['Mister', 'Head', 'Block 2'], faces: 6 },
      { path: ['Mister', 'Post'], faces: 3 },
    ]);
    const r = await readStep(new TextEncoder().encode(text), kernel);
    if (!r.ok) throw new Error(r.message);
    expect(r.parts.map((p) => p.name)).toEqual(['Mister / Head / Block', 'Mister / Head / Block 2', 'Mister / Post']);
    r.parts.forEach((p, i) => {
      const m = massProperties(p.body);
      expect(m.volume).toBeCloseTo(i < 2 ? 24 : Math.PI * 5, 6);
      expect(m.centre[0]).toBeCloseTo(moves[i] + (i < 2 ? 2 : 0), 6);
    });
  });
  it('parts beside each other have their own names; a tree that hangs in itself ends', async () => {
    const plain = await parts();
    expect(placedSolids(plain).map((p) => p.path)).toEqual([['Block'], ['Post']]);
    const r = await readStep(new TextEncoder().encode(plain), kernel);
    expect(r.ok && r.parts.map((p) => p.name)).toEqual(['Block', 'Post']);
    const { text } = await assembly();
    const [, parent, child] = /NEXT_ASSEMBLY_USAGE_OCCURRENCE\('one','one','',#(\d+),#(\d+),\$\)/.exec(text) ?? [];
    const looped = text.replace(
      `'post','post','',`,
      `'x','x','',#${child},#${parent},$); #99990 = NEXT_ASSEMBLY_USAGE_OCCURRENCE('post','post','',`,
    );
    expect(Array.isArray(placedSolids(looped))).toBe(true);
  });
  it('where the tree does not fit what the kernel found, parts are numbered instead of named wrongly', async () => {
    const { text } = await assembly();
    // one occurrence more in the tree than there are places
    const wrong = text.replace(/(#\d+ = )(NEXT_ASSEMBLY_USAGE_OCCURRENCE\('post','post','',#\d+,#\d+,\$\);)/, '$1$2 #99991 = $2');
    expect(placedSolids(wrong).length).toBe(4);
    const r = await readStep(new TextEncoder().encode(wrong), kernel);
    if (!r.ok) return;
    if (r.parts.length !== 4) for (const p of r.parts) expect(p.name).not.toContain(' / ');
  });
});
