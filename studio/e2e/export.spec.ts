import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { inspectMesh, readScan } from '../../core/exchange/index.ts';
import { begin, card, choose, noErrors, pickFromList, recipeStep, settled, shot, slot, stage, tool, type } from './helpers.ts';

test('what is handed over is counted before, read back and compared after, alone or packed', async ({ page }) => {
  const bad = await begin(page, 'Hand over', [
    { ...recipeStep('b', 'primitive', { shape: 'ball', radius: 10, solid: true }), name: 'Ball' },
    { ...recipeStep('r', 'primitive', { shape: 'ring', radius: 30, tube: 4, solid: true }), name: 'Ring' },
  ]);
  await stage(page, 'Output');
  await tool(page, 'Export');
  await slot(page, 'pieces').click();
  await pickFromList(page, 'Ball');
  await pickFromList(page, 'Ring');
  await choose(page, 'Format', '3MF');
  await type(page, 'Chord error', '0.1');
  await settled(page);
  const fact = (label: string) => card(page).locator('dl div').filter({ hasText: label }).locator('dd');
  const before = Number((await fact('triangles').first().innerText()).replace(/\D/g, ''));
  expect(before).toBeGreaterThan(500);
  await shot(page, 'export-before');
  const [one] = await Promise.all([page.waitForEvent('download'), card(page).getByRole('button', { name: 'Write file' }).click()]);
  expect(one.suggestedFilename()).toBe('Hand over.3mf');
  const read = await readScan(new Uint8Array(readFileSync(await one.path())), 'x.3mf');
  if (!read.ok) throw new Error(read.message);
  expect(read.parts.map((p) => p.name).sort()).toEqual(['Ball', 'Ring']);
  expect(read.parts.reduce((n, p) => n + inspectMesh(p.mesh).triangles, 0)).toBe(before);
  await page.getByText('Export 1').last().click();
  await expect(fact('volume, read back')).toContainText('the same');
  await shot(page, 'export-after');
  await card(page).getByRole('switch', { name: 'A file for each piece' }).click();
  await settled(page);
  const [two] = await Promise.all([page.waitForEvent('download'), card(page).getByRole('button', { name: 'Write file' }).click()]);
  expect(two.suggestedFilename()).toBe('Hand over.zip');
  await noErrors(page, bad);
});
