import type { Vec3 } from '../math/index.ts';
import { pointOf } from './cage.ts';
import { sharpOf } from './sectors.ts';
import type { Refinable } from './subdivide.ts';

/** The sixteen vertices round a regular face as its bicubic needs them: past a sharp edge stand the images that make it the border of a spline. */
export function netOfFace(c: Refinable, h: number): Vec3[][] {
  const { shape: s } = c;
  const P = (v: number): Vec3 => pointOf(c.points, v);
  // corners (x, y) of the face from half-edge h: its origin, then counterclockwise
  const halves = [h, s.next[h], s.next[s.next[h]], s.prev[h]];
  const sharp = halves.map((g) => sharpOf(c, g) > 0);
  const g: (Vec3 | undefined)[][] = Array.from({ length: 4 }, () => Array.from({ length: 4 }, () => undefined));
  const spot = [
    [1, 1],
    [2, 1],
    [2, 2],
    [1, 2],
  ];
  halves.forEach((k, i) => {
    const [x, y] = spot[i];
    g[x][y] = P(s.corners[k]);
  });
  const out = [
    [0, -1],
    [1, 0],
    [0, 1],
    [-1, 0],
  ];
  // over each side that is not sharp: the two far corners of the face there
  halves.forEach((k, i) => {
    if (sharp[i]) return;
    const t = s.twin[k];
    const [dx, dy] = out[i];
    const [a, b] = [spot[i], spot[(i + 1) % 4]];
    // the twin runs from b to a: what follows it leads on from a, outwards
    g[a[0] + dx][a[1] + dy] = P(s.corners[s.next[s.next[t]]]);
    g[b[0] + dx][b[1] + dy] = P(s.corners[s.prev[t]]);
  });
  // past the corners: the vertex across, where both sides go on
  halves.forEach((k, i) => {
    const before = (i + 3) % 4;
    if (sharp[i] || sharp[before]) return;
    const [x, y] = spot[i];
    const [p, q] = [out[i], out[before]];
    // round the corner from the face over side i to the one between the two
    const over = s.next[s.twin[k]];
    const beyond = s.twin[over];
    g[x + p[0] + q[0]][y + p[1] + q[1]] = beyond < 0 ? undefined : P(s.corners[s.prev[beyond]]);
  });
  // images past sharp sides, first along sides, then at corners
  const mirrorOf = (a: Vec3, b: Vec3): Vec3 => [2 * a[0] - b[0], 2 * a[1] - b[1], 2 * a[2] - b[2]];
  halves.forEach((_, i) => {
    if (!sharp[i]) return;
    const [dx, dy] = out[i];
    for (const [x, y] of [spot[i], spot[(i + 1) % 4]]) g[x + dx][y + dy] = mirrorOf(g[x][y] as Vec3, g[x - dx][y - dy] as Vec3);
  });
  halves.forEach((_, i) => {
    const before = (i + 3) % 4;
    const [x, y] = spot[i];
    const [p, q] = [out[i], out[before]];
    const [cx, cy] = [x + p[0] + q[0], y + p[1] + q[1]];
    if (g[cx][cy]) return;
    // along the sharp side that goes on, or past both
    if (sharp[i]) g[cx][cy] = mirrorOf(g[x + q[0]][y + q[1]] as Vec3, g[x + q[0] - p[0]][y + q[1] - p[1]] as Vec3);
    else g[cx][cy] = mirrorOf(g[x + p[0]][y + p[1]] as Vec3, g[x + p[0] - q[0]][y + p[1] - q[1]] as Vec3);
  });
  return g as Vec3[][];
}
