import type { Vec3 } from '@ample-skin/core/math';
import type { Look, Pick } from '@ample-skin/core/recipe';
import type { MapView, PieceView, SectionView } from '@ample-skin/engine';
import * as THREE from 'three';
import { type CageLook, wearNet } from './cage-net.ts';
import { Orbit, VIEWS } from './camera.ts';
import { Caps, clipPlane } from './caps.ts';
import { loadFastRays } from './fast-rays.ts';
import type { Handle } from './handles.ts';
import { LabelLayer, type ViewLabel } from './labels.ts';
import { LineKit, nearLine, RIM_OUTER, SEAM_WEIGHT } from './lines.ts';
import { Overlay, type OverlayContent } from './overlay.ts';
import { Pace } from './pace.ts';
import { findHits, type Hit, type HitFilter } from './picking.ts';
import { type PictureSize, pngOf, renderPixels } from './picture.ts';
import { Pictures } from './pictures.ts';
import { type Readback, readNormals } from './probe.ts';
import { screenHandle } from './screen-handle.ts';
import { buildShown, disposeShown, drawnAsLines, type Shown, setHairs, setShownMap } from './shown.ts';
import { wear } from './surface-material.ts';
import type { ViewTheme } from './theme.ts';

export interface PaneRect {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** The model view: one canvas, up to four panes, drawn only when something changes. */
const NO_CUT: readonly SectionView[] = [];
export class Viewport {
  readonly renderer: THREE.WebGLRenderer;
  readonly orbits: Orbit[] = [new Orbit(), new Orbit(true), new Orbit(true), new Orbit(true)];
  panes: 1 | 2 | 4 = 1;
  /** Pieces that are looked at side by side, one in each pane, all from the same place; everything else is in every pane. */
  /** Keys of the pieces of each linked pane. */
  private variants: readonly (readonly string[])[] = [];
  onDraw: (() => void) | undefined;
  onTrouble: ((message: string) => void) | undefined;
  private readonly scene = new THREE.Scene();
  private readonly shown = new Map<string, Shown>();
  private readonly replaced: Shown[] = [];
  /** Lines of the overlay, and those of pieces, which sections cut. */
  private readonly kit: LineKit;
  private readonly pieceKit: LineKit;
  private readonly caps: Caps;
  private readonly overlay: Overlay;
  private readonly raycaster = new THREE.Raycaster();
  private readonly pictures = new Pictures(
    () => this.invalidate(),
    (m) => this.onTrouble?.(m),
  );
  /** Milliseconds without a change after which the still picture is drawn finely, and curved pieces looked at closely are asked for anew. */
  static readonly REST = 260;
  /** Pictures drawn so far. */
  drawn = 0;
  /** Pieces that are coarser on screen than half a pixel, told once things rest. */
  onRest: ((coarse: readonly { key: string; chord: number }[]) => void) | undefined;
  private readonly labels: LabelLayer;
  private readonly software: boolean;
  /** Only where no graphics card draws. */
  private readonly pace: Pace | undefined;
  private frame = 0;
  private rest: ReturnType<typeof setTimeout> | undefined;
  private width = 1;
  private height = 1;
  private looks = {
    look: 'sides' as Look,
    bars: { count: 3, spacing: 24, width: 7, heading: 20, height: 40, fixed: 'view' as 'view' | 'world' },
    isoparms: 0,
    count: 18,
    direction: new THREE.Vector3(0, 0, 1),
    fixed: 'view' as 'view' | 'world',
    axis: 'up' as 'up' | 'side' | 'depth',
  };
  private theme: ViewTheme;

  constructor(
    private readonly host: HTMLElement,
    theme: ViewTheme,
  ) {
    this.theme = theme;
    this.kit = new LineKit(theme);
    this.pieceKit = new LineKit(theme);
    this.caps = new Caps(this.kit);
    this.overlay = new Overlay(this.kit);
    const probe = document.createElement('canvas').getContext('webgl2');
    const info = probe?.getExtension('WEBGL_debug_renderer_info');
    const name = info ? String(probe?.getParameter(info.UNMASKED_RENDERER_WEBGL)) : '';
    const software = /SwiftShader|llvmpipe/i.test(name);
    this.software = software;
    probe?.getExtension('WEBGL_lose_context')?.loseContext();
    this.renderer = new THREE.WebGLRenderer({ antialias: !software, alpha: false, powerPreference: 'high-performance' });
    this.renderer.setPixelRatio(software ? 1 : Math.min(2, window.devicePixelRatio));
    this.renderer.autoClear = false;
    // reading a program's log waits for the graphics driver
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.domElement.style.display = 'block';
    host.appendChild(this.renderer.domElement);
    if (software) this.pace = new Pace(this.renderer.getContext() as WebGL2RenderingContext);
    this.labels = new LabelLayer(host);
    this.renderer.localClippingEnabled = true;
    this.scene.add(this.overlay.grid, this.overlay.group, this.caps.group);
    [this.orbits[1].heading, this.orbits[1].tilt] = VIEWS.top;
    [this.orbits[2].heading, this.orbits[2].tilt] = VIEWS.front;
    [this.orbits[3].heading, this.orbits[3].tilt] = VIEWS.right;
    this.raycaster.firstHitOnly = false;
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    clearTimeout(this.rest);
    this.pace?.forget();
    this.labels.dispose();
    for (const s of [...this.shown.values(), ...this.replaced]) disposeShown(s);
    this.pictures.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
  resize(): void {
    const r = this.host.getBoundingClientRect();
    const [width, height] = [Math.max(1, Math.floor(r.width)), Math.max(1, Math.floor(r.height))];
    if (width === this.width && height === this.height && this.drawn) return;
    this.width = width;
    this.height = height;
    this.renderer.setSize(width, height, false);
    this.renderer.domElement.style.width = '100%';
    this.renderer.domElement.style.height = '100%';
    this.invalidate();
  }
  /** Something has changed: one picture is drawn at the next chance, and a fine one once things rest. */
  invalidate(): void {
    if (!this.frame && !this.pace?.waits(() => this.invalidate())) this.frame = requestAnimationFrame(() => this.draw());
  }

  /** Pane rectangles in CSS pixels, y from the top. */
  rects(): PaneRect[] {
    const [w, h] = [this.width, this.height];
    if (this.variants.length) {
      const n = this.variants.length;
      const columns = n < 4 ? n : Math.ceil(n / 2);
      const [cw, ch] = [w / columns, h / Math.ceil(n / columns)];
      return this.variants.map((_, i) => ({ x: (i % columns) * cw, y: Math.floor(i / columns) * ch, width: cw, height: ch }));
    }
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

  /** The camera of a pane: one for all that are linked. */
  orbitOf(pane: number): Orbit {
    return this.orbits[this.variants.length ? 0 : pane];
  }
  /** Shows pieces side by side in linked panes; none: the panes are as before. */
  setVariants(panes: readonly (readonly string[])[]): void {
    if (JSON.stringify(panes) === JSON.stringify(this.variants)) return;
    this.variants = panes;
    this.invalidate();
  }
  private showVariant(pane: number | undefined): void {
    this.variants.forEach((keys, i) => {
      for (const key of keys) {
        const s = this.shown.get(key);
        if (s) s.group.visible = i === pane;
      }
    });
  }

  draw(fine = false): void {
    cancelAnimationFrame(this.frame);
    this.frame = 0;
    this.drawn++;
    const start = performance.now();
    const gl = this.renderer;
    // a software rasteriser has no multisampling: under a moving hand it draws as finely as it can in time, the still picture at double size
    const kind = fine ? 'fine' : this.hand ? 'moving' : 'plain';
    const ratio = this.pace ? { fine: 2, plain: 1, moving: this.pace.share }[kind] : Math.min(2, window.devicePixelRatio);
    if (gl.getPixelRatio() !== ratio) gl.setPixelRatio(ratio);
    const rects = this.rects();
    gl.setScissorTest(false);
    gl.setClearColor(this.theme.page);
    gl.clear();
    gl.setScissorTest(true);
    rects.forEach((r, i) => {
      const orbit = this.orbitOf(i);
      this.showVariant(i);
      orbit.update(r.width / r.height);
      const y = this.height - r.y - r.height;
      gl.setViewport(r.x, y, r.width, r.height);
      gl.setScissor(r.x, y, Math.max(1, r.width - (rects.length > 1 ? 1 : 0)), Math.max(1, r.height - (rects.length > 1 ? 1 : 0)));
      gl.setClearColor(this.theme.page);
      gl.clear();
      this.kit.resize(r.width, r.height);
      this.pieceKit.resize(r.width, r.height);
      this.caps.resize(r.width, r.height);
      this.aimStripes(orbit);
      this.thinRims(i);
      if (this.pace) for (const s of this.shown.values()) setHairs(s, kind === 'moving' && this.pace.hurried, this.pieceKit);
      this.overlay.fitHandles((at) => this.pixelAt(at, i));
      gl.render(this.scene, orbit.camera);
    });
    this.showVariant(undefined);
    gl.setScissorTest(false);
    // only now: the next picture of a piece shares its shader program, which would go with the last material that uses it
    for (const s of this.replaced.splice(0)) disposeShown(s);
    this.labels.place((p) => this.project(p, 0), rects[0].width, rects[0].height);
    this.onDraw?.();
    this.pace?.drawn(kind, start);
    clearTimeout(this.rest);
    // where a fine picture takes long, more must have come to rest
    if (!fine) this.rest = setTimeout(() => this.atRest(), Math.min(2000, Math.max(Viewport.REST, 2 * (this.pace?.took.fine ?? 0))));
  }
  /** The first pane as a PNG of any size, without grid, handles and labels; in another look, or turned by degrees, if asked. */
  photograph(o: PictureSize & { readonly look?: Look; readonly turn?: number }): Promise<Uint8Array> {
    const orbit = this.orbits[0];
    const before = { look: this.looks.look, heading: orbit.heading };
    const extra = [this.overlay.grid, this.overlay.group];
    const seen = extra.map((x) => x.visible);
    try {
      for (const x of extra) x.visible = false;
      if (o.look) this.looks.look = o.look;
      if (o.look) for (const s of this.shown.values()) this.colourSurface(s);
      orbit.heading += o.turn ?? 0;
      orbit.update(o.width / o.height);
      for (const k of [this.kit, this.pieceKit, this.caps]) k.resize(o.width, o.height);
      this.aimStripes(orbit);
      return pngOf(renderPixels(this.renderer, this.scene, orbit.camera, o, this.theme.page), o.width, o.height);
    } finally {
      for (const [i, x] of extra.entries()) x.visible = seen[i];
      this.looks.look = before.look;
      if (o.look) for (const s of this.shown.values()) this.colourSurface(s);
      orbit.heading = before.heading;
      this.invalidate();
    }
  }
  /** Normals and places of every skin in the first pane, as they are shaded, so many pixels large. */
  readback(width: number, height: number): Readback {
    const orbit = this.orbits[0];
    orbit.update(width / height);
    const skins = [...this.shown.values()].flatMap((s) => (s.group.visible && s.mesh && s.material ? [s.mesh] : []));
    try {
      return readNormals(this.renderer, this.scene, orbit.camera, skins, width, height);
    } finally {
      this.invalidate();
    }
  }
  /** Pixels along each side that a picture may have here. */
  get largestPicture(): number {
    return Math.min(8192, this.renderer.capabilities.maxTextureSize);
  }
  private hand = false;
  /** A hand is on the view: it does not come to rest between two pictures of one gesture, however slowly they come. */
  hold(on: boolean): void {
    this.hand = on;
    if (!on) this.invalidate();
  }
  private atRest(): void {
    if (this.hand) return;
    if (this.software) this.draw(true);
    const coarse = this.coarse();
    if (this.shown.size) void loadFastRays();
    if (coarse.length) this.onRest?.(coarse);
  }
  /** Millimetres that a pixel covers at a place, as seen in a pane. */
  pixelAt(at: THREE.Vector3, pane: number): number {
    const o = this.orbitOf(pane);
    const base = o.scale(this.rects()[pane].height);
    if (o.flat) return base;
    const depth = at.clone().sub(o.camera.position).dot(o.outward().negate());
    return (base * Math.max(depth, 1e-6)) / o.distance;
  }
  private coarse(): { key: string; chord: number }[] {
    const out: { key: string; chord: number }[] = [];
    for (const [key, s] of this.shown) {
      const d = s.view.display;
      if (!s.group.visible || s.view.stale || !d || (d.kind !== 'body' && d.kind !== 'curve')) continue;
      const chord = Math.min(...this.rects().map((_, i) => this.seenChord(d.box, i)));
      if (Number.isFinite(chord)) out.push({ key, chord });
    }
    return out;
  }
  /** Half a pixel at the near side of a box, or infinity when none of it is on screen. */
  private seenChord(box: { min: Vec3; max: Vec3 }, pane: number): number {
    const camera = this.orbitOf(pane).camera;
    const frustum = new THREE.Frustum().setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    const b = new THREE.Box3(new THREE.Vector3(...box.min), new THREE.Vector3(...box.max));
    if (!frustum.intersectsBox(b)) return Infinity;
    const near = b.clampPoint(this.orbitOf(pane).target, new THREE.Vector3());
    return 0.5 * this.pixelAt(near, pane);
  }
  /** Rims are double lines with ticks while there is room for them; far away they are one plain line. */
  private thinRims(pane: number): void {
    for (const s of this.shown.values()) {
      const d = s.view.display;
      if (!s.fine.length || d?.kind !== 'body') continue;
      const size = Math.hypot(d.box.max[0] - d.box.min[0], d.box.max[1] - d.box.min[1], d.box.max[2] - d.box.min[2]);
      const centre = new THREE.Vector3(...d.origin);
      const pixels = size / this.pixelAt(centre, pane);
      const room = pixels > 220 && !this.isVeiled(s);
      for (const f of s.fine) f.visible = room;
      for (const l of s.lines)
        if (l.rim && l.line.material === l.base)
          l.line.material = l.base = this.pieceKit.material('rim', room ? RIM_OUTER : pixels > 90 ? 2.2 : 1.4);
    }
  }

  private aimStripes(orbit: Orbit): void {
    const out = orbit.outward();
    const d =
      this.looks.axis === 'up'
        ? new THREE.Vector3(0, 0, 1)
        : this.looks.axis === 'side'
          ? new THREE.Vector3(1, 0, 0)
          : new THREE.Vector3(0, 1, 0);
    if (this.looks.fixed === 'view') {
      const e = orbit.camera.matrixWorld.elements;
      if (this.looks.axis === 'up') d.set(e[4], e[5], e[6]);
      else if (this.looks.axis === 'side') d.set(e[0], e[1], e[2]);
      else d.copy(out);
    }
    const { heading, height, fixed } = this.looks.bars;
    const e = orbit.camera.matrixWorld.elements;
    const right = fixed === 'view' ? new THREE.Vector3(e[0], e[1], e[2]) : new THREE.Vector3(1, 0, 0);
    const over = fixed === 'view' ? new THREE.Vector3(e[4], e[5], e[6]) : new THREE.Vector3(0, 0, 1);
    const ahead = fixed === 'view' ? out.clone() : new THREE.Vector3(0, -1, 0);
    const [h, t] = [(heading * Math.PI) / 180, (height * Math.PI) / 180];
    const level = right.multiplyScalar(Math.sin(h)).addScaledVector(ahead, Math.cos(h));
    const middle = level.clone().multiplyScalar(Math.cos(t)).addScaledVector(over, Math.sin(t));
    // bars lie level, one above the other about their middle
    const across = level.multiplyScalar(-Math.sin(t)).addScaledVector(over, Math.cos(t));
    for (const s of this.shown.values()) {
      if (!s.material) continue;
      const u = s.material.uniforms;
      u.barMiddle.value.copy(middle);
      u.barAcross.value.copy(across);
      u.direction.value.copy(d);
      u.perspective.value = orbit.flat ? 0 : 1;
      u.viewDirection.value.copy(out).negate();
    }
  }

  setTheme(theme: ViewTheme): void {
    this.theme = theme;
    this.kit.setTheme(theme);
    this.pieceKit.setTheme(theme);
    for (const s of this.shown.values()) this.colourSurface(s);
    this.invalidate();
  }
  setLook(
    look: Look,
    stripes: { count: number; direction: 'up' | 'side' | 'depth'; fixed: 'view' | 'world' },
    bars: { count: number; spacing: number; width: number; heading: number; height: number; fixed: 'view' | 'world' },
    isoparms: number,
  ): void {
    this.looks.look = look;
    this.looks.bars = bars;
    this.looks.isoparms = isoparms;
    this.looks.count = stripes.count;
    this.looks.axis = stripes.direction;
    this.looks.fixed = stripes.fixed;
    for (const s of this.shown.values()) this.colourSurface(s);
    this.invalidate();
  }
  private cageLook: CageLook = 'both';
  /** What is shown of cages. */
  setCageLook(look: CageLook): void {
    this.cageLook = look;
    for (const s of this.shown.values()) if (s.net) this.colourSurface(s);
    this.invalidate();
  }
  private colourSurface(s: Shown): void {
    if (!s.material) return;
    const u = s.material.uniforms;
    const wanted: Look = s.group.userData.look ?? this.looks.look;
    const map = wanted === 'map' ? s.map : undefined;
    if (s.map) s.map.mesh.visible = !!map;
    if (s.mesh) s.mesh.visible = !map;
    // until its map is there, a piece stands in plain colours
    const look = wanted === 'map' && !map ? 'sides' : wanted;
    wear(s.material, look, map || s.view.display?.kind === 'scan' ? 0 : this.looks.isoparms);
    u.bars.value.set(this.looks.bars.count, this.looks.bars.spacing, this.looks.bars.width);
    u.page.value.set(this.theme.page);
    u.ink.value.set(this.theme.ink);
    u.rust.value.set(this.theme.rust);
    u.ramp.value = this.colours.ramp;
    u.range.value.set(this.colours.low, this.colours.high);
    u.bands.value = this.colours.bands;
    u.count.value = this.looks.count;
    u.outside.value.set(s.group.userData.colour ?? this.theme.outside);
    u.inside.value.set(this.theme.inside);
    u.clay.value.set(s.view.kind === 'scan' ? this.theme.gridStrong : this.theme.clay);
    u.tint.value.set(this.theme.plum);
    u.fade.value = s.view.stale ? 1 : 0;
    const veiled = this.isVeiled(s);
    u.veil.value = this.ghost ? 0.3 : veiled ? 0.55 : 1;
    const clear = look === 'glass' || look === 'wire';
    s.material.transparent = veiled || clear;
    s.material.depthWrite = !veiled && !clear;
    // seen through: far sides first, then near ones; in one pass they mix as triangles happen to lie
    s.material.forceSinglePass = !veiled && !clear;
    // their lines would hide what is drawn
    for (const c of s.group.children)
      if (c !== s.mesh && c !== s.map?.mesh && c !== s.net?.flat?.mesh && !s.fine.includes(c)) c.visible = !this.ghost;
    if (s.net) wearNet(s, s.net, this.cageLook, this.ghost);
  }
  private planes: THREE.Plane[] = [];
  /** Sections that are on, what each cuts, and the one that is chosen. */
  setSections(
    list: readonly { readonly id: string; readonly origin: Vec3; readonly normal: Vec3 }[],
    cuts: ReadonlyMap<string, readonly SectionView[]>,
    chosen: string | undefined,
  ): void {
    this.planes = list.map((s) => clipPlane(s.origin, s.normal));
    this.pieceKit.clip(this.planes);
    for (const s of this.shown.values()) if (s.material) s.material.clippingPlanes = this.planes;
    this.caps.show(
      list.map((s, i) => ({
        id: s.id,
        cut: cuts.get(s.id) ?? NO_CUT,
        others: this.planes.filter((_, k) => k !== i),
        chosen: s.id === chosen,
        normal: s.normal,
        origin: s.origin,
      })),
      this.theme,
      (key) => this.shown.get(key)?.group.userData.colour ?? this.theme.outside,
      this.bounds(),
    );
    this.invalidate();
  }
  private cutAway = (p: Vec3): boolean =>
    this.planes.some((c) => c.normal.x * p[0] + c.normal.y * p[1] + c.normal.z * p[2] + c.constant < -1e-6);
  private colours = { ramp: null as THREE.DataTexture | null, low: 0, high: 1, bands: 0 };
  /** Maps by piece, and the colours they are drawn in: RGB of 256 steps, the values at both ends, and a number of bands or none. */
  setMaps(
    maps: ReadonlyMap<string, MapView>,
    colours: { readonly ramp: Uint8Array<ArrayBuffer>; readonly low: number; readonly high: number; readonly bands: number },
  ): void {
    this.colours.ramp?.dispose();
    const ramp = new THREE.DataTexture(colours.ramp, 256, 1, THREE.RGBAFormat);
    ramp.minFilter = ramp.magFilter = THREE.LinearFilter;
    ramp.colorSpace = THREE.SRGBColorSpace;
    ramp.needsUpdate = true;
    this.colours = { ramp, low: colours.low, high: colours.high, bands: colours.bands };
    this.maps = maps;
    for (const [key, s] of this.shown) {
      setShownMap(s, maps.get(key));
      this.colourSurface(s);
    }
    this.invalidate();
  }
  private maps: ReadonlyMap<string, MapView> = new Map();
  /** Value of the map under the pointer, as it is coloured; nothing where there is no map. */
  mapAt(x: number, y: number): { value?: number; held: boolean; at: Vec3 } | undefined {
    this.ray(x, y, this.paneAt(x, y));
    const meshes = [...this.shown.values()].flatMap((s) => (s.group.visible && s.map?.mesh.visible ? [s.map.mesh] : []));
    const hit = this.raycaster.intersectObjects(meshes, false).find((h) => !this.cutAway([h.point.x, h.point.y, h.point.z]));
    const view = [...this.shown.values()].find((s) => s.map && s.map.mesh === hit?.object)?.map?.view;
    if (!hit?.face || !view) return undefined;
    const { a, b, c } = hit.face;
    const at = (i: number) => new THREE.Vector3(view.positions[3 * i], view.positions[3 * i + 1], view.positions[3 * i + 2]);
    const w = THREE.Triangle.getBarycoord(hit.object.worldToLocal(hit.point.clone()), at(a), at(b), at(c), new THREE.Vector3());
    if (!w) return undefined;
    const nearest = w.x >= w.y && w.x >= w.z ? a : w.y >= w.z ? b : c;
    const none = [a, b, c].some((i) => view.state[i] === 2);
    return {
      value: none ? undefined : w.x * view.values[a] + w.y * view.values[b] + w.z * view.values[c],
      held: view.state[nearest] === 1,
      at: [hit.point.x, hit.point.y, hit.point.z],
    };
  }
  private ghost = false;
  private isVeiled(s: Shown): boolean {
    return this.ghost || !!s.ghost;
  }
  /** Skins and solids see-through, while something inside or behind them is drawn. */
  setGhost(on: boolean): void {
    if (this.ghost === on) return;
    this.ghost = on;
    for (const s of this.shown.values()) this.colourSurface(s);
    this.invalidate();
  }
  /** Turns the first pane straight at a plane and fits it to the points. */
  lookAt(frame: { x: Vec3; y: Vec3; z: Vec3 }, points: readonly Vec3[]): void {
    const o = this.orbits[0];
    const along = (v: Vec3) => frame.z[0] * v[0] + frame.z[1] * v[1] + frame.z[2] * v[2];
    const [a, b, c] = [along(o.base.x), along(o.base.y), along(o.base.z)];
    o.tilt = (Math.asin(Math.min(1, Math.max(-1, c))) * 180) / Math.PI;
    if (Math.abs(o.tilt) > 89.9) {
      o.tilt = 90 * Math.sign(o.tilt);
      // the plane's y goes up on the screen
      const up = [0, 1].map(
        (k) => frame.y[0] * o.base[k ? 'y' : 'x'][0] + frame.y[1] * o.base[k ? 'y' : 'x'][1] + frame.y[2] * o.base[k ? 'y' : 'x'][2],
      );
      o.heading = ((Math.atan2(-up[0] * Math.sign(o.tilt), up[1] * Math.sign(o.tilt)) * 180) / Math.PI + 360) % 360;
    } else o.heading = ((Math.atan2(a, -b) * 180) / Math.PI + 360) % 360;
    const r = this.rects()[0];
    if (points.length) {
      const low = [0, 1, 2].map((k) => Math.min(...points.map((p) => p[k]))) as unknown as Vec3;
      const high = [0, 1, 2].map((k) => Math.max(...points.map((p) => p[k]))) as unknown as Vec3;
      o.frame(low, high, r.width / r.height);
    }
    this.invalidate();
  }
  /** Puts the pieces on stage: only what has a new stamp is rebuilt. */
  setPieces(
    pieces: readonly { view: PieceView; visible: boolean; locked?: boolean; colour?: string; look?: Look; ghost?: boolean }[],
  ): void {
    const keep = new Set(pieces.map((p) => p.view.key));
    for (const [k, s] of this.shown)
      if (!keep.has(k)) {
        disposeShown(s);
        this.shown.delete(k);
      }
    for (const p of pieces) {
      const old = this.shown.get(p.view.key);
      if (!old || old.stamp !== p.view.stamp || old.view.stale !== p.view.stale) {
        if (old) {
          old.group.removeFromParent();
          this.replaced.push(old);
        }
        if (!p.view.display) {
          this.shown.delete(p.view.key);
          continue;
        }
        const built = buildShown(p.view, this.pieceKit, this.theme, this.pictures);
        this.scene.add(built.group);
        this.shown.set(p.view.key, built);
      }
      const s = this.shown.get(p.view.key) as Shown;
      s.group.visible = p.visible;
      s.group.userData.colour = p.colour;
      s.group.userData.look = p.look;
      if (s.material) s.material.clippingPlanes = this.planes;
      if (s.map?.view !== this.maps.get(p.view.key)) setShownMap(s, this.maps.get(p.view.key));
      s.locked = p.locked ?? false;
      s.ghost = p.ghost ?? false;
      if (p.view.kind === 'curve')
        for (const l of s.lines)
          l.line.material = l.base = this.pieceKit.material(
            p.colour && !p.view.stale ? (p.colour as `#${string}`) : p.view.stale ? 'soft' : 'ink',
            1.8,
          );
      this.colourSurface(s);
    }
    this.invalidate();
  }
  /** Grades of the seams of a piece, by edge: seam lines grow heavier as the grade falls. */
  setGrades(key: string, grades: ReadonlyMap<number, string>): void {
    const s = this.shown.get(key);
    if (!s) return;
    for (const l of s.lines) {
      const weight = SEAM_WEIGHT[grades.get(l.index) ?? ''];
      if (!l.rim && weight) l.base = this.pieceKit.material('ink', weight);
    }
  }

  /** Marks what is selected, hovered, or lit from a list. */
  highlight(
    picks: readonly { pick: Pick; strong: boolean }[],
    lit?: { readonly piece: string; readonly edges?: readonly number[]; readonly faces?: readonly number[] },
  ): void {
    for (const s of this.shown.values()) {
      const mine = picks.filter((p) => `${p.pick.step}/${p.pick.output}` === s.view.key);
      const whole = mine.find((p) => !p.pick.part);
      // colours of a map mean something: they are not tinted
      if (s.material) s.material.uniforms.tintAmount.value = whole && !s.map?.mesh.visible ? (whole.strong ? 0.38 : 0.2) : 0;
      for (const l of s.lines) {
        const named = mine.find((p) =>
          p.pick.part
            ? p.pick.part.kind === 'edge' && p.pick.part.name === l.name && nearLine(l, p.pick.part.near)
            : drawnAsLines(s.view.kind),
        );
        const listed = lit?.piece === s.view.key && !!lit.edges?.includes(l.index);
        l.line.material = named || listed ? this.pieceKit.material('plum', named?.strong || listed ? 4 : 3) : l.base;
      }
    }
    this.overlay.tint(picks, this.shown, this.theme, lit);
    this.invalidate();
  }

  setGrid(frame: { origin: Vec3; x: Vec3; y: Vec3 } | undefined, step: number, size: number): void {
    this.overlay.setGrid(frame, step, size, this.theme);
    this.invalidate();
  }
  setOverlay(o: OverlayContent): void {
    this.overlay.show(o, this.theme);
    this.invalidate();
  }
  setLabels(list: readonly ViewLabel[]): void {
    this.labels.set(list);
    this.invalidate();
  }
  setParallel(flat: readonly boolean[]): void {
    this.orbits.forEach((o, i) => {
      o.flat = flat[i] ?? o.flat;
    });
    this.invalidate();
  }

  setRegions(list: Parameters<Overlay['setRegions']>[0]): void {
    this.overlay.setRegions(list, this.theme);
    this.invalidate();
  }
  setMap(map: Parameters<Overlay['setMap']>[0]): void {
    this.overlay.setMap(map, this.theme);
    this.invalidate();
  }
  /** Piece of a cut under the pointer; it is brought forward. */
  regionAt(x: number, y: number): number | undefined {
    this.ray(x, y, this.paneAt(x, y));
    const index = this.overlay.regionAt(this.raycaster);
    if (this.overlay.markRegion(index)) this.invalidate();
    return index;
  }

  project(p: Vec3, pane: number): { x: number; y: number; depth: number } {
    const r = this.rects()[pane];
    const v = new THREE.Vector3(p[0], p[1], p[2]).project(this.orbitOf(pane).camera);
    return { x: r.x + ((v.x + 1) / 2) * r.width, y: r.y + ((1 - v.y) / 2) * r.height, depth: v.z };
  }
  private ray(x: number, y: number, pane: number): THREE.Ray {
    const r = this.rects()[pane];
    this.orbitOf(pane).update(r.width / r.height);
    this.raycaster.setFromCamera(
      new THREE.Vector2(((x - r.x) / r.width) * 2 - 1, 1 - ((y - r.y) / r.height) * 2),
      this.orbitOf(pane).camera,
    );
    return this.raycaster.ray;
  }
  /** Where the pointer meets a plane, in world coordinates. */
  /** Unit direction from the model to the eye in a pane. */
  eyeDirection(pane: number): Vec3 {
    const o = this.orbitOf(pane).outward();
    return [o.x, o.y, o.z];
  }
  /** Unit direction that points up on the screen in a pane. */
  upDirection(pane: number): Vec3 {
    const e = this.orbitOf(pane).camera.matrixWorld.elements;
    return [e[4], e[5], e[6]];
  }
  lookedAt(pane: number): Vec3 {
    const t = this.orbitOf(pane).target;
    return [t.x, t.y, t.z];
  }
  onPlane(x: number, y: number, frame: { origin: Vec3; z: Vec3 }): Vec3 | undefined {
    const ray = this.ray(x, y, this.paneAt(x, y));
    const n = new THREE.Vector3(...(frame.z as [number, number, number]));
    const hit = ray.intersectPlane(
      new THREE.Plane().setFromNormalAndCoplanarPoint(n, new THREE.Vector3(...(frame.origin as [number, number, number]))),
      new THREE.Vector3(),
    );
    return hit ? [hit.x, hit.y, hit.z] : undefined;
  }
  /** Distance along a line in space, from its start, of the place nearest to the pointer's ray. */
  onLine(x: number, y: number, from: Vec3, direction: Vec3): number | undefined {
    const ray = this.ray(x, y, this.paneAt(x, y));
    const d = new THREE.Vector3(...direction);
    const w = new THREE.Vector3(...from).sub(ray.origin);
    const b = d.dot(ray.direction);
    const det = 1 - b * b;
    return det < 1e-9 ? undefined : (b * ray.direction.dot(w) - d.dot(w)) / det;
  }
  /** The handle under the pointer. */
  handleAt(x: number, y: number): Handle | undefined {
    const pane = this.paneAt(x, y);
    let best: Handle | undefined;
    let least = Infinity;
    for (const h of this.overlay.handles) {
      const d = screenHandle(h, { x, y }, (p) => this.project(p, pane), this.pixelAt(new THREE.Vector3(...h.at), pane));
      if (d < least) [least, best] = [d, h];
    }
    return best;
  }
  /** Keys of visible pieces whose whole box lies in a rectangle of the screen. */
  inside(
    a: { x: number; y: number },
    b: { x: number; y: number },
    pane: number,
  ): { key: string; step: string; output: string; kind: string }[] {
    const [x0, x1, y0, y1] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)];
    return [...this.shown.values()].flatMap((s) => {
      const box = s.view.display?.box;
      if (!box || !s.group.visible || s.locked || !s.view.live) return [];
      const all = [0, 1, 2, 3, 4, 5, 6, 7].every((k) => {
        const q = this.project([k & 1 ? box.max[0] : box.min[0], k & 2 ? box.max[1] : box.min[1], k & 4 ? box.max[2] : box.min[2]], pane);
        return q.x >= x0 && q.x <= x1 && q.y >= y0 && q.y <= y1;
      });
      return all ? [{ key: s.view.key, step: s.view.step, output: s.view.output, kind: s.view.kind }] : [];
    });
  }

  hits(x: number, y: number, filter: HitFilter): Hit[] {
    const pane = this.paneAt(x, y);
    this.ray(x, y, pane);
    return findHits({
      x,
      y,
      filter,
      shown: this.shown,
      raycaster: this.raycaster,
      orbit: this.orbitOf(pane),
      project: (p) => this.project(p, pane),
      gone: this.planes.length ? this.cutAway : undefined,
    });
  }

  /** Box of everything visible, or of these pieces. */
  bounds(keys?: readonly string[]): { min: Vec3; max: Vec3 } | undefined {
    const min = [Infinity, Infinity, Infinity];
    const max = [-Infinity, -Infinity, -Infinity];
    const solid = [...this.shown.values()].filter(
      (s) =>
        s.group.visible &&
        (!keys || keys.includes(s.view.key)) &&
        s.view.display &&
        s.view.display.kind !== 'plane' &&
        s.view.display.kind !== 'picture',
    );
    for (const s of solid.length || keys ? solid : [...this.shown.values()].filter((x) => x.group.visible)) {
      const b = s.view.display?.box;
      if (!b) continue;
      for (let k = 0; k < 3; k++) {
        min[k] = Math.min(min[k], b.min[k]);
        max[k] = Math.max(max[k], b.max[k]);
      }
    }
    return Number.isFinite(min[0]) ? { min: min as unknown as Vec3, max: max as unknown as Vec3 } : undefined;
  }
  fit(keys?: readonly string[]): void {
    const b = this.bounds(keys) ?? this.bounds() ?? { min: [-50, -50, -10] as Vec3, max: [50, 50, 60] as Vec3 };
    this.rects().forEach((r, i) => {
      this.orbitOf(i).frame(b.min, b.max, r.width / r.height);
    });
    this.invalidate();
  }
  /** Fits the linked panes to a box with half its size around it; the direction stays. */
  fitBox({ min, max }: { min: Vec3; max: Vec3 }, around = 0.25): void {
    const r = this.rects()[0];
    const wide = (k: number) => around * (max[k] - min[k]);
    const low: Vec3 = [min[0] - wide(0), min[1] - wide(1), min[2] - wide(2)];
    const high: Vec3 = [max[0] + wide(0), max[1] + wide(1), max[2] + wide(2)];
    this.orbitOf(0).frame(low, high, r.width / r.height);
    this.invalidate();
  }
  /** Goes to a place, turned so that it is seen from the side it looks at (`normal`), or from where nothing hides it. */
  show(points: readonly Vec3[], normal?: Vec3): void {
    const o = this.orbits[0];
    const n = points.length || 1;
    const c = points.reduce<[number, number, number]>((s, p) => [s[0] + p[0] / n, s[1] + p[1] / n, s[2] + p[2] / n], [0, 0, 0]);
    const b = this.bounds();
    const size = b ? Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]) : 100;
    o.target.set(c[0], c[1], c[2]);
    o.distance = Math.min(o.distance, size * 0.9);
    const at = new THREE.Vector3(...c);
    const hidden = (heading: number, tilt: number): boolean => {
      [o.heading, o.tilt] = [heading, tilt];
      const out = o.outward();
      if (normal && out.dot(new THREE.Vector3(...normal)) < 0.25) return true;
      this.raycaster.set(at.clone().addScaledVector(out, size * 2), out.clone().negate());
      const meshes = [...this.shown.values()].flatMap((s) =>
        s.group.visible && s.mesh && s.view.display?.kind === 'body' ? [s.mesh] : [],
      );
      const front = this.raycaster.intersectObjects(meshes, false)[0];
      return !!front && front.distance < size * 2 - 0.01 * size;
    };
    const [heading, tilt] = [o.heading, o.tilt];
    const tries = [
      [heading, tilt],
      ...[0, 45, 90, 135, 180, 225, 270, 315].flatMap((h) => [22, -22, 65, -65].map((t) => [(heading + h) % 360, t])),
    ];
    const free = tries.find(([h, t]) => !hidden(h, t));
    [o.heading, o.tilt] = (free ?? [heading, tilt]) as [number, number];
    this.invalidate();
  }
  /** A small PNG of the first pane. */
  async picture(width = 788, height = 552): Promise<Blob | undefined> {
    this.draw(true);
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
