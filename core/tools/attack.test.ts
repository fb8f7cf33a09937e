import { describe, expect, it } from 'vitest';
import { attack, complaints } from '../testing/attack.ts';

const TOOLS = (
  process.env.ATTACK ??
  [
    'sweep',
    'two-rails',
    'weave',
    'ruled',
    'normal-ruled',
    'tube',
    'corner-skin',
    'rectangle-skin',
    'primitive',
    'offset-skin',
    'copy-faces',
    'between-skins',
    'grid-skin',
    'refit-skin',
    'edit-skin',
    'fair',
    'loft',
    'flat-skin',
    'extrude',
    'revolve',
    'align-edge',
    'split-loop',
    'imprint',
    'extend-skin',
    'trim',
    'combine',
    'array',
    'align',
    'deform',
    'move',
    'blend',
    'match-edge',
    'patch',
    'fillet',
    'repair',
    'cut-sheets',
    'drawing',
    'measure',
    'cage-start',
    'cage-edit',
    'cage-skin',
    'cage-fit',
    'cage-align',
    'cage-rows',
    'cage-from',
    'cage-mesh',
    'pave',
    'scan-line',
    'lattice',
  ].join()
).split(',');
const SEEDS = Number(process.env.SEEDS ?? 3);
const FROM = Number(process.env.FROM ?? 0);

/** Random sources, picks and settings: whatever comes, the answer is whole numbers and words. More: SEEDS=100 FROM=0 ATTACK=sweep. */
describe.each(TOOLS)('attacks on %s', (tool) => {
  it.each(Array.from({ length: SEEDS }, (_, i) => FROM + i))('seed %i', async (seed) => {
    const a = await attack(tool, seed);
    expect(complaints(a), JSON.stringify({ params: a.step.params, inputs: a.step.inputs })).toEqual([]);
  });
});
