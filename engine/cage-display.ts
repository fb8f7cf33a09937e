import { alongEdge, bordersOf, type Cage, levelFor, type SmoothMesh, sharpnessOf, smoothMesh } from '@ample-skin/core/cage';
import { boxOf, boxSize, type Vec3 } from '@ample-skin/core/math';
import type { DisplayEdge, PieceDisplay } from './display.ts';

/** The cage itself, as the page draws and edits it: all that makes it again. */
export interface CageView {
  readonly points: Float64Array;
  readonly faceStart: Uint32Array;
  readonly corners: Uint32Array;
  readonly sharpness: Float64Array;
  readonly pins: Float64Array;
  readonly vertexNames: readonly string[];
  readonly faceNames: readonly string[];
  readonly image?: string;
  /** Ends of every edge. */
  readonly edges: Uint32Array;
}

/** Chord error of a smooth surface as a share of its size, and the most quads it is drawn with. */
const FITTED = 1 / 3000;
const MOST = 120_000;

/** The smooth surface of a cage as the view draws it, with the cage beside it. */
export function displayCage(c: Cage, quality: number): PieceDisplay {
  const box = boxOf(c.points);
  const size = Math.max(1e-6, boxSize(box));
  const origin: Vec3 = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2) as unknown as Vec3;
  const least = c.shape.faces < 3000 ? 3 : c.shape.faces < 8000 ? 2 : 1;
  // of many faces a drag shows the least: how far that is off takes longer to tell than to draw
  const drag = quality > 1 && c.shape.faces > 1000;
  const steps = drag ? Math.min(2, least) : Math.max(least, levelFor(c, size * FITTED * quality, MOST));
  const mesh = smoothMesh(c, steps);
  const nodes = mesh.positions.length / 3;
  const positions = new Float32Array(3 * nodes);
  for (let i = 0; i < positions.length; i += 3) {
    positions[i] = mesh.positions[i] - origin[0];
    positions[i + 1] = mesh.positions[i + 1] - origin[1];
    positions[i + 2] = mesh.positions[i + 2] - origin[2];
  }
  return {
    kind: 'body',
    solid: false,
    origin,
    box,
    mesh: {
      positions,
      normals: new Float32Array(mesh.normals),
      bend: new Float32Array(6 * nodes),
      iso: new Float32Array(2 * nodes),
      indices: mesh.indices.slice(),
      faceRanges: mesh.faceRanges.slice(),
      triangles: mesh.indices.length / 3,
    },
    edges: linesOf(c, mesh, origin),
    ticks: new Float32Array(0),
    faces: c.faceNames.map((name) => ({ name })),
    vertices: [],
    cage: {
      points: c.points.slice(),
      faceStart: c.shape.faceStart.slice(),
      corners: c.shape.corners.slice(),
      sharpness: c.sharpness.slice(),
      pins: c.pins.slice(),
      vertexNames: c.vertexNames,
      faceNames: c.faceNames,
      image: c.image,
      edges: endsOf(c.shape),
    },
  };
}

function endsOf(s: Cage['shape']): Uint32Array {
  const out = new Uint32Array(2 * s.edges);
  for (let e = 0; e < s.edges; e++) {
    const h = s.edgeHalf[e];
    out[2 * e] = s.corners[h];
    out[2 * e + 1] = s.corners[s.next[h]];
  }
  return out;
}
/** Borders and creases of the smooth surface, each run as one line. */
function linesOf(c: Cage, mesh: SmoothMesh, origin: Vec3): DisplayEdge[] {
  const { shape: s } = c;
  const points = (vertices: readonly number[]) =>
    Float32Array.from(vertices.flatMap((v) => [0, 1, 2].map((k) => mesh.positions[3 * v + k] - origin[k])));
  const run = (e: number, from: number): number[] => {
    const line = alongEdge(mesh, e);
    return s.corners[s.edgeHalf[e]] === from ? line : line.reverse();
  };
  const out: DisplayEdge[] = bordersOf(s).map((ring, i) => ({
    name: `border ${i + 1}`,
    uses: 1,
    index: -1,
    points: points(ring.flatMap((h, k) => run(s.edgeOf[h], s.corners[h]).slice(k ? 1 : 0))),
  }));
  const done = new Uint8Array(s.edges);
  const creased = (e: number) => c.sharpness[e] > 0 && s.twin[s.edgeHalf[e]] >= 0;
  const at = new Map<number, number[]>();
  for (let e = 0; e < s.edges; e++)
    if (creased(e)) for (const v of [s.corners[s.edgeHalf[e]], s.corners[s.next[s.edgeHalf[e]]]]) at.set(v, [...(at.get(v) ?? []), e]);
  const other = (e: number, v: number) => {
    const h = s.edgeHalf[e];
    return s.corners[h] === v ? s.corners[s.next[h]] : s.corners[h];
  };
  for (let e = 0; e < s.edges; e++) {
    if (!creased(e) || done[e]) continue;
    // back to where the run begins, then on to its end
    let [first, from] = [e, s.corners[s.edgeHalf[e]]];
    for (let k = 0; k < s.edges; k++) {
      const list = at.get(from) as number[];
      const before = list.length === 2 ? list.find((x) => x !== first) : undefined;
      if (before === undefined || before === e) break;
      from = other(before, from);
      first = before;
    }
    const line: number[] = [];
    let [now, v] = [first, from];
    while (!done[now]) {
      done[now] = 1;
      line.push(...run(now, v).slice(line.length ? 1 : 0));
      v = other(now, v);
      const list = at.get(v) as number[];
      const next = list.length === 2 ? list.find((x) => x !== now) : undefined;
      if (next === undefined) break;
      now = next;
    }
    out.push({ name: `crease ${e}`, uses: sharpnessOf(c.sharpness[e]) === Infinity ? 3 : 2, index: -1, points: points(line) });
  }
  return out;
}

/** Edges of a cage as lines of two points, for nets. */
export function cageLines(c: Cage): Float32Array[] {
  const { shape: s, points } = c;
  return Array.from({ length: s.edges }, (_, e) => {
    const h = s.edgeHalf[e];
    return Float32Array.from([s.corners[h], s.corners[s.next[h]]].flatMap((v) => [...points.subarray(3 * v, 3 * v + 3)]));
  });
}
