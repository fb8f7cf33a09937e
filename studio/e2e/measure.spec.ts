import { expect, type Page, test } from '@playwright/test';
import { begin, card, factsOf, field, noErrors, number, settled, sheetRow, recipeStep as step, tab } from './helpers.ts';

const badges = (page: Page) => page.locator('.labels .badge.measure');
const lengths = async (page: Page) => (await factsOf(page, 'curve')).map((f) => number(f.length));

test('a distance is kept in the view, follows a dial, and drives another number', async ({ page }) => {
  const bad = await begin(
    page,
    'measures',
    [
      { ...step('a', 'circle', { radius: 'r' }), name: 'Rim' },
      { ...step('b', 'circle', { radius: 20 }), name: 'Outer' },
      { ...step('c', 'circle', { radius: 3 }), name: 'Ring' },
    ],
    [{ name: 'r', formula: '12 mm', unit: 'length' }] as never,
  );
  // two rows of the pieces list: their distance stands in the facts
  await tab(page, /Pieces/);
  await page.locator('.pieces').getByText('Rim', { exact: true }).click();
  await page
    .locator('.pieces')
    .getByText('Outer', { exact: true })
    .click({ modifiers: ['Control'] });
  await tab(page, /Facts/);
  await expect(page.locator('.factspanel')).toContainText('8 mm');
  await page.getByRole('button', { name: 'Keep in the view' }).click();
  await settled(page);
  await expect(badges(page)).toHaveText(['8 mm']);
  // a number that measures: typed in the card of the ring, moved below the measure first
  await tab(page, /Build sheet/);
  await sheetRow(page, 'Rim').click();
  const radius = (name: string) => field(card(page), name);
  await expect(radius('Radius')).toHaveValue('r');
  await page.keyboard.press('Escape');
  await sheetRow(page, 'Ring').click();
  await radius('Radius').fill('measure("Rim").radius / 2');
  await radius('Radius').press('Enter');
  await settled(page);
  expect(Math.min(...(await lengths(page)))).toBeCloseTo(2 * Math.PI * 6, 3);
  // what is not there is told, in place
  await radius('Radius').fill('measure("Rimm").radius');
  await radius('Radius').press('Enter');
  await settled(page);
  await expect(card(page)).toContainText('there is no step called "Rimm" before this one');
  await page.keyboard.press('Control+z');
  await settled(page);
  await page.keyboard.press('Escape');
  // the dial moves all of it
  await tab(page, /Dials/);
  const dial = page.locator('.dials input[aria-label="r"], input[aria-label="Dial r"]').first();
  await dial.fill('14');
  await dial.press('Enter');
  await settled(page);
  await expect(badges(page)).toHaveText(['6 mm']);
  expect(Math.min(...(await lengths(page)))).toBeCloseTo(2 * Math.PI * 7, 3);
  await noErrors(page, bad);
});
