import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  factsOf,
  keep,
  lookFrom,
  noErrors,
  number,
  picked,
  pickFromList,
  segment,
  settled,
  shot,
  slot,
  stage,
  recipeStep as step,
  tool,
  type,
} from './helpers.ts';

const fact = (page: Page, label: string) =>
  card(page)
    .locator('.factgrid div')
    .filter({ has: page.getByText(label, { exact: true }) });

test('a thumb recess: cut out of a back, its floor tangent at the root, sides at one distance, knitted and thickened', async ({ page }) => {
  test.setTimeout(240_000);
  const bad = await begin(page, 'Recess', [
    step('c', 'arc', {
      points: [
        [-40, 0],
        [0, 10],
        [40, 0],
      ],
    }),
    { ...step('t', 'extrude', { distance: 100 }, { profile: ['c'] }), name: 'Back' },
    step('p', 'work-plane', { base: 'xz' }),
    {
      ...step('root', 'polyline', {
        points: [
          [-11, 20],
          [11, 20],
        ],
      }),
      inputs: { plane: [{ step: 'p', output: 'main' }] },
    },
    {
      ...step('u', 'spline-through', {
        points: [
          [11, 20],
          [14, 45],
          [9, 66],
          [0, 73],
          [-9, 66],
          [-14, 45],
          [-11, 20],
        ],
      }),
      inputs: { plane: [{ step: 'p', output: 'main' }] },
    },
    { ...step('j', 'join-curves', {}, { curves: ['root', 'u'] }), name: 'Outline' },
    {
      ...step('d', 'spline-through', {
        flat: false,
        points: [
          [0, 8.6, 34],
          [0, 5.4, 48],
          [0, 5, 60],
        ],
      }),
      name: 'Depth',
    },
  ]);
  await lookFrom(page, 165, 18);
  await stage(page, 'Joins');
  // the area is taken out
  await tool(page, 'Trim');
  await pickFromList(page, 'Back');
  await slot(page, 'cutters').click();
  await pickFromList(page, 'Outline');
  await picked(page, 'cutters', 1);
  await settled(page);
  await keep(page);
  // the floor: with the curvature of the back at its root, only touching it round the rest
  await tool(page, 'Patch');
  await slot(page, 'rim').click();
  await clickAt(page, [0, 10, 20]);
  await picked(page, 'rim', 1);
  await clickAt(page, [14, 8.84, 45]);
  await picked(page, 'rim', 2);
  await segment(page, 'G0', slot(page, 'rim').locator('.pickwrap').nth(1));
  await slot(page, 'through').click();
  await pickFromList(page, 'Depth');
  await card(page).getByText('More', { exact: true }).click();
  await type(page, 'Points', '20');
  await settled(page);
  await shot(page, 'recess1');
  await expect(fact(page, 'side 1')).toContainText('G2 reached');
  await expect(fact(page, 'side 2')).toContainText('G0 asked, G0 reached');
  await keep(page);
  await tool(page, 'Knit');
  await slot(page, 'skins').click();
  await pickFromList(page, 'Trim 1');
  await pickFromList(page, 'Patch 1');
  await picked(page, 'skins', 2);
  await settled(page);
  await keep(page);
  // both sides and the top at one distance from the edge, running out into the back at the root
  await tool(page, 'Fillet');
  await clickAt(page, [14, 8.84, 45]);
  await picked(page, 'edges', 1);
  await settled(page);
  // a ball cannot run out: the card says how it is set
  await expect(card(page).locator('.diag.error')).toContainText('set it by its distance');
  await segment(page, 'Distance');
  await segment(page, 'G2');
  await type(page, 'Distance', '3');
  await settled(page);
  await shot(page, 'recess2');
  for (const side of ['left', 'right']) await expect(fact(page, side)).toContainText('G2 reached');
  await keep(page);
  await stage(page, 'Solids');
  await tool(page, 'Thicken');
  await pickFromList(page, 'Fillet 1');
  await type(page, 'Wall', '1.2');
  await settled(page);
  await keep(page);
  await expect(page.getByTestId('watertight')).toContainText('Watertight solid');
  const [solid] = await factsOf(page, 'solid');
  expect(number(solid.volume)).toBeGreaterThan(8000);
  await shot(page, 'recess3');
  await noErrors(page, bad);
});
