import { readFileSync } from 'node:fs';
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

type Place = readonly [number, number, number];
/** The floor of a recess: with the curvature of the skin at its root, only touching it round the rest, through a curve. */
async function floorOf(page: Page, root: Place, rest: Place, depth: string): Promise<void> {
  await tool(page, 'Patch');
  await slot(page, 'rim').click();
  await clickAt(page, root);
  await picked(page, 'rim', 1);
  await clickAt(page, rest);
  await picked(page, 'rim', 2);
  await segment(page, 'G0', slot(page, 'rim').locator('.pickwrap').nth(1));
  await slot(page, 'through').click();
  await pickFromList(page, depth);
  await card(page).getByText('More', { exact: true }).click();
  await type(page, 'Points', '20');
  await settled(page);
  await expect(fact(page, 'side 1')).toContainText('G2 reached');
  await expect(fact(page, 'side 2')).toContainText('G0 asked, G0 reached');
}
async function knitted(page: Page, skins: readonly string[]): Promise<void> {
  await tool(page, 'Knit');
  await slot(page, 'skins').click();
  for (const name of skins) await pickFromList(page, name);
  await picked(page, 'skins', skins.length);
  await settled(page);
  await keep(page);
}
const fact = (page: Page, label: string) =>
  card(page)
    .locator('.factgrid div')
    .filter({ has: page.getByText(label, { exact: true }) });

test('a thumb recess: cut out of a back, its floor tangent at the root, sides at one distance, knitted and thickened', async ({ page }) => {
  test.setTimeout(480_000);
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
  await floorOf(page, [0, 10, 20], [14, 8.84, 45], 'Depth');
  await shot(page, 'recess1');
  await keep(page);
  await knitted(page, ['Trim 1', 'Patch 1']);
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

test('the same in the Tansy body: its recess made anew by hand, knitted with shoulder, neck, base and collar, and given its wall', async ({
  page,
}) => {
  test.setTimeout(480_000);
  const recipe = JSON.parse(readFileSync(new URL('../../demo/recipes/tansy-body.json', import.meta.url), 'utf8')) as {
    dials: ReturnType<typeof step>[];
    steps: ReturnType<typeof step>[];
  };
  const made = new Set(['t-recess', 'f-recess', 'k-recess', 'r-recess', 'k-body', 'b-body', 'w-body', 'x-body', 'pic-side']);
  const bad = await begin(
    page,
    'Body without recess',
    recipe.steps.filter((s) => !made.has(s.id)),
    recipe.dials,
  );
  await lookFrom(page, 215, 12);
  await stage(page, 'Joins');
  await tool(page, 'Trim');
  await pickFromList(page, 'Body up to the shoulder');
  await slot(page, 'cutters').click();
  await pickFromList(page, 'Recess cutter');
  await picked(page, 'cutters', 1);
  await settled(page);
  await keep(page);
  await page.getByRole('tab', { name: /Pieces/ }).click();
  await page.getByRole('button', { name: 'Hide Recess cutter' }).click();
  await page.getByRole('tab', { name: /Build sheet/ }).click();
  await floorOf(page, [-9.23, 0, 72.8], [-1.83, 0, 117.39], 'Depth of the recess');
  await shot(page, 'body1');
  await keep(page);
  await knitted(page, ['Trim 5', 'Patch 1']);
  await tool(page, 'Fillet');
  await clickAt(page, [-1.83, 0, 117.39]);
  await picked(page, 'edges', 1);
  await segment(page, 'Distance');
  await segment(page, 'G2');
  await type(page, 'Distance', '2.5');
  await settled(page);
  for (const side of ['left', 'right']) await expect(fact(page, side)).toContainText('G2 reached');
  await shot(page, 'body2');
  await keep(page);
  await knitted(page, ['Fillet 1', 'Shoulder blend', 'Neck above the shoulder', 'Base', 'Collar lid']);
  await stage(page, 'Solids');
  await tool(page, 'Close to solid');
  await pickFromList(page, 'Knit 2');
  await settled(page);
  await keep(page);
  await tool(page, 'Shell');
  await pickFromList(page, 'Close to solid 1');
  // the closed wall comes first: what is clicked meanwhile may be its lid, not the solid's
  await settled(page);
  await slot(page, 'open').click();
  await lookFrom(page, 215, 50);
  await clickAt(page, [25, 0, 182]);
  await picked(page, 'open', 1);
  await type(page, 'Wall', '1.2');
  await settled(page);
  await keep(page);
  await expect(page.getByTestId('watertight')).toContainText('Watertight solid');
  const solids = await factsOf(page, 'solid');
  // the demo's own body
  expect(solids.map((x) => Math.round(number(x.volume)))).toContain(28482);
  await shot(page, 'body3');
  await noErrors(page, bad);
});
