// Pictures of the main views into docs/screenshots, and of the demo models into demo/files, from a served studio with the demo data.
// Usage: start the studio, then: npm run screenshots [-- http://127.0.0.1:3000]
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { launch } from './browser.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const light = async (to) => {
  await page.getByRole('button', { name: 'Settings' }).click();
  await page.getByRole('menuitem', { name: to }).click();
};
const shot = (name) => join(root, 'docs', 'screenshots', `${name}.png`);
const browser = await launch();
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', (e) => console.error('page error:', e.message));
page.on('console', (m) => m.type() === 'error' && console.error('console:', m.text(), m.location().url));
const look = async (name) => {
  await page.getByRole('button', { name: /^Look/ }).click();
  await page.locator('.lookgrid').getByText(name, { exact: true }).click();
  await page.getByRole('button', { name: /^Look/ }).click();
};
const models = await (await fetch(`${base}/api/models`)).json();
const ready = async () => {
  await page.waitForFunction(() => globalThis.ampleState?.().computed && !globalThis.ampleState().computing, null, { timeout: 120_000 });
  await page.waitForTimeout(4500);
};
for (const m of models.filter((x) => x.demo)) {
  await page.goto(`${base}/model/${m.id}`);
  await ready();
  const r = await fetch(`${base}/api/models/${m.id}/picture`);
  if (r.ok) writeFileSync(join(root, 'demo', 'files', `${m.demo}.png`), Buffer.from(await r.arrayBuffer()));
  if (m.demo === 'returned-cap') {
    await page.getByRole('tab', { name: /^Defects/ }).click();
    await page.waitForTimeout(400);
    await page.screenshot({ path: shot('returned-cap') });
  }
}
const measured = await (await fetch(`${base}/api/models`)).json();
writeFileSync(
  join(root, 'demo', 'files', 'summaries.json'),
  `${JSON.stringify(Object.fromEntries(measured.filter((m) => m.demo).map((m) => [m.demo, m.summary])), null, 2)}\n`,
);
const fresh = async (name, steps, dials = []) => {
  const data = { name, recipe: { format: 'ample-skin-recipe', version: 1, name, dials, steps } };
  return (
    await (
      await fetch(`${base}/api/models`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(data) })
    ).json()
  ).id;
};
const orbit = (o) => page.evaluate((to) => Object.assign(globalThis.ampleView.orbits[0], to), o);
// the grip: quads over its drawing, its smooth surface in stripes with the poles that matter, its NURBS faces
const grip = await (await fetch(`${base}/api/models/${models.find((x) => x.demo === 'squeeze-grip').id}`)).json();
const upTo = async (step, more = []) => {
  const { steps, dials } = grip.recipe;
  const id = await fresh('Squeeze grip, begun', [...steps.slice(0, steps.findIndex((s) => s.id === step) + 1), ...more], dials);
  await page.goto(`${base}/model/${id}`);
  await ready();
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await page.getByRole('button', { name: 'Hide grip-scan' }).click();
  await page.getByRole('tab', { name: 'Build sheet' }).click();
  await page.getByRole('button', { name: /^Cages \d/ }).click();
  return id;
};
const paved = await upTo('c-run');
await page.getByRole('group', { name: 'Step Quads over the drawing', exact: true }).click();
await orbit({ tilt: 2, heading: 0, flat: true });
await page.keyboard.press('f');
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('cage-paved') });
await orbit({ flat: false });
await page.keyboard.press('Escape');
await fetch(`${base}/api/models/${paved}`, { method: 'DELETE' });
const smooth = await upTo('c-rim');
await page.keyboard.press('l');
await page.getByRole('tab', { name: /^Poles/ }).click();
await page.getByText('Mould: folds to 10°').click();
await orbit({ tilt: 12, heading: 62 });
await page.keyboard.press('f');
await page.waitForTimeout(2500);
await page.screenshot({ path: shot('cage') });
await look('In/out');
await fetch(`${base}/api/models/${smooth}`, { method: 'DELETE' });
await page.goto(`${base}/model/${models.find((x) => x.demo === 'squeeze-grip').id}`);
await ready();
await light('Dark');
await page.getByRole('group', { name: 'Step Grip as NURBS faces', exact: true }).click();
await orbit({ tilt: 14, heading: 40 });
await page.keyboard.press('f');
await page.waitForTimeout(2500);
await page.screenshot({ path: shot('dark') });
await page.keyboard.press('Escape');
await light('Light');
if (process.argv.includes('--cages')) process.exit(0);
// methods for the shroud's cheek opening, side by side
await page.goto(`${base}/model/${models.find((x) => x.demo === 'tansy-shroud').id}`);
await ready();
await page.getByRole('group', { name: 'Step Cheek', exact: true }).click();
await page.getByRole('button', { name: 'Try-off' }).click();
await page.locator('.trialbar', { hasText: /\d+ methods(?! tried)/ }).waitFor();
await page.keyboard.press('l');
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('try-off') });
await page.keyboard.press('Escape');
await look('In/out');
// the shroud in the colours of a map, its legend beside it
await look('Map');
await page.waitForFunction(() => globalThis.ampleState().maps.size > 0 && globalThis.ampleState().mapWork === undefined, null, {
  timeout: 120_000,
});
await page.mouse.move(560, 330);
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('map') });
await look('In/out');
// opened along its middle plane and a level one, with the cut of the level one measured
await page.getByRole('button', { name: /^Section (none|\d)/ }).click();
for (const [way, count] of [
  ['Depth (y)', 1],
  ['Level (z)', 2],
]) {
  await page.getByRole('button', { name: way }).click();
  await page.waitForFunction((n) => globalThis.ampleState().cuts.size === n, count, { timeout: 120_000 });
}
await page.getByRole('checkbox', { name: 'Comb' }).check();
await page.waitForTimeout(500);
await page.getByRole('button', { name: /^Section (none|\d)/ }).click();
await page.mouse.move(900, 500);
await page.waitForTimeout(6000);
await page.screenshot({ path: shot('section') });
await page.getByRole('button', { name: /^Section (none|\d)/ }).click();
for (const n of [2, 1]) await page.getByRole('button', { name: `Remove section ${n}` }).click();
await page.keyboard.press('Escape');
// cardboard sheets for a buck
await page.goto(`${base}/model/${models.find((x) => x.demo === 'packaging-buck').id}`);
await ready();
await page.getByRole('group', { name: 'Step Cardboard sheets', exact: true }).click();
await page.getByTestId('pages').locator('img').first().click();
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('cut-sheet') });
await page.keyboard.press('Escape');
const body = models.find((x) => x.demo === 'tansy-body');
await page.goto(`${base}/model/${body.id}`);
await ready();
await page.locator('.row', { hasText: 'Cut the collar' }).click();
await page.waitForTimeout(700);
await page.screenshot({ path: shot('modelling') });
await page.keyboard.press('Escape');
await page.evaluate(() => Object.assign(globalThis.ampleView.orbits[0], { tilt: 22, heading: 32 }));
await page.keyboard.press('l');
await page.locator('.desk .ant-table-row').first().getByText('with itself').click();
await page.waitForTimeout(900);
await page.screenshot({ path: shot('stripes') });
await page.keyboard.press('Escape');
// a dimensioned sketch
const at = (name, x, y) => ({ id: name, x, y });
const profile = await fresh(
  'Mister profile',
  [
    {
      id: 's',
      tool: 'sketch',
      name: 'Side profile',
      params: {
        sketch: {
          points: [
            at('o', 0, 0),
            at('a', 46, 0),
            at('b', 46, 22),
            at('c', 38, 30),
            at('m', 38, 22),
            at('d', 12, 30),
            at('e', 4, 36),
            at('f', 0, 30),
          ],
          curves: [
            { id: 'low', type: 'line', a: 'o', b: 'a' },
            { id: 'front', type: 'line', a: 'a', b: 'b' },
            { id: 'round', type: 'arc', c: 'm', a: 'b', b: 'c' },
            { id: 'top', type: 'line', a: 'c', b: 'd' },
            { id: 'neck', type: 'spline', points: ['d', 'e', 'f'], degree: 2 },
            { id: 'back', type: 'line', a: 'f', b: 'o' },
          ],
          rules: [
            { id: '1', type: 'fixed', point: 'o' },
            { id: '2', type: 'horizontal', a: 'o', b: 'a' },
            { id: '3', type: 'vertical', a: 'a', b: 'b' },
            { id: '4', type: 'tangent', a: 'front', b: 'round' },
            { id: '5', type: 'tangent', a: 'round', b: 'top' },
            { id: '6', type: 'horizontal', a: 'c', b: 'd' },
            { id: '7', type: 'tangent', a: 'top', b: 'neck' },
            { id: '8', type: 'vertical', a: 'f', b: 'o' },
            { id: '9', type: 'distance', a: 'o', b: 'a', value: 'grip' },
            { id: '10', type: 'radius', curve: 'round', value: 'grip/6' },
            { id: '11', type: 'up', a: 'o', b: 'c', value: 30 },
          ],
        },
      },
    },
  ],
  [{ name: 'grip', formula: '46 mm', unit: 'length' }],
);
await page.goto(`${base}/model/${profile}`);
await ready();
await page.evaluate(() => Object.assign(globalThis.ampleView.orbits[0], { tilt: 90, heading: 0 }));
await page.keyboard.press('f');
await page.locator('.row', { hasText: 'Side profile' }).click();
await page.waitForTimeout(1200);
await page.screenshot({ path: shot('sketch') });
await fetch(`${base}/api/models/${profile}`, { method: 'DELETE' });
await page.goto(`${base}/model/${body.id}`);
await ready();
await page.getByRole('tab', { name: /^Pieces/ }).click();
await page.locator('.right .row', { hasText: 'Waist section' }).click();
await page.getByRole('tab', { name: 'Comb' }).click();
await page.waitForTimeout(2500);
const chart = await page.locator('.combchart').boundingBox();
await page.mouse.move(chart.x + chart.width * 0.4, chart.y + chart.height * 0.5);
await page.waitForTimeout(600);
await page.screenshot({ path: shot('comb') });
// two widths of the grip side by side, in the colours of their distance
const dial = async (name, value) => {
  await page.getByRole('tab', { name: /^Dials/ }).click();
  await page.locator('.dials').getByLabel(name, { exact: true }).fill(value);
  await page.keyboard.press('Enter');
  await page.waitForFunction(() => !globalThis.ampleState().computing, null, { timeout: 120_000 });
};
await page.goto(`${base}/model/${body.id}`);
await ready();
await page.keyboard.press('Control+s');
await page.getByLabel('Name of the version').fill('Grip 54');
await page.getByRole('button', { name: 'Keep version' }).click();
await page.getByRole('button', { name: 'Compare with Grip 54' }).first().waitFor();
await page.keyboard.press('Escape');
await dial('grip_width', '58 mm');
await page.keyboard.press('Control+s');
await page.getByRole('button', { name: 'Compare with Grip 54' }).first().click();
await page.waitForFunction(() => globalThis.ampleState().compare?.view, null, { timeout: 240_000 });
await page.waitForTimeout(2500);
await page.screenshot({ path: shot('compare') });
await page.keyboard.press('Escape');
await dial('grip_width', '54 mm');
// the spout drawn on a sheet, with measures that are kept in its recipe
const spout = JSON.parse(readFileSync(join(root, 'demo', 'recipes', 'tansy-spout.json'), 'utf8'));
const from = (step) => ({ step, output: 'main' });
const measure = (id, name, shown, ...things) => ({ id, tool: 'measure', name, params: { shown }, inputs: { things: things.map(from) } });
const drawn = await fresh(
  'Tansy spout, drawn',
  [
    ...spout.steps,
    measure('m1', 'Inlet', 'diameter', 'c-inlet'),
    measure('m2', 'Rise', 'along_z', 'c-inlet', 'c-tip'),
    measure('m3', 'Reach', 'along_x', 'c-inlet', 'c-tip'),
    measure('m4', 'Path', 'length', 'l-path'),
    measure('m5', 'Plastic', 'volume', 'w-spout'),
    { id: 'd', tool: 'drawing', name: 'Spout drawing', params: { seen: 'as-seen' }, inputs: { pieces: [from('w-spout')] } },
  ],
  spout.dials,
);
await page.goto(`${base}/model/${drawn}`);
await ready();
await page.getByRole('group', { name: 'Step Spout drawing', exact: true }).click();
await page.getByTestId('pages').locator('img').first().click();
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('drawing-sheet') });
await page.keyboard.press('Escape');
await fetch(`${base}/api/models/${drawn}`, { method: 'DELETE' });
// the proof report of the shroud, as a page
await page.goto(`${base}/model/${models.find((x) => x.demo === 'tansy-shroud').id}`);
await ready();
await page.getByRole('button', { name: 'Pictures and report' }).click();
await page.getByLabel('Format of the report').getByText('HTML', { exact: true }).click();
const [saved] = await Promise.all([
  page.waitForEvent('download', { timeout: 120_000 }),
  page.getByRole('button', { name: 'Save report' }).click(),
]);
const paper = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await paper.setContent(readFileSync(await saved.path(), 'utf8'));
await paper.locator('h2', { hasText: 'Drawing' }).scrollIntoViewIfNeeded();
await paper.waitForTimeout(500);
await paper.screenshot({ path: shot('report') });
await paper.close();
await page.keyboard.press('Escape');
// the wall of the shroud, swept
await page.goto(`${base}/model/${models.find((x) => x.demo === 'tansy-shroud').id}`);
await ready();
await page.getByRole('tab', { name: /^Dials/ }).click();
await page.getByRole('button', { name: 'Sweep a dial' }).click();
const panel = page.getByRole('region', { name: 'Dial sweep' });
await panel.locator('.ant-select').first().click();
await page.locator('.ant-select-item-option', { hasText: 'wall' }).click();
for (const [label, value] of [
  ['From, wall', '0.8'],
  ['To, wall', '2'],
  ['Runs, wall', '7'],
]) {
  await panel.getByLabel(label, { exact: true }).fill(value);
  await page.keyboard.press('Enter');
}
await panel.getByRole('button', { name: 'Run 7' }).click();
await page.waitForFunction(() => globalThis.ampleState().sweep?.rows.length === 7, null, { timeout: 240_000 });
await page.waitForTimeout(1500);
await page.screenshot({ path: shot('dial-sweep') });
await page.keyboard.press('F1');
await page.getByLabel('Search the help').fill('blend');
await page.getByRole('button', { name: 'Blend', exact: true }).first().click();
await page.waitForTimeout(800);
await page.screenshot({ path: shot('help') });
await page.keyboard.press('Escape');
await page.goto(base);
await page.waitForTimeout(1200);
await page.screenshot({ path: shot('home') });
await browser.close();
