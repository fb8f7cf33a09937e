import type { Vec3 } from '@ample-skin/core/math';
import type { CageView } from '@ample-skin/engine';
import * as THREE from 'three';
import { letGo, speedUp } from './fast-rays.ts';
import type { LineKit } from './lines.ts';

/** What is shown of cages: their own faces, their smooth surface, or that with the cage's edges over it. */
export type CageLook = 'both' | 'cage' | 'smooth';

/** Edges of a cage as lines, and its own faces, flat ones, made when they are first asked for. */
export interface CageNet {
  readonly lines: THREE.LineSegments;
  readonly view: CageView;
  readonly origin: Vec3;
  flat?: { readonly mesh: THREE.Mesh; readonly faceRanges: Uint32Array };
}

/** The edges of a cage as lines. */
export function cageNet(view: CageView, origin: Vec3, kit: LineKit): CageNet {
  const { points, edges } = view;
  const list = new Float32Array(3 * edges.length);
  for (let i = 0; i < edges.length; i++) for (let k = 0; k < 3; k++) list[3 * i + k] = points[3 * edges[i] + k] - origin[k];
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.BufferAttribute(list, 3));
  const lines = new THREE.LineSegments(g, kit.net());
  lines.renderOrder = 2;
  lines.raycast = () => undefined;
  return { lines, view, origin };
}

/** The cage's own faces as triangles, flat. */
function flatFaces(net: CageNet, material: THREE.Material): NonNullable<CageNet['flat']> {
  const { points, faceStart, corners } = net.view;
  const faces = faceStart.length - 1;
  const positions: number[] = [];
  const normals: number[] = [];
  const faceRanges = new Uint32Array(2 * faces);
  const at = (v: number): Vec3 => [0, 1, 2].map((k) => points[3 * v + k] - net.origin[k]) as unknown as Vec3;
  for (let f = 0; f < faces; f++) {
    const own = [...corners.subarray(faceStart[f], faceStart[f + 1])].map(at);
    const normal = [0, 0, 0];
    own.forEach((p, i) => {
      const q = own[(i + 1) % own.length];
      normal[0] += (p[1] - q[1]) * (p[2] + q[2]);
      normal[1] += (p[2] - q[2]) * (p[0] + q[0]);
      normal[2] += (p[0] - q[0]) * (p[1] + q[1]);
    });
    const l = Math.hypot(...normal) || 1;
    faceRanges[2 * f] = positions.length / 3;
    // about the middle, so that a face that is not flat is not folded
    const middle = [0, 1, 2].map((k) => own.reduce((sum, p) => sum + p[k] / own.length, 0));
    own.forEach((p, i) => {
      positions.push(...p, ...own[(i + 1) % own.length], ...middle);
      for (let k = 0; k < 3; k++) normals.push(normal[0] / l, normal[1] / l, normal[2] / l);
    });
    faceRanges[2 * f + 1] = positions.length / 3 - faceRanges[2 * f];
  }
  const count = positions.length / 3;
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.Float32BufferAttribute(positions, 3));
  g.setAttribute('normal', new THREE.Float32BufferAttribute(normals, 3));
  for (const name of ['bendX', 'bendY']) g.setAttribute(name, new THREE.BufferAttribute(new Float32Array(3 * count), 3));
  g.setAttribute('iso', new THREE.BufferAttribute(new Float32Array(2 * count), 2));
  g.setIndex(Array.from({ length: count }, (_, i) => i));
  if (count) speedUp(g);
  return { mesh: new THREE.Mesh(g, material), faceRanges };
}

/** Puts what a look asks for on stage. */
export function wearNet(
  s: {
    readonly group: THREE.Group;
    readonly mesh?: THREE.Mesh;
    readonly material?: THREE.ShaderMaterial;
    readonly lines: readonly { line: THREE.Object3D }[];
  },
  net: CageNet,
  look: CageLook,
  hidden: boolean,
): void {
  if (look === 'cage' && s.material && !net.flat) {
    net.flat = flatFaces(net, s.material);
    s.group.add(net.flat.mesh);
  }
  // the edges may lie in the surface: it stands back a little behind them
  if (s.material) Object.assign(s.material, { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 2 });
  net.lines.visible = look !== 'smooth' && !hidden;
  if (net.flat) net.flat.mesh.visible = look === 'cage';
  if (s.mesh) s.mesh.visible = look !== 'cage' && s.mesh.visible;
  for (const l of s.lines) l.line.visible = look !== 'cage' && !hidden;
}
export function letNetGo(net: CageNet): void {
  if (net.flat) letGo(net.flat.mesh.geometry);
}
