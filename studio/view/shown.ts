import type { Vec3 } from '@ample-skin/core/math';
import type { MapView, PieceView } from '@ample-skin/engine';
import * as THREE from 'three';
import type { Line2 } from 'three/examples/jsm/lines/Line2.js';
import type { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js';
import { type CageNet, cageNet, letNetGo } from './cage-net.ts';
import { letGo, speedUp } from './fast-rays.ts';
import { type LineKit, RIM_INNER, RIM_OUTER, SEAM_WEIGHT } from './lines.ts';
import type { Pictures } from './pictures.ts';
import { surfaceMaterial } from './surface-material.ts';
import type { ViewTheme } from './theme.ts';

/** A line of a piece: its polyline for picking, relative to `origin`, and what it is drawn with when nothing is marked. */
export interface ShownLine {
  readonly name: string;
  readonly rim: boolean;
  readonly index: number;
  readonly points: Float32Array;
  readonly origin: Vec3;
  readonly line: Line2;
  base: LineMaterial;
  /** In its place while pictures have to come quickly. */
  hair?: THREE.Line;
}
/** A piece on stage. */
export interface Shown {
  readonly stamp: string;
  readonly group: THREE.Group;
  readonly view: PieceView;
  readonly lines: ShownLine[];
  /** Inner strokes of rims and their ticks: hidden where they would run together. */
  readonly fine: THREE.Object3D[];
  /** See-through: made by a step that is not kept yet. */
  ghost?: boolean;
  /** Seen but not picked. */
  locked?: boolean;
  mesh?: THREE.Mesh;
  /** In the colours of a map: drawn in place of the mesh while that is the look. */
  map?: { readonly view: MapView; readonly mesh: THREE.Mesh };
  material?: THREE.ShaderMaterial;
  /** Of a cage: its edges and its own faces. */
  net?: CageNet;
}

/** Pieces that are drawn and picked as lines. */
export const drawnAsLines = (kind: PieceView['kind']): boolean => kind === 'curve' || kind === 'plane' || kind === 'picture';

export function buildShown(view: PieceView, kit: LineKit, theme: ViewTheme, pictures: Pictures): Shown {
  const group = new THREE.Group();
  const s: Shown = { stamp: view.stamp, group, view, lines: [], fine: [] };
  const d = view.display;
  const add = (
    points: Float32Array,
    base: LineMaterial,
    order: number,
    o: { name?: string; rim?: boolean; index?: number; origin?: Vec3 } = {},
  ) => {
    const line = kit.polyline(points, base, order);
    group.add(line);
    s.lines.push({ name: o.name ?? '', rim: o.rim ?? false, index: o.index ?? -1, points, origin: o.origin ?? [0, 0, 0], line, base });
  };
  if (d?.kind === 'body' || d?.kind === 'scan') {
    const g = new THREE.BufferGeometry();
    const m = d.kind === 'body' ? d.mesh : d;
    g.setAttribute('position', new THREE.BufferAttribute(m.positions, 3));
    g.setIndex(new THREE.BufferAttribute(m.indices, 1));
    if (d.kind === 'body') {
      g.setAttribute('normal', new THREE.BufferAttribute(d.mesh.normals, 3));
      const bend = new THREE.InterleavedBuffer(d.mesh.bend, 6);
      g.setAttribute('bendX', new THREE.InterleavedBufferAttribute(bend, 3, 0));
      g.setAttribute('bendY', new THREE.InterleavedBufferAttribute(bend, 3, 3));
      g.setAttribute('iso', new THREE.BufferAttribute(d.mesh.iso, 2));
    } else g.computeVertexNormals();
    if (m.indices.length) speedUp(g);
    s.material = surfaceMaterial();
    s.mesh = new THREE.Mesh(g, s.material);
    group.position.set(...(d.origin as [number, number, number]));
    group.add(s.mesh);
    if (d.kind === 'body') {
      for (const e of d.edges) {
        const rim = e.uses === 1;
        add(e.points, rim ? kit.material('rim', RIM_OUTER) : kit.material('ink', e.uses > 2 ? 3 : SEAM_WEIGHT.G2), rim ? 3 : 2, {
          name: e.name,
          rim,
          index: e.index,
          origin: d.origin,
        });
        // a rim is a double line: the page shows between its two strokes
        if (rim) {
          const inner = kit.polyline(e.points, kit.material('page', RIM_INNER), 4);
          s.fine.push(inner);
          group.add(inner);
        }
      }
      if (d.cage) {
        s.net = cageNet(d.cage, d.origin, kit);
        group.add(s.net.lines);
      }
      if (d.ticks.length) {
        const tg = new LineSegmentsGeometry();
        tg.setPositions(Array.from(d.ticks));
        const ticks = new LineSegments2(tg, kit.material('rim', 1.4));
        s.fine.push(ticks);
        group.add(ticks);
      }
    }
  } else if (d?.kind === 'curve') {
    for (const l of d.lines) add(l, kit.material(view.stale ? 'soft' : 'ink', 1.8), 3);
  } else if (d?.kind === 'plane') {
    const c = d.corners.flat() as number[];
    add(Float32Array.from([...c, c[0], c[1], c[2]]), kit.material('gridStrong', 1.3), 1);
    const reach = Math.hypot(c[0] - c[3], c[1] - c[4], c[2] - c[5]) / 6;
    const to = (v: Vec3) => [...d.origin, d.origin[0] + v[0] * reach, d.origin[1] + v[1] * reach, d.origin[2] + v[2] * reach];
    group.add(kit.polyline(to(d.x), kit.material('x', 1.6)), kit.polyline(to(d.y), kit.material('y', 1.6)));
  } else if (d?.kind === 'picture') {
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.Float32BufferAttribute(d.corners.flat() as number[], 3));
    g.setAttribute('uv', new THREE.Float32BufferAttribute(d.flipped ? [1, 0, 0, 0, 0, 1, 1, 1] : [0, 0, 1, 0, 1, 1, 0, 1], 2));
    g.setIndex([0, 1, 2, 0, 2, 3]);
    // pushed back a little, so that curves drawn in its plane stay in front
    s.mesh = new THREE.Mesh(
      g,
      new THREE.MeshBasicMaterial({
        map: pictures.texture(d.asset, d.mime),
        transparent: true,
        opacity: d.opacity,
        side: THREE.DoubleSide,
        depthWrite: false,
        polygonOffset: true,
        polygonOffsetFactor: 2,
        polygonOffsetUnits: 2,
      }),
    );
    s.mesh.renderOrder = -2;
    group.add(s.mesh);
    add(Float32Array.from([...d.corners, d.corners[0]].flat() as number[]), kit.material('gridStrong', 1), 0);
  } else if (d?.kind === 'point') {
    group.add(
      new THREE.Points(
        new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(...(d.point as [number, number, number]))]),
        new THREE.PointsMaterial({ color: theme.ink, size: 7, sizeAttenuation: false }),
      ),
    );
  }
  return s;
}

/** Lines one pixel wide in place of those with a width, which take a rasteriser without a graphics card most of a picture; and back. */
export function setHairs(s: Shown, on: boolean, kit: LineKit): void {
  for (const l of s.lines) {
    if (!on && !l.hair) continue;
    l.hair ??= hairOf(l);
    if (on) l.hair.material = kit.plain((l.line.material as LineMaterial).color);
    l.hair.visible = on;
    l.line.visible = !on;
  }
  if (on) for (const f of s.fine) f.visible = false;
}
function hairOf(l: ShownLine): THREE.Line {
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.BufferAttribute(l.points, 3));
  const hair = new THREE.Line(g);
  hair.renderOrder = l.line.renderOrder;
  l.line.parent?.add(hair);
  return hair;
}

/** Gives a piece its map, or takes it away. */
export function setShownMap(s: Shown, view: MapView | undefined): void {
  if (s.map?.view === view) return;
  if (s.map) {
    s.map.mesh.removeFromParent();
    letGo(s.map.mesh.geometry);
    s.map.mesh.geometry.dispose();
    s.map = undefined;
  }
  if (!view || !s.material || view.stamp !== s.stamp) return;
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.BufferAttribute(view.positions, 3));
  g.setAttribute('normal', new THREE.BufferAttribute(view.normals, 3));
  const bend = new THREE.InterleavedBuffer(view.bend, 6);
  g.setAttribute('bendX', new THREE.InterleavedBufferAttribute(bend, 3, 0));
  g.setAttribute('bendY', new THREE.InterleavedBufferAttribute(bend, 3, 3));
  const mapped = new Float32Array(2 * view.values.length);
  view.values.forEach((x, i) => {
    mapped[2 * i] = x;
    mapped[2 * i + 1] = view.state[i] === 2 ? 3 : view.state[i];
  });
  g.setAttribute('mapped', new THREE.BufferAttribute(mapped, 2));
  g.setIndex(new THREE.BufferAttribute(view.indices, 1));
  if (view.indices.length) speedUp(g);
  s.map = { view, mesh: new THREE.Mesh(g, s.material) };
  s.group.add(s.map.mesh);
}

export function disposeShown(s: Shown): void {
  if (s.net) letNetGo(s.net);
  s.group.removeFromParent();
  s.group.traverse((o) => {
    const g = (o as THREE.Mesh).geometry as THREE.BufferGeometry | undefined;
    if (g) letGo(g);
    g?.dispose();
  });
  s.material?.dispose();
}
