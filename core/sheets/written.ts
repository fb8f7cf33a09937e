import { readDxf, readSvg } from '../exchange/index.ts';
import type { Fact, OutputFile } from '../recipe/index.ts';
import type { PaperFormat } from './formats.ts';
import { type Paper, paperDxf, paperSvg, papersPdf } from './paper.ts';

/** Papers as files: one PDF of all, or an SVG or DXF of each. What can be read back is, and its paths are counted. */
export async function writePapers(
  papers: readonly Paper[],
  format: PaperFormat,
  stem: string,
): Promise<{ readonly ok: true; readonly files: OutputFile[]; readonly facts: Fact[] } | { readonly ok: false; readonly message: string }> {
  if (format === 'pdf') {
    const data = await papersPdf(papers, stem);
    return {
      ok: true,
      files: [{ name: `${stem}.pdf`, type: 'application/pdf', data }],
      facts: [{ label: 'pages', value: String(papers.length) }],
    };
  }
  const files: OutputFile[] = [];
  let [drawn, read] = [0, 0];
  for (const [k, p] of papers.entries()) {
    const text = format === 'svg' ? paperSvg(p) : paperDxf(p);
    const name = `${stem}${papers.length > 1 ? ` ${k + 1}` : ''}.${format}`;
    const back = format === 'svg' ? readSvg(text) : readDxf(text);
    if (!back.ok) return { ok: false, message: `${name} does not read back: ${back.message}` };
    const paths = p.layers.reduce((n, l) => n + l.paths.filter((q) => q.points.length > 1).length, 0);
    drawn += paths;
    read += back.chains.length;
    if (back.chains.length !== paths) return { ok: false, message: `${name} reads back with ${back.chains.length} of ${paths} lines` };
    files.push({ name, type: format === 'svg' ? 'image/svg+xml' : 'image/vnd.dxf', data: new TextEncoder().encode(text) });
  }
  return { ok: true, files, facts: [{ label: 'lines read back', value: `${read} of ${drawn}` }] };
}
