import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
  clickAt,
  dragFrom,
  enterKeeps,
  factsOf,
  live,
  noErrors,
  number,
  picked,
  pieceRow,
  screen,
  segment,
  settled,
  sheetRow,
  slot,
  stage,
  statuses,
  tab,
  toggle,
  tool,
  volumeOf,
  watch,
} from './helpers.ts';

const pick = (step: string) => [{ step, output: 'main' }];
const plane = (id: string, name: string, offset: unknown[], turns: unknown[] = [0, 0, 0]) => ({
  id,
  tool: 'work-plane',
  version: 2,
  name,
  inputs: {},
  params: { offset, turns },
});
const circle = (id: string, name: string, on: string, radius: number) => ({
  id,
  tool: 'circle',
  version: 1,
  name,
  inputs: { plane: pick(on) },
  params: { centre: [[0, 0]], radius },
});
/** Takes pieces by their names in the list into the slot that asks. */
async function take(page: Page, ...names: string[]): Promise<void> {
  await tab(page, /^Pieces/);
  for (const n of names) await pieceRow(page, n).click();
  await tab(page, 'Build sheet');
}
/** The same where the tool has not taken what was just kept by itself. */
async function fill(page: Page, name: string, ...pieces: string[]): Promise<void> {
  await settled(page);
  if ((await slot(page, name).locator('.pick').count()) === 0) await take(page, ...pieces);
  await picked(page, name, pieces.length);
}
const seams = (page: Page) => page.locator('.desk .ant-table-row');
const open = async (page: Page, name: string) => {
  await tab(page, 'Build sheet');
  await sheetRow(page, name).click({ position: { x: 60, y: 12 } });
  await expect(card(page)).toBeVisible();
};
const paramsOf = (page: Page, name: string) =>
  page.evaluate((n) => {
    type Step = { name?: string; tool: string; params: Record<string, unknown>; inputs: Record<string, { step: string }[]> };
    const s = (window as unknown as { ampleState: () => { model: { steps: Step[] } } }).ampleState();
    const found = s.model.steps.find((x) => x.name === n || x.tool === n);
    return found && { params: found.params, inputs: found.inputs };
  }, name);

test('a spout between skew profiles: the fold is told and marked, a dial clears it, a wall makes it a solid', async ({ page }) => {
  const bad = await begin(
    page,
    'Spout',
    [
      plane('p1', 'Inlet plane', [0, 0, 0], [0, -8, 0]),
      plane('p2', 'Tip plane', [46, 6, 40], [-12, 78, 0]),
      circle('c1', 'Inlet', 'p1', 9),
      circle('c2', 'Tip', 'p2', 4.5),
      {
        id: 'l',
        tool: 'bridge-curve',
        version: 1,
        name: 'Path',
        inputs: { ends: [...pick('c1'), ...pick('c2')] },
        params: { kind: 'normals', reachA: 'bend_reach' },
      },
    ],
    [{ name: 'bend_reach', formula: '0.3', unit: 'number' }],
  );
  await stage(page, 'Skins');
  await tool(page, 'Sweep');
  await take(page, 'Inlet', 'Tip');
  await picked(page, 'sections', 2);
  await slot(page, 'path').click();
  await take(page, 'Path');
  await picked(page, 'path', 1);
  await toggle(page, 'Leave along normals');
  await settled(page);
  await expect(page.locator('.diag.error')).toContainText('folds over itself');
  // the stretch is marked, and both numbers are told
  const marks = await page.evaluate(() => {
    const s = (window as unknown as { ampleState: () => { open: string; steps: Map<string, { marks: { kind: string }[] }> } }).ampleState();
    return s.steps.get(s.open)?.marks.map((m) => m.kind);
  });
  expect(marks).toContain('link');
  await expect(card(page)).toContainText('section reaches inwards');
  // the dial: 0.3 to 1
  await tab(page, /^Dials/);
  const dial = page.locator('input[aria-label="bend_reach"]');
  await dial.fill('1');
  await dial.press('Enter');
  await settled(page);
  await tab(page, 'Build sheet');
  await expect(page.locator('.diag.error')).toHaveCount(0);
  await expect(card(page)).toContainText('room before it folds');
  await enterKeeps(page);
  await stage(page, 'Solids');
  await tool(page, 'Thicken');
  await fill(page, 'skin', 'Sweep 1');
  await settled(page);
  await enterKeeps(page);
  const solid = (await live(page)).find((p) => p.kind === 'solid');
  expect(volumeOf(solid?.facts ?? {})).toBeGreaterThan(1000);
  await expect(page.locator('.desk')).toContainText('Watertight solid');
  await noErrors(page, bad);
});

test('half a shroud woven 3+2, square to its mirror plane, mirrored, knitted: the middle seam is G2', async ({ page }) => {
  const spline = (id: string, name: string, points: number[][], ends?: number[][]) => ({
    id,
    tool: 'spline-through',
    version: 1,
    name,
    inputs: {},
    params: { points, flat: false, ...(ends ? { ends: 'given', startDirection: ends[0], endDirection: ends[1] } : {}) },
  });
  const [f, b] = [
    [
      [62, 0, 18],
      [59, 14, 13],
      [53, 20, -2],
    ],
    [
      [0, 0, 34],
      [-1, 17, 26],
      [-3, 23, 2],
    ],
  ];
  const bad = await begin(page, 'Shroud', [
    spline('a', 'Crown', [f[0], [31, 0, 33], b[0]]),
    spline('b', 'Cheek', [f[1], [29, 16.5, 23.5], b[1]]),
    spline('c', 'Edge', [f[2], [25, 23, 1], b[2]]),
    spline('d', 'Front', f, [
      [0, 1, 0],
      [-0.2, 0.1, -1],
    ]),
    spline('e', 'Back', b, [
      [0, 1, 0],
      [-0.1, 0.1, -1],
    ]),
  ]);
  await stage(page, 'Skins');
  await tool(page, 'Weave');
  await take(page, 'Crown', 'Cheek', 'Edge', 'Front', 'Back');
  await picked(page, 'curves', 5);
  await slot(page, 'curves').getByRole('combobox', { name: 'Meets' }).first().click();
  await page.locator('.ant-select-dropdown:not(.ant-select-dropdown-hidden)').getByTitle('Mirror', { exact: true }).click();
  await settled(page);
  await expect(card(page)).toContainText('3 + 2');
  await expect(card(page)).toContainText('G1 asked, G1 reached');
  await enterKeeps(page);
  await stage(page, 'Solids');
  await tool(page, 'Mirror');
  await fill(page, 'pieces', 'Weave 1');
  await segment(page, 'Front, back').catch(() => choose(page, 'Across', 'Front, back'));
  await settled(page);
  await enterKeeps(page);
  await stage(page, 'Joins');
  await tool(page, 'Knit');
  await tab(page, /^Pieces/);
  // the list shortens as pieces are taken: from the end
  for (const row of (
    await page
      .locator('.pieces .row')
      .filter({ hasText: /^(Weave|Mirror)/ })
      .all()
  ).reverse())
    await row.click();
  await tab(page, 'Build sheet');
  await picked(page, 'skins', 2);
  await tab(page, 'Build sheet');
  await settled(page);
  await enterKeeps(page);
  // one seam, with curvature across it
  await tab(page, /^Seams/);
  await expect(seams(page)).toHaveCount(1);
  await expect(seams(page).first()).toContainText(/G[23]/);
  await noErrors(page, bad);
});

test('loft sections put in order by dragging, and the start of one moved on the model', async ({ page }) => {
  const bad = await begin(page, 'Order', [
    plane('p1', 'Low', [0, 0, 0]),
    plane('p2', 'Mid', [0, 0, 25]),
    plane('p3', 'High', [0, 0, 50]),
    {
      id: 'c1',
      tool: 'polygon',
      version: 1,
      name: 'Foot',
      inputs: { plane: pick('p1') },
      params: { centre: [[0, 0]], sides: 6, radius: 20 },
    },
    circle('c2', 'Waist', 'p2', 12),
    circle('c3', 'Rim', 'p3', 18),
    {
      id: 'lo',
      tool: 'loft',
      version: 1,
      name: 'Cup',
      inputs: { sections: [...pick('c1'), ...pick('c3'), ...pick('c2')] },
      params: {},
    },
  ]);
  const crossed = number((await factsOf(page, 'skin'))[0].area);
  await open(page, 'Cup');
  const chips = slot(page, 'sections').locator('.picktext');
  await expect(chips).toHaveCount(3);
  const [from, to] = [await chips.nth(2).boundingBox(), await chips.nth(1).boundingBox()];
  if (!from || !to) throw new Error('no chips');
  await dragFrom(page, { x: from.x + from.width / 2, y: from.y + from.height / 2 }, { x: to.x + 4, y: to.y + to.height / 2 }, 14);
  await settled(page);
  await expect(chips.nth(1)).toContainText('Waist');
  expect((await paramsOf(page, 'Cup'))?.inputs.sections.map((s) => s.step)).toEqual(['c1', 'c2', 'c3']);
  // the start of the second section, dragged a quarter round
  const before = JSON.stringify((await paramsOf(page, 'Cup'))?.params.adjust ?? []);
  const start = await page.evaluate(() => {
    type Mark = { kind: string; points: [number, number, number][]; at: number; label?: string };
    const s = (window as unknown as { ampleState: () => { open: string; steps: Map<string, { marks: Mark[] }> } }).ampleState();
    const m = s.steps.get(s.open)?.marks.find((x) => x.kind === 'slide' && x.label === '2');
    const at = (share: number) => m?.points[Math.round((((share % 1) + 1) % 1) * (m.points.length - 1))];
    return m && { from: at(m.at), to: at(m.at + 0.15) };
  });
  if (!start?.from || !start.to) throw new Error('no start point');
  await dragFrom(page, await screen(page, start.from), await screen(page, start.to), 12);
  await settled(page);
  const after = JSON.stringify((await paramsOf(page, 'Cup'))?.params.adjust ?? []);
  expect(after).not.toBe(before);
  expect(after).toContain('"start"');
  await enterKeeps(page).catch(() => page.keyboard.press('Escape'));
  expect(number((await factsOf(page, 'skin'))[0].area)).not.toBeCloseTo(crossed, 3);
  await noErrors(page, bad);
});

test('twelve ribs over lines projected onto a dome, rails picked as groups, mirrored and knitted', async ({ page }) => {
  const n = 12;
  const lines = (turn: number, id: string, name: string) =>
    Array.from({ length: n }, (_, k) => {
      const a = (2 * Math.PI * k) / n + turn;
      return {
        id: `${id}${k}`,
        tool: 'polyline',
        version: 1,
        name: `${name} line ${k + 1}`,
        inputs: {},
        params: {
          points: [
            [12 * Math.cos(a), 12 * Math.sin(a)],
            [34 * Math.cos(a), 34 * Math.sin(a)],
          ],
        },
      };
    });
  const projected = (id: string, name: string) => ({
    id: `q${id}`,
    tool: 'project-curve',
    version: 1,
    name,
    inputs: { curves: Array.from({ length: n }, (_, k) => ({ step: `${id}${k}`, output: 'main' })), onto: pick('dome') },
    params: { direction: 'z' },
  });
  const top = (r: number) => 50 - 0.008 * r * r;
  const dome = Array.from({ length: 49 }, (_, k) => {
    const [x, y] = [14 * (k % 7) - 42, 14 * Math.floor(k / 7) - 42];
    return [x, y, top(Math.hypot(x, y))];
  });
  const bad = await begin(page, 'Ribs', [
    { id: 'dome', tool: 'grid-skin', version: 1, name: 'Dome', inputs: {}, params: { columns: 7, grid: dome } },
    ...lines(0, 'a', 'Left'),
    ...lines(0.16, 'b', 'Right'),
    projected('a', 'Left rails'),
    projected('b', 'Right rails'),
    {
      id: 's',
      tool: 'arc',
      version: 1,
      name: 'Rib section',
      inputs: {},
      params: {
        by: 'three',
        points: [
          [12, 0, top(12)],
          [12.2, 0.96, top(12) + 2],
          [12 * Math.cos(0.16), 12 * Math.sin(0.16), top(12)],
        ],
      },
    },
  ]);
  await stage(page, 'Skins');
  await tool(page, 'Two rails');
  await tab(page, /^Pieces/);
  const group = async (name: string) => {
    const rows = page.locator('.pieces .row').filter({ hasText: name });
    await expect(rows).toHaveCount(n);
    for (let k = 0; k < n; k++) await rows.nth(k).click();
  };
  await group('Left rails');
  await tab(page, 'Build sheet');
  await picked(page, 'first', n);
  await slot(page, 'second').click();
  await tab(page, /^Pieces/);
  await group('Right rails');
  await tab(page, 'Build sheet');
  await picked(page, 'second', n);
  await slot(page, 'sections').click();
  await take(page, 'Rib section');
  await settled(page);
  await expect(card(page)).toContainText(/skins\s*12/);
  await expect(card(page)).toContainText('way from the rails');
  await enterKeeps(page);
  await stage(page, 'Solids');
  await tool(page, 'Mirror');
  await fill(page, 'pieces', 'Two rails 1');
  await segment(page, 'Up, down').catch(() => choose(page, 'Across', 'Up, down'));
  await settled(page);
  await enterKeeps(page);
  const ribs = (await live(page)).filter((p) => p.kind === 'skin' && p.facts.faces === String(n));
  expect(ribs.length).toBe(2);
  expect(number(ribs[0].facts.area)).toBeCloseTo(number(ribs[1].facts.area), 3);
  await stage(page, 'Joins');
  await tool(page, 'Knit');
  await tab(page, /^Pieces/);
  // the last one first: what is picked may leave the list as soon as the draft has taken it
  for (const row of (
    await page
      .locator('.pieces .row')
      .filter({ hasText: /^(Two rails|Mirror)/ })
      .all()
  ).reverse())
    await row.click();
  await tab(page, 'Build sheet');
  await picked(page, 'skins', 2);
  await tab(page, 'Build sheet');
  await settled(page);
  await enterKeeps(page);
  const knitted = (await live(page)).filter((p) => p.kind === 'skin');
  expect(knitted.some((p) => p.facts.faces === String(2 * n))).toBe(true);
  await noErrors(page, bad);
});

test('a star roof: a profile turned about an axis follows a star', async ({ page }) => {
  const bad = await begin(page, 'Star roof', [
    plane('up', 'Upright', [0, 0, 0], [90, 0, 0]),
    {
      id: 'p',
      tool: 'spline-through',
      version: 1,
      name: 'Roof line',
      inputs: { plane: pick('up') },
      params: {
        points: [
          [0, 30],
          [12, 26],
          [26, 12],
          [40, 0],
        ],
      },
    },
    {
      id: 'g',
      tool: 'spline',
      version: 1,
      name: 'Star',
      inputs: {},
      params: {
        points: Array.from({ length: 10 }, (_, k) => {
          const r = k % 2 ? 32 : 48;
          return [r * Math.cos((k * Math.PI) / 5), r * Math.sin((k * Math.PI) / 5)];
        }),
        degree: 3,
        closed: true,
      },
    },
  ]);
  await stage(page, 'Skins');
  await tool(page, 'Revolve');
  await take(page, 'Roof line');
  await slot(page, 'guide').click();
  await take(page, 'Star');
  await settled(page);
  await expect(card(page)).toContainText('as the guide');
  await enterKeeps(page);
  const roof = (await live(page)).find((p) => p.kind === 'skin');
  // a star of mean radius near 40: between the cones over the inner and the outer circle
  expect(number(roof?.facts.area)).toBeGreaterThan(Math.PI * 34 * 45);
  expect(number(roof?.facts.area)).toBeLessThan(Math.PI * 48 * 60);
  expect(Object.values(await statuses(page))).not.toContain('error');
  await noErrors(page, bad);
});

test('a face of a scanned grip becomes a light skin within 0.1 mm', async ({ page }) => {
  const bad = watch(page);
  // a grip-like tube, as a text of triangles
  const [rows, columns] = [70, 60];
  const at = (i: number, j: number): [number, number, number] => {
    const [u, v] = [i / rows, (2 * Math.PI * j) / columns];
    const r = 16 + 3 * Math.sin(5 * u) + 1.5 * Math.cos(3 * v) * (1 - u);
    return [r * Math.cos(v), 0.8 * r * Math.sin(v), 90 * u];
  };
  const out = ['solid grip'];
  const facet = (...p: [number, number, number][]) =>
    out.push('facet normal 0 0 0', 'outer loop', ...p.map((q) => `vertex ${q.map((x) => x.toFixed(5)).join(' ')}`), 'endloop', 'endfacet');
  for (let i = 0; i < rows; i++)
    for (let j = 0; j < columns; j++) {
      const [a, b, c, d] = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
      facet(a, b, c);
      facet(a, c, d);
    }
  out.push('endsolid grip');
  await page.goto('/');
  await page.locator('input[type=file]').setInputFiles({ name: 'grip.stl', mimeType: 'model/stl', buffer: Buffer.from(out.join('\n')) });
  await page.waitForURL(/model\//);
  await settled(page);
  await page.keyboard.press('Escape');
  await page.keyboard.press('f');
  await page.waitForTimeout(600);
  await stage(page, 'Skins');
  await tool(page, 'Skin from a scan');
  if ((await slot(page, 'scan').locator('.pick').count()) === 0) {
    await tab(page, /^Pieces/);
    await page.locator('.pieces .row').filter({ hasText: 'grip' }).first().click();
    await tab(page, 'Build sheet');
  }
  await picked(page, 'scan', 1);
  await segment(page, 'Paint').catch(() => choose(page, 'Region by', 'Paint'));
  const eye = await page.evaluate(() => {
    const v = (window as unknown as { ampleView: { eyeDirection: (pane: number) => [number, number, number] } }).ampleView;
    return v.eyeDirection(0);
  });
  // places on the side that looks at the eye, at three heights
  const turn = Math.atan2(eye[1], eye[0]);
  const column = Math.round((turn / (2 * Math.PI)) * columns);
  for (const i of [24, 35, 46]) {
    await clickAt(page, at(i, column));
    await page.waitForTimeout(200);
  }
  await settled(page);
  await expect(card(page)).toContainText('noise of the scan');
  await expect(card(page)).toContainText('largest distance');
  const facts = (await live(page)).filter((p) => p.kind === 'skin');
  await enterKeeps(page);
  const skin = (await live(page)).find((p) => p.kind === 'skin') ?? facts[0];
  expect(number(skin?.facts.area)).toBeGreaterThan(200);
  expect(Object.values(await statuses(page))).not.toContain('error');
  const told = await page.evaluate(() => {
    type Fact = { label: string; number?: number };
    const s = (window as unknown as { ampleState: () => { steps: Map<string, { facts: Fact[] }> } }).ampleState();
    return [...s.steps.values()].flatMap((x) => x.facts).find((f) => f.label === 'largest distance')?.number;
  });
  expect(told).toBeLessThan(0.1);
  await noErrors(page, bad);
});
