import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  counts,
  dragFrom,
  factsOf,
  keep,
  noErrors,
  recipeStep,
  screen,
  segment,
  settled,
  shot,
  stage,
  statuses,
  tool,
  volumeOf,
} from './helpers.ts';

interface View {
  ampleState: () => {
    steps: Map<string, { facts: readonly { label: string; value: string }[] }>;
    model: { steps: readonly { id: string; params: Record<string, unknown> }[] };
    caging?: { kind: string; chosen: readonly string[] };
    pieces: Map<
      string,
      {
        kind: string;
        live: boolean;
        display?: {
          cage?: { points: Float64Array; vertexNames: string[]; faceNames: string[]; faceStart: Uint32Array; corners: Uint32Array };
        };
      }
    >;
  };
}
/** Place of a vertex of the cage that is seen, or the middle of a face, by name. */
const place = (page: Page, name: string) =>
  page.evaluate((n) => {
    const c = [...(window as unknown as View).ampleState().pieces.values()].filter((p) => p.kind === 'cage' && p.live).at(-1)
      ?.display?.cage;
    if (!c) throw new Error('no cage');
    const at = (v: number) => [0, 1, 2].map((k) => c.points[3 * v + k]);
    const v = c.vertexNames.indexOf(n);
    if (v >= 0) return at(v) as unknown as [number, number, number];
    const f = c.faceNames.indexOf(n);
    if (f < 0) throw new Error(`no ${n}`);
    const own = [...c.corners.slice(c.faceStart[f], c.faceStart[f + 1])].map(at);
    return [0, 1, 2].map((k) => own.reduce((s, p) => s + p[k] / own.length, 0)) as unknown as [number, number, number];
  }, name);
const chosen = (page: Page) => page.evaluate(() => (window as unknown as View).ampleState().caging?.chosen ?? []);
const act = (page: Page, name: string) =>
  card(page).getByRole('toolbar', { name: 'Do with what is chosen' }).getByRole('button', { name, exact: true }).click();

test('a box start: segments by the slider, faces pulled and taken away, an edge sharp and smooth again, each undone by itself; then NURBS faces', async ({
  page,
}) => {
  const bad = await begin(page, 'cage');
  await stage(page, 'Cages');
  await tool(page, 'Cage start');
  await settled(page);
  const slider = card(page).getByRole('slider', { name: 'Segments across, slider' });
  await slider.focus();
  await slider.press('ArrowRight');
  await slider.press('ArrowRight');
  await settled(page);
  expect((await factsOf(page, 'cage'))[0].faces).toBe('40');
  await slider.press('ArrowLeft');
  await slider.press('ArrowLeft');
  await keep(page);
  expect((await factsOf(page, 'cage'))[0]).toMatchObject({ vertices: '26', faces: '24', poles: '8', 'open borders': '0' });
  await clickAt(page, [0, 0, 25]);
  await tool(page, 'Edit cage');
  await settled(page);
  await segment(page, 'Faces');
  const top = 'f z1 1/2 1/2 of 2 2';
  await clickAt(page, await place(page, top));
  expect(await chosen(page)).toEqual([top]);
  const start = await counts(page);
  await act(page, 'Extrude');
  await settled(page);
  // the step is kept by the first operation: one to undo for the step, one for the operation
  expect(await counts(page)).toMatchObject({ steps: start.steps + 1, undo: start.undo + 2 });
  const raised = await place(page, top);
  expect(raised[2]).toBeGreaterThan(25.5);
  // the mover's arrow along x, from its middle
  const at = await screen(page, raised);
  const along = await screen(page, [raised[0] + 1, raised[1], raised[2]]);
  const l = Math.hypot(along.x - at.x, along.y - at.y);
  const [ux, uy] = [(along.x - at.x) / l, (along.y - at.y) / l];
  const tip = { x: at.x + 55 * ux, y: at.y + 55 * uy };
  await dragFrom(page, tip, { x: tip.x + 60 * ux, y: tip.y + 60 * uy });
  await settled(page);
  const moved = await place(page, top);
  expect(moved[0]).toBeGreaterThan(raised[0] + 4);
  expect(Math.abs(moved[1] - raised[1]) + Math.abs(moved[2] - raised[2])).toBeLessThan(1e-6);
  await expect(card(page).locator('.operations').getByText(/Move/)).toContainText('4 vertices');
  await shot(page, 'cage-moved');
  // dragging on goes into the same operation; each drag is undone by itself
  const again = await screen(page, moved);
  const tip2 = { x: again.x + 55 * ux, y: again.y + 55 * uy };
  await dragFrom(page, tip2, { x: tip2.x + 30 * ux, y: tip2.y + 30 * uy });
  await settled(page);
  const further = await place(page, top);
  expect(further[0]).toBeGreaterThan(moved[0] + 1);
  await expect(card(page).locator('.operations .ant-collapse-item')).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await settled(page);
  expect((await place(page, top))[0]).toBeCloseTo(moved[0], 6);
  // two faces are taken away
  await clickAt(page, await place(page, 'f x1 0 0 of 2 2'));
  const other = await screen(page, await place(page, 'f x1 1/2 0 of 2 2'));
  await page.keyboard.down('Control');
  await page.mouse.click(other.x, other.y);
  await page.keyboard.up('Control');
  expect(await chosen(page)).toEqual(['f x1 0 0 of 2 2', 'f x1 1/2 0 of 2 2']);
  await act(page, 'Take away');
  await settled(page);
  expect((await factsOf(page, 'cage'))[0]).toMatchObject({ faces: '26', 'open borders': '1' });
  await shot(page, 'cage-open');
  // an edge on the top: sharp, and smooth again
  await segment(page, 'Edges');
  const half = (a: readonly number[], b: readonly number[]) => a.map((x, k) => (x + b[k]) / 2) as unknown as [number, number, number];
  await clickAt(page, half(await place(page, 'v 0 0 1'), await place(page, 'v 1/2 0 1')));
  expect(await chosen(page)).toEqual(['v 0 0 1~v 1/2 0 1']);
  await act(page, 'Crease');
  await settled(page);
  expect((await factsOf(page, 'cage'))[0]['creased edges']).toBe('1');
  await shot(page, 'cage-crease');
  await act(page, 'Smooth');
  await settled(page);
  expect((await factsOf(page, 'cage'))[0]['creased edges']).toBeUndefined();
  // muted, taken out: the list says what is done
  await card(page).getByRole('button', { name: 'Mute operation 3' }).click();
  await settled(page);
  expect((await factsOf(page, 'cage'))[0]).toMatchObject({ faces: '28', 'open borders': '0' });
  await card(page).getByRole('button', { name: 'Close' }).click();
  await clickAt(page, [-8, 0, 20]);
  await tool(page, 'To NURBS');
  await settled(page);
  await keep(page);
  const [solid] = await factsOf(page, 'solid');
  expect(Number(solid.faces)).toBeGreaterThan(20);
  expect(volumeOf(solid)).toBeGreaterThan(12_000);
  await expect.poll(async () => Object.values(await statuses(page)), { timeout: 30_000 }).toEqual(['fine', 'fine', 'fine']);
  await shot(page, 'cage-nurbs');
  await noErrors(page, bad);
});

test('poles are told with folds and curvatures; one is flattened and ringed from the table, the numbers before stand beside', async ({
  page,
}) => {
  const bad = await begin(page, 'poles', [
    recipeStep('c', 'cage-start', { shape: 'box', across: 3, along: 3 }),
    recipeStep(
      'e',
      'cage-edit',
      { operations: [{ id: 'k1', op: 'extrude-faces', faces: ['f z1 1/3 1/3 of 3 3'], by: 14 }] },
      { cage: ['c'] },
    ),
  ]);
  await page.getByRole('tab', { name: /^Poles/ }).click();
  const rows = page.locator('.desk .ant-table-row');
  await expect(rows.first()).toContainText('Flatten here, or add a ring');
  const fold = async (k: number) => Number(((await rows.nth(k).locator('.num').first().textContent()) ?? '').split(' ')[0]);
  const worst = await fold(0);
  expect(worst).toBeCloseTo(90, 3);
  await shot(page, 'poles-0');
  await rows.first().click();
  await rows.first().getByRole('button', { name: 'Flatten here' }).click();
  await settled(page);
  await expect(
    page
      .locator('.desk')
      .getByText(/was 90/)
      .first(),
  ).toBeVisible();
  await shot(page, 'poles-1');
  await segment(page, 'Mould: folds to 10°', page.locator('.desk'));
  await expect(
    page
      .locator('.desk')
      .getByText(/above 10 degrees/)
      .first(),
  ).toBeVisible();
  await rows.last().getByRole('button', { name: 'Add a ring' }).click();
  await settled(page);
  await expect(
    card(page)
      .locator('.operations')
      .getByText(/Ring inside/),
  ).toBeVisible();
  expect(Object.values(await statuses(page))).toEqual(['fine', 'fine']);
  await noErrors(page, bad);
});
