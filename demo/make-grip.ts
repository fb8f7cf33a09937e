import { writeFileSync } from 'node:fs';
import { writePly } from '@ample-skin/core/exchange';
import type { Vec3 } from '@ample-skin/core/math';
import { GRIP, gripPlace } from './grip-shape.ts';
import { type Dot, Pencil, through } from './pencil.ts';

/** Writes the clay scan and the side picture of the Squeeze grip into demo/files: npm run demo:write */
const [ROUND, UP] = [84, 76];
const points: Vec3[] = [];
/** Heights, closer together at the round foot. */
const share = (k: number, n: number) => (k / n) ** 1.7;
for (let k = 1; k <= UP; k++)
  for (let i = 0; i < ROUND; i++) {
    const p = gripPlace(share(k, UP), (2 * Math.PI * i) / ROUND);
    // what fingers leave in clay: a fixed pattern, up to 0.04 mm
    const rough = 0.02 * Math.sin(37.1 * i + 11.3 * k) + 0.02 * Math.sin(5.7 * i - 23.9 * k);
    points.push([p[0] + rough * Math.cos((2 * Math.PI * i) / ROUND), p[1] + rough * Math.sin((2 * Math.PI * i) / ROUND), p[2]]);
  }
points.push(gripPlace(0, 0));
const indices: number[] = [];
const at = (k: number, i: number) => (k - 1) * ROUND + (i % ROUND);
for (let i = 0; i < ROUND; i++) {
  indices.push(points.length - 1, at(1, i + 1), at(1, i));
  for (let k = 1; k < UP; k++) indices.push(at(k, i), at(k, i + 1), at(k + 1, i + 1), at(k, i), at(k + 1, i + 1), at(k + 1, i));
}
const scan = {
  name: 'Squeeze grip, clay',
  path: [],
  positions: Float64Array.from(points.flat(), (x) => Math.fround(x)),
  indices: Uint32Array.from(indices),
  colours: [],
};
writeFileSync(new URL('./files/grip-scan.ply', import.meta.url), writePly([scan], 'MM'));

const pencil = new Pencil(620, 860, 6, [310, 780]);
for (const side of [0, Math.PI]) {
  const outline = Array.from({ length: 33 }, (_, k): Dot => {
    const p = gripPlace(share(k, 32), side);
    return [p[0], p[2]];
  });
  pencil.stroke(through(outline), 3, 0.72);
  pencil.stroke(through(outline.map(([x, z], i): Dot => [x + 0.5 * Math.sin(2.1 * i), z])), 1.5, 0.24);
}
const top = [0, Math.PI].map((a): Dot => [gripPlace(1, a)[0], GRIP.height]);
pencil.stroke(top, 3, 0.7);
// the collar above, and the middle line that the quads are laid along
const middle = gripPlace(1, 0)[0] / 2 + gripPlace(1, Math.PI)[0] / 2;
pencil.stroke(
  [
    [middle - 9, GRIP.height + 8],
    [middle + 9, GRIP.height + 8],
  ],
  2,
  0.4,
);
pencil.stroke(
  through(Array.from({ length: 9 }, (_, k): Dot => [gripPlace(k / 8, 0)[0] / 2 + gripPlace(k / 8, Math.PI)[0] / 2, (GRIP.height * k) / 8])),
  1.4,
  0.22,
);
writeFileSync(new URL('./files/grip-side.png', import.meta.url), pencil.png());
