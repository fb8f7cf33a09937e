import { type Body, massProperties, subBody } from '../brep/index.ts';
import type { OutPart } from '../exchange/index.ts';
import { TOOLS } from '../tools/index.ts';
import { attack } from './attack.ts';
import { seeded } from './mutate.ts';
import {
  asSkin,
  ball,
  between,
  block,
  cone,
  loftSolid,
  placed,
  type Random,
  ringBody,
  vase,
  wavySheet,
  wavyTube,
} from './random-bodies.ts';

const NAMES = ['Body', 'Collar', 'Ünder side', 'neck <left> & "right"', "o'ring", 'Tansy 100%', 'spout', '掃除', 'a'.repeat(90)];
const COLOURS = ['#d7a58c', '#2f6b4f', '#ff0000', '#010203'];
const GROUPS = ['Outside', 'Inner & hidden', 'Teile'];

const shapes: readonly ((r: Random) => Body)[] = [
  (r) => block(between(r, 2, 20), between(r, 2, 20), between(r, 2, 20)),
  (r) => ball(between(r, 2, 20)),
  (r) => cone(between(r, 5, 15), between(r, 2, 12), between(r, 8, 30)),
  (r) => ringBody(between(r, 12, 20), between(r, 2, 8)),
  (r) => loftSolid(r, 12, 40),
  (r) => vase(r, 14, 30),
  (r) => wavySheet(r, 20, 4),
  (r) => wavyTube(r, 9, 24),
  (r) => asSkin(ball(between(r, 2, 20))),
  (r) => {
    const b = block(between(r, 2, 20), between(r, 2, 20), between(r, 2, 20));
    return subBody(
      b,
      b.faces.map((_, i) => i).filter((i) => i !== 2),
    );
  },
];
/** Made by a tool from random sources, picks and settings; nothing where the tool refuses. */
async function fromRecipe(r: Random): Promise<Body[]> {
  const making = [...TOOLS.values()].filter(
    (t) => ['skins', 'joins', 'solids'].includes(t.stage) && !['scan-skin', 'fillet', 'patch', 'shell', 'repair'].includes(t.id),
  );
  const tool = making[Math.floor(r() * making.length)];
  const a = await attack(tool.id, Math.floor(r() * 1000));
  if (a.result.status !== 'fine') return [];
  return Object.values(a.result.outputs).flatMap((p) => (p.kind === 'skin' || p.kind === 'solid' ? [p.body] : []));
}
/** One to four pieces with names, groups and colours as people give them, the same for the same seed; every second seed has one from a random recipe. */
export async function randomParts(seed: number): Promise<OutPart[]> {
  const r = seeded(seed);
  const any = <T>(list: readonly T[]): T => list[Math.floor(r() * list.length)];
  const count = 1 + Math.floor(4 * r());
  const bodies = Array.from({ length: count }, () => placed(any(shapes)(r), r, 40));
  if (seed % 2) bodies.push(...(await fromRecipe(r)).slice(0, 2));
  return bodies
    .filter((b) => b.faces.length && massProperties(b, undefined, true).area > 1e-6)
    .map((b, i): OutPart => {
      const coloured = r() < 0.3 ? { ...b, faces: b.faces.map((f) => (r() < 0.5 ? { ...f, colour: any(COLOURS) } : f)) } : b;
      return {
        name: `${any(NAMES)} ${i + 1}`,
        path: r() < 0.5 ? [] : r() < 0.7 ? [any(GROUPS)] : [any(GROUPS), 'Inside'],
        colour: r() < 0.4 ? any(COLOURS) : undefined,
        body: coloured,
      };
    });
}
