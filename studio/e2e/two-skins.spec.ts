import { expect, test } from '@playwright/test';
import { begin, keep, noErrors, pickFromList, segment, settled, slot, stage, recipeStep as step, tool, type } from './helpers.ts';

test('a fillet between two skins that cross: each is cut by the other, and the torus joins them', async ({ page }) => {
  const bad = await begin(page, 'Two skins', [
    {
      ...step('p', 'rectangle-skin', {
        points: [
          [-30, -30],
          [30, 30],
        ],
      }),
      name: 'Sheet',
    },
    step('c', 'circle', { radius: 10 }),
    { ...step('t', 'extrude', { extent: 'symmetric', distance: 40, cap: false }, { profile: ['c'] }), name: 'Tube' },
  ]);
  await stage(page, 'Joins');
  await tool(page, 'Fillet');
  await segment(page, 'Two skins');
  await slot(page, 'skins').click();
  await pickFromList(page, 'Sheet');
  await pickFromList(page, 'Tube');
  await type(page, 'Radius', '3');
  await settled(page);
  await keep(page);
  // one skin of three faces, open at the sheet's border and at one end of the tube
  await expect(page.getByTestId('watertight')).toContainText('Open: 2 rims, 302.8 mm');
  const rows = page.locator('.desk .ant-table-row');
  for (const skin of ['Sheet', 'Tube']) await expect(rows.filter({ hasText: `${skin} · Fillet 1` })).toContainText('G1');
  await noErrors(page, bad);
});
