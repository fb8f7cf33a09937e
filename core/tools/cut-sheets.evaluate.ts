import { isWatertight } from '../brep/index.ts';
import { fileStem } from '../exchange/index.ts';
import { formatNumber, WORLD } from '../math/index.ts';
import { type Diagnostic, defineEvaluation, type Fact, failure, inputBody, inputCurves, inputPlane } from '../recipe/index.ts';
import { type CutSource, cutSheets, paperSvg, writePapers } from '../sheets/index.ts';
import tool from './cut-sheets.ts';

const TURNS = {
  none: [0],
  half: [0, 180],
  quarter: [0, 90, 180, 270],
  any: Array.from({ length: 24 }, (_, k) => 15 * k),
} as const;
/** Share of the volume that layers may miss before it is told as a miss: more of them come nearer. */
const MISSED = 2;

export default defineEvaluation(tool, async (inputs, p, context) => {
  const sources = inputs.pieces.flatMap((i, k): CutSource[] => {
    const body = inputBody(i);
    return body ? [{ name: i.name ?? `Body ${k + 1}`, body }] : [];
  });
  const open = sources.filter((s) => !isWatertight(s.body));
  if (open.length) return failure('open', `${open[0].name} is open: a section of it does not close. Close it first, or pick a solid`);
  const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
  if (!frame) return failure('not-flat', 'What the sections are to be parallel to is not flat');
  const along = p.way === 'curve' ? inputCurves(inputs.along[0]) : undefined;
  if (p.way === 'curve' && !along?.length) return failure('no-curve', 'Pick the curve that the sections follow');
  const made = cutSheets(sources, frame, { ...p, along, turns: TURNS[p.turns as keyof typeof TURNS], spine: p.spine && !along });
  if ('message' in made) return failure('sheets', made.message);
  const used = made.parts.length;
  const facts: Fact[] = [
    { label: 'parts', value: String(used), number: used },
    { label: 'sheets', value: `${made.sheets}, at least ${made.bound} by area`, number: made.sheets },
  ];
  if (made.volume) {
    const { laid, body } = made.volume;
    const off = body === undefined ? undefined : (100 * Math.abs(laid - body)) / body;
    facts.push({
      label: 'laid together',
      value: `${formatNumber(laid, 1)} mm³${off === undefined ? '' : `, ${formatNumber(off, 2)} % off`}`,
      ...(off === undefined ? {} : { number: off, limit: MISSED, unit: '%' }),
    });
  }
  const pages = made.papers.map((x) => ({ title: x.title, svg: paperSvg(x) }));
  const diagnostics = made.notes.map((message): Diagnostic => ({ severity: 'warning', code: 'sheets', message }));
  if (!context.files) return { outputs: {}, facts, diagnostics, pages };
  const written = await writePapers(made.papers, p.format, fileStem(p.name.trim() || `${context.modelName || 'part'} sheets`));
  if (!written.ok) return failure('read-back', written.message);
  return { outputs: {}, facts: [...facts, ...written.facts], diagnostics, pages, files: written.files };
});
