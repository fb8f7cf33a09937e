import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
  clickAt,
  dragFrom,
  enterKeeps,
  field,
  live,
  noErrors,
  number,
  picked,
  pickFromList,
  pieceRow,
  screen,
  settled,
  slot,
  stage,
  tab,
  toggle,
  tool,
  type,
  typePoints,
  volumeOf,
} from './helpers.ts';

const section = (id: string, plane: string | undefined, shift: number) => ({
  id,
  tool: 'spline-through',
  name: `Section ${id}`,
  inputs: plane ? { plane: [{ step: plane, output: 'main' }] } : {},
  params: {
    points: [
      [-40, shift],
      [-15, shift - 6],
      [15, shift - 6],
      [40, shift],
    ],
  },
});
const steps = [
  { id: 'p', tool: 'work-plane', version: 2, name: 'Upper', params: { offset: [0, 0, 40] } },
  section('a', undefined, 0),
  section('b', 'p', -8),
  { id: 'l', tool: 'loft', name: 'Front', inputs: { sections: ['a', 'b'].map((step) => ({ step, output: 'main' })) } },
];
const solids = async (page: Page) => (await live(page)).filter((p) => p.kind === 'solid');
const active = (page: Page) => page.getByRole('button', { name: /^Plane / });

test('job b: a boss square to a tangent plane, copied, moved by its handles, mirrored in the plane, back to the world', async ({
  page,
}) => {
  const bad = await begin(page, 'Job b', steps);
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await choose(page, 'Given by', 'Tangent to a skin');
  // the first empty slot asks by itself
  await expect(slot(page, 'face')).toHaveAttribute('data-active', 'true');
  await clickAt(page, [10, -9.5, 20]);
  await picked(page, 'face', 1);
  await toggle(page, 'At its middle');
  await enterKeeps(page);
  // active by key
  await page.keyboard.press('p');
  await expect(active(page)).toContainText('Work plane');
  await stage(page, 'Curves');
  await tool(page, 'Circle');
  await typePoints(page, [[0, 0]]);
  await expect(page.getByLabel('Radius of the drawn circle')).toBeFocused();
  await page.keyboard.type('6');
  await page.keyboard.press('Enter');
  await enterKeeps(page);
  await stage(page, 'Skins');
  await page.keyboard.press('Escape');
  await tool(page, 'Extrude');
  await pickFromList(page, 'Circle 1');
  await picked(page, 'profile', 1);
  await type(page, 'Distance', '10');
  await enterKeeps(page);
  // an exact cylinder that stands out of the skin: its middle is 5 along the plane's z
  const one = Math.PI * 36 * 10;
  expect(volumeOf((await solids(page))[0].facts)).toBeCloseTo(one, 2);
  // forward is where the plane looks: away from the skin, in front of it
  const front = await page.evaluate(() => {
    type Seen = { kind: string; live: boolean; display?: { box: { min: number[] } } };
    const s = (window as unknown as { ampleState: () => { pieces: Map<string, Seen> } }).ampleState();
    return [...s.pieces.values()].find((p) => p.kind === 'solid' && p.live)?.display?.box.min[1] ?? 0;
  });
  expect(front).toBeLessThan(-14);

  // copied and moved by the mover, in the axes of the plane
  await tab(page, /^Pieces/);
  await pieceRow(page, 'Extrude 1').click();
  await expect(page.getByTestId('facts')).toContainText('volume');
  await page.getByRole('toolbar', { name: 'For this selection' }).getByRole('button', { name: 'Move', exact: true }).click();
  await picked(page, 'pieces', 1);
  await expect(slot(page, 'plane')).toContainText('Work plane');
  await toggle(page, 'Keep the original');
  await settled(page);
  const mover = await page.evaluate(() => {
    type Mark = { kind: string; frame: { origin: number[]; x: number[] } };
    const s = (window as unknown as { ampleState: () => { open: string; steps: Map<string, { marks: Mark[] }> } }).ampleState();
    return s.steps.get(s.open)?.marks.find((m) => m.kind === 'mover')?.frame;
  });
  if (!mover) throw new Error('no mover');
  const along = (d: number) => mover.origin.map((c, k) => c + d * mover.x[k]) as unknown as [number, number, number];
  const [o, far] = [await screen(page, along(0)), await screen(page, along(20))];
  const length = Math.hypot(far.x - o.x, far.y - o.y);
  const at = (pixels: number) => ({ x: o.x + ((far.x - o.x) * pixels) / length, y: o.y + ((far.y - o.y) * pixels) / length });
  await dragFrom(page, at(52), at(52 + length));
  await settled(page);
  const by = async () => Number(await field(card(page), 'By x').inputValue());
  expect(Math.abs((await by()) - 20)).toBeLessThan(1.5);
  await expect(field(card(page), 'By y')).toHaveValue('0');
  // and set exactly by keys; Enter on a switch keeps, it does not flip it
  await type(page, 'By x', '20');
  const both = card(page).getByRole('switch', { name: 'Keep the original' });
  await both.focus();
  await page.keyboard.press('Space');
  await expect(both).not.toBeChecked();
  await page.keyboard.press('Space');
  await expect(both).toBeChecked();
  await settled(page);
  await both.focus();
  await page.keyboard.press('Enter');
  await expect(card(page)).toHaveCount(0);
  await settled(page);
  expect((await solids(page)).length).toBe(2);

  // mirrored left to right in the directions of the plane
  await stage(page, 'Solids');
  await page.keyboard.press('Escape');
  await tool(page, 'Mirror');
  await expect(slot(page, 'plane')).toContainText('Work plane');
  await pickFromList(page, 'Move 1');
  await picked(page, 'pieces', 1);
  await enterKeeps(page);
  const all = await solids(page);
  expect(all.length).toBe(3);
  for (const s of all) expect(volumeOf(s.facts)).toBeCloseTo(one, 2);
  // measured between the copy and its image: 40 less two radii, along the plane's x
  await tab(page, /^Pieces/);
  await pieceRow(page, 'Mirror 1 · original').click();
  await pieceRow(page, 'Mirror 1').click({ modifiers: ['Control'] });
  await tab(page, 'Facts');
  const distance = page.locator('.factspanel dl > div', { hasText: /^distance/i }).first();
  await expect(distance).toContainText('28');
  expect(Math.abs(number(await distance.locator('dd').innerText()) - 28)).toBeLessThan(1e-2);
  // back to the world
  await page.keyboard.press('p');
  await expect(active(page)).toContainText('World');
  await noErrors(page, bad);
});
