import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  type Cage,
  mergeRegular,
  named,
  type Operation,
  patchesOf,
  type Refinable,
  refine,
  refinedPoints,
  replay,
  skinOf,
  smoothMesh,
  torusStart,
  withPoints,
} from '@ample-skin/core/cage';
import { emptyModel, evaluateModel } from '@ample-skin/core/recipe';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { Session } from '@ample-skin/engine';
import { localKernel as kernel } from '../core/brep/local.ts';
import { squeezeGrip } from '../demo/squeeze-grip.ts';

/**
 * Times of cages, the least of some runs: refinement with all that hangs together, places alone beside a plain loop in C++ (when a compiler is at hand),
 * a dragged vertex, faces merged, NURBS faces. Usage: npm run bench:cages
 */
const least = (runs: number, work: () => void): number => {
  let best = Infinity;
  for (let k = 0; k < runs; k++) {
    const t = performance.now();
    work();
    best = Math.min(best, performance.now() - t);
  }
  return best;
};
const say = (what: string, ms: number, more = '') =>
  console.log(`${what.padEnd(64)} ${ms.toFixed(ms < 10 ? 2 : 0).padStart(8)} ms  ${more}`);
const torus = (segments: number, across: number): Cage => torusStart({ radius: 60, tube: 20, segments, across, opening: 360 });

const ten = torus(125, 80);
const withTopology = least(8, () => {
  let level: Refinable = { ...ten };
  for (let k = 0; k < 3; k++) level = refine(level);
});
say('10,000 quads, three steps, with topology: 640,000 quads', withTopology);
const library = native('refiner.cpp', ['-losdCPU']);
say(
  'the same by a native library (package libosd-dev)',
  Number(library.told?.[0]),
  library.why ?? `ours takes ${(withTopology / Number(library.told?.[0])).toFixed(2)} times as long`,
);
let two: Refinable = ten;
for (let k = 0; k < 2; k++) two = refine(two);
// by turns, so that both see the machine as it is
let ours = Infinity;
let plain: { ms: number; why?: string } = { ms: Infinity };
for (let k = 0; k < 4; k++) {
  const into = refinedPoints(two);
  ours = Math.min(
    ours,
    least(12, () => void refinedPoints(two, into)),
  );
  const now = loop(two);
  if (!(now.ms > plain.ms)) plain = now;
}
say('places alone, 160,000 quads to 640,000', ours);
say('the same by a plain loop in C++', plain.ms, plain.why ?? `ours takes ${(ours / plain.ms).toFixed(2)} times as long`);

const dragged = torus(50, 40);
smoothMesh(dragged, 3);
let now = dragged;
say(
  'one vertex of 2,000 faces dragged, smooth surface of 128,000 quads',
  least(40, () => {
    const points = now.points.slice();
    points[300] += 0.1;
    now = withPoints(now, points);
    smoothMesh(now, 3);
  }),
);
const list: Operation[] = Array.from({ length: 60 }, (_, k) => ({
  id: `k${k}`,
  op: 'move',
  vertices: [dragged.vertexNames[7 * k]],
  by: [0, 0, 1],
}));
replay(dragged, list);
let by = 0;
say(
  'the last of 60 operations on it dragged: replayed',
  least(40, () => {
    by += 0.01;
    replay(dragged, [...list.slice(0, -1), { ...list[59], by: [0, 0, by] } as Operation]);
  }),
);
const twenty = torus(200, 100);
say(
  '20,000 regular faces merged',
  least(5, () => void mergeRegular({ ...twenty })),
);
say(
  '20,000 faces: names looked up',
  least(5, () => void named({ ...twenty })),
);

// what the engine does for each picture of a drag: operations replayed, the step told anew, the smooth surface drawn
const engine = new Session(kernel, async () => undefined);
const step = (id: string, tool: string, params: Record<string, unknown>, of?: string) => ({
  ...{ id, tool, version: 1, params },
  inputs: (of ? { cage: [{ step: of, output: 'main' }] } : {}) as Record<string, { step: string; output: string }[]>,
});
const edited = (segments: number, tubeSegments: number, operations: readonly Operation[]) => ({
  ...emptyModel('bench'),
  steps: [
    step('c', 'cage-start', { shape: 'torus', radius: 60, tube: 20, segments, tubeSegments }),
    step('e', 'cage-edit', { operations }, 'c'),
  ],
});
const move = (c: Cage) => (by: number) => ({ id: 'k1', op: 'move', vertices: [c.vertexNames[500]], by: [0, 0, by] });
const extrude = (c: Cage) => (by: number) => ({ id: 'k1', op: 'extrude-faces', faces: c.faceNames.slice(100, 110), by });
for (const [what, segments, across, operation] of [
  ['2,000 faces, a vertex moved', 50, 40, move(dragged)],
  ['20,000 faces, a vertex moved', 200, 100, move(twenty)],
  ['20,000 faces, ten extruded', 200, 100, extrude(twenty)],
] as const) {
  await engine.update(edited(segments, across, []), { open: 'e' });
  let best = Infinity;
  for (let k = 1; k < 30; k++) {
    const t = performance.now();
    await engine.update(edited(segments, across, [operation(k / 10) as Operation]), { preview: true, focus: 'e', open: 'e' });
    best = Math.min(best, performance.now() - t);
  }
  say(`${what}: all of the engine for a picture of the drag`, best);
}

const grip = await evaluateModel(squeezeGrip(), {
  tools: RUNNABLE,
  kernel,
  asset: async (id) => {
    const name = id.split('/').pop() as string;
    return { name, data: new Uint8Array(readFileSync(new URL(`../demo/files/${name}`, import.meta.url))) };
  },
});
const piece = grip.steps.get('c-rim')?.outputs.main;
if (piece?.kind === 'cage') {
  const { cage } = piece;
  let faces = 0;
  const ms = least(8, () => {
    const r = patchesOf(cage, { degree: 8, closer: 0, merge: true });
    if (r.ok) faces = skinOf(cage, r, 'g').body.faces.length;
  });
  say(`the grip of ${cage.shape.faces} faces to NURBS`, ms, `${faces} faces`);
}
process.exit(0);

/** What a program beside this one writes, compiled for this machine; or why it cannot. */
function native(file: string, more: string[], input?: Buffer): { told?: string[]; why?: string } {
  try {
    const exe = join(mkdtempSync(join(tmpdir(), 'ample-bench-')), 'native');
    execFileSync('g++', ['-O3', '-march=native', '-o', exe, new URL(file, import.meta.url).pathname, ...more], { stdio: 'pipe' });
    return { told: execFileSync(exe, { input, maxBuffer: 1e6 }).toString().trim().split(' ') };
  } catch (e) {
    return { why: `cannot be built here (${(e as Error).message.split('\n')[0]})` };
  }
}
/** Milliseconds of the loop in refine.cpp on the same mesh; its sum of places has to be ours. */
function loop(c: Refinable): { ms: number; why?: string } {
  const { shape: s } = c;
  const head = Uint32Array.of(s.vertices, s.edges, s.faces, 12);
  const input = Buffer.concat(
    [head, s.corners, s.edgeHalf, Uint32Array.from(s.twin), c.points].map((a) => Buffer.from(a.buffer, a.byteOffset, a.byteLength)),
  );
  const { told, why } = native('refine.cpp', [], input);
  if (!told) return { ms: Number.NaN, why };
  const [seconds, sum] = told.map(Number);
  const mine = refinedPoints(c).reduce((a, b) => a + b, 0);
  if (Math.abs(sum - mine) > 1e-6 * Math.max(1, Math.abs(mine)))
    return { ms: Number.NaN, why: `its places differ: ${sum} against ${mine}` };
  return { ms: 1000 * seconds };
}
