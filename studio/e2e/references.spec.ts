import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, type Page, test } from '@playwright/test';
import { card, choose, clickAt, counts, keep, live, noErrors, screen, settled, statuses, type, watch } from './helpers.ts';

const PICTURE = readFileSync(fileURLToPath(new URL('../../demo/files/tansy-side.png', import.meta.url)));
const make = async (page: Page, name: string, steps: object[] = []): Promise<void> => {
  const r = await page.request.post('/api/models', { data: { name, recipe: { format: 'ample-skin-recipe', version: 1, name, steps } } });
  await page.goto(`/model/${(await r.json()).id}`);
  await settled(page);
};
/** Drops a file on the model view, as from a folder. */
const drop = (page: Page, name: string, data: Buffer | string) =>
  page.evaluate(
    ({ name, text }) => {
      const files = new DataTransfer();
      files.items.add(new File([Uint8Array.from(atob(text), (c) => c.charCodeAt(0))], name));
      const view = document.querySelector('[data-testid=view]');
      for (const kind of ['dragover', 'drop'])
        view?.dispatchEvent(new DragEvent(kind, { dataTransfer: files, bubbles: true, cancelable: true }));
    },
    { name, text: Buffer.from(data).toString('base64') },
  );
interface View {
  ampleView: { orbits: { tilt: number; heading: number }[]; fit: () => void };
  ampleState: () => { pieces: Map<string, { kind: string; display?: { corners: [number, number, number][] } }> };
}
const lookDown = async (page: Page) => {
  await page.evaluate(() => {
    const v = (window as unknown as View).ampleView;
    v.orbits[0].tilt = 90;
    v.orbits[0].heading = 0;
    v.fit();
  });
  await page.waitForTimeout(300);
};
const drag = async (page: Page, from: readonly [number, number, number], to: readonly [number, number, number]) => {
  const [a, b] = [await screen(page, from), await screen(page, to)];
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  for (let k = 1; k <= 6; k++) await page.mouse.move(a.x + ((b.x - a.x) * k) / 6, a.y + ((b.y - a.y) * k) / 6);
  await page.mouse.up();
  await settled(page);
};

test('a picture is dropped, scaled by two places, traced; files that are not whole are told', async ({ page }) => {
  const bad = watch(page);
  await make(page, 'Traced');
  await drop(page, 'side.png', PICTURE);
  await expect(card(page)).toContainText('880 x 1240');
  await settled(page);
  await lookDown(page);
  const corners = () =>
    page.evaluate(
      () => [...(window as unknown as View).ampleState().pieces.values()].find((p) => p.kind === 'picture')?.display?.corners ?? [],
    );
  const [low, , high] = await corners();
  const place = (u: number, v: number): [number, number, number] => [low[0] + (high[0] - low[0]) * u, low[1] + (high[1] - low[1]) * v, 0];
  // the marks start at a fifth and four fifths of the width; they go to the foot and the collar of the drawing
  const [foot, collar] = [1 - 1130 / 1240, 1 - (1130 - 182 * 5.6) / 1240];
  await drag(page, place(0.2, 0.5), place(420 / 880, foot));
  await drag(page, place(0.8, 0.5), place(420 / 880, collar));
  await type(page, 'From A to B', '182 mm');
  await card(page).getByRole('button', { name: 'Scale by A to B' }).click();
  await settled(page);
  // 182 mm are 1019.2 dots of 1240: dragging lands within a dot or two
  const [from, , to] = await corners();
  expect(Math.abs(to[1] - from[1] - 1240 / 5.6)).toBeLessThan(0.8);
  await keep(page);
  // cut off in the middle: told with the reason, and thrown away
  await drop(page, 'torn.png', PICTURE.subarray(0, 9000));
  await expect(card(page).locator('.diag.error')).toContainText('torn.png: The picture is cut off');
  await page.keyboard.press('Escape');
  await drop(page, 'letter.txt', 'hello');
  await expect(page.locator('.notice').last()).toContainText('letter.txt cannot be brought in');
  // undone and done again, and there after loading anew
  await settled(page);
  await page.keyboard.press('Control+z');
  await expect.poll(async () => (await live(page)).length).toBe(0);
  await page.keyboard.press('Control+Shift+z');
  await settled(page);
  await page.reload();
  await settled(page);
  expect((await live(page)).map((p) => p.kind)).toEqual(['picture']);
  await noErrors(page, bad);
});

test('a scan comes in with its report', async ({ page }) => {
  const bad = watch(page);
  await make(page, 'Scan');
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => `v ${i & 1 ? 20 : 0} ${i & 2 ? 30 : 0} ${i & 4 ? 40 : 0}`);
  await drop(
    page,
    'clay.obj',
    [...corners, 'o clay', ...['1 3 4 2', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6'].map((f) => `f ${f}`)].join('\n'),
  );
  await expect(card(page)).toContainText('4 edges are open');
  await expect(card(page)).toContainText('not in the file');
  await keep(page);
  expect((await live(page)).map((p) => p.kind)).toEqual(['scan']);
  await noErrors(page, bad);
});

test('groups: named, coloured, hidden and locked together; a moved skin stays in its group', async ({ page }) => {
  const bad = watch(page);
  const circle = (id: string, name: string, x: number) => ({ id, tool: 'circle', name, params: { centre: [[x, 0]], radius: 8 } });
  const tube = (id: string, of: string, name: string) => ({
    id,
    tool: 'extrude',
    name,
    inputs: { profile: [{ step: of, output: 'main' }] },
    params: { distance: 30, cap: false },
  });
  await make(page, 'Groups', [
    circle('c1', 'Left ring', -15),
    circle('c2', 'Right ring', 15),
    tube('e1', 'c1', 'Left tube'),
    tube('e2', 'c2', 'Right tube'),
  ]);
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  const row = (text: string) => page.locator('.right .row', { hasText: text });
  await row('Left tube').click();
  await row('Right tube').click({ modifiers: ['Control'] });
  await page.getByRole('button', { name: 'Group 2 pieces' }).click();
  const name = page.getByLabel('Name of the group');
  await name.fill('Tubes');
  await name.press('Enter');
  await expect(page.locator('.row[data-in="Tubes"]')).toHaveCount(2);
  // one more by dragging, and out again
  await row('Left ring').dragTo(page.locator('[data-group="Tubes"]'));
  await expect(page.locator('.row[data-in="Tubes"]')).toHaveCount(3);
  await row('Left ring').click();
  await choose(page, 'Group', 'None', page.locator('.chosen'));
  await expect(page.locator('.row[data-in="Tubes"]')).toHaveCount(2);
  // renamed piece
  await row('Right tube').click();
  await page.getByLabel('Name of the piece').fill('Spray tube');
  await page.getByLabel('Name of the piece').press('Enter');
  await expect(row('Spray tube')).toHaveCount(1);
  // locked: a click in the view passes them by
  await page.getByRole('button', { name: 'Lock Tubes' }).click();
  await page.keyboard.press('Escape');
  const selected = () =>
    page.evaluate(() => (window as unknown as { ampleState: () => { selection: unknown[] } }).ampleState().selection.length);
  await page.mouse.click((await screen(page, [40, -40, 0])).x, (await screen(page, [40, -40, 0])).y);
  await clickAt(page, [-15, -8, 15]);
  expect(await selected()).toBe(0);
  await page.getByRole('button', { name: 'Unlock Tubes' }).click();
  await clickAt(page, [-15, -8, 15]);
  expect(await selected()).toBe(1);
  // hidden together
  await page.getByRole('button', { name: 'Hide Tubes' }).click();
  await expect(page.locator('.row.dim[data-in="Tubes"]')).toHaveCount(2);
  await page.getByRole('button', { name: 'Show Tubes' }).click();
  // moved: what was moved stays in the group, under its new step
  await page.keyboard.press('Escape');
  await row('Spray tube').click();
  await page.getByRole('toolbar', { name: 'For this selection' }).getByRole('button', { name: /^More/ }).click();
  await page.getByRole('menuitem', { name: 'Move', exact: true }).click();
  await settled(page);
  await keep(page);
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await expect(page.locator('.row[data-in="Tubes"]')).toHaveCount(2);
  await expect(page.locator('.row[data-in="Tubes"]', { hasText: 'Move' })).toHaveCount(1);
  const { undo } = await counts(page);
  for (let k = 0; k < undo; k++) await page.keyboard.press('Control+z');
  await settled(page);
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await expect(page.locator('[data-group]')).toHaveCount(0);
  await noErrors(page, bad);
});

test('a curve that a loft uses is removed: the loft keeps its shape, says what it lost, and a new pick mends it', async ({ page }) => {
  const bad = watch(page);
  const plane = (id: string, z: number) => ({ id, tool: 'work-plane', version: 2, params: { offset: [0, 0, z], size: 30 } });
  const circle = (id: string, name: string, on: string, r: number) => ({
    id,
    tool: 'circle',
    name,
    inputs: { plane: [{ step: on, output: 'main' }] },
    params: { radius: r },
  });
  await make(page, 'Mended', [
    plane('p1', 30),
    plane('p2', 50),
    { id: 'a', tool: 'circle', name: 'Foot ring', params: { radius: 14 } },
    circle('b', 'Top ring', 'p1', 10),
    circle('c', 'Spare ring', 'p2', 6),
    { id: 'l', tool: 'loft', name: 'Cone', inputs: { sections: ['a', 'b'].map((step) => ({ step, output: 'main' })) } },
  ]);
  const start = await counts(page);
  await page.getByRole('button', { name: 'More for Top ring', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Remove' }).click();
  // it says who builds on it first
  const ask = page.getByRole('dialog');
  await expect(ask).toContainText('Cone');
  await ask
    .getByRole('button', { name: /^Remove/ })
    .last()
    .click();
  await settled(page);
  expect((await statuses(page)).l).toBe('waits');
  // its last shape is still there
  expect((await live(page)).some((p) => p.key === 'l/main')).toBe(true);
  await page.locator('.row', { hasText: 'Cone' }).click();
  await expect(card(page)).toContainText('An input was removed from the build sheet');
  await card(page).getByRole('button', { name: 'Remove removed' }).click();
  await card(page).locator('[data-slot="sections"]').click();
  await clickAt(page, [0, -6, 50]);
  await settled(page);
  expect((await statuses(page)).l).toBe('fine');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');
  const { undo } = await counts(page);
  for (let k = start.undo; k < undo; k++) await page.keyboard.press('Control+z');
  await settled(page);
  expect(Object.values(await statuses(page)).every((s) => s === 'fine')).toBe(true);
  expect((await counts(page)).steps).toBe(start.steps);
  await noErrors(page, bad);
});
