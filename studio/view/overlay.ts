import { type Frame, frameFromNormal, type Vec3 } from '@ample-skin/core/math';
import type { Pick } from '@ample-skin/core/recipe';
import * as THREE from 'three';
import { type Handle, handleKey } from './handles.ts';
import { gap, type LineKind, type LineKit } from './lines.ts';
import type { Shown } from './shown.ts';
import type { ViewTheme } from './theme.ts';

export interface OverlayContent {
  readonly handles: readonly Handle[];
  /** The handle under the pointer, by its key. */
  readonly lit?: string | null;
  readonly polygon?: readonly Vec3[];
  readonly links: readonly (readonly Vec3[])[];
  /** Lines that are chosen or lit. */
  readonly strong?: readonly (readonly Vec3[])[];
  /** Control nets as polylines. */
  readonly nets?: readonly Float32Array[];
  readonly combs: readonly {
    readonly teeth: readonly number[];
    readonly envelope: readonly Vec3[];
    readonly inflections: readonly Vec3[];
    readonly tightest?: Vec3;
  }[];
  /** A cage that is edited: its vertices, what is chosen and what lies under the pointer, and how far vertices around follow. */
  readonly cage?: {
    readonly vertices: Float32Array;
    readonly chosenVertices: readonly Vec3[];
    /** Pairs of points. */
    readonly chosenEdges: readonly (readonly Vec3[])[];
    /** Corners of triangles. */
    readonly chosenFaces: Float32Array;
    readonly hover: readonly Vec3[];
    readonly soft?: { readonly at: Float32Array; readonly shares: Float32Array };
  };
  /** Poles that matter. */
  readonly poles?: readonly Vec3[];
  readonly combAt?: Vec3;
  readonly rubber?: readonly Vec3[];
  /** Where a click would set a point. */
  readonly snap?: Vec3;
  readonly places: readonly { readonly at: Vec3; readonly kept: boolean }[];
  /** A place that a list or a message speaks of. */
  readonly marker?: readonly Vec3[];
  /** Ends of a measured distance. */
  readonly measured?: readonly Vec3[];
}
const flat = (l: readonly Vec3[]) => l.flatMap((p) => [...p]);
const vec = (v: Vec3) => new THREE.Vector3(v[0], v[1], v[2]);

/** Lines one pixel wide and dots at the control points. */
function netObjects(nets: readonly Float32Array[], theme: ViewTheme): THREE.Object3D[] {
  const segments: number[] = [];
  const points: number[] = [];
  for (const n of nets) {
    points.push(...n);
    for (let i = 3; i < n.length; i += 3) segments.push(n[i - 3], n[i - 2], n[i - 1], n[i], n[i + 1], n[i + 2]);
  }
  const of = (list: number[]) => new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(list, 3));
  return [
    new THREE.LineSegments(of(segments), new THREE.LineBasicMaterial({ color: theme.slate, transparent: true, opacity: 0.55 })),
    new THREE.Points(of(points), new THREE.PointsMaterial({ color: theme.loden, size: 3.5, sizeAttenuation: false })),
  ];
}

/** What is drawn in front of the model while something is edited: handles, arrows, dots, tinted faces, and the work grid. */
export class Overlay {
  readonly group = new THREE.Group();
  readonly grid = new THREE.Group();
  handles: readonly Handle[] = [];
  private tinted: THREE.Object3D[] = [];
  private pieces: THREE.Mesh[] = [];
  /** Objects that keep their size on screen: scale one is one pixel. */
  private sized: { readonly object: THREE.Object3D; readonly at: THREE.Vector3 }[] = [];
  private readonly solids = new Map<string, THREE.MeshBasicMaterial>();
  private readonly cone = new THREE.ConeGeometry(5, 14, 16).translate(0, -7, 0);

  constructor(private readonly kit: LineKit) {}

  show(o: OverlayContent, theme: ViewTheme): void {
    for (const c of [...this.group.children]) {
      if (this.tinted.includes(c) || this.pieces.includes(c as THREE.Mesh)) continue;
      c.removeFromParent();
      c.traverse((x) => {
        const g = (x as THREE.Mesh).geometry as THREE.BufferGeometry | undefined;
        if (g && g !== this.cone) g.dispose();
      });
    }
    this.sized = [];
    this.handles = o.handles;
    const line = (points: readonly Vec3[], kind: LineKind, width: number, order: number) => {
      if (points.length > 1) this.group.add(this.kit.polyline(flat(points), this.kit.material(kind, width, true), order));
    };
    line(o.polygon ?? [], 'soft', 1.1, 5);
    if (o.nets?.length) this.group.add(...netObjects(o.nets, theme));
    line(o.rubber ?? [], 'plum', 1.6, 6);
    for (const l of o.links) line(l, 'plum', 1.2, 6);
    for (const l of o.strong ?? []) line(l, 'plum', 3, 7);
    if (o.measured) {
      line(o.measured, 'brass', 1.6, 7);
      this.dots([...o.measured], theme.brass, 6);
    }
    if (o.poles?.length) {
      this.dots([...o.poles], theme.brass, 9);
      this.dots([...o.poles], theme.page, 4);
    }
    if (o.cage) this.showCage(o.cage, theme);
    this.showCombs(o, theme);
    for (const h of o.handles) this.showHandle(h, theme, o.lit === handleKey(h.id));
    if (o.snap) this.dots([o.snap], theme.brass, 7);
    if (o.marker?.length) {
      this.dots([...o.marker], theme.rust, 15);
      this.dots([...o.marker], theme.page, 9);
      this.dots([...o.marker], theme.rust, 5);
    }
    const kept = (k: boolean) => o.places.filter((p) => p.kept === k).map((p) => p.at);
    this.dots(kept(true), theme.loden, 12);
    this.dots(kept(false), theme.rust, 9);
  }
  private showCage(c: NonNullable<OverlayContent['cage']>, theme: ViewTheme): void {
    const of = (list: Float32Array) => new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(list, 3));
    if (c.vertices.length) {
      const dots = new THREE.Points(of(c.vertices), this.kit.dot(theme.slate, 4, true));
      dots.renderOrder = 6;
      this.group.add(dots);
    }
    if (c.soft?.at.length) {
      const g = of(c.soft.at);
      const colours = new Float32Array(c.soft.at.length);
      const [far, near, now] = [new THREE.Color(theme.slate), new THREE.Color(theme.plum), new THREE.Color()];
      c.soft.shares.forEach((share, i) => {
        now.lerpColors(far, near, share);
        colours.set([now.r, now.g, now.b], 3 * i);
      });
      g.setAttribute('color', new THREE.BufferAttribute(colours, 3));
      const dots = new THREE.Points(g, new THREE.PointsMaterial({ size: 7, sizeAttenuation: false, depthTest: false, vertexColors: true }));
      dots.renderOrder = 7;
      this.group.add(dots);
    }
    if (c.chosenFaces.length) {
      const faces = new THREE.Mesh(of(c.chosenFaces), this.solid(theme.plum, 0.35));
      faces.renderOrder = 5;
      this.group.add(faces);
    }
    for (const l of c.chosenEdges) if (l.length > 1) this.group.add(this.kit.polyline(flat(l), this.kit.material('plum', 3, true), 7));
    this.dots([...c.chosenVertices], theme.plum, 9);
    if (c.hover.length === 1) this.dots([...c.hover], theme.brass, 11);
    else if (c.hover.length > 1) this.group.add(this.kit.polyline(flat(c.hover), this.kit.material('brass', 3, true), 8));
  }
  private showCombs(o: OverlayContent, theme: ViewTheme): void {
    for (const c of o.combs) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.Float32BufferAttribute(c.teeth as number[], 3));
      const teeth = new THREE.LineSegments(g, this.kit.thin(theme.plum, 0.45));
      teeth.renderOrder = 5;
      this.group.add(teeth);
      if (c.envelope.length > 1) this.group.add(this.kit.polyline(flat(c.envelope), this.kit.material('plum', 1.4, true), 6));
      this.dots([...c.inflections], theme.brass, 9);
      if (c.tightest) this.dots([c.tightest], theme.rust, 8);
    }
    if (o.combAt) this.dots([o.combAt], theme.loden, 12);
  }
  private showHandle(h: Handle, theme: ViewTheme, lit: boolean): void {
    const colour = h.strong || lit ? theme.loden : h.settled ? theme.ink : this.colourOf(h, theme);
    if (h.shape === 'dot') {
      this.dots([h.at], colour, lit ? 12 : h.strong ? 13 : h.settled ? 6 : 8);
      return;
    }
    const holder = new THREE.Group();
    holder.position.copy(vec(h.at));
    const kind = colour as `#${string}`;
    const size = h.pixels ?? 50;
    const width = lit ? 3.4 : 2.2;
    if (h.shape === 'arrow' && h.along) {
      const start = h.id.kind === 'mover' || h.id.kind === 'cage' ? 10 : 4;
      holder.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), vec(h.along).normalize());
      holder.add(this.kit.polyline([0, start, 0, 0, size - 12, 0], this.kit.material(kind, width, true), 8));
      const head = new THREE.Mesh(this.cone, this.solid(colour, 1));
      head.position.set(0, size, 0);
      head.renderOrder = 9;
      holder.add(head);
    } else if (h.along) {
      const f = frameFromNormal([0, 0, 0], h.along, h.side);
      holder.quaternion.setFromRotationMatrix(new THREE.Matrix4().makeBasis(vec(f.x), vec(f.y), vec(f.z)));
      if (h.shape === 'ring') {
        const ring = Array.from({ length: 65 }, (_, i) => [
          size * Math.cos((i * Math.PI) / 32),
          size * Math.sin((i * Math.PI) / 32),
          0,
        ]).flat();
        holder.add(this.kit.polyline(ring, this.kit.material(kind, lit ? 3 : 1.5, true), 7));
      } else {
        const s = size * 0.32;
        const [x, y] = [size, size];
        const g = new THREE.BufferGeometry();
        g.setAttribute(
          'position',
          new THREE.Float32BufferAttribute([x - s, y - s, 0, x + s, y - s, 0, x + s, y + s, 0, x - s, y + s, 0], 3),
        );
        g.setIndex([0, 1, 2, 0, 2, 3]);
        const square = new THREE.Mesh(g, this.solid(colour, lit ? 0.75 : 0.4));
        square.renderOrder = 7;
        holder.add(square);
      }
    }
    this.group.add(holder);
    this.sized.push({ object: holder, at: vec(h.at) });
  }
  private colourOf(h: Handle, theme: ViewTheme): string {
    return h.colour === 'slate' ? theme.slate : theme[h.colour ?? 'plum'];
  }
  private solid(colour: string, opacity: number): THREE.MeshBasicMaterial {
    const key = `${colour}|${opacity}`;
    let m = this.solids.get(key);
    if (!m)
      this.solids.set(
        key,
        (m = new THREE.MeshBasicMaterial({ color: colour, transparent: true, opacity, depthTest: false, side: THREE.DoubleSide })),
      );
    return m;
  }
  /** Brings arrows and rings to their size on screen; `pixel` gives mm a pixel at a place. */
  fitHandles(pixel: (at: THREE.Vector3) => number): void {
    for (const s of this.sized) {
      s.object.scale.setScalar(pixel(s.at));
      s.object.updateMatrixWorld();
    }
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
    if (!m) {
      m = new THREE.MeshBasicMaterial({ color: colour, transparent: true, opacity, side: THREE.DoubleSide, depthWrite: false });
      this.veils.set(key, m);
    }
    return m;
  }
  /** Tints picked faces and marks picked corners; `lit` faces come from a list. */
  tint(
    picks: readonly { pick: Pick; strong: boolean }[],
    shown: ReadonlyMap<string, Shown>,
    theme: ViewTheme,
    lit?: { readonly piece: string; readonly faces?: readonly number[] },
  ): void {
    for (const t of this.tinted) {
      t.removeFromParent();
      (t as THREE.Mesh).geometry.dispose();
    }
    this.tinted = [];
    const cover = (s: Shown, face: number, colour: string, opacity: number) => {
      const d = s.view.display;
      if (!s.mesh || d?.kind !== 'body' || d.mesh.faceRanges[2 * face + 1] === undefined) return;
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', s.mesh.geometry.getAttribute('position') as THREE.BufferAttribute);
      const [first, count] = [d.mesh.faceRanges[2 * face], d.mesh.faceRanges[2 * face + 1]];
      g.setIndex(new THREE.BufferAttribute(d.mesh.indices.slice(first, first + count), 1));
      const m = new THREE.Mesh(g, this.veil(colour, opacity));
      m.raycast = () => undefined;
      s.group.add(m);
      this.tinted.push(m);
    };
    const listed = lit && shown.get(lit.piece);
    if (listed) for (const f of lit.faces ?? []) cover(listed, f, theme.rust, 0.45);
    for (const { pick, strong } of picks) {
      if (pick.part?.kind !== 'face' && pick.part?.kind !== 'vertex') continue;
      const s = shown.get(`${pick.step}/${pick.output}`);
      const d = s?.view.display;
      if (!s?.mesh || d?.kind !== 'body') continue;
      if (pick.part.kind === 'face') {
        d.faces.forEach((f, i) => {
          if (f.name === pick.part?.name) cover(s, i, theme.plum, strong ? 0.42 : 0.24);
        });
        continue;
      }
      const v = d.vertices
        .filter((x) => x.name === pick.part?.name)
        .sort((a, b) => gap(a.point, pick.part?.near) - gap(b.point, pick.part?.near))[0];
      if (!v) continue;
      const dot = new THREE.Points(new THREE.BufferGeometry().setFromPoints([vec(v.point)]), this.kit.dot(theme.plum, 10));
      this.group.add(dot);
      this.tinted.push(dot);
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
  private field: THREE.Mesh | undefined;
  /** Values over a grid of points as colours: calm ones as the paper, towards the limit in brass, beyond it in rust. */
  setMap(
    map:
      | { readonly points: ArrayLike<number>; readonly values: ArrayLike<number>; readonly columns: number; readonly limit: number }
      | undefined,
    theme: ViewTheme,
  ): void {
    if (this.field) {
      this.field.removeFromParent();
      this.field.geometry.dispose();
      (this.field.material as THREE.Material).dispose();
      this.field = undefined;
    }
    if (!map) return;
    const n = map.values.length;
    const rows = n / map.columns;
    const colours = new Float32Array(3 * n);
    const [calm, near, over] = [theme.loden, theme.brass, theme.rust].map((c) => new THREE.Color(c));
    const c = new THREE.Color();
    for (let i = 0; i < n; i++) {
      const x = map.limit > 0 ? map.values[i] / map.limit : 0;
      if (x <= 1) c.lerpColors(calm, near, x);
      else c.copy(over);
      colours.set([c.r, c.g, c.b], 3 * i);
    }
    const index: number[] = [];
    for (let i = 0; i + 1 < rows; i++)
      for (let j = 0; j + 1 < map.columns; j++) {
        const a = i * map.columns + j;
        index.push(a, a + 1, a + map.columns, a + 1, a + map.columns + 1, a + map.columns);
      }
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(map.points), 3));
    g.setAttribute('color', new THREE.BufferAttribute(colours, 3));
    g.setIndex(index);
    const material = new THREE.MeshBasicMaterial({
      vertexColors: true,
      transparent: true,
      opacity: 0.72,
      side: THREE.DoubleSide,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -2,
      polygonOffsetUnits: -2,
    });
    this.field = new THREE.Mesh(g, material);
    this.field.renderOrder = 1;
    this.group.add(this.field);
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

  /** Work grid in a plane. It is drawn first and never hides or shows through a skin. */
  setGrid(frame: Pick2 | undefined, step: number, size: number, theme: ViewTheme): void {
    for (const c of this.grid.children) (c as THREE.LineSegments).geometry.dispose();
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
    for (const [list, colour, order] of [
      [thin, theme.grid, -11],
      [thick, theme.gridMiddle, -10],
    ] as const) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.Float32BufferAttribute(list, 3));
      const l = new THREE.LineSegments(g, this.kit.ground(colour));
      l.renderOrder = order;
      l.raycast = () => undefined;
      this.grid.add(l);
    }
  }
}
type Pick2 = Pick3<Frame, 'origin' | 'x' | 'y'>;
type Pick3<T, K extends keyof T> = { readonly [P in K]: T[P] };
