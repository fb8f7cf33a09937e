import { expect, test } from '@playwright/test';
import {
  card,
  choose,
  clickAt,
  keep,
  live,
  noErrors,
  screen,
  segment,
  settled,
  stage,
  statuses,
  tool,
  volumeOf,
  watch,
} from './helpers.ts';

type Post = { post: (url: string, o: object) => Promise<{ json: () => Promise<{ id: string }> }> };
const make = async (request: Post, name: string, steps: object[] = [], dials: object[] = []): Promise<string> =>
  (
    await (
      await request.post('/api/models', { data: { name, recipe: { format: 'ample-skin-recipe', version: 1, name, dials, steps } } })
    ).json()
  ).id;
const lookDown = (page: Parameters<typeof screen>[0]) =>
  page.evaluate(() => {
    const v = (window as unknown as { ampleView: { orbits: { tilt: number; heading: number }[]; invalidate: () => void } }).ampleView;
    v.orbits[0].tilt = 90;
    v.orbits[0].heading = 0;
    v.invalidate();
  });

test('a dimensioned profile: drawn, pinned, driven by a dial; the solid follows', async ({ page, request }) => {
  const bad = watch(page);
  await page.goto(`/model/${await make(request, 'Profile', [], [{ name: 'width', formula: '100 mm', unit: 'length' }])}`);
  await settled(page);
  await lookDown(page);
  await tool(page, 'Sketch');
  for (const p of [
    [-20, -10, 0],
    [20, -10, 0],
    [20, 15, 0],
    [-20, 15, 0],
    [-20, -10, 0],
  ] as const)
    await clickAt(page, p);
  await expect(card(page)).toContainText('4 freedoms left');
  await page.keyboard.press('Escape');
  await clickAt(page, [0, -10, 0]);
  await page.getByRole('toolbar', { name: 'Rules for what is chosen' }).getByRole('button', { name: 'Length' }).click();
  await card(page).getByRole('button', { name: 'Pin everything' }).click();
  await expect(card(page)).toContainText('Nothing is loose');
  // the first distance is the length of the lower line
  const length = card(page)
    .getByLabel(/^Distance \d+$/)
    .first();
  await length.fill('width');
  await length.press('Enter');
  await settled(page);
  await keep(page);
  await stage(page, 'Skins');
  await tool(page, 'Extrude');
  const corner = await screen(page, [0, -10, 0]);
  await page.mouse.click(corner.x, corner.y);
  await expect(card(page).locator('[data-slot="profile"] .pick')).toHaveCount(1);
  await settled(page);
  await keep(page);
  const volume = async () => volumeOf((await live(page)).find((p) => p.kind === 'solid')?.facts ?? {});
  expect(await volume()).toBeCloseTo(100 * 25 * 20, 2);
  // the dial goes from 100 to 125
  await page.getByRole('tab', { name: /^Dials/ }).click();
  await page.getByLabel('width', { exact: true }).fill('125 mm');
  await page.getByLabel('width', { exact: true }).press('Enter');
  await settled(page);
  expect(await volume()).toBeCloseTo(125 * 25 * 20, 2);
  // a contradiction is told in words, and undone
  await page.getByRole('tab', { name: 'Build sheet' }).click();
  await page.locator('.row', { hasText: 'Sketch' }).click();
  await lookDown(page);
  await clickAt(page, [0, 15, 0]);
  await page.getByRole('toolbar', { name: 'Rules for what is chosen' }).getByRole('button', { name: 'Length' }).click();
  const second = card(page)
    .getByLabel(/^Distance \d+$/)
    .last();
  await second.fill('33');
  await second.press('Enter');
  await expect(card(page)).toContainText('contradict each other');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await settled(page);
  expect(await volume()).toBeCloseTo(125 * 25 * 20, 2);
  await page.reload();
  await settled(page);
  expect(await volume()).toBeCloseTo(125 * 25 * 20, 2);
  await noErrors(page, bad);
});

test('a badge on a tangent plane, projected on the near side; the parting line; the comb', async ({ page, request }) => {
  const bad = watch(page);
  const id = await make(request, 'Badge', [
    { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 20 } },
    { id: 'e', tool: 'extrude', name: 'Tube', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: 60, cap: false } },
  ]);
  await page.goto(`/model/${id}`);
  await settled(page);
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await choose(page, 'Given by', 'Tangent to a skin');
  await card(page).locator('[data-slot="face"]').click();
  await clickAt(page, [20 * Math.sin(0.56), -20 * Math.cos(0.56), 30]);
  await expect(card(page).locator('[data-slot="face"] .pick')).toHaveCount(1);
  await settled(page);
  await keep(page);
  await page.keyboard.press('p');
  await stage(page, 'Curves');
  await tool(page, 'Rectangle');
  await segment(page, 'Middle');
  await page.getByLabel('x of the next point').fill('0');
  await page.getByLabel('y of the next point').fill('0');
  await page.getByLabel('y of the next point').press('Enter');
  for (const [label, value] of [
    ['Width', '14'],
    ['Height', '20'],
    ['Corner radius', '3'],
  ]) {
    await card(page).getByLabel(label, { exact: true }).fill(value);
    await card(page).getByLabel(label, { exact: true }).press('Enter');
  }
  await settled(page);
  await keep(page);
  await tool(page, 'Project');
  const pieces = () => page.getByRole('tab', { name: /^Pieces/ }).click();
  const row = (text: string) => page.locator('.right .row', { hasText: text }).first().click();
  // picked in the view: first the curve on the plane, then the skin
  const side = [Math.sin(0.56), -Math.cos(0.56)];
  await clickAt(page, [20 * side[0], 20 * side[1], 40]);
  await expect(card(page).locator('[data-slot="curves"] .pick')).toHaveCount(1);
  await card(page).locator('[data-slot="onto"]').click();
  await clickAt(page, [20 * Math.sin(0.1), -20 * Math.cos(0.1), 12]);
  await expect(card(page).locator('[data-slot="onto"] .pick')).toHaveCount(1);
  await settled(page);
  await expect(card(page)).toContainText('on the skin within');
  await keep(page);
  expect(Object.values(await statuses(page)).every((s) => s === 'fine')).toBe(true);

  await tool(page, 'Outline');
  await clickAt(page, [20 * Math.sin(0.1), -20 * Math.cos(0.1), 12]);
  await segment(page, 'x');
  await card(page).getByRole('switch', { name: 'Rims too' }).click();
  await settled(page);
  await expect(card(page)).toContainText('control points');
  await keep(page);

  // the parting line cuts the tube in two; the badge cuts its own piece out
  const areas = async () =>
    (await live(page))
      .filter((p) => p.kind === 'skin')
      .map((p) => Number((p.facts.area ?? '').replace(' mm²', '')))
      .sort((a, b) => a - b);
  const whole = 2 * Math.PI * 20 * 60;
  const split = async (cutters: readonly string[]) => {
    await stage(page, 'Joins');
    await tool(page, 'Trim');
    await pieces();
    await row('Tube');
    await page.getByRole('tab', { name: 'Build sheet' }).click();
    await expect(card(page).locator('[data-slot="target"] .pick')).toHaveCount(1);
    if ((await card(page).locator('[data-slot="cutters"]').getAttribute('data-active')) !== 'true')
      await card(page).locator('[data-slot="cutters"]').click();
    await pieces();
    for (const c of cutters) await row(c);
    await page.getByRole('tab', { name: 'Build sheet' }).click();
    await expect(card(page).locator('[data-slot="cutters"] .pick')).toHaveCount(cutters.length);
    await segment(page, 'Split only');
    await choose(page, 'Curves cut along', 'Normals');
    await settled(page);
    await keep(page);
  };
  await split(['Project']);
  const badge = await areas();
  expect(badge.length).toBe(2);
  expect(badge[0] + badge[1]).toBeCloseTo(whole, 0);
  // 14 by 20 with corners of 3, bent round a radius of 20: seen along the normal of the plane, the width becomes an arc
  expect(badge[0]).toBeGreaterThan(14 * 20 - (4 - Math.PI) * 9);
  expect(badge[0]).toBeLessThan(40 * Math.asin(7 / 20) * 20);
  await page.keyboard.press('Control+z');
  await settled(page);
  await split(['Outline 1', 'Outline 1 · part2']);
  const halves = await areas();
  expect(halves.length).toBe(2);
  for (const a of halves) expect(a).toBeCloseTo(whole / 2, 0);
  await page.keyboard.press('Control+z');
  await settled(page);

  await stage(page, 'Curves');
  await pieces();
  await row('Ring');
  await page.getByRole('tab', { name: 'Comb' }).click();
  await expect(page.locator('.combpanel')).toContainText('20 mm');
  await expect(page.locator('.combchart svg').first()).toBeVisible();
  await page.locator('.combchart').hover();
  await expect(page.locator('.recharts-tooltip-wrapper')).toContainText('0.05');
  await noErrors(page, bad);
});

test('a sketch refers to an edge upstream and follows it', async ({ page, request }) => {
  const bad = watch(page);
  const id = await make(
    request,
    'Follower',
    [
      { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 'r' } },
      {
        id: 'e',
        tool: 'extrude',
        name: 'Tube',
        inputs: { profile: [{ step: 'c', output: 'main' }] },
        params: { distance: 30, cap: false },
      },
    ],
    [{ name: 'r', formula: '20 mm', unit: 'length' }],
  );
  await page.goto(`/model/${id}`);
  await settled(page);
  await lookDown(page);
  await tool(page, 'Sketch');
  for (const p of [
    [23, 7, 0],
    [38, 7, 0],
  ] as const)
    await clickAt(page, p);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');
  await card(page).locator('[data-slot="refers"]').click();
  await clickAt(page, [0, -20, 0]);
  await expect(card(page).locator('[data-slot="refers"] .pick')).toHaveCount(1);
  await card(page).locator('[data-slot="refers"]').click();
  await settled(page);
  // the left end is bound to the start of the ring
  const left = await page.evaluate(() => {
    const s = (
      window as unknown as { ampleState: () => { draft?: { step: { params: { sketch: { points: { x: number; y: number }[] } } } } } }
    ).ampleState();
    return s.draft?.step.params.sketch.points[0];
  });
  await clickAt(page, [left?.x ?? 0, left?.y ?? 0, 0]);
  await card(page)
    .getByRole('button', { name: /^Follow 1/ })
    .click();
  await settled(page);
  await keep(page);
  const start = () =>
    page.evaluate(() => {
      const p = [
        ...(
          window as unknown as { ampleState: () => { pieces: Map<string, { kind: string; step: string; display?: { ends: number[][] } }> } }
        )
          .ampleState()
          .pieces.values(),
      ];
      return Math.min(...(p.find((x) => x.kind === 'curve' && x.step !== 'c')?.display?.ends ?? []).map((q) => Math.hypot(q[0], q[1])));
    });
  expect(await start()).toBeCloseTo(20, 3);
  await page.getByRole('tab', { name: /^Dials/ }).click();
  await page.getByLabel('r', { exact: true }).fill('24 mm');
  await page.getByLabel('r', { exact: true }).press('Enter');
  await settled(page);
  expect(await start()).toBeCloseTo(24, 3);
  await noErrors(page, bad);
});
