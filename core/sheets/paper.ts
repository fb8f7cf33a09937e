import type { Flat } from './region.ts';

/** A path of a drawing: lines between points, or cubic Béziers where `curved` (first point, then three for each). In mm, y upwards. */
export interface PaperPath {
  readonly points: readonly Flat[];
  readonly curved?: boolean;
  readonly closed?: boolean;
}
export interface PaperLayer {
  readonly name: string;
  /** #rrggbb */
  readonly colour: string;
  /** Line width, mm. */
  readonly width: number;
  /** Lengths of dashes and gaps, mm. */
  readonly dash?: readonly number[];
  readonly paths: readonly PaperPath[];
  readonly texts?: readonly {
    readonly at: Flat;
    readonly text: string;
    readonly height: number;
    readonly turn?: number;
    readonly anchor?: 'start' | 'middle';
  }[];
}
/** A sheet of paper or material, its lower left corner at the origin. */
export interface Paper {
  readonly title: string;
  readonly width: number;
  readonly height: number;
  readonly layers: readonly PaperLayer[];
}

const n = (x: number) => String(Number(x.toFixed(4)));
const escaped = (s: string) => s.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');

/** A paper as SVG in millimetres, one group a layer. */
export function paperSvg(p: Paper): string {
  const at = ([x, y]: Flat) => `${n(x)} ${n(p.height - y)}`;
  const d = (q: PaperPath) => {
    const [first, ...rest] = q.points;
    if (!first) return '';
    return `M${at(first)}${q.curved ? (rest.length ? `C${rest.map(at).join(' ')}` : '') : rest.map((x) => `L${at(x)}`).join('')}${q.closed ? 'Z' : ''}`;
  };
  const layers = p.layers.map((l) => {
    const paths = l.paths.map((q) => `    <path d="${d(q)}"/>`);
    const texts = (l.texts ?? []).map((t) => {
      const [x, y] = [n(t.at[0]), n(p.height - t.at[1])];
      const turn = t.turn ? ` transform="rotate(${n(-t.turn)} ${x} ${y})"` : '';
      return `    <text x="${x}" y="${y}" font-size="${n(t.height / 0.7)}" fill="${l.colour}" stroke="none" text-anchor="${t.anchor ?? 'start'}"${turn}>${escaped(t.text)}</text>`;
    });
    const dash = l.dash ? ` stroke-dasharray="${l.dash.map(n).join(' ')}"` : '';
    return `  <g id="${escaped(l.name)}" stroke="${l.colour}" stroke-width="${n(l.width)}"${dash}>\n${[...paths, ...texts].join('\n')}\n  </g>`;
  });
  return `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="${n(p.width)}mm" height="${n(p.height)}mm" viewBox="0 0 ${n(p.width)} ${n(p.height)}" fill="none" stroke-linecap="round" stroke-linejoin="round" font-family="Figtree, sans-serif">
  <title>${escaped(p.title)}</title>
${layers.join('\n')}
</svg>
`;
}

/** The nearest of the seven fixed colours of a DXF; 7 is black or white. */
function fixedColour(hex: string): number {
  const v = [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  const all = [
    [255, 0, 0],
    [255, 255, 0],
    [0, 255, 0],
    [0, 255, 255],
    [0, 0, 255],
    [255, 0, 255],
    [0, 0, 0],
  ];
  const far = (c: readonly number[]) => c.reduce((s, x, k) => s + (x - v[k]) ** 2, 0);
  return all.reduce((b, c, i) => (far(c) < far(all[b]) ? i : b), 6) + 1;
}
/** A paper as DXF in millimetres: polylines and splines on named layers with their colours and line widths. */
export function paperDxf(p: Paper): string {
  const out: (string | number)[] = [0, 'SECTION', 2, 'HEADER', 9, '$ACADVER', 1, 'AC1015', 9, '$INSUNITS', 70, 4, 0, 'ENDSEC'];
  const layerName = (s: string) => s.toUpperCase().replace(/[^A-Z0-9_-]+/g, '_');
  out.push(0, 'SECTION', 2, 'TABLES', 0, 'TABLE', 2, 'LTYPE', 70, 2);
  out.push(0, 'LTYPE', 2, 'CONTINUOUS', 70, 0, 3, 'Solid', 72, 65, 73, 0, 40, 0);
  out.push(0, 'LTYPE', 2, 'DASHED', 70, 0, 3, 'Dashed', 72, 65, 73, 2, 40, 3, 49, 2, 74, 0, 49, -1, 74, 0);
  out.push(0, 'ENDTAB', 0, 'TABLE', 2, 'LAYER', 70, p.layers.length);
  for (const l of p.layers)
    out.push(
      0,
      'LAYER',
      2,
      layerName(l.name),
      70,
      0,
      62,
      fixedColour(l.colour),
      6,
      l.dash ? 'DASHED' : 'CONTINUOUS',
      370,
      Math.round(l.width * 100),
    );
  out.push(0, 'ENDTAB', 0, 'ENDSEC', 0, 'SECTION', 2, 'ENTITIES');
  let handle = 256;
  const entity = (kind: string, layer: string, mark: string) =>
    out.push(0, kind, 5, (handle++).toString(16).toUpperCase(), 100, 'AcDbEntity', 8, layer, 100, mark);
  for (const l of p.layers) {
    const layer = layerName(l.name);
    for (const q of l.paths) {
      if (q.points.length < 2) continue;
      if (!q.curved) {
        entity('LWPOLYLINE', layer, 'AcDbPolyline');
        out.push(90, q.points.length, 70, q.closed ? 1 : 0);
        for (const [x, y] of q.points) out.push(10, x, 20, y);
        continue;
      }
      const spans = (q.points.length - 1) / 3;
      entity('SPLINE', layer, 'AcDbSpline');
      out.push(70, 8, 71, 3, 72, 3 * spans + 5, 73, q.points.length, 74, 0);
      for (const k of [0, ...Array.from({ length: spans + 1 }, (_, i) => [i, i, i]).flat(), spans]) out.push(40, k);
      for (const [x, y] of q.points) out.push(10, x, 20, y, 30, 0);
    }
    for (const t of l.texts ?? []) {
      entity('TEXT', layer, 'AcDbText');
      out.push(10, t.at[0], 20, t.at[1], 30, 0, 40, t.height, 1, t.text.replace(/\n/g, ' '), 50, t.turn ?? 0);
      if (t.anchor === 'middle') out.push(72, 1, 11, t.at[0], 21, t.at[1], 31, 0);
      out.push(100, 'AcDbText');
    }
  }
  out.push(0, 'ENDSEC', 0, 'EOF');
  return `${out.join('\n')}\n`;
}

/** Papers as the pages of one PDF, each of its own size. */
export async function papersPdf(papers: readonly Paper[], title: string): Promise<Uint8Array> {
  const { jsPDF } = await import('jspdf');
  const side = (p: Paper) => (p.width > p.height ? 'landscape' : 'portrait');
  const first = papers[0];
  const doc = new jsPDF({ unit: 'mm', format: [first.width, first.height], orientation: side(first), compress: true });
  doc.setProperties({ title, creator: 'Ample Skin' });
  papers.forEach((p, k) => {
    if (k) doc.addPage([p.width, p.height], side(p));
    drawPaper(doc, p);
  });
  return new Uint8Array(doc.output('arraybuffer'));
}

/** Draws a paper on the page of a document that counts in millimetres, its upper left corner at a place and in a scale. */
export function drawPaper(doc: import('jspdf').jsPDF, p: Paper, left = 0, top = 0, scale = 1): void {
  for (const l of p.layers) {
    doc.setDrawColor(l.colour);
    doc.setTextColor(l.colour);
    doc.setLineWidth(l.width * scale);
    doc.setLineDashPattern(l.dash ? l.dash.map((x) => x * scale) : [], 0);
    doc.setLineCap('round');
    doc.setLineJoin('round');
    const place = (x: number, y: number): [number, number] => [left + scale * x, top + scale * (p.height - y)];
    for (const q of l.paths) {
      if (q.points.length < 2) continue;
      const at = (i: number) => place(q.points[i][0], q.points[i][1]);
      doc.moveTo(...at(0));
      if (q.curved) for (let i = 1; i + 2 < q.points.length; i += 3) doc.curveTo(...at(i), ...at(i + 1), ...at(i + 2));
      else for (let i = 1; i < q.points.length; i++) doc.lineTo(...at(i));
      if (q.closed) doc.close();
      doc.stroke();
    }
    for (const t of l.texts ?? []) {
      doc.setFontSize(((t.height / 0.7) * 72 * scale) / 25.4);
      // centred along its own direction: the library centres turned words along the page
      const [x, y] = place(t.at[0], t.at[1]);
      const a = ((t.turn ?? 0) * Math.PI) / 180;
      const back = t.anchor === 'middle' ? doc.getTextWidth(t.text) / 2 : 0;
      doc.text(t.text, x - back * Math.cos(a), y + back * Math.sin(a), { angle: t.turn ?? 0 });
    }
  }
}
