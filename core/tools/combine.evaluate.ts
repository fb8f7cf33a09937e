import { type Body, combineBodies, inspect, massProperties } from '../brep/index.ts';
import { type Combined, combineBodiesAs } from '../joins/index.ts';
import { formatNumber } from '../math/index.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody, type Mark, secondLooks, withinFact } from '../recipe/index.ts';
import tool from './combine.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const solids = [...inputs.first, ...inputs.second].map(inputBody);
  const bad = solids.findIndex((b) => !b?.solids.length);
  if (bad >= 0) return failure('not-a-solid', `${bad === 0 ? 'The first piece' : `Piece ${bad} of "With"`} is no solid: close it first`);
  const [first, ...others] = solids as Body[];
  if (p.keep === 'picked' && others.length > 1)
    return failure('one-at-a-time', 'Pieces are picked between two solids: combine the others first, or take this step once for each');
  let body = first;
  let last: Combined | undefined;
  const kernel = new Set<string>();
  const touches: [number, number, number][] = [];
  let off = 0;
  for (const [i, other] of others.entries()) {
    const r = await combineBodiesAs(p.keep, body, other, p.places, context);
    if (!r.ok)
      return failure(
        'not-combined',
        `${others.length > 1 ? `Solid ${i + 1} of "With"` : 'The solids'} could not be combined: ${r.why}. Move one of them by a little, or let it reach further`,
        r.at && [r.at],
      );
    if (!r.body.faces.length && (p.keep !== 'picked' || p.places.length))
      return failure(
        'nothing-left',
        p.keep === 'intersect' ? 'The solids share nothing: move them into each other' : 'Nothing of the first solid is left',
      );
    last = r;
    if (r.body.faces.length) body = r.body;
    if (r.kernel) kernel.add(r.kernel);
    for (const t of r.touches) touches.push([...t]);
    off = Math.max(off, r.off);
  }
  const picked = p.keep === 'picked' && !p.places.length;
  const shown = picked ? combineBodies([first, ...others]) : body;
  const gate = inspect(shown, { watertight: true, positiveVolume: true, chord: 1 / 200 });
  const diagnostics: Diagnostic[] = [];
  if (!gate.ok)
    diagnostics.push({ severity: 'warning', code: 'gate', message: `Look at the result with care: ${gate.reasons.join('; ')}` });
  if (picked) diagnostics.push({ severity: 'note', code: 'pick-pieces', message: 'Click the pieces that stay; until then all is shown' });
  if (touches.length)
    diagnostics.push({
      severity: 'note',
      code: 'touches',
      message: `The solids touch without crossing at ${touches.length === 1 ? 'one place' : `${touches.length} places`}`,
      place: touches,
    });
  const volume = massProperties(shown, undefined, true).volume;
  const parts = last?.parts;
  const marks: Mark[] =
    parts && others.length === 1
      ? parts.cells.map((c, i) => ({
          kind: 'region',
          body: parts.body,
          faces: [...c.faces],
          at: c.at,
          kept: parts.kept.has(i),
        }))
      : [];
  const looks = picked ? undefined : secondLooks(shown, context);
  return {
    outputs: { main: { kind: 'solid', body: shown } },
    later: looks?.later,
    diagnostics,
    marks,
    facts: [
      { label: 'volume', value: `${formatNumber(volume, 2)} mm³` },
      { label: 'solids', value: String(shown.solids.length) },
      ...(parts && others.length === 1 ? [{ label: 'pieces', value: `${parts.kept.size} of ${parts.cells.length} kept` }] : []),
      ...(off > 0 ? [withinFact('edges within', off, 0.1 * context.tolerance)] : []),
      ...(looks?.facts ?? []),
      ...(kernel.size ? [{ label: 'combined by', value: `kernel (${[...kernel].join('; ')})` }] : []),
    ],
  };
});
