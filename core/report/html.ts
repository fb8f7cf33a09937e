import { paperSvg } from '../sheets/index.ts';
import type { Block, ProofReport } from './gather.ts';

const escaped = (s: string) => s.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');
const STYLE = `
body { font: 14px/1.5 system-ui, sans-serif; color: #1e2a2e; background: #fff; max-width: 1000px; margin: 32px auto; padding: 0 24px; }
h1 { font-size: 26px; margin: 0; } h2 { font-size: 17px; margin: 32px 0 8px; border-bottom: 1px solid #e3ddd0; padding-bottom: 4px; }
.verdict { margin: 16px 0; padding: 12px 16px; border-left: 4px solid; } .verdict.good { border-color: #2f6b4f; background: #eaf1ec; } .verdict.bad { border-color: #9c4a2f; background: #f7ebe6; }
dl { display: grid; grid-template-columns: 160px 1fr; gap: 2px 16px; margin: 0; } dt { color: #5c6b73; } dd { margin: 0; }
table { border-collapse: collapse; width: 100%; font-size: 13px; } th { text-align: left; color: #5c6b73; font-weight: 500; } th, td { padding: 3px 10px 3px 0; border-bottom: 1px solid #eee8dc; vertical-align: top; }
td.number { font-family: ui-monospace, monospace; } .good { color: #2f6b4f; } .bad { color: #9c4a2f; }
svg, img { max-width: 100%; height: auto; border: 1px solid #e3ddd0; } figure { margin: 0; } figcaption { color: #5c6b73; }
@media print { body { margin: 0; } h2 { break-after: avoid; } tr { break-inside: avoid; } }`;
const tone = (t: string | undefined) => (t ? ` class="${t}"` : '');

function block(b: Block): string {
  const title = `<h2>${escaped(b.title)}</h2>`;
  if (b.kind === 'facts')
    return `${title}<dl>${b.rows.map((r) => `<dt>${escaped(r.label)}</dt><dd${tone(r.tone)}>${escaped(r.value)}</dd>`).join('')}</dl>`;
  if (b.kind === 'drawing') return `${title}<figure>${paperSvg(b.paper).replace(/<\?xml[^>]*\?>/, '')}</figure>`;
  if (b.kind === 'picture') return `${title}<figure><img src="${escaped(b.png)}" alt="${escaped(b.title)}"></figure>`;
  if (!b.rows.length) return `${title}<p>${escaped(b.none)}</p>`;
  const head = b.head.map((h) => `<th>${escaped(h)}</th>`).join('');
  const cell = (c: string) => `<td${/^-?[\d.]+(e[-+]?\d+)?$/.test(c) ? ' class="number"' : ''}>${escaped(c)}</td>`;
  const rows = b.rows.map((r) => `<tr${tone(r.tone)}>${r.cells.map(cell).join('')}</tr>`).join('\n');
  return `${title}<table><thead><tr>${head}</tr></thead><tbody>\n${rows}\n</tbody></table>`;
}

/** The words of the verdict: what holds, or everything that does not. */
export const verdictWords = (r: ProofReport): string =>
  r.ok ? 'Every step is fine, every seam with a target meets it, and no defect was found.' : `Not as it should be: ${r.why.join('; ')}.`;

/** The report as one file that needs no other, fit to be printed. */
export function reportHtml(r: ProofReport): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escaped(r.title)}: proof</title><style>${STYLE}</style></head><body>
<h1>${escaped(r.title)}</h1><p>Proof report, ${escaped(r.date)}</p>
<p class="verdict ${r.ok ? 'good' : 'bad'}">${escaped(verdictWords(r))}</p>
${r.blocks.map(block).join('\n')}
</body></html>
`;
}
