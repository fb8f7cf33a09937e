import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
  factsOf,
  keep,
  live,
  lookFrom,
  noErrors,
  number,
  picked,
  pickFromList,
  pieceRow,
  segment,
  settled,
  sheetRow,
  slot,
  stage,
  tab,
  toggle,
  tool,
  type,
  volumeOf,
} from './helpers.ts';

const pick = (step: string) => ({ step, output: 'main' });
const square = (s: number) => [
  [-s, -s],
  [s, -s],
  [s, s],
  [-s, s],
];
const outline = (id: string, name: string, points: readonly (readonly number[])[]) => ({
  id,
  tool: 'polyline',
  name,
  params: { points, closed: true },
});
const volumes = async (page: Page) => (await factsOf(page, 'solid')).map(volumeOf).sort((a, b) => a - b);

test('job l: the seed pod is parted along a different wave on each lobe, with a lip on its lower half', async ({ page }) => {
  const pod = JSON.parse(readFileSync(new URL('../../demo/recipes/seed-pod.json', import.meta.url), 'utf8'));
  const before = pod.steps.filter((s: { id: string }) => !['h-pod', 'm-top'].includes(s.id));
  const bad = await begin(page, 'Job l pod', before, pod.dials);
  await lookFrom(page, 30, 20);
  const [whole] = await volumes(page);
  await stage(page, 'Solids');
  await tool(page, 'Split along a loop');
  await pickFromList(page, 'Pod wall');
  await picked(page, 'solid', 1);
  await pickFromList(page, 'Opening');
  await picked(page, 'loop', 1);
  await settled(page);
  // no lip yet: both parts together are the whole
  let parts = await volumes(page);
  expect(parts.length).toBe(2);
  expect(Math.abs((parts[0] + parts[1]) / whole - 1)).toBeLessThan(1e-7);
  await choose(page, 'Lip', 'Lower part');
  await type(page, 'Lip height', '1.4');
  await type(page, 'Gap', '0.1');
  await settled(page);
  await expect(card(page)).toContainText('least beside the lip');
  parts = await volumes(page);
  const lost = whole - parts[0] - parts[1];
  // a gap of 0.1 along a loop of about 128 mm in a wall of 1.8 mm
  expect(lost).toBeGreaterThan(0.5 * 0.1 * 128 * 1.8);
  expect(lost).toBeLessThan(1.5 * 0.1 * 128 * 1.8);
  await keep(page);
  // another wave on the first lobe: both halves follow
  await tab(page, /^Dials/);
  const wave = page.getByLabel('wave_a', { exact: true });
  await wave.fill('-6 mm');
  await wave.press('Enter');
  await settled(page);
  const after = await volumes(page);
  expect(Math.abs(after[0] - parts[0])).toBeGreaterThan(1);
  expect(Math.abs(after[0] + after[1] + lost - whole)).toBeLessThan(0.05 * lost);
  await expect(page.getByText('Watertight solid')).toBeVisible();
  await noErrors(page, bad);
});

test('job l: a box of six sheets loses two holes to a cylinder in one step, and the cylinders can stay', async ({ page }) => {
  const plane = (id: string, base: string, offset: number) => ({
    id: `p${id}`,
    tool: 'work-plane',
    version: 2,
    name: `Plane ${id}`,
    inputs: {},
    params: { base, offset: [0, 0, offset] },
  });
  const side = (id: string, base: string, offset: number) => [
    plane(id, base, offset),
    { ...outline(`l${id}`, `Outline ${id}`, square(15)), inputs: { plane: [pick(`p${id}`)] } },
    { id: `f${id}`, tool: 'flat-skin', name: `Sheet ${id}`, inputs: { loops: [pick(`l${id}`)] } },
  ];
  const drill = (id: string, x: number) => [
    { id: `c${id}`, tool: 'circle', name: `Round ${id}`, params: { centre: [[x, 0]], radius: 4 } },
    {
      id: `d${id}`,
      tool: 'extrude',
      version: 2,
      name: `Drill ${id}`,
      inputs: { profile: [pick(`c${id}`)] },
      params: { distance: 50, extent: 'symmetric' },
    },
  ];
  const bad = await begin(page, 'Job l box', [
    ...side('1', 'xy', -15),
    ...side('2', 'xy', 15),
    ...side('3', 'xz', -15),
    ...side('4', 'xz', 15),
    ...side('5', 'yz', -15),
    ...side('6', 'yz', 15),
    ...drill('A', -7),
    ...drill('B', 7),
  ]);
  await lookFrom(page, 30, 30);
  await stage(page, 'Joins');
  await tool(page, 'Knit');
  for (const k of [6, 5, 4, 3, 2, 1]) await pickFromList(page, `Sheet ${k}`);
  await picked(page, 'skins', 6);
  await settled(page);
  await keep(page);
  await stage(page, 'Solids');
  await tool(page, 'Close to solid');
  await settled(page);
  if ((await slot(page, 'skin').locator('.pick').count()) === 0) await pickFromList(page, 'Knit 1');
  await settled(page);
  await keep(page);
  expect(await volumes(page)).toContain(27000);
  await tool(page, 'Combine solids');
  await pickFromList(page, 'Close to solid 1');
  await picked(page, 'first', 1);
  await pickFromList(page, 'Drill B');
  await pickFromList(page, 'Drill A');
  await picked(page, 'second', 2);
  await settled(page);
  await slot(page, 'second').press('Enter');
  await choose(page, 'Keep', 'Less');
  await settled(page);
  const hole = Math.PI * 16 * 30;
  let list = await volumes(page);
  expect(list.length).toBe(1);
  expect(Math.abs(list[0] / (27000 - 2 * hole) - 1)).toBeLessThan(1e-6);
  // the other result: what was taken away stays beside it
  await toggle(page, 'Keep the others too');
  await settled(page);
  list = await volumes(page);
  expect(list.length).toBe(3);
  expect(Math.abs(list[0] / (Math.PI * 16 * 50) - 1)).toBeLessThan(1e-6);
  await keep(page);
  await page.keyboard.press('Control+z');
  await settled(page);
  expect((await volumes(page)).length).toBe(3);
  await noErrors(page, bad);
});

test('job l: a hollow box is parted along a different path on each side', async ({ page }) => {
  const path = (id: string, base: string, offset: number, rise: readonly [number, number]) => [
    { id: `q${id}`, tool: 'work-plane', version: 2, name: `Side ${id}`, inputs: {}, params: { base, offset: [0, 0, offset] } },
    {
      id: `w${id}`,
      tool: 'spline',
      name: `Path ${id}`,
      inputs: { plane: [pick(`q${id}`)] },
      params: {
        points: [
          [-20, 12],
          [-8, 12 + rise[0]],
          [8, 12 + rise[1]],
          [20, 12],
        ],
        degree: 3,
      },
    },
  ];
  const bad = await begin(page, 'Job l hollow', [
    outline('a', 'Outline', square(20)),
    { id: 'e', tool: 'extrude', version: 2, name: 'Block', inputs: { profile: [pick('a')] }, params: { distance: 30 } },
    { id: 'h', tool: 'shell', name: 'Hollow', inputs: { solid: [pick('e')] }, params: { wall: 2 } },
    ...path('1', 'xz', 20, [6, -6]),
    ...path('2', 'xz', -20, [-3, -3]),
    ...path('3', 'yz', 20, [9, 9]),
    ...path('4', 'yz', -20, [0, 0]),
  ]);
  await lookFrom(page, 35, 25);
  const whole = 40 * 40 * 30 - 36 * 36 * 26;
  await stage(page, 'Solids');
  await tool(page, 'Split along a loop');
  await pickFromList(page, 'Hollow');
  await picked(page, 'solid', 1);
  // three sides only: the chain is open, and the card says so
  for (const k of [4, 3, 2]) await pickFromList(page, `Path ${k}`);
  await settled(page);
  await expect(card(page)).toContainText('The chain is open');
  await pickFromList(page, 'Path 1');
  await picked(page, 'loop', 4);
  await settled(page);
  await expect(card(page)).toContainText('4 corners were closed');
  const parts = await volumes(page);
  expect(parts.length).toBe(2);
  expect(Math.abs((parts[0] + parts[1]) / whole - 1)).toBeLessThan(1e-7);
  await keep(page);
  await expect(page.getByText('Watertight solid')).toBeVisible();
  await noErrors(page, bad);
});

test('job l: a rib repeated twelve times, trimmed together and knitted', async ({ page }) => {
  // a bent rib between two corners of a star: 20 and 30 mm from the middle
  const corner = (r: number, degrees: number) => [r * Math.cos((degrees * Math.PI) / 180), r * Math.sin((degrees * Math.PI) / 180)];
  const bad = await begin(page, 'Job l ribs', [
    { id: 'a', tool: 'polyline', name: 'Bend', params: { points: [corner(30, 0), corner(20, 15), corner(30, 30)] } },
    { id: 'r', tool: 'extrude', version: 2, name: 'Rib', inputs: { profile: [pick('a')] }, params: { distance: 25, cap: false } },
    { id: 'p', tool: 'work-plane', version: 2, name: 'Slope', inputs: {}, params: { offset: [0, 0, 12], turns: [10, 5, 0], size: 80 } },
  ]);
  await lookFrom(page, 30, 40);
  await stage(page, 'Solids');
  await tool(page, 'Repeat');
  await settled(page);
  if ((await slot(page, 'pieces').locator('.pick').count()) === 0) await pickFromList(page, 'Rib');
  await segment(page, 'Round');
  await type(page, 'Count', '12');
  await settled(page);
  await keep(page);
  expect((await factsOf(page, 'skin')).length).toBe(12);
  // all twelve cut by one slope
  const names = await page.evaluate(() => {
    type State = { pieces: Map<string, { key: string; live: boolean; kind: string; name?: string }> };
    return [...(window as unknown as { ampleState: () => State }).ampleState().pieces.values()]
      .filter((x) => x.live && x.kind === 'skin')
      .map((x) => x.name ?? x.key);
  });
  expect(names.length).toBe(12);
  await stage(page, 'Joins');
  await tool(page, 'Trim');
  await tab(page, /^Pieces/);
  const rows = page.locator('.pieces').getByRole('group', { name: /Repeat/ });
  await expect(rows).toHaveCount(12);
  await rows.nth(0).click();
  await pieceRow(page, 'Slope').click();
  await tab(page, 'Build sheet');
  await picked(page, 'target', 1);
  await picked(page, 'cutters', 1);
  await slot(page, 'more').click();
  await tab(page, /^Pieces/);
  // what is cut already is taken up by the step and stands in the list no more
  for (let k = 10; k >= 0; k--) await rows.nth(k).click();
  await tab(page, 'Build sheet');
  await picked(page, 'more', 11);
  await segment(page, 'Behind');
  await settled(page);
  await expect(card(page)).toContainText('24');
  await keep(page);
  // their mean height is the slope's over the middle, for the star is even
  const side = Math.hypot(30 - 20 * Math.cos(Math.PI / 12), 20 * Math.sin(Math.PI / 12));
  const total = (await factsOf(page, 'skin')).reduce((n, f) => n + number(f.area), 0);
  expect(total).toBeCloseTo(24 * side * 12, 1);
  await tool(page, 'Knit');
  await settled(page);
  await tab(page, /^Pieces/);
  const cut = page.locator('.pieces').getByRole('group', { name: /Trim/ });
  for (let n = await cut.count(); n > 0; n--) await cut.nth(n - 1).click();
  await tab(page, 'Build sheet');
  await picked(page, 'skins', 12);
  await settled(page);
  await expect(card(page)).toContainText('24 of 72');
  await keep(page);
  const skins = await factsOf(page, 'skin');
  expect(skins.length).toBe(1);
  expect(number(skins[0].area)).toBeCloseTo(24 * side * 12, 1);
  expect((await live(page)).length).toBeGreaterThan(0);
  await sheetRow(page, 'Rib').click();
  await settled(page);
  await noErrors(page, bad);
});
