import type { Vec3 } from '@ample-skin/core/math';
import type { Pick } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import * as THREE from 'three';
import { Line2 } from 'three/examples/jsm/lines/Line2.js';
import { LineGeometry } from 'three/examples/jsm/lines/LineGeometry.js';
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js';
import { acceleratedRaycast, computeBoundsTree, disposeBoundsTree } from 'three-mesh-bvh';
import { Orbit, VIEWS } from './camera.ts';
import { surfaceMaterial } from './surface-material.ts';
import type { ViewTheme } from './theme.ts';

THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree as never;
THREE.BufferGeometry.prototype.disposeBoundsTree = disposeBoundsTree as never;
THREE.Mesh.prototype.raycast = acceleratedRaycast;

export interface Hit {
  readonly pick: Pick;
  readonly kind: 'face' | 'edge' | 'vertex' | 'piece';
  readonly point: Vec3;
  readonly label: string;
}
export interface HitFilter {
  readonly face: boolean;
  readonly edge: boolean;
  readonly vertex: boolean;
  readonly piece: (kind: PieceView['kind']) => boolean;
}
export interface Handle {
  readonly id: number;
  readonly point: Vec3;
}
export interface PaneRect {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

interface Shown {
  readonly stamp: string;
  readonly group: THREE.Group;
  readonly view: PieceView;
  mesh?: THREE.Mesh;
  material?: THREE.ShaderMaterial;
  /** Polylines in world coordinates, for picking: name, kind, xyz. */
  readonly lines: { readonly name: string; readonly rim: boolean; readonly index: number; readonly points: Float32Array; readonly origin: Vec3; line: Line2 }[];
}

/** The model view: one canvas, up to four panes, drawn only when something changes. */
export class Viewport {
  readonly renderer: THREE.WebGLRenderer;
  readonly orbits: Orbit[] = [new Orbit(), new Orbit(true), new Orbit(true), new Orbit(true)];
  panes: 1 | 2 | 4 = 1;
  onDraw: (() => void) | undefined;
  private readonly scene = new THREE.Scene();
  private readonly shown = new Map<string, Shown>();
  private readonly overlay = new THREE.Group();
  private readonly gridGroup = new THREE.Group();
  private readonly raycaster = new THREE.Raycaster();
  private frame = 0;
  private width = 1;
  private height = 1;
  private materials = new Map<string, LineMaterial>();
  private looks = { look: 1, count: 18, direction: new THREE.Vector3(0, 0, 1), fixed: 'view' as 'view' | 'world', axis: 'up' as 'up' | 'side' | 'depth' };
  private theme: ViewTheme;

  constructor(
    private readonly host: HTMLElement,
    theme: ViewTheme,
  ) {
    this.theme = theme;
    const probe = document.createElement('canvas').getContext('webgl2');
    const info = probe?.getExtension('WEBGL_debug_renderer_info');
    const name = info ? String(probe?.getParameter(info.UNMASKED_RENDERER_WEBGL)) : '';
    const software = /SwiftShader|llvmpipe/i.test(name);
    probe?.getExtension('WEBGL_lose_context')?.loseContext();
    this.renderer = new THREE.WebGLRenderer({ antialias: !software, preserveDrawingBuffer: true, powerPreference: 'high-performance' });
    this.renderer.setPixelRatio(software ? 1 : Math.min(2, window.devicePixelRatio));
    this.renderer.autoClear = false;
    this.renderer.domElement.style.display = 'block';
    host.appendChild(this.renderer.domElement);
    this.scene.add(this.gridGroup, this.overlay);
    [this.orbits[1].heading, this.orbits[1].tilt] = VIEWS.top;
    [this.orbits[2].heading, this.orbits[2].tilt] = VIEWS.front;
    [this.orbits[3].heading, this.orbits[3].tilt] = VIEWS.right;
    this.raycaster.firstHitOnly = false;
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    for (const s of this.shown.values()) this.drop(s);
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
  resize(): void {
    const r = this.host.getBoundingClientRect();
    this.width = Math.max(1, Math.floor(r.width));
    this.height = Math.max(1, Math.floor(r.height));
    this.renderer.setSize(this.width, this.height, false);
    this.renderer.domElement.style.width = '100%';
    this.renderer.domElement.style.height = '100%';
    for (const m of this.materials.values()) m.resolution.set(this.width, this.height);
    this.invalidate();
  }
  invalidate(): void {
    if (!this.frame) this.frame = requestAnimationFrame(() => this.draw());
  }

  /** Pane rectangles in CSS pixels, y from the top. */
  rects(): PaneRect[] {
    const [w, h] = [this.width, this.height];
    if (this.panes === 1) return [{ x: 0, y: 0, width: w, height: h }];
    if (this.panes === 2)
      return [
        { x: 0, y: 0, width: w / 2, height: h },
        { x: w / 2, y: 0, width: w / 2, height: h },
      ];
    return [
      { x: 0, y: 0, width: w / 2, height: h / 2 },
      { x: w / 2, y: 0, width: w / 2, height: h / 2 },
      { x: 0, y: h / 2, width: w / 2, height: h / 2 },
      { x: w / 2, y: h / 2, width: w / 2, height: h / 2 },
    ];
  }
  paneAt(x: number, y: number): number {
    return Math.max(
      0,
      this.rects().findIndex((r) => x >= r.x && x < r.x + r.width && y >= r.y && y < r.y + r.height),
    );
  }

  draw(): void {
    this.frame = 0;
    const gl = this.renderer;
    const rects = this.rects();
    gl.setScissorTest(false);
    gl.setClearColor(this.theme.page);
    gl.clear();
    gl.setScissorTest(true);
    rects.forEach((r, i) => {
      const orbit = this.orbits[i];
      orbit.update(r.width / r.height);
      const y = this.height - r.y - r.height;
      gl.setViewport(r.x, y, r.width, r.height);
      gl.setScissor(r.x, y, Math.max(1, r.width - (this.panes > 1 ? 1 : 0)), Math.max(1, r.height - (this.panes > 1 ? 1 : 0)));
      gl.setClearColor(this.theme.page);
      gl.clear();
      for (const m of this.materials.values()) m.resolution.set(r.width, r.height);
      this.aimStripes(orbit);
      gl.render(this.scene, orbit.camera);
    });
    gl.setScissorTest(false);
    this.onDraw?.();
  }
  private aimStripes(orbit: Orbit): void {
    const out = orbit.outward();
    const d = this.looks.axis === 'up' ? new THREE.Vector3(0, 0, 1) : this.looks.axis === 'side' ? new THREE.Vector3(1, 0, 0) : new THREE.Vector3(0, 1, 0);
    if (this.looks.fixed === 'view') {
      const e = orbit.camera.matrixWorld.elements;
      if (this.looks.axis === 'up') d.set(e[4], e[5], e[6]);
      else if (this.looks.axis === 'side') d.set(e[0], e[1], e[2]);
      else d.copy(out);
    }
    for (const s of this.shown.values()) {
      if (!s.material) continue;
      const u = s.material.uniforms;
      u.direction.value.copy(d);
      u.perspective.value = orbit.flat ? 0 : 1;
      u.viewDirection.value.copy(out).negate();
    }
  }

  setTheme(theme: ViewTheme): void {
    this.theme = theme;
    for (const [k, m] of this.materials) m.color.set(this.lineColour(k.split('|')[0]));
    for (const s of this.shown.values()) this.colourSurface(s);
    this.invalidate();
  }
  setLook(look: 'clay' | 'sides' | 'stripes', stripes: { count: number; direction: 'up' | 'side' | 'depth'; fixed: 'view' | 'world' }): void {
    this.looks.look = look === 'clay' ? 0 : look === 'sides' ? 1 : 2;
    this.looks.count = stripes.count;
    this.looks.axis = stripes.direction;
    this.looks.fixed = stripes.fixed;
    for (const s of this.shown.values()) this.colourSurface(s);
    this.invalidate();
  }
  private colourSurface(s: Shown): void {
    if (!s.material) return;
    const u = s.material.uniforms;
    u.look.value = this.looks.look;
    u.count.value = this.looks.count;
    u.outside.value.set(s.group.userData.colour ?? this.theme.outside);
    u.inside.value.set(this.theme.inside);
    u.clay.value.set(s.view.kind === 'scan' ? this.theme.gridStrong : this.theme.clay);
    u.tint.value.set(this.theme.plum);
    u.fade.value = s.view.stale ? 1 : 0;
  }
  private lineColour(kind: string): string {
    const t = this.theme;
    return { ink: t.ink, rim: t.rust, plum: t.plum, grid: t.grid, gridStrong: t.gridStrong, brass: t.brass, loden: t.loden, x: t.rust, y: t.loden, soft: t.gridStrong }[kind] ?? t.ink;
  }
  private lineMaterial(kind: string, width: number, dashed = false, onTop = false): LineMaterial {
    const key = `${kind}|${width}|${dashed}|${onTop}`;
    let m = this.materials.get(key);
    if (!m) {
      m = new LineMaterial({ color: this.lineColour(kind), linewidth: width, dashed, dashSize: 2, gapSize: 1.5, depthTest: !onTop, transparent: onTop });
      m.resolution.set(this.width, this.height);
      this.materials.set(key, m);
    }
    return m;
  }

  /** Puts the pieces on stage: only what has a new stamp is rebuilt. */
  setPieces(pieces: readonly { view: PieceView; visible: boolean; colour?: string }[]): void {
    const keep = new Set(pieces.map((p) => p.view.key));
    for (const [k, s] of this.shown)
      if (!keep.has(k)) {
        this.drop(s);
        this.shown.delete(k);
      }
    for (const p of pieces) {
      const old = this.shown.get(p.view.key);
      if (!old || old.stamp !== p.view.stamp || old.view.stale !== p.view.stale) {
        if (old) this.drop(old);
        if (!p.view.display) {
          this.shown.delete(p.view.key);
          continue;
        }
        this.shown.set(p.view.key, this.build(p.view));
      }
      const s = this.shown.get(p.view.key) as Shown;
      s.group.visible = p.visible;
      s.group.userData.colour = p.colour;
      this.colourSurface(s);
    }
    this.invalidate();
  }
  private drop(s: Shown): void {
    this.scene.remove(s.group);
    s.group.traverse((o) => {
      const g = (o as THREE.Mesh).geometry as THREE.BufferGeometry | undefined;
      g?.disposeBoundsTree?.();
      g?.dispose();
    });
    s.material?.dispose();
  }
  private polyline(points: ArrayLike<number>, material: LineMaterial, order = 1): Line2 {
    const g = new LineGeometry();
    g.setPositions(Array.from(points));
    const l = new Line2(g, material);
    if (material.dashed) l.computeLineDistances();
    l.renderOrder = order;
    return l;
  }
  private build(view: PieceView): Shown {
    const group = new THREE.Group();
    const s: Shown = { stamp: view.stamp, group, view, lines: [] };
    const d = view.display;
    if (d?.kind === 'body' || d?.kind === 'scan') {
      const g = new THREE.BufferGeometry();
      const m = d.kind === 'body' ? d.mesh : d;
      g.setAttribute('position', new THREE.BufferAttribute(m.positions, 3));
      g.setIndex(new THREE.BufferAttribute(m.indices, 1));
      if (d.kind === 'body') g.setAttribute('normal', new THREE.BufferAttribute(d.mesh.normals, 3));
      else g.computeVertexNormals();
      if (m.indices.length) g.computeBoundsTree({ indirect: true });
      s.material = surfaceMaterial();
      s.mesh = new THREE.Mesh(g, s.material);
      group.position.set(...(d.origin as [number, number, number]));
      group.add(s.mesh);
      if (d.kind === 'body') {
        const ticks: number[] = [];
        for (const e of d.edges) {
          const rim = e.uses === 1;
          const line = this.polyline(e.points, rim ? this.lineMaterial('rim', 2.6) : this.lineMaterial('ink', e.uses > 2 ? 3 : 1.1), rim ? 3 : 2);
          group.add(line);
          s.lines.push({ name: e.name, rim, index: e.index, points: e.points, origin: d.origin, line });
          if (rim) ticks.push(...rimTicks(e.points, d.box));
        }
        if (ticks.length) {
          const tg = new LineSegmentsGeometry();
          tg.setPositions(ticks);
          group.add(new LineSegments2(tg, this.lineMaterial('rim', 1.4)));
        }
      }
    } else if (d?.kind === 'curve') {
      for (const l of d.lines) {
        const line = this.polyline(l, this.lineMaterial(view.stale ? 'soft' : 'ink', 1.8), 3);
        group.add(line);
        s.lines.push({ name: '', rim: false, index: -1, points: l, origin: [0, 0, 0], line });
      }
    } else if (d?.kind === 'plane') {
      const c = d.corners.flat() as number[];
      const line = this.polyline([...c, c[0], c[1], c[2]], this.lineMaterial('gridStrong', 1.3));
      group.add(line);
      s.lines.push({ name: '', rim: false, index: -1, points: Float32Array.from([...c, c[0], c[1], c[2]]), origin: [0, 0, 0], line });
      const reach = Math.hypot(c[0] - c[3], c[1] - c[4], c[2] - c[5]) / 6;
      const to = (v: Vec3) => [...d.origin, d.origin[0] + v[0] * reach, d.origin[1] + v[1] * reach, d.origin[2] + v[2] * reach];
      group.add(this.polyline(to(d.x), this.lineMaterial('x', 1.6)), this.polyline(to(d.y), this.lineMaterial('y', 1.6)));
    } else if (d?.kind === 'point') {
      group.add(
        new THREE.Points(
          new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(...(d.point as [number, number, number]))]),
          new THREE.PointsMaterial({ color: this.theme.ink, size: 7, sizeAttenuation: false }),
        ),
      );
    }
    this.scene.add(group);
    return s;
  }

  /** Marks what is selected, hovered, or lit from a list. */
  highlight(picks: readonly { pick: Pick; strong: boolean }[], litEdges?: { piece: string; edges: readonly number[] }): void {
    for (const s of this.shown.values()) {
      const mine = picks.filter((p) => `${p.pick.step}/${p.pick.output}` === s.view.key);
      const whole = mine.find((p) => !p.pick.part);
      if (s.material) s.material.uniforms.tintAmount.value = whole ? (whole.strong ? 0.38 : 0.2) : 0;
      for (const l of s.lines) {
        const named = mine.find((p) =>
          p.pick.part ? p.pick.part.kind === 'edge' && p.pick.part.name === l.name && nearLine(l, p.pick.part.near) : s.view.kind === 'curve' || s.view.kind === 'plane',
        );
        const lit = litEdges?.piece === s.view.key && litEdges.edges.includes(l.index);
        const base =
          s.view.kind === 'curve'
            ? this.lineMaterial(s.view.stale ? 'soft' : 'ink', 1.8)
            : s.view.kind === 'plane'
              ? this.lineMaterial('gridStrong', 1.3)
              : l.rim
                ? this.lineMaterial('rim', 2.6)
                : this.lineMaterial('ink', 1.1);
        l.line.material = named || lit ? this.lineMaterial('plum', named?.strong || lit ? 4 : 3) : base;
      }
    }
    this.faceTint(picks);
    this.invalidate();
  }
  private tinted: THREE.Object3D[] = [];
  private faceTint(picks: readonly { pick: Pick; strong: boolean }[]): void {
    for (const t of this.tinted) {
      t.removeFromParent();
      (t as THREE.Mesh).geometry.dispose();
      ((t as THREE.Mesh).material as THREE.Material).dispose();
    }
    this.tinted = [];
    for (const { pick, strong } of picks) {
      if (pick.part?.kind !== 'face' && pick.part?.kind !== 'vertex') continue;
      const s = this.shown.get(`${pick.step}/${pick.output}`);
      const d = s?.view.display;
      if (!s?.mesh || d?.kind !== 'body') continue;
      if (pick.part.kind === 'vertex') {
        const v = d.vertices.filter((x) => x.name === pick.part?.name).sort((a, b) => gap(a.point, pick.part?.near) - gap(b.point, pick.part?.near))[0];
        if (!v) continue;
        const dot = new THREE.Points(
          new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(...(v.point as [number, number, number]))]),
          new THREE.PointsMaterial({ color: this.theme.plum, size: 10, sizeAttenuation: false, depthTest: false }),
        );
        this.overlay.add(dot);
        this.tinted.push(dot);
        continue;
      }
      d.faces.forEach((f, i) => {
        if (f.name !== pick.part?.name) return;
        const g = new THREE.BufferGeometry();
        g.setAttribute('position', s.mesh?.geometry.getAttribute('position') as THREE.BufferAttribute);
        const [first, count] = [d.mesh.faceRanges[2 * i], d.mesh.faceRanges[2 * i + 1]];
        g.setIndex(new THREE.BufferAttribute(d.mesh.indices.slice(first, first + count), 1));
        const m = new THREE.Mesh(g, new THREE.MeshBasicMaterial({ color: this.theme.plum, transparent: true, opacity: strong ? 0.42 : 0.24, side: THREE.DoubleSide, depthWrite: false }));
        m.raycast = () => undefined;
        s.group.add(m);
        this.tinted.push(m);
      });
    }
  }

  /** Work grid in a plane. */
  setGrid(frame: { origin: Vec3; x: Vec3; y: Vec3 } | undefined, step: number, size: number): void {
    this.gridGroup.clear();
    if (frame) {
      const n = Math.min(60, Math.max(4, Math.ceil(size / step)));
      const thin: number[] = [];
      const thick: number[] = [];
      const at = (a: number, b: number) => [0, 1, 2].map((k) => frame.origin[k] + a * frame.x[k] + b * frame.y[k]);
      for (let i = -n; i <= n; i++) {
        const list = i % 5 === 0 ? thick : thin;
        list.push(...at(i * step, -n * step), ...at(i * step, n * step), ...at(-n * step, i * step), ...at(n * step, i * step));
      }
      for (const [list, colour] of [
        [thin, this.theme.grid],
        [thick, this.theme.gridStrong],
      ] as const) {
        const g = new THREE.BufferGeometry();
        g.setAttribute('position', new THREE.Float32BufferAttribute(list, 3));
        const l = new THREE.LineSegments(g, new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity: list === thin ? 0.55 : 0.6, depthWrite: false }));
        l.renderOrder = -1;
        l.raycast = () => undefined;
        this.gridGroup.add(l);
      }
    }
    this.invalidate();
  }

  private handleList: readonly Handle[] = [];
  /** Control points to drag, with their polygon; arrows of the open step; a rubber line while drawing. */
  setOverlay(o: {
    handles: readonly Handle[];
    polygon?: readonly Vec3[];
    active?: number;
    arrows: readonly { from: Vec3; to: Vec3 }[];
    rubber?: readonly Vec3[];
    places: readonly { at: Vec3; kept: boolean }[];
  }): void {
    for (const c of [...this.overlay.children]) {
      if (this.tinted.includes(c)) continue;
      c.removeFromParent();
      (c as THREE.Mesh).geometry?.dispose?.();
    }
    this.handleList = o.handles;
    const flat = (l: readonly Vec3[]) => l.flatMap((p) => [...p]);
    if (o.polygon && o.polygon.length > 1) this.overlay.add(this.polyline(flat(o.polygon), this.lineMaterial('soft', 1.1, false, true), 5));
    if (o.rubber && o.rubber.length > 1) this.overlay.add(this.polyline(flat(o.rubber), this.lineMaterial('plum', 1.6, false, true), 6));
    for (const a of o.arrows) {
      const v = new THREE.Vector3(a.to[0] - a.from[0], a.to[1] - a.from[1], a.to[2] - a.from[2]);
      const l = v.length() || 1;
      const helper = new THREE.ArrowHelper(v.normalize(), new THREE.Vector3(...(a.from as [number, number, number])), l, this.theme.plum, l * 0.35, l * 0.2);
      this.overlay.add(helper);
    }
    const dots = (points: Vec3[], colour: string, size: number) => {
      if (!points.length) return;
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.Float32BufferAttribute(flat(points), 3));
      const p = new THREE.Points(g, new THREE.PointsMaterial({ color: colour, size, sizeAttenuation: false, depthTest: false }));
      p.renderOrder = 8;
      this.overlay.add(p);
    };
    dots(
      o.handles.map((h) => h.point),
      this.theme.plum,
      8,
    );
    if (o.active !== undefined)
      dots(
        o.handles.filter((h) => h.id === o.active).map((h) => h.point),
        this.theme.brass,
        11,
      );
    dots(
      o.places.filter((p) => p.kept).map((p) => p.at),
      this.theme.loden,
      12,
    );
    dots(
      o.places.filter((p) => !p.kept).map((p) => p.at),
      this.theme.rust,
      9,
    );
    this.invalidate();
  }

  project(p: Vec3, pane: number): { x: number; y: number; depth: number } {
    const r = this.rects()[pane];
    const v = new THREE.Vector3(p[0], p[1], p[2]).project(this.orbits[pane].camera);
    return { x: r.x + ((v.x + 1) / 2) * r.width, y: r.y + ((1 - v.y) / 2) * r.height, depth: v.z };
  }
  private ray(x: number, y: number, pane: number): THREE.Ray {
    const r = this.rects()[pane];
    this.orbits[pane].update(r.width / r.height);
    this.raycaster.setFromCamera(new THREE.Vector2(((x - r.x) / r.width) * 2 - 1, 1 - ((y - r.y) / r.height) * 2), this.orbits[pane].camera);
    return this.raycaster.ray;
  }
  /** Where the pointer meets a plane, in world coordinates. */
  onPlane(x: number, y: number, frame: { origin: Vec3; z: Vec3 }): Vec3 | undefined {
    const ray = this.ray(x, y, this.paneAt(x, y));
    const n = new THREE.Vector3(...(frame.z as [number, number, number]));
    const hit = ray.intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(n, new THREE.Vector3(...(frame.origin as [number, number, number]))), new THREE.Vector3());
    return hit ? [hit.x, hit.y, hit.z] : undefined;
  }
  handleAt(x: number, y: number): number | undefined {
    const pane = this.paneAt(x, y);
    let best: number | undefined;
    let least = 10;
    for (const h of this.handleList) {
      const p = this.project(h.point, pane);
      const d = Math.hypot(p.x - x, p.y - y);
      if (d < least) {
        least = d;
        best = h.id;
      }
    }
    return best;
  }

  /** Everything pickable under the pointer, best first: vertices, edges and curves within a few pixels, then faces from front to back. */
  hits(x: number, y: number, filter: HitFilter): Hit[] {
    const pane = this.paneAt(x, y);
    this.ray(x, y, pane);
    const faces: { hit: Hit; distance: number }[] = [];
    let front = Infinity;
    const eye = this.raycaster.ray.origin.clone();
    for (const s of this.shown.values()) {
      if (!s.group.visible || !s.mesh) continue;
      const d = s.view.display;
      for (const h of this.raycaster.intersectObject(s.mesh, false)) {
        front = Math.min(front, h.distance);
        const point: Vec3 = [h.point.x, h.point.y, h.point.z];
        const [step, output] = splitKey(s.view.key);
        if (d?.kind === 'body' && filter.face) {
          const index = (h.faceIndex ?? 0) * 3;
          const f = d.faces.findIndex((_, i) => index >= d.mesh.faceRanges[2 * i] && index < d.mesh.faceRanges[2 * i] + d.mesh.faceRanges[2 * i + 1]);
          if (f >= 0)
            faces.push({
              distance: h.distance,
              hit: { kind: 'face', point, label: d.faces[f].name, pick: { step, output, part: { kind: 'face', name: d.faces[f].name, near: point as [number, number, number] } } },
            });
        }
        if (filter.piece(s.view.kind)) faces.push({ distance: h.distance + 1e-6, hit: { kind: 'piece', point, label: s.view.key, pick: { step, output } } });
      }
    }
    const near: { hit: Hit; pixels: number }[] = [];
    const visible = (p: Vec3) => eye.distanceTo(new THREE.Vector3(p[0], p[1], p[2])) <= front + 0.02 * this.orbits[pane].distance || this.orbits[pane].flat;
    for (const s of this.shown.values()) {
      if (!s.group.visible) continue;
      const [step, output] = splitKey(s.view.key);
      const d = s.view.display;
      const isCurve = s.view.kind === 'curve' || s.view.kind === 'plane';
      if ((filter.edge && !isCurve) || (isCurve && filter.piece(s.view.kind)))
        for (const l of s.lines) {
          const c = this.closestOnScreen(l.points, l.origin, x, y, pane);
          if (c.pixels > 8 || !visible(c.point)) continue;
          const part = isCurve ? undefined : { kind: 'edge' as const, name: l.name, near: middle(l.points, l.origin) };
          near.push({ pixels: c.pixels + (isCurve ? 0 : 0.5), hit: { kind: isCurve ? 'piece' : 'edge', point: c.point, label: isCurve ? s.view.key : l.name, pick: { step, output, part } } });
        }
      if (filter.vertex && d?.kind === 'body')
        for (const v of d.vertices) {
          const p = this.project(v.point, pane);
          const pixels = Math.hypot(p.x - x, p.y - y);
          if (pixels < 8 && visible(v.point))
            near.push({
              pixels: pixels - 4,
              hit: { kind: 'vertex', point: v.point, label: v.name, pick: { step, output, part: { kind: 'vertex', name: v.name, near: v.point as [number, number, number] } } },
            });
        }
      if (d?.kind === 'point' && filter.piece('point')) {
        const p = this.project(d.point, pane);
        const pixels = Math.hypot(p.x - x, p.y - y);
        if (pixels < 9) near.push({ pixels: pixels - 4, hit: { kind: 'piece', point: d.point, label: s.view.key, pick: { step, output } } });
      }
    }
    near.sort((a, b) => a.pixels - b.pixels);
    faces.sort((a, b) => a.distance - b.distance);
    const out: Hit[] = [];
    const seen = new Set<string>();
    for (const { hit } of [...near, ...faces]) {
      const key = `${hit.pick.step}/${hit.pick.output}/${hit.pick.part?.kind}/${hit.pick.part?.name}/${hit.kind === 'edge' ? hit.pick.part?.near?.map((v) => v.toFixed(3)) : ''}`;
      if (!seen.has(key)) {
        seen.add(key);
        out.push(hit);
      }
    }
    return out;
  }
  private closestOnScreen(points: Float32Array, origin: Vec3, x: number, y: number, pane: number): { pixels: number; point: Vec3 } {
    let best: { pixels: number; point: Vec3 } = { pixels: Infinity, point: [0, 0, 0] };
    let last: { x: number; y: number; depth: number } | undefined;
    let lastPoint: Vec3 = [0, 0, 0];
    for (let i = 0; i + 2 < points.length; i += 3) {
      const p: Vec3 = [points[i] + origin[0], points[i + 1] + origin[1], points[i + 2] + origin[2]];
      const q = this.project(p, pane);
      if (last && q.depth < 1 && last.depth < 1) {
        const [dx, dy] = [q.x - last.x, q.y - last.y];
        const l = dx * dx + dy * dy;
        const t = l > 0 ? Math.min(1, Math.max(0, ((x - last.x) * dx + (y - last.y) * dy) / l)) : 0;
        const pixels = Math.hypot(last.x + t * dx - x, last.y + t * dy - y);
        if (pixels < best.pixels) best = { pixels, point: [lastPoint[0] + t * (p[0] - lastPoint[0]), lastPoint[1] + t * (p[1] - lastPoint[1]), lastPoint[2] + t * (p[2] - lastPoint[2])] };
      }
      last = q;
      lastPoint = p;
    }
    return best;
  }

  /** Box of everything visible. */
  bounds(): { min: Vec3; max: Vec3 } | undefined {
    const min = [Infinity, Infinity, Infinity];
    const max = [-Infinity, -Infinity, -Infinity];
    const solid = [...this.shown.values()].filter((s) => s.group.visible && s.view.display && s.view.display.kind !== 'plane');
    for (const s of solid.length ? solid : [...this.shown.values()].filter((x) => x.group.visible)) {
      const b = s.view.display?.box;
      if (!b) continue;
      for (let k = 0; k < 3; k++) {
        min[k] = Math.min(min[k], b.min[k]);
        max[k] = Math.max(max[k], b.max[k]);
      }
    }
    return Number.isFinite(min[0]) ? { min: min as unknown as Vec3, max: max as unknown as Vec3 } : undefined;
  }
  fit(pane?: number): void {
    const b = this.bounds() ?? { min: [-50, -50, -10] as Vec3, max: [50, 50, 60] as Vec3 };
    this.rects().forEach((r, i) => {
      if (pane === undefined || pane === i) this.orbits[i].frame(b.min, b.max, r.width / r.height);
    });
    this.invalidate();
  }
  /** A small PNG of the first pane. */
  async picture(width = 788, height = 552): Promise<Blob | undefined> {
    this.draw();
    const from = this.renderer.domElement;
    const canvas = document.createElement('canvas');
    canvas.width = width;
    canvas.height = height;
    const context = canvas.getContext('2d');
    if (!context) return undefined;
    const s = Math.min(width / from.width, height / from.height);
    context.fillStyle = this.theme.page;
    context.fillRect(0, 0, width, height);
    context.drawImage(from, (width - from.width * s) / 2, (height - from.height * s) / 2, from.width * s, from.height * s);
    return new Promise((done) => canvas.toBlob((b) => done(b ?? undefined), 'image/png'));
  }
}

const splitKey = (key: string): [string, string] => {
  const i = key.indexOf('/');
  return [key.slice(0, i), key.slice(i + 1)];
};
const gap = (a: Vec3, b?: readonly number[]) => (b ? Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) : 0);
function middle(points: Float32Array, o: Vec3): [number, number, number] {
  const k = Math.floor(points.length / 6) * 3;
  return [points[k] + o[0], points[k + 1] + o[1], points[k + 2] + o[2]];
}
function nearLine(l: { points: Float32Array; origin: Vec3 }, near?: readonly number[]): boolean {
  if (!near) return true;
  let least = Infinity;
  for (let i = 0; i + 2 < l.points.length; i += 3)
    least = Math.min(least, Math.hypot(l.points[i] + l.origin[0] - near[0], l.points[i + 1] + l.origin[1] - near[1], l.points[i + 2] + l.origin[2] - near[2]));
  const size = Math.hypot(l.points[0] - l.points[l.points.length - 3], l.points[1] - l.points[l.points.length - 2], l.points[2] - l.points[l.points.length - 1]);
  return least < Math.max(0.5, size * 0.2);
}
/** Short ticks along a rim, away from the middle of the piece. */
function rimTicks(points: Float32Array, box: { min: Vec3; max: Vec3 }): number[] {
  const size = Math.hypot(box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]);
  const gapLength = size / 40;
  const reach = size / 110;
  const out: number[] = [];
  let since = gapLength / 2;
  for (let i = 3; i + 2 < points.length; i += 3) {
    const a = [points[i - 3], points[i - 2], points[i - 1]];
    const b = [points[i], points[i + 1], points[i + 2]];
    const d = Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]);
    since += d;
    if (since < gapLength) continue;
    since = 0;
    const l = Math.hypot(b[0], b[1], b[2]) || 1;
    out.push(b[0], b[1], b[2], b[0] + (b[0] / l) * reach, b[1] + (b[1] / l) * reach, b[2] + (b[2] / l) * reach);
  }
  return out;
}
