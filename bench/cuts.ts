// Cuts, combinations, walls and knits of our own beside the kernel's, in one run. Usage: npm run bench:cuts [-- 28]
import { booleanByKernel, makeSolid, massProperties, sewBodies, splitBody, subBody, thickBody, withShells } from '../core/brep/index.ts';
import { localKernel as kernel } from '../core/brep/local.ts';
import { combineBodiesAs, hollow, knitBodies, splitByTools } from '../core/joins/index.ts';
import { block, loftSolid, solidPair, trimCase } from '../core/testing/random-bodies.ts';
import { randomFrom } from '../core/testing/section-sets.ts';

const COUNT = Number(process.argv[2] ?? 28);
const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1];
const ms = (x: number) => (x < 10 ? x.toFixed(1) : x.toFixed(0));
async function timed<T>(work: () => T | Promise<T>): Promise<[number, T]> {
  const t = performance.now();
  const r = await work();
  return [performance.now() - t, r];
}
/** Times of both sides over the same cases, as a line of the table. */
function line(what: string, own: number[], theirs: number[], note: string): void {
  const ratio = median(own.map((x, i) => theirs[i] / Math.max(x, 0.1)));
  console.log(
    `| ${what} | ${ms(median(own))} (${ms(Math.max(...own))}) | ${ms(median(theirs))} (${ms(Math.max(...theirs))}) | ${ratio.toFixed(1)} | ${note} |`,
  );
}

// both sides warm
for (let i = 0; i < 4; i++) {
  const { target, tool } = trimCase(i, randomFrom(1000 + i));
  splitByTools(target, [tool], { fit: 5e-6, name: 'c' });
  await splitBody(kernel, target, [tool], 1e-3, 'k').catch(() => undefined);
}
console.log('| work | ours: ms, median (largest) | the kernel: ms, median (largest) | times faster | |');
console.log('| --- | --- | --- | --- | --- |');
{
  const [own, theirs]: number[][] = [[], []];
  let refused = 0;
  for (let i = 0; i < COUNT; i++) {
    const { target, tool } = trimCase(i, randomFrom(1000 + i));
    const [t, r] = await timed(() => splitByTools(target, [tool], { fit: 5e-6, name: 'c' }));
    if (!r.ok) refused++;
    own.push(t);
    theirs.push((await timed(() => splitBody(kernel, target, [tool], 1e-3, 'k').catch(() => undefined)))[0]);
  }
  line(`${COUNT} random trims`, own, theirs, `${refused} refused by ours`);
}
{
  const [own, theirs]: number[][] = [[], []];
  let off = 0;
  for (let i = 0; i < COUNT / 2; i++) {
    const [a, b] = solidPair(i, randomFrom(4000 + i));
    const [t, x] = await timed(() => combineBodiesAs('subtract', a, b, [], { stepId: 'b', tolerance: 1e-3, kernel }));
    own.push(t);
    const [s, y] = await timed(() => booleanByKernel(kernel, a, b, 'subtract', 1e-3).catch(() => undefined));
    theirs.push(s);
    if (x.ok && y) off = Math.max(off, Math.abs(massProperties(x.body).volume / massProperties(y).volume - 1));
  }
  line(`${Math.floor(COUNT / 2)} random differences`, own, theirs, `volumes within ${off.toExponential(0)} of each other`);
}
{
  const [own, theirs]: number[][] = [[], []];
  let off = 0;
  let wrong = 0;
  for (let i = 0; i < 6; i++) {
    const solid = loftSolid(randomFrom(70 + i), 18, 50);
    const open = solid.faces.findIndex((f) => f.name === 'loft:top');
    const walls = solid.faces.map((_, k) => (k === open ? 0 : 1.2));
    const [t, x] = await timed(() => hollow(solid, walls, { stepId: 'w', tolerance: 1e-3 }));
    own.push(t);
    const [s, y] = await timed(() => thickBody(kernel, solid, -1.2, [open], 'sharp', 1e-3).catch(() => undefined));
    theirs.push(s);
    const closed = y && makeSolid({ ...y, solids: [] });
    const apart = x.ok && closed?.ok ? Math.abs(massProperties(x.body).volume / massProperties(closed.body).volume - 1) : 1;
    // area times thickness tells which of the two is a wall
    if (apart > 1e-3) wrong++;
    else off = Math.max(off, apart);
  }
  line(
    'walls of 1.2 mm of 6 wavy lofts',
    own,
    theirs,
    wrong ? `the kernel's is no wall in ${wrong}` : `volumes within ${off.toExponential(0)} of each other`,
  );
}
for (const n of [10, 40, 80]) {
  const sheets = Array.from({ length: n * n }, (_, i) => {
    const b = subBody(block(0.5, 0.5, 0.5), [5]);
    return withShells({
      ...b,
      vertices: b.vertices.map((v) => ({ ...v, point: [v.point[0] + (i % n), v.point[1] + Math.floor(i / n), 0] as const })),
      edges: b.edges.map((e) => ({
        ...e,
        curve: { ...e.curve, control: e.curve.control.map((x, k) => x + [i % n, Math.floor(i / n), -0.5, 0][k % 4]) },
      })),
      faces: b.faces.map((f) => ({
        ...f,
        record: undefined,
        surface: { ...f.surface, control: f.surface.control.map((x, k) => x + [i % n, Math.floor(i / n), -0.5, 0][k % 4]) },
      })),
    });
  });
  const [t, x] = await timed(() => knitBodies(sheets, 1e-6));
  const theirs = n > 10 ? undefined : (await timed(() => sewBodies(kernel, sheets, 1e-6)))[0];
  console.log(
    `| knitting ${n * n} faces into one skin with ${x.gaps.length} seams | ${ms(t)} | ${theirs === undefined ? 'not run' : ms(theirs)} | ${theirs === undefined ? '' : (theirs / t).toFixed(1)} | |`,
  );
}
process.exit();
