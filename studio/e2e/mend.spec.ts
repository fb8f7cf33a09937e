import { fileURLToPath } from 'node:url';
import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  enterKeeps,
  factsOf,
  type GivenPick,
  keep,
  live,
  lookFrom,
  noErrors,
  number,
  picked,
  pickFromList,
  settled,
  sheetRow,
  shot,
  stage,
  recipeStep as step,
  tab,
  tool,
  type,
  watch,
} from './helpers.ts';

const CAP = fileURLToPath(new URL('../../demo/files/returned-cap.step', import.meta.url));
interface Handles {
  readonly ampleView: {
    readonly overlay: {
      readonly handles: readonly {
        readonly shape: string;
        readonly label?: string;
        readonly at: P;
        readonly along?: P;
        readonly length?: number;
      }[];
    };
    readonly project: (p: P, pane: number) => { x: number; y: number };
  };
}
type P = readonly [number, number, number];
const faults = async (page: Page) => Number((await page.getByRole('tab', { name: /^Defects/ }).innerText()).replace(/\D/g, ''));

test('a seam below its target is mended by its own row: changes are tried, one click keeps one, undo takes it back', async ({ page }) => {
  test.setTimeout(480_000);
  const wave = (id: string, y: number, lift: number) =>
    step(id, 'spline', {
      flat: false,
      points: [
        [0, y, 0],
        [20, y, lift],
        [40, y, -lift],
        [60, y, 0],
      ],
    });
  const edge = (of: string, name: string): GivenPick => ({ step: of, output: 'main', part: { kind: 'edge', name } });
  const bad = await begin(page, 'Below target', [
    wave('a0', 0, 4),
    wave('a1', 30, 2),
    { ...step('left', 'loft', {}, { sections: ['a0', 'a1'] }), name: 'Left' },
    wave('b0', 50, 3),
    wave('b1', 80, 5),
    { ...step('right', 'loft', {}, { sections: ['b0', 'b1'] }), name: 'Right' },
    {
      ...step(
        'strip',
        'blend',
        { gradeFirst: '1', gradeSecond: '1' },
        { first: [edge('left', 'left.u1')], second: [edge('right', 'right.u0')] },
      ),
      name: 'Strip',
    },
    step('whole', 'knit', {}, { skins: ['left', 'strip', 'right'] }),
  ]);
  await lookFrom(page, 20, 50);
  await tab(page, /^Seams/);
  const misses = page.locator('.desk .ant-table-row .below');
  await expect(misses).toHaveCount(0);
  // one target for all smooth seams
  await page.getByRole('button', { name: 'Targets', exact: true }).click();
  await page.getByRole('combobox', { name: 'Target of Smooth seams' }).click();
  await page.locator('.ant-select-dropdown:not(.ant-select-dropdown-hidden)').getByTitle('G2', { exact: true }).click();
  await page.keyboard.press('Escape');
  await expect(misses).toHaveCount(2);
  await shot(page, 'mend1');
  await page.getByRole('button', { name: 'Ways to bring seam 1 to G2' }).click();
  const offers = page.getByRole('region', { name: 'Ways to bring seam 1 to G2' });
  await expect(offers.locator('.offer').first()).toBeVisible({ timeout: 60_000 });
  await expect(offers.locator('.ant-progress')).toHaveCount(0, { timeout: 90_000 });
  await expect(offers.locator('.offer .met').first()).toContainText('on target');
  await shot(page, 'mend2');
  await offers.locator('.offer').filter({ hasText: 'everywhere' }).getByRole('button', { name: 'Keep' }).click();
  await settled(page);
  await expect(misses).toHaveCount(0);
  await expect(page.locator('.desk .ant-table-row .met')).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await settled(page);
  await expect(misses).toHaveCount(2);
  await noErrors(page, bad);
});

test('the returned cap is repaired fault by fault, and a second copy all at once', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = watch(page);
  const volumes: number[] = [];
  for (const way of ['each', 'all'] as const) {
    await page.goto('/');
    await page.locator('input[type=file]').setInputFiles(CAP);
    await page.waitForURL(/model\//);
    await settled(page);
    await tab(page, /^Defects/);
    await expect.poll(() => faults(page)).toBeGreaterThan(2);
    await shot(page, `cap-${way}-1`);
    if (way === 'all') {
      await page.getByRole('button', { name: 'Repair all' }).click();
      await settled(page);
      await expect(card(page).locator('.diag')).not.toHaveCount(0);
      await shot(page, 'cap-all-2');
      await enterKeeps(page);
    } else
      for (let k = 0; k < 12; k++) {
        const mend = page.locator('.desk .ant-table-row .actions .ant-btn-default').first();
        await settled(page);
        if ((await faults(page)) === 0) break;
        // the table comes a moment after the number of its tab
        await expect(mend).toBeVisible();
        await mend.click();
        await settled(page);
        await expect(card(page)).toBeVisible();
        if (k === 0) await shot(page, 'cap-each-2');
        await enterKeeps(page);
        await tab(page, /^Defects/);
      }
    await expect(page.getByTestId('watertight')).toContainText('Watertight solid');
    await expect.poll(() => faults(page)).toBe(0);
    const solids = (await live(page)).filter((p) => p.kind === 'solid');
    expect(solids).toHaveLength(1);
    volumes.push(number((await factsOf(page, 'solid'))[0].volume));
    await shot(page, `cap-${way}-3`);
  }
  expect(volumes[0]).toBeCloseTo(5002.158, 1);
  expect(volumes[1]).toBeCloseTo(volumes[0], 2);
  await noErrors(page, bad);
});

test('edges of a block are filleted: a click, a radius, what is too large', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = await begin(page, 'Fillets', [step('b', 'primitive', { width: 60, depth: 40, height: 30 })]);
  await lookFrom(page, 30, 35);
  const whole = number((await factsOf(page, 'solid'))[0].volume);
  expect(whole).toBeCloseTo(72_000, 3);
  await stage(page, 'Joins');
  await tool(page, 'Fillet');
  // the upright edge towards the eye
  await clickAt(page, [30, -20, 15]);
  await picked(page, 'edges', 1);
  await settled(page);
  await expect(card(page).locator('.factgrid')).toContainText('G1 reached');
  await type(page, 'Radius', '6');
  await settled(page);
  await shot(page, 'fillet1');
  // too large: refused, with the largest that works; nothing is lost
  await type(page, 'Radius', '55');
  await settled(page);
  await expect(card(page).locator('.diag.error')).toContainText(/largest radius found to work is [\d.]+ mm/);
  await shot(page, 'fillet2');
  await type(page, 'Radius', '6');
  await settled(page);
  await keep(page);
  await expect.poll(async () => number((await factsOf(page, 'solid'))[0].volume)).toBeCloseTo(72_000 - (1 - Math.PI / 4) * 36 * 30, 2);
  await expect(page.getByTestId('watertight')).toContainText('Watertight solid');
  await noErrors(page, bad);
});

test('a half is checked at its mirror seam and made square to the plane by one click', async ({ page }) => {
  test.setTimeout(480_000);
  const arch = (id: string, y: number) =>
    step(id, 'spline', {
      flat: false,
      points: [
        [0, y, 20],
        [10, y, 18],
        [25, y, 12],
        [30, y, 0],
      ],
    });
  const bad = await begin(page, 'Half', [
    arch('a', 0),
    arch('b', 20),
    arch('c', 40),
    { ...step('h', 'loft', {}, { sections: ['a', 'b', 'c'] }), name: 'Half' },
  ]);
  await lookFrom(page, 35, 25);
  await stage(page, 'Joins');
  await tool(page, 'Mirror check');
  await pickFromList(page, 'Half');
  await picked(page, 'halves', 1);
  await settled(page);
  await expect(card(page).locator('.factgrid')).toContainText('G0');
  await expect(card(page).locator('.diag.warning')).toContainText('kink of 22.6');
  await shot(page, 'mirror1');
  await card(page)
    .getByRole('button', { name: /Make it square/ })
    .click();
  await settled(page);
  await expect(page.locator('.factgrid')).toContainText('G2');
  await shot(page, 'mirror2');
  await noErrors(page, bad);
});

test('the desk follows while the handle of a blend is dragged', async ({ page }) => {
  test.setTimeout(480_000);
  const wave = (id: string, y: number, lift: number) =>
    step(id, 'spline', {
      flat: false,
      points: [
        [0, y, 0],
        [20, y, lift],
        [40, y, -lift],
        [60, y, 0],
      ],
    });
  const edge = (of: string, name: string): GivenPick => ({ step: of, output: 'main', part: { kind: 'edge', name } });
  const bad = await begin(page, 'Dragged', [
    wave('a0', 0, 4),
    wave('a1', 30, 2),
    step('a', 'loft', {}, { sections: ['a0', 'a1'] }),
    wave('b0', 50, 3),
    wave('b1', 80, 5),
    step('b', 'loft', {}, { sections: ['b0', 'b1'] }),
    {
      ...step('x', 'blend', { gradeFirst: '1', gradeSecond: '1' }, { first: [edge('a', 'a.u1')], second: [edge('b', 'b.u0')] }),
      name: 'Strip',
    },
    step('k', 'knit', {}, { skins: ['a', 'x', 'b'] }),
  ]);
  await lookFrom(page, 20, 35);
  await tab(page, /^Seams/);
  const steps = () =>
    page.locator('.desk .ant-table-row').evaluateAll((rows) => rows.map((r) => r.querySelectorAll('.num')[2]?.textContent));
  await expect.poll(async () => (await steps()).length).toBe(2);
  await sheetRow(page, 'Strip').click();
  await settled(page);
  const before = await steps();
  const arrow = await page.evaluate(() => {
    const v = (window as unknown as Handles).ampleView;
    const h = v.overlay.handles.find((x) => x.shape === 'arrow' && x.label === 'Reach');
    if (!h?.along) return undefined;
    const out = (l: number): P => [h.at[0] + l * (h.along?.[0] ?? 0), h.at[1] + l * (h.along?.[1] ?? 0), h.at[2] + l * (h.along?.[2] ?? 0)];
    const [tip, beyond] = [v.project(out(0.6 * (h.length ?? 6)), 0), v.project(out(1.4 * (h.length ?? 6)), 0)];
    return { tip, way: [beyond.x - tip.x, beyond.y - tip.y] as const };
  });
  if (!arrow) throw new Error('no handle for the reach');
  const box = await page.getByTestId('view').boundingBox();
  const [x, y] = [(box?.x ?? 0) + arrow.tip.x, (box?.y ?? 0) + arrow.tip.y];
  await page.mouse.move(x, y);
  await page.waitForTimeout(100);
  await page.mouse.down();
  for (let k = 1; k <= 12; k++) {
    await page.mouse.move(x + (arrow.way[0] * k) / 12, y + (arrow.way[1] * k) / 12);
    await page.waitForTimeout(50);
  }
  // still held: the rows show the seams as they are now
  await expect.poll(async () => (await steps()).join()).not.toBe(before.join());
  const during = await steps();
  await page.mouse.up();
  await settled(page);
  await expect.poll(async () => (await steps()).join()).toBe(during.join());
  await noErrors(page, bad);
});
