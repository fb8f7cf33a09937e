import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { emptyModel, evaluateModel, type Model, type Step } from '../recipe/index.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { TOOLS } from '../tools/index.ts';
import { type Block, gatherReport, reportHtml, reportPdf } from './index.ts';

const step = (id: string, tool: string, params: Record<string, unknown> = {}, inputs: Record<string, string[]> = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, v.map((s) => ({ step: s, output: 'main' }))])),
});
const model = (...steps: Step[]): Model => ({
  ...emptyModel('Case <1> & "co"'),
  steps,
  dials: [{ name: 'r', formula: '6 mm * 2', unit: 'length' }],
});
const gather = async (m: Model) =>
  gatherReport(m, await evaluateModel(m, { tools: RUNNABLE, kernel }), { tools: TOOLS, kernel, date: 'today' });
const fact = (blocks: readonly Block[], title: string, label: string) => {
  const b = blocks.find((x) => x.title === title);
  return b?.kind === 'facts' ? b.rows.find((r) => r.label === label)?.value : undefined;
};
const box = step('b', 'primitive', { shape: 'box', width: 'r', depth: 8, height: 5, solid: true });

describe('the proof report', () => {
  it('of a block: its numbers are those of a block, and it is as it should be', async () => {
    const r = await gather(model(box));
    expect([r.ok, r.why]).toEqual([true, []]);
    const of = (label: string) => fact(r.blocks, 'Basic shape', label);
    expect(of('watertight')).toBe('yes');
    expect(of('volume')).toBe('480 mm³');
    expect(of('size')).toBe('12 x 8 x 5 mm');
    expect(of('seams')).toBe('12: 12 G0, 0 G1, 0 G2 or better');
    expect(of('wall by ray, least')).toMatch(/^5 mm at/);
    expect(fact(r.blocks, 'In short', 'seams')).toBe('12, none with a target');
    const seams = r.blocks.find((b) => b.title === 'Seams against their targets');
    expect(seams?.kind === 'table' && seams.rows.map((x) => x.cells[4])).toEqual(Array(12).fill('90'));
    const dials = r.blocks.find((b) => b.title === 'Dials');
    expect(dials?.kind === 'table' && dials.rows[0].cells).toEqual(['r', '6 mm * 2', '12']);
  });
  it('is not as it should be when a seam misses its target, a step fails, or a solid is wanted of what is open', async () => {
    const aimed = await gather({ ...model(box), targets: { 'kind:sharp': 'G1' } });
    expect([aimed.ok, aimed.why]).toEqual([false, ['12 seams below their target']]);
    const broken = await gather(model(box, step('c', 'circle', { radius: -1 })));
    expect([broken.ok, broken.why]).toEqual([false, ['1 step without a result']]);
    expect((await gather(model())).why).toEqual(['there is no skin or solid']);
  });
  it('as a page: names are written as they are, nothing is fetched; as a PDF of A4', async () => {
    const r = await gather(model(box));
    const html = reportHtml(r);
    expect(html).toContain('<h1>Case &lt;1&gt; &amp; &quot;co&quot;</h1>');
    expect(html).not.toContain('Case <1>');
    expect(html.match(/(?:src|href)="(?!data:)/g)).toBeNull();
    expect(html.match(/<svg/g)).toHaveLength(1);
    const pdf = new TextDecoder('latin1').decode(await reportPdf(r));
    expect(pdf.startsWith('%PDF-1.')).toBe(true);
    expect(pdf.match(/\/Type \/Page\b/g)?.length).toBeGreaterThan(1);
    expect(pdf).toContain('/MediaBox [0 0 595.2');
  });
});
