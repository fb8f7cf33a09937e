import { type Body, type BodyMesh, bodyBox, edgeCurve, meshBody, topologyOf, traceTangent, useUV } from '@ample-skin/core/brep';
import { type Box, boxOf, boxSize, cross, scale, thinPolyline, toWorld, unit, type Vec3 } from '@ample-skin/core/math';
import { arcLength, controlPoints, displayParameters, pointAt, surfaceNormal } from '@ample-skin/core/nurbs';
import { type Piece, partName } from '@ample-skin/core/recipe';
import { type CageView, displayCage } from './cage-display.ts';

/** What the view needs of a piece: flat, transferable arrays in single precision around `origin`. */
export type PieceDisplay =
  | {
      readonly kind: 'body';
      readonly solid: boolean;
      readonly origin: Vec3;
      readonly box: Box;
      readonly mesh: DisplayMesh;
      readonly edges: readonly DisplayEdge[];
      /** Short strokes across the rims, pointing out of the faces: pairs of points. */
      readonly ticks: Float32Array;
      readonly faces: readonly { name: string; colour?: string }[];
      readonly vertices: readonly { point: Vec3; name: string }[];
      /** Of a cage: its own faces and vertices; the mesh is its smooth surface. */
      readonly cage?: CageView;
    }
  | {
      readonly kind: 'curve';
      readonly box: Box;
      readonly lines: readonly Float32Array[];
      readonly control: readonly { points: Float32Array }[];
      readonly ends: readonly Vec3[];
    }
  | { readonly kind: 'point'; readonly box: Box; readonly point: Vec3 }
  | {
      readonly kind: 'plane';
      readonly box: Box;
      readonly corners: readonly Vec3[];
      readonly origin: Vec3;
      readonly x: Vec3;
      readonly y: Vec3;
      readonly z: Vec3;
    }
  | { readonly kind: 'scan'; readonly origin: Vec3; readonly box: Box; readonly positions: Float32Array; readonly indices: Uint32Array }
  | {
      readonly kind: 'picture';
      readonly box: Box;
      readonly corners: readonly [Vec3, Vec3, Vec3, Vec3];
      readonly asset: string;
      readonly mime: string;
      readonly flipped: boolean;
      readonly opacity: number;
    };

export interface DisplayMesh {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  /** Change of the normal in space per node, [xx, xy, xz, yy, yz, zz] in 1/mm: shading goes between corners by it (core/brep/shading.ts). */
  readonly bend: Float32Array;
  /** Parameters of each node as shares of its surface's domain. */
  readonly iso: Float32Array;
  readonly indices: Uint32Array;
  readonly faceRanges: Uint32Array;
  readonly triangles: number;
}
export interface DisplayEdge {
  readonly name: string;
  readonly points: Float32Array;
  /** Number of faces: 1 is a rim. */
  readonly uses: number;
  readonly index: number;
}

const single = (a: Float64Array, origin: Vec3): Float32Array => Float32Array.from(a, (x, i) => x - origin[i % 3]);

/** Strokes at even steps along every rim, in the face's tangent plane and away from it. */
function rimTicks(b: Body, size: number, origin: Vec3): Float32Array {
  const { uses, rims } = topologyOf(b);
  const out: number[] = [];
  for (const i of rims) {
    const e = b.edges[i];
    const { face, use } = uses[i][0];
    const f = b.faces[face];
    const curve = edgeCurve(e);
    const n = Math.max(2, Math.min(200, Math.round(arcLength(curve) / (size / 36))));
    for (let k = 0; k < n; k++) {
      const t = e.range[0] + ((e.range[1] - e.range[0]) * (k + 0.5)) / n;
      const [p, d] = traceTangent(e, t);
      const normal = surfaceNormal(f.surface, ...useUV(f, use, t));
      // the face lies on the left of its loop seen against its own normal
      const away = unit(scale(cross(d, normal), use.reversed ? -1 : 1));
      for (const reach of [0, size / 90]) for (let x = 0; x < 3; x++) out.push(p[x] + away[x] * reach - origin[x]);
    }
  }
  return Float32Array.from(out);
}

/** Where the surface bends more sharply than single precision can follow over the piece, corners are shaded by their normals alone. */
const MOST_BENT = 1e4;
export function bendOf(m: Pick<BodyMesh, 'bend' | 'positions'>): Float32Array {
  const out = Float32Array.from(m.bend);
  const p = m.positions;
  let [low, high] = [Infinity, -Infinity];
  for (const x of p) [low, high] = [Math.min(low, x), Math.max(high, x)];
  for (let o = 0; o < out.length; o += 6)
    if (!(Math.max(...out.subarray(o, o + 6).map(Math.abs)) * (high - low) < MOST_BENT)) out.fill(0, o, o + 6);
  return out;
}

/** The mesh a body is drawn by, with what is not drawn of it. */
const drawnBy = new WeakMap<PieceDisplay, BodyMesh>();
export const meshOfDisplay = (d: PieceDisplay): BodyMesh | undefined => drawnBy.get(d);

function isoOf(b: Body, m: BodyMesh): Float32Array {
  const out = new Float32Array(m.uv.length);
  b.faces.forEach(({ surface: s }, f) => {
    const [u0, u1, v0, v1] = [s.knotsU[s.degreeU], s.knotsU[s.countU], s.knotsV[s.degreeV], s.knotsV[s.countV]];
    const [first, count] = [m.faceRanges[2 * f], m.faceRanges[2 * f + 1]];
    for (let k = first; k < first + count; k++) {
      const i = m.indices[k];
      out[2 * i] = (m.uv[2 * i] - u0) / (u1 - u0);
      out[2 * i + 1] = (m.uv[2 * i + 1] - v0) / (v1 - v0);
    }
  });
  return out;
}
export function displayMesh(b: Body, m: BodyMesh, origin: Vec3): DisplayMesh {
  return {
    iso: isoOf(b, m),
    positions: single(m.positions, origin),
    normals: Float32Array.from(m.normals),
    bend: bendOf(m),
    indices: m.indices,
    faceRanges: m.faceRanges,
    triangles: m.indices.length / 3,
  };
}

/** Chord error of a piece fitted to the screen, as a share of its size. */
const FITTED = 1 / 2400;
/** Shading asks for many corners along an edge; its line needs only those that are seen: share of the chord error. */
const THIN = 1 / 8;
/** Largest angle between the normal that is shaded and the surface's own. */
const SHADED = (0.05 * Math.PI) / 180;
/** Scale of the chord error for previews; 1 is for looking at a fitted piece, less for looking closer. */
export const PREVIEW = 3;
const CLOSEST = 1 / 30;
const sizeOf = (d: PieceDisplay): number => Math.max(1e-6, boxSize(d.box));
/** Quality at which the chord error of a piece on screen stays below `chord` mm. */
export const qualityFor = (d: PieceDisplay, chord: number): number => Math.min(1, Math.max(CLOSEST, chord / (sizeOf(d) * FITTED)));

/** Display data of a piece. `quality` scales the chord error. */
export function displayPiece(p: Piece, quality = 1): PieceDisplay {
  switch (p.kind) {
    case 'skin':
    case 'solid': {
      const b = p.body;
      const box = bodyBox(b);
      const size = Math.max(1e-6, boxSize(box));
      const origin: Vec3 = [(box.min[0] + box.max[0]) / 2, (box.min[1] + box.max[1]) / 2, (box.min[2] + box.max[2]) / 2];
      const mesh = meshBody(b, {
        chord: size * FITTED * quality,
        angle: 0.22 * Math.sqrt(quality),
        normal: SHADED * Math.max(1, quality ** 2),
      });
      const { uses } = topologyOf(b);
      const edges = b.edges.flatMap((e, i): DisplayEdge[] => {
        if (e.degenerate || !uses[i].length) return [];
        const [first, count] = [mesh.edgeRanges[2 * i], mesh.edgeRanges[2 * i + 1]];
        return [
          {
            name: e.name,
            uses: uses[i].length,
            index: i,
            points: single(thinPolyline(mesh.edgePoints.slice(first * 3, (first + count) * 3), THIN * size * FITTED * quality), origin),
          },
        ];
      });
      const display: PieceDisplay = {
        kind: 'body',
        solid: p.kind === 'solid',
        origin,
        box,
        mesh: displayMesh(b, mesh, origin),
        edges,
        ticks: rimTicks(b, size, origin),
        faces: b.faces.map((f) => ({ name: f.name, colour: f.colour })),
        vertices: b.vertices.map((v, i) => ({ point: v.point, name: partName(b, 'vertex', i) })),
      };
      drawnBy.set(display, mesh);
      return display;
    }
    case 'cage':
      return displayCage(p.cage, quality);
    case 'curve': {
      const lines = p.curves.map((c) => {
        const pts = controlPoints(c).flat();
        const size = Math.max(1e-6, boxSize(boxOf(pts)));
        return Float32Array.from(
          displayParameters(c, (size / 6000) * quality, 0.12 * Math.sqrt(quality)).flatMap((t) => [...pointAt(c, t)]),
        );
      });
      const box = boxOf(lines.flatMap((l) => [...l]));
      return {
        kind: 'curve',
        box,
        lines,
        control: p.curves.map((c) => ({ points: Float32Array.from(controlPoints(c).flat()) })),
        ends: lines.flatMap((l): Vec3[] => [
          [l[0], l[1], l[2]],
          [l[l.length - 3], l[l.length - 2], l[l.length - 1]],
        ]),
      };
    }
    case 'point':
      return { kind: 'point', box: { min: p.point, max: p.point }, point: p.point };
    case 'plane': {
      const { origin: o, x, y, z } = p.frame;
      const h = p.size / 2;
      const at = (a: number, b: number): Vec3 => [o[0] + a * x[0] + b * y[0], o[1] + a * x[1] + b * y[1], o[2] + a * x[2] + b * y[2]];
      const corners = [at(-h, -h), at(h, -h), at(h, h), at(-h, h)];
      return { kind: 'plane', box: boxOf(corners.flat()), corners, origin: o, x, y, z };
    }
    case 'picture': {
      const corners = [
        toWorld(p.frame, [0, 0]),
        toWorld(p.frame, [p.width, 0]),
        toWorld(p.frame, [p.width, p.height]),
        toWorld(p.frame, [0, p.height]),
      ] as const;
      return {
        kind: 'picture',
        box: boxOf(corners.flat()),
        corners: [...corners],
        asset: p.asset,
        mime: p.mime,
        flipped: p.flipped,
        opacity: p.opacity,
      };
    }
    case 'scan': {
      const box = boxOf(p.mesh.positions);
      const origin: Vec3 = [(box.min[0] + box.max[0]) / 2, (box.min[1] + box.max[1]) / 2, (box.min[2] + box.max[2]) / 2];
      return { kind: 'scan', origin, box, positions: single(p.mesh.positions, origin), indices: p.mesh.indices };
    }
  }
}

/** Buffers of display data that may be handed over instead of copied. */
export function transferables(d: PieceDisplay): ArrayBuffer[] {
  switch (d.kind) {
    case 'body':
      return [
        d.mesh.positions.buffer,
        d.mesh.normals.buffer,
        d.mesh.bend.buffer,
        d.mesh.iso.buffer,
        d.mesh.indices.buffer,
        d.mesh.faceRanges.buffer,
        d.ticks.buffer,
        ...(d.cage
          ? [d.cage.points, d.cage.faceStart, d.cage.corners, d.cage.sharpness, d.cage.pins, d.cage.edges].map((a) => a.buffer)
          : []),
        ...d.edges.map((e) => e.points.buffer),
      ] as ArrayBuffer[];
    case 'curve':
      return d.lines.map((l) => l.buffer) as ArrayBuffer[];
    case 'scan':
      return [d.positions.buffer] as ArrayBuffer[];
    default:
      return [];
  }
}
