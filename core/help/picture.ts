import { type Body, bodyBox, edgeCurve, meshBody } from '../brep/index.ts';
import { cagePoints, smoothMesh } from '../cage/index.ts';
import { drawLines } from '../drawing/index.ts';
import { boxSize, cross, dot, type Frame, toWorld, unit, type Vec3 } from '../math/index.ts';
import { evaluateInto, type NurbsCurve } from '../nurbs/index.ts';
import type { Piece } from '../recipe/index.ts';

/** What is drawn of a tool's example: its picked pieces, and what became of them. */
export interface Scene {
  readonly pieces: readonly Piece[];
  /** Curves that are picked parts of them: drawn boldly. */
  readonly picked?: readonly NurbsCurve[];
  /** Points that are clicked. */
  readonly points?: readonly Vec3[];
  /** Control nets, as lines. */
  readonly nets?: readonly NurbsCurve[];
  /** A page that is written, as SVG. */
  readonly page?: string;
  /** Files that are read or written. */
  readonly files?: readonly string[];
  /** What is told. */
  readonly words?: readonly string[];
}
type Flat = readonly [number, number];

const WIDTH = 210;
const HEIGHT = 150;
const MARGIN = 14;
const GAP = 28;
/** Seen from in front, from the left and from above. */
export const SEEN: Frame = (() => {
  const z = unit([-0.5, -0.75, 0.52]);
  const x = unit(cross([0, 0, 1], z));
  return { origin: [0, 0, 0], x, y: cross(z, x), z };
})();
const INK = '#1e2a2e';
const SLATE = '#8b979c';
const LODEN = '#2f6b4f';
const BRASS = '#b98a1b';
/** Shades of what faces out and of what shows its inside, darkest first. */
const OUT = ['#7d9c8c', '#8fac9d', '#a1bbad', '#b3c9bd', '#c6d7cd', '#d8e5de'];
const IN = ['#c99a8a', '#d3a899', '#dcb7a9', '#e4c5b9', '#ecd3ca', '#f3e1da'];
const GREY = ['#c3c8c8', '#ccd0d0', '#d5d8d8', '#dddfdf', '#e4e6e6', '#ecedec'];

const n = (x: number): string => String(Number(x.toFixed(1)));
const onPaper = (p: Vec3): Vec3 => [dot(p, SEEN.x), dot(p, SEEN.y), dot(p, SEEN.z)];

function sampled(c: NurbsCurve): Vec3[] {
  const [a, b] = [c.knots[c.degree], c.knots[c.knots.length - c.degree - 1]];
  const breaks = [...new Set(Array.from(c.knots).filter((k) => k >= a && k <= b))];
  const count = Math.min(240, Math.max(24, 12 * (breaks.length - 1)));
  const out = new Float64Array(3 * 3);
  const places = c.degree === 1 ? breaks : Array.from({ length: count + 1 }, (_, i) => a + ((b - a) * i) / count);
  return places.map((t) => {
    evaluateInto(c, t, 0, out);
    return [out[0], out[1], c.dim === 3 ? out[2] : 0] as Vec3;
  });
}
const square = (f: Frame, half: number): Vec3[] =>
  [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map(([x, y]) => toWorld(f, [x * half, y * half, 0]));
const rectangle = (p: Extract<Piece, { kind: 'picture' }>): Vec3[] =>
  [
    [0, 0],
    [p.width, 0],
    [p.width, p.height],
    [0, p.height],
  ].map(([x, y]) => toWorld(p.frame, [x, y, 0]));

/** Places that a picture of a piece must hold. */
function reach(p: Piece): Vec3[] {
  switch (p.kind) {
    case 'curve':
      return p.curves.flatMap(sampled);
    case 'point':
      return [p.point];
    case 'plane':
      return square(p.frame, p.size);
    case 'picture':
      return rectangle(p);
    case 'cage':
      return cagePoints(p.cage);
    case 'scan':
      return Array.from(
        { length: p.mesh.positions.length / 3 },
        (_, i) => [p.mesh.positions[3 * i], p.mesh.positions[3 * i + 1], p.mesh.positions[3 * i + 2]] as Vec3,
      );
    default: {
      const m = meshBody(p.body, { chord: Math.max(1e-6, boxSize(bodyBox(p.body)) / 60), angle: 0.5 });
      return Array.from(
        { length: m.positions.length / 3 },
        (_, i) => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]] as Vec3,
      );
    }
  }
}
interface Triangle {
  readonly depth: number;
  readonly shade: string;
  readonly corners: readonly Vec3[];
}
const LIGHT = unit([-0.25, 0.55, 0.8]);
/** Shade of a place whose normal, in paper coordinates, is n. */
function shadeOf(normal: Vec3, greys: boolean): string {
  const front = normal[2] >= 0;
  const list = greys ? GREY : front ? OUT : IN;
  const light = Math.abs(dot(front ? normal : [-normal[0], -normal[1], -normal[2]], LIGHT));
  return list[Math.min(list.length - 1, Math.floor(light * list.length))];
}
function trianglesOf(p: Piece, greys: boolean): Triangle[] {
  if (p.kind !== 'skin' && p.kind !== 'solid' && p.kind !== 'scan' && p.kind !== 'cage') return [];
  const body = p.kind === 'scan' || p.kind === 'cage' ? undefined : p.body;
  const mesh =
    p.kind === 'scan'
      ? p.mesh
      : p.kind === 'cage'
        ? smoothMesh(p.cage, p.cage.shape.faces > 12 ? 2 : 3)
        : meshBody(p.body, { chord: Math.max(1e-6, boxSize(bodyBox(p.body)) / 90), angle: 0.45 });
  const at = (i: number): Vec3 => onPaper([mesh.positions[3 * i], mesh.positions[3 * i + 1], mesh.positions[3 * i + 2]]);
  const out: Triangle[] = [];
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const corners = [0, 1, 2].map((k) => at(mesh.indices[t + k]));
    const side = (k: number): Vec3 => [0, 1, 2].map((d) => corners[k][d] - corners[0][d]) as unknown as Vec3;
    const across = cross(side(1), side(2));
    const size = Math.hypot(...across);
    if (size < 1e-12) continue;
    const normal = across.map((x) => x / size) as unknown as Vec3;
    // the back of a solid is never seen
    if (p.kind === 'solid' && normal[2] < 0) continue;
    out.push({ depth: (corners[0][2] + corners[1][2] + corners[2][2]) / 3, shade: shadeOf(normal, greys && !!body), corners });
  }
  return out;
}

/** One frame of a picture: everything in `scene`, placed by `place`. */
function frameOf(scene: Scene, before: boolean, place: (p: Vec3) => Flat): string[] {
  const d = (line: readonly Vec3[], closed = false): string => {
    // what lies within a tenth of a pixel of the place before adds nothing
    const seen: string[] = [];
    let last: Flat | undefined;
    for (const p of line) {
      const q = place(p);
      if (last && Math.hypot(q[0] - last[0], q[1] - last[1]) < 0.35) continue;
      seen.push(`${n(q[0])} ${n(q[1])}`);
      last = q;
    }
    return `M${seen.join('L')}${closed ? 'Z' : ''}`;
  };
  const out: string[] = [];
  for (const p of scene.pieces) {
    if (p.kind === 'plane')
      out.push(
        `<path d="${d(square(p.frame, p.size).map(onPaper), true)}" fill="#e9e4d8" fill-opacity=".7" stroke="${SLATE}" stroke-dasharray="4 3"/>`,
      );
    if (p.kind === 'picture') {
      const r = rectangle(p).map(onPaper);
      out.push(
        `<path d="${d(r, true)}" fill="#fff" stroke="${SLATE}"/><path d="${d([r[0], r[2]])}${d([r[1], r[3]])}" stroke="${SLATE}" opacity=".6"/>`,
      );
    }
  }
  const triangles = scene.pieces.flatMap((p) => trianglesOf(p, before)).sort((a, b) => a.depth - b.depth);
  let shade = '';
  let run = '';
  const flush = () => {
    if (run) out.push(`<path d="${run}" fill="${shade}" stroke="${shade}" stroke-width=".5"/>`);
    run = '';
  };
  for (const t of triangles) {
    if (t.shade !== shade) {
      flush();
      shade = t.shade;
    }
    run += `M${t.corners.map((c) => place(c).map(n).join(' ')).join('L')}Z`;
  }
  flush();
  const bodies = scene.pieces.flatMap((p): Body[] => (p.kind === 'skin' || p.kind === 'solid' ? [p.body] : []));
  const weights = { outline: 1.3, rim: 1.3, sharp: 1, smooth: 0.5 } as const;
  for (const kind of ['smooth', 'sharp', 'rim', 'outline'] as const) {
    const lines = drawLines(bodies, SEEN, { smooth: true }).filter((l) => l.visible && l.kind === kind);
    const path = lines.map((l) => d(sampled(l.curve))).join('');
    if (path) out.push(`<path d="${path}" stroke="${before ? '#55636a' : INK}" stroke-width="${weights[kind]}"/>`);
  }
  for (const p of scene.pieces) {
    if (p.kind === 'curve')
      out.push(
        `<path d="${p.curves.map((c) => d(sampled(c).map(onPaper))).join('')}" stroke="${before ? '#55636a' : LODEN}" stroke-width="${before ? 1.3 : 1.8}"/>`,
      );
    if (p.kind === 'point') {
      const [x, y] = place(onPaper(p.point));
      out.push(`<circle cx="${n(x)}" cy="${n(y)}" r="3" fill="${LODEN}"/>`);
    }
  }
  if (scene.picked?.length)
    out.push(`<path d="${scene.picked.map((c) => d(sampled(c).map(onPaper))).join('')}" stroke="${BRASS}" stroke-width="2.6"/>`);
  if (scene.nets?.length) {
    out.push(`<path d="${scene.nets.map((c) => d(sampled(c).map(onPaper))).join('')}" stroke="${BRASS}" stroke-width=".7" opacity=".8"/>`);
    const corners = new Set(scene.nets.flatMap((c) => sampled(c).map((p) => place(onPaper(p)).map(n).join(' '))));
    out.push(`<path d="${[...corners].map((c) => `M${c}h0`).join('')}" stroke="${BRASS}" stroke-width="3.4"/>`);
  }
  for (const p of scene.points ?? []) {
    const [x, y] = place(onPaper(p));
    out.push(`<circle cx="${n(x)}" cy="${n(y)}" r="2.4" fill="#fff" stroke="${BRASS}" stroke-width="1.4"/>`);
  }
  return out;
}

/**
 * What a tool does, as SVG: on the left what it is given, on the right what it makes of it, both from the same side and in the same scale.
 * Lines are those of the exact surfaces, seen or hidden; shades are of a mesh. Without anything given, one frame.
 */
export function toolPicture(title: string, before: Scene | undefined, after: Scene): string {
  const given = before?.pieces.length || before?.files?.length ? before : undefined;
  const all = [...(given?.pieces ?? []), ...after.pieces]
    .flatMap(reach)
    .concat(after.points ?? [])
    .map(onPaper);
  const low = [0, 1].map((k) => Math.min(...all.map((p) => p[k])));
  const high = [0, 1].map((k) => Math.max(...all.map((p) => p[k])));
  const scale = Math.min((WIDTH - 2 * MARGIN) / Math.max(1e-9, high[0] - low[0]), (HEIGHT - 2 * MARGIN) / Math.max(1e-9, high[1] - low[1]));
  const width = given ? 2 * WIDTH + GAP : WIDTH;
  const words = after.page ? [] : (after.words ?? []);
  const height = HEIGHT + 14 * words.length;
  const placeIn =
    (left: number) =>
    (p: Vec3): Flat => [left + WIDTH / 2 + scale * (p[0] - (low[0] + high[0]) / 2), HEIGHT / 2 - scale * (p[1] - (low[1] + high[1]) / 2)];
  const arrow = `<path d="M${WIDTH + 6} ${HEIGHT / 2}h${GAP - 14}m-5 -4l5 4l-5 4" stroke="${LODEN}" stroke-width="1.5"/>`;
  const left = given ? WIDTH + GAP : 0;
  const result = after.page
    ? pageIn(after.page, left)
    : after.files?.length
      ? filesIn(after.files, left)
      : frameOf(after, false, placeIn(left));
  const lines = [
    ...(given ? [...(given.pieces.length ? frameOf(given, true, placeIn(0)) : filesIn(given.files ?? [], 0)), arrow] : []),
    ...result,
    ...words.map(
      (w, i) =>
        `<text x="${left + WIDTH / 2}" y="${HEIGHT + 6 + 14 * i}" font-size="10.5" fill="${LODEN}" text-anchor="middle" font-family="sans-serif">${escaped(w)}</text>`,
    ),
  ];
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" fill="none" stroke-linecap="round" stroke-linejoin="round"><title>${escaped(title)}</title>
${lines.join('\n')}
</svg>
`;
}
const escaped = (s: string): string => s.replace(/&/g, '&amp;').replace(/</g, '&lt;');
/** A written page, laid into its half of the picture. */
function pageIn(svg: string, left: number): string[] {
  const box = /viewBox="([^"]+)"/.exec(svg)?.[1] ?? '0 0 100 100';
  const inner = svg
    .slice(svg.indexOf('>', svg.indexOf('<svg')) + 1, svg.lastIndexOf('</svg>'))
    .replace(/<title>.*?<\/title>/s, '')
    .replace(/\d+\.\d{2,}/g, (x) => String(Number(Number(x).toFixed(1))))
    .replace(/ id="[^"]*"/g, '')
    // lines that can be seen at this size
    .replace(
      /stroke-width="([\d.]+)"/g,
      (_, w: string) => `stroke-width="${n(Math.max(Number(w), (0.7 * Number(box.split(' ')[2])) / (WIDTH - 2 * MARGIN)))}"`,
    );
  return [
    `<svg x="${left + MARGIN}" y="${MARGIN}" width="${WIDTH - 2 * MARGIN}" height="${HEIGHT - 2 * MARGIN}" viewBox="${box}"><rect width="100%" height="100%" fill="#fff" stroke="${SLATE}" stroke-width="1%"/>${inner}</svg>`,
  ];
}
/** Files as sheets with a folded corner. */
const filesIn = (names: readonly string[], left: number): string[] =>
  names.slice(0, 3).map((name, i) => {
    const [x, y] = [left + WIDTH / 2 - 24 + 14 * i, HEIGHT / 2 - 34 + 8 * i];
    return `<path d="M${x} ${y}h30l14 14v46h-44z" fill="#fff" stroke="${INK}"/><path d="M${x + 30} ${y}v14h14" stroke="${INK}"/><text x="${x + 22}" y="${y + 74}" font-size="10.5" fill="${INK}" text-anchor="middle" font-family="sans-serif">${escaped(name)}</text>`;
  });
/** Borders of a face and an edge, as curves. */
export function partCurves(b: Body, part: { readonly kind: string; readonly name: string }): NurbsCurve[] {
  if (part.kind === 'edge') return b.edges.filter((e) => e.name === part.name && !e.degenerate).map((e) => edgeCurve(e));
  const f = b.faces.find((x) => x.name === part.name);
  return f ? f.loops.flatMap((l) => l.flatMap((u) => (b.edges[u.edge].degenerate ? [] : [edgeCurve(b.edges[u.edge])]))) : [];
}
