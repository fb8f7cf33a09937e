import { drawPaper } from '../sheets/index.ts';
import type { ProofReport, Tone } from './gather.ts';
import { verdictWords } from './html.ts';

const INK = '#1e2a2e';
const COLOURS = { good: '#2f6b4f', bad: '#9c4a2f' } as const;
const colour = (t: Tone): string => (t ? COLOURS[t] : INK);
/** The letters of the built-in fonts; others are written as what is nearest to them. */
const plain = (s: string): string =>
  s
    .replace(/≈/g, '~')
    .replace(/[−–—]/g, '-')
    .replace(/[^\x20-\xff]/g, '?');
const [WIDE, TALL, EDGE] = [210, 297, 16];

/** The report on pages of A4. */
export async function reportPdf(r: ProofReport): Promise<Uint8Array> {
  const [{ jsPDF }, { autoTable }] = await Promise.all([import('jspdf'), import('jspdf-autotable')]);
  const doc = new jsPDF({ unit: 'mm', format: 'a4', compress: true });
  doc.setProperties({ title: `${r.title}: proof`, creator: 'Ample Skin' });
  let y = EDGE + 6;
  const text = (words: string, size: number, ink: string, gap: number) => {
    doc.setFontSize(size);
    doc.setTextColor(ink);
    for (const line of doc.splitTextToSize(plain(words), WIDE - 2 * EDGE) as string[]) {
      if (y > TALL - EDGE) {
        doc.addPage();
        y = EDGE + 6;
      }
      doc.text(line, EDGE, y);
      y += size * 0.45;
    }
    y += gap;
  };
  const room = (need: number) => {
    if (y + need <= TALL - EDGE) return;
    doc.addPage();
    y = EDGE + 6;
  };
  text(r.title, 20, INK, 1);
  text(`Proof report, ${r.date}`, 10, '#5c6b73', 3);
  text(verdictWords(r), 11, r.ok ? COLOURS.good : COLOURS.bad, 4);
  for (const b of r.blocks) {
    // a title stays with what it is the title of
    const wide = WIDE - 2 * EDGE;
    const scale = b.kind === 'drawing' ? wide / b.paper.width : 0;
    const picture = b.kind === 'picture' ? doc.getImageProperties(b.png) : undefined;
    const tall = picture ? Math.min(130, (wide * picture.height) / picture.width) : 0;
    room(b.kind === 'drawing' ? 12 + b.paper.height * scale : picture ? 12 + tall : 28);
    text(b.title, 13, INK, 1);
    if (b.kind === 'drawing') {
      drawPaper(doc, b.paper, EDGE, y, scale);
      doc.setLineDashPattern([], 0);
      y += b.paper.height * scale + 8;
      continue;
    }
    if (b.kind === 'picture') {
      doc.addImage(b.png, 'PNG', EDGE, y, (tall * (picture?.width ?? 1)) / (picture?.height ?? 1), tall);
      y += tall + 8;
      continue;
    }
    if (b.kind === 'table' && !b.rows.length) {
      text(b.none, 10, INK, 4);
      continue;
    }
    const rows = b.kind === 'facts' ? b.rows.map((x) => ({ cells: [x.label, x.value], tone: x.tone })) : b.rows;
    autoTable(doc, {
      startY: y,
      margin: { left: EDGE, right: EDGE, bottom: EDGE },
      head: b.kind === 'table' ? [b.head.map(plain)] : undefined,
      body: rows.map((x) => x.cells.map(plain)),
      theme: 'plain',
      styles: { fontSize: 8.5, cellPadding: 0.8, textColor: INK },
      headStyles: { textColor: '#5c6b73', fontStyle: 'normal' },
      columnStyles: b.kind === 'facts' ? { 0: { cellWidth: 40, textColor: '#5c6b73' } } : {},
      didParseCell: (d) => {
        const t = d.section === 'body' ? rows[d.row.index]?.tone : undefined;
        if (t && (b.kind === 'table' || d.column.index === 1)) d.cell.styles.textColor = colour(t);
      },
    });
    y = ((doc as unknown as { lastAutoTable?: { finalY: number } }).lastAutoTable?.finalY ?? y) + 8;
  }
  return new Uint8Array(doc.output('arraybuffer'));
}
