import type { Vec3 } from '@ample-skin/core/math';
import type { Pick } from '@ample-skin/core/recipe';
import * as THREE from 'three';
import { gap, type LineKit } from './lines.ts';
import type { Shown } from './shown.ts';
import type { ViewTheme } from './theme.ts';

export interface Handle {
  readonly id: number;
  readonly point: Vec3;
  /** Chosen: drawn larger. */
  readonly strong?: boolean;
  /** Held by rules: drawn small, in ink. */
  readonly settled?: boolean;
}
export interface OverlayContent {
  readonly handles: readonly Handle[];
  readonly polygon?: readonly Vec3[];
  readonly arrows: readonly { readonly from: Vec3; readonly direction: Vec3 }[];
  readonly links: readonly (readonly Vec3[])[];
  /** Lines that are chosen or lit. */
  readonly strong?: readonly (readonly Vec3[])[];
  readonly combs: readonly {
    readonly teeth: readonly number[];
    readonly envelope: readonly Vec3[];
    readonly inflections: readonly Vec3[];
    readonly tightest?: Vec3;
  }[];
  readonly combAt?: Vec3;
  readonly rubber?: readonly Vec3[];
  /** Where a click would set a point. */
  readonly snap?: Vec3;
  readonly places: readonly { readonly at: Vec3; readonly kept: boolean }[];
}

const flat = (l: readonly Vec3[]) => l.flatMap((p) => [...p]);

/** What is drawn in front of the model while something is edited: handles, arrows, dots, tinted faces, and the work grid. */
export class Overlay {
  readonly group = new THREE.Group();
  readonly grid = new THREE.Group();
  handles: readonly Handle[] = [];
  private tinted: THREE.Object3D[] = [];
  private pieces: THREE.Mesh[] = [];

  constructor(private readonly kit: LineKit) {}

  /** `reach` is the length of an arrow in mm. */
  show(o: OverlayContent, theme: ViewTheme, reach: number): void {
    for (const c of [...this.group.children]) {
      if (this.tinted.includes(c) || this.pieces.includes(c as THREE.Mesh)) continue;
      c.removeFromParent();
      (c as THREE.Mesh).geometry?.dispose?.();
    }
    this.handles = o.handles;
    if (o.polygon && o.polygon.length > 1) this.group.add(this.kit.polyline(flat(o.polygon), this.kit.material('soft', 1.1, true), 5));
    if (o.rubber && o.rubber.length > 1) this.group.add(this.kit.polyline(flat(o.rubber), this.kit.material('plum', 1.6, true), 6));
    for (const l of o.links) this.group.add(this.kit.polyline(flat(l), this.kit.material('plum', 1.2, true), 6));
    for (const l of o.strong ?? []) if (l.length > 1) this.group.add(this.kit.polyline(flat(l), this.kit.material('plum', 3, true), 7));
    for (const a of o.arrows)
      this.group.add(
        new THREE.ArrowHelper(
          new THREE.Vector3(...(a.direction as [number, number, number])),
          new THREE.Vector3(...(a.from as [number, number, number])),
          reach,
          theme.plum,
          reach * 0.35,
          reach * 0.2,
        ),
      );
    this.dots(
      o.handles.filter((h) => !h.strong && !h.settled).map((h) => h.point),
      theme.plum,
      8,
    );
    this.dots(
      o.handles.filter((h) => !h.strong && h.settled).map((h) => h.point),
      theme.ink,
      6,
    );
    this.dots(
      o.handles.filter((h) => h.strong).map((h) => h.point),
      theme.loden,
      13,
    );
    for (const c of o.combs) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.Float32BufferAttribute(c.teeth as number[], 3));
      const teeth = new THREE.LineSegments(
        g,
        new THREE.LineBasicMaterial({ color: theme.plum, transparent: true, opacity: 0.45, depthTest: false }),
      );
      teeth.renderOrder = 5;
      this.group.add(teeth);
      if (c.envelope.length > 1) this.group.add(this.kit.polyline(flat(c.envelope), this.kit.material('plum', 1.4, true), 6));
      this.dots([...c.inflections], theme.brass, 9);
      if (c.tightest) this.dots([c.tightest], theme.rust, 8);
    }
    if (o.combAt) this.dots([o.combAt], theme.loden, 12);
    if (o.snap) this.dots([o.snap], theme.brass, 7);
    this.dots(
      o.places.filter((p) => p.kept).map((p) => p.at),
      theme.loden,
      12,
    );
    this.dots(
      o.places.filter((p) => !p.kept).map((p) => p.at),
      theme.rust,
      9,
    );
  }
  private dots(points: Vec3[], colour: string, size: number): void {
    if (!points.length) return;
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.Float32BufferAttribute(flat(points), 3));
    const p = new THREE.Points(g, this.kit.dot(colour, size));
    p.renderOrder = 8;
    this.group.add(p);
  }

  private readonly veils = new Map<string, THREE.MeshBasicMaterial>();
  /** See-through colour over a face; made once, as its shader programs are dear. */
  private veil(colour: string, opacity: number): THREE.MeshBasicMaterial {
    const key = `${colour}|${opacity}`;
    let m = this.veils.get(key);
    if (!m)
      this.veils.set(
        key,
        (m = new THREE.MeshBasicMaterial({ color: colour, transparent: true, opacity, side: THREE.DoubleSide, depthWrite: false })),
      );
    return m;
  }
  /** Tints picked faces and marks picked corners. */
  tint(picks: readonly { pick: Pick; strong: boolean }[], shown: ReadonlyMap<string, Shown>, theme: ViewTheme): void {
    for (const t of this.tinted) {
      t.removeFromParent();
      (t as THREE.Mesh).geometry.dispose();
    }
    this.tinted = [];
    for (const { pick, strong } of picks) {
      if (pick.part?.kind !== 'face' && pick.part?.kind !== 'vertex') continue;
      const s = shown.get(`${pick.step}/${pick.output}`);
      const d = s?.view.display;
      if (!s?.mesh || d?.kind !== 'body') continue;
      if (pick.part.kind === 'vertex') {
        const v = d.vertices
          .filter((x) => x.name === pick.part?.name)
          .sort((a, b) => gap(a.point, pick.part?.near) - gap(b.point, pick.part?.near))[0];
        if (!v) continue;
        const dot = new THREE.Points(
          new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(...(v.point as [number, number, number]))]),
          this.kit.dot(theme.plum, 10),
        );
        this.group.add(dot);
        this.tinted.push(dot);
        continue;
      }
      d.faces.forEach((f, i) => {
        if (f.name !== pick.part?.name) return;
        const g = new THREE.BufferGeometry();
        g.setAttribute('position', s.mesh?.geometry.getAttribute('position') as THREE.BufferAttribute);
        const [first, count] = [d.mesh.faceRanges[2 * i], d.mesh.faceRanges[2 * i + 1]];
        g.setIndex(new THREE.BufferAttribute(d.mesh.indices.slice(first, first + count), 1));
        const m = new THREE.Mesh(g, this.veil(theme.plum, strong ? 0.42 : 0.24));
        m.raycast = () => undefined;
        s.group.add(m);
        this.tinted.push(m);
      });
    }
  }

  /** Pieces that a cut left: kept ones and those that go, see-through, in two colours. */
  setRegions(
    list: readonly { readonly positions: Float32Array; readonly indices: Uint32Array; readonly kept: boolean }[],
    theme: ViewTheme,
  ): void {
    for (const m of this.pieces) {
      m.removeFromParent();
      m.geometry.dispose();
      (m.material as THREE.Material).dispose();
    }
    this.pieces = list.map((r) => {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.BufferAttribute(r.positions, 3));
      g.setIndex(new THREE.BufferAttribute(r.indices, 1));
      const material = new THREE.MeshBasicMaterial({
        color: r.kept ? theme.loden : theme.rust,
        transparent: true,
        opacity: 0.28,
        side: THREE.DoubleSide,
        depthWrite: false,
        polygonOffset: true,
        polygonOffsetFactor: -1,
        polygonOffsetUnits: -1,
      });
      const m = new THREE.Mesh(g, material);
      m.renderOrder = 1;
      this.group.add(m);
      return m;
    });
  }
  /** Index of the front piece under the ray. */
  regionAt(ray: THREE.Raycaster): number | undefined {
    const hit = ray.intersectObjects(this.pieces, false)[0];
    return hit ? this.pieces.indexOf(hit.object as THREE.Mesh) : undefined;
  }
  /** Brings one piece forward. Returns whether anything changed. */
  markRegion(index: number | undefined): boolean {
    let changed = false;
    this.pieces.forEach((m, i) => {
      const material = m.material as THREE.MeshBasicMaterial;
      const want = i === index ? 0.5 : 0.28;
      if (Math.abs(material.opacity - want) > 1e-3) {
        material.opacity = want;
        changed = true;
      }
    });
    return changed;
  }

  /** Work grid in a plane. */
  setGrid(frame: { origin: Vec3; x: Vec3; y: Vec3 } | undefined, step: number, size: number, theme: ViewTheme): void {
    this.grid.clear();
    if (!frame) return;
    const n = Math.min(60, Math.max(4, Math.ceil(size / step)));
    const thin: number[] = [];
    const thick: number[] = [];
    const at = (a: number, b: number) => [0, 1, 2].map((k) => frame.origin[k] + a * frame.x[k] + b * frame.y[k]);
    for (let i = -n; i <= n; i++)
      (i % 5 === 0 ? thick : thin).push(
        ...at(i * step, -n * step),
        ...at(i * step, n * step),
        ...at(-n * step, i * step),
        ...at(n * step, i * step),
      );
    for (const [list, colour] of [
      [thin, theme.grid],
      [thick, theme.gridStrong],
    ] as const) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.Float32BufferAttribute(list, 3));
      const l = new THREE.LineSegments(
        g,
        new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity: list === thin ? 0.55 : 0.6, depthWrite: false }),
      );
      l.renderOrder = -1;
      l.raycast = () => undefined;
      this.grid.add(l);
    }
  }
}
