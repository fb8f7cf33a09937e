import { type Frame, toLocal, toWorld, type Vec3 } from '@ample-skin/core/math';
import type { PieceDisplay } from '@ample-skin/engine';
import { standingOf } from '../state/document.ts';
import { getSettings, type SnapKind } from '../state/settings.ts';
import { getStudio } from '../state/state.ts';
import type { Stage } from './mode.ts';

export interface Snap {
  readonly kind: SnapKind | 'free';
  /** In the plane drawn on; the third number is zero. */
  readonly local: Vec3;
  readonly label: string;
  readonly pixels: number;
  /** The place itself, in space, where it is one of something that is there. */
  readonly at?: Vec3;
}
const LABEL: Record<SnapKind | 'free', string> = {
  grid: 'grid',
  end: 'end',
  middle: 'middle',
  centre: 'centre',
  point: 'control point',
  crossing: 'crossing',
  curve: 'on curve',
  skin: 'on skin',
  division: 'equal part',
  free: '',
};
/** Strong places first; what only lies on something comes after them. */
const RANK: Record<SnapKind | 'free', number> = {
  end: 0,
  crossing: 0,
  middle: 1,
  centre: 1,
  point: 1,
  division: 1,
  curve: 3,
  skin: 4,
  grid: 5,
  free: 6,
};

type Line = Float32Array;
interface Places {
  readonly lines: readonly Line[];
  readonly end: Vec3[];
  readonly middle: Vec3[];
  readonly centre: Vec3[];
  readonly point: Vec3[];
  readonly parts: ReadonlyMap<number, Vec3[]>;
}
const kept = new WeakMap<object, Places>();

/** Places that a piece offers, worked out once for as long as its display lives. */
function placesOf(d: PieceDisplay): Places | undefined {
  if (d.kind !== 'curve' && d.kind !== 'body') return undefined;
  const known = kept.get(d);
  if (known) return known;
  const lines: Line[] = d.kind === 'curve' ? [...d.lines] : d.edges.map((e) => e.points.map((x, i) => x + d.origin[i % 3]));
  const end: Vec3[] = [];
  const middle: Vec3[] = [];
  const centre: Vec3[] = [];
  const parts = new Map<number, Vec3[]>();
  for (const l of lines) {
    const n = l.length / 3;
    if (n < 2) continue;
    end.push(at(l, 0), at(l, n - 1));
    middle.push(along(l, 0.5));
    for (const k of [2, 3, 4, 5, 8])
      parts.set(k, [...(parts.get(k) ?? []), ...Array.from({ length: k - 1 }, (_, i) => along(l, (i + 1) / k))]);
    const c = circleOf(l);
    if (c) centre.push(c);
  }
  const point = d.kind === 'curve' ? d.control.flatMap((c) => Array.from({ length: c.points.length / 3 }, (_, i) => at(c.points, i))) : [];
  const out: Places = { lines, end, middle, centre, point, parts };
  kept.set(d, out);
  return out;
}
const at = (l: Line, i: number): Vec3 => [l[3 * i], l[3 * i + 1], l[3 * i + 2]];
function along(l: Line, share: number): Vec3 {
  const n = l.length / 3;
  const steps = Array.from({ length: n - 1 }, (_, i) =>
    Math.hypot(l[3 * i + 3] - l[3 * i], l[3 * i + 4] - l[3 * i + 1], l[3 * i + 5] - l[3 * i + 2]),
  );
  let left = share * steps.reduce((a, b) => a + b, 0);
  for (let i = 0; i < steps.length; i++) {
    if (left <= steps[i] && steps[i] > 0) {
      const [p, q] = [at(l, i), at(l, i + 1)];
      const t = left / steps[i];
      return [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1]), p[2] + t * (q[2] - p[2])];
    }
    left -= steps[i];
  }
  return at(l, n - 1);
}
/** Centre of a polyline that is an arc: the same distance from everywhere. */
function circleOf(l: Line): Vec3 | undefined {
  const n = l.length / 3;
  if (n < 8) return undefined;
  const [a, b, c] = [at(l, 0), at(l, Math.floor(n / 3)), at(l, Math.floor((2 * n) / 3))];
  const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const v = [c[0] - a[0], c[1] - a[1], c[2] - a[2]];
  const [uu, uv, vv] = [
    u[0] * u[0] + u[1] * u[1] + u[2] * u[2],
    u[0] * v[0] + u[1] * v[1] + u[2] * v[2],
    v[0] * v[0] + v[1] * v[1] + v[2] * v[2],
  ];
  const d = 2 * (uu * vv - uv * uv);
  if (d < 1e-9 * uu * vv) return undefined;
  const [s, t] = [(vv * (uu - uv)) / d, (uu * (vv - uv)) / d];
  const m: Vec3 = [a[0] + s * u[0] + t * v[0], a[1] + s * u[1] + t * v[1], a[2] + s * u[2] + t * v[2]];
  const r = Math.hypot(a[0] - m[0], a[1] - m[1], a[2] - m[2]);
  for (let i = 0; i < n; i++)
    if (Math.abs(Math.hypot(l[3 * i] - m[0], l[3 * i + 1] - m[1], l[3 * i + 2] - m[2]) - r) > 1e-4 * r) return undefined;
  return m;
}

/** The place of a scan or skin under the pointer, in space: where tools draw that lay points onto things. */
export function ontoAt(v: Stage, x: number, y: number, frame: Frame, skip?: string): Snap[] {
  const hit = v.hits(x, y, { face: true, edge: false, vertex: false, piece: (k) => k === 'scan', skip })[0];
  if (!hit) return [];
  const [a, b, c] = toLocal(frame, hit.point);
  const round = (k: number) => Number(k.toFixed(4));
  return [{ kind: 'skin', local: [round(a), round(b), round(c)], label: LABEL.skin, pixels: 0 }];
}

/** Everything the pointer may snap to, best first. Places off the plane count with their foot on it. */
export function snapsAt(v: Stage, x: number, y: number, frame: Frame, own: readonly Vec3[] = []): Snap[] {
  const s = getStudio();
  const settings = getSettings();
  const on = settings.snaps;
  const pane = v.paneAt(x, y);
  const out: Snap[] = [];
  const offer = (kind: SnapKind, p: Vec3, reach = 9) => {
    const q = v.project(p, pane);
    const pixels = Math.hypot(q.x - x, q.y - y);
    if (pixels > reach) return;
    const f = toLocal(frame, p);
    const foot = Math.abs(f[2]) > 1e-4;
    out.push({
      kind,
      local: [Number(f[0].toFixed(6)), Number(f[1].toFixed(6)), 0],
      label: foot ? `${LABEL[kind]}, its foot` : LABEL[kind],
      pixels,
      at: p,
    });
  };
  for (const p of own) offer('end', p);
  const near: { a: Vec3; b: Vec3 }[] = [];
  const standing = standingOf();
  for (const piece of s.pieces.values()) {
    if (!piece.live || !piece.display || standing(piece.key).hidden || piece.step === s.open) continue;
    const d = placesOf(piece.display);
    if (!d) continue;
    for (const kind of ['end', 'middle', 'centre', 'point'] as const) if (on[kind]) for (const p of d[kind]) offer(kind, p);
    if (on.division) for (const p of d.parts.get(settings.divisions) ?? []) offer('division', p);
    if (on.crossing || on.curve)
      for (const l of d.lines)
        for (let i = 0; i + 5 < l.length; i += 3) {
          const [a, b]: Vec3[] = [
            [l[i], l[i + 1], l[i + 2]],
            [l[i + 3], l[i + 4], l[i + 5]],
          ];
          const [p, q] = [v.project(a, pane), v.project(b, pane)];
          const [dx, dy] = [q.x - p.x, q.y - p.y];
          const n = dx * dx + dy * dy;
          const t = n > 0 ? Math.min(1, Math.max(0, ((x - p.x) * dx + (y - p.y) * dy) / n)) : 0;
          if (Math.hypot(p.x + t * dx - x, p.y + t * dy - y) > 10) continue;
          near.push({ a, b });
          if (on.curve) offer('curve', [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])]);
        }
  }
  if (on.crossing)
    for (let i = 0; i < near.length && near.length < 60; i++)
      for (let j = i + 1; j < near.length; j++) {
        const [p, q, r, w] = [near[i].a, near[i].b, near[j].a, near[j].b].map((k) => toLocal(frame, k));
        const det = (q[0] - p[0]) * (w[1] - r[1]) - (q[1] - p[1]) * (w[0] - r[0]);
        if (Math.abs(det) < 1e-12) continue;
        const t = ((r[0] - p[0]) * (w[1] - r[1]) - (r[1] - p[1]) * (w[0] - r[0])) / det;
        const u = ((r[0] - p[0]) * (q[1] - p[1]) - (r[1] - p[1]) * (q[0] - p[0])) / det;
        if (t < 0 || t > 1 || u < 0 || u > 1 || (t < 1e-9 && u > 1 - 1e-9) || (u < 1e-9 && t > 1 - 1e-9)) continue;
        const z = Math.abs(p[2] + t * (q[2] - p[2]) - r[2] - u * (w[2] - r[2]));
        if (z < 0.02) offer('crossing', toWorld(frame, [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1]), p[2] + t * (q[2] - p[2])]));
      }
  if (on.skin) {
    const hit = v.hits(x, y, { face: true, edge: false, vertex: false, piece: (k) => k === 'scan' })[0];
    if (hit) offer('skin', hit.point);
  }
  out.sort((a, b) => RANK[a.kind] - RANK[b.kind] || a.pixels - b.pixels);
  const plane = v.onPlane(x, y, frame);
  if (plane) {
    const q = toLocal(frame, plane);
    const g = settings.gridStep;
    out.push(
      on.grid
        ? { kind: 'grid', local: [Math.round(q[0] / g) * g, Math.round(q[1] / g) * g, 0], label: LABEL.grid, pixels: 0 }
        : { kind: 'free', local: [Number(q[0].toFixed(3)), Number(q[1].toFixed(3)), 0], label: '', pixels: 0 },
    );
  }
  const seen = new Set<string>();
  return out.filter((k) => {
    const key = k.local.map((c) => c.toFixed(4)).join();
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}
