import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { expect, type Page, test } from '@playwright/test';
import { settled, watch } from './helpers.ts';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
interface Found {
  readonly id: string;
  readonly impact: string;
  readonly nodes: { readonly html: string; readonly failureSummary: string }[];
}
/** Serious and critical faults of what is on the page, with the first places. */
async function faults(page: Page): Promise<string[]> {
  await page.evaluate(axe);
  const found = await page.evaluate(async () => {
    const run = (window as unknown as { axe: { run: (c: unknown, o: unknown) => Promise<{ violations: Found[] }> } }).axe.run;
    return (await run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] })).violations;
  });
  return found
    .filter((v) => v.impact === 'serious' || v.impact === 'critical')
    .map(
      (v) =>
        `${v.id} (${v.nodes.length}): ${v.nodes
          .slice(0, 4)
          .map((n) => n.html.slice(0, 160))
          .join(' | ')}`,
    );
}
const steps = [
  { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 20 } },
  { id: 'e', tool: 'extrude', name: 'Tube', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: 60 } },
];

test('no serious fault of access on home and modelling, light and dark', async ({ page, request }) => {
  const bad = watch(page);
  const answer = await request.post('/api/models', {
    data: { name: 'Access', recipe: { format: 'ample-skin-recipe', version: 1, name: 'Access', dials: [], steps } },
  });
  const url = `/model/${(await answer.json()).id}`;
  for (const dark of [false, true]) {
    await page.goto('/');
    await expect(page.getByRole('button', { name: 'New model' })).toBeVisible();
    expect.soft([dark, 'home', await faults(page)]).toEqual([dark, 'home', []]);
    await page.goto(url);
    await settled(page);
    expect.soft([dark, 'modelling', await faults(page)]).toEqual([dark, 'modelling', []]);
    await page.locator('.row', { hasText: 'Tube' }).first().click();
    await settled(page);
    expect.soft([dark, 'a step open', await faults(page)]).toEqual([dark, 'a step open', []]);
    await page.keyboard.press('Escape');
    if (dark) break;
    await page.getByRole('button', { name: 'Settings' }).click();
    await page.getByRole('menuitem', { name: 'Dark' }).click();
  }
  expect(bad).toEqual([]);
});
