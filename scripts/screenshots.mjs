// Pictures of the main views into docs/screenshots, and of the demo models into demo/files, from a served studio with the demo data.
// Usage: start the studio, then: npm run screenshots [-- http://127.0.0.1:3000]
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from '@playwright/test';

const root = fileURLToPath(new URL('..', import.meta.url));
const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const shot = (name) => join(root, 'docs', 'screenshots', `${name}.png`);
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-dev-shm-usage', '--use-gl=angle', '--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--ignore-gpu-blocklist', '--disable-background-networking'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', (e) => console.error('page error:', e.message));
page.on('console', (m) => m.type() === 'error' && console.error('console:', m.text()));
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
writeFileSync(join(root, 'demo', 'files', 'summaries.json'), `${JSON.stringify(Object.fromEntries(measured.filter((m) => m.demo).map((m) => [m.demo, m.summary])), null, 2)}\n`);
const body = models.find((x) => x.demo === 'tansy-body');
await page.goto(`${base}/model/${body.id}`);
await ready();
await page.locator('.row', { hasText: 'Cut the collar' }).click();
await page.waitForTimeout(700);
await page.screenshot({ path: shot('modelling') });
await page.keyboard.press('Escape');
await page.keyboard.press('l');
await page.locator('.desktable tbody tr').first().click();
await page.waitForTimeout(900);
await page.screenshot({ path: shot('stripes') });
await page
  .getByRole('button', { name: /panes?/ })
  .last()
  .click();
await page.getByRole('menuitem', { name: 'Four panes' }).click();
await page.waitForTimeout(900);
await page.screenshot({ path: shot('four-panes') });
await page
  .getByRole('button', { name: /panes?/ })
  .last()
  .click();
await page.getByRole('menuitem', { name: 'One pane' }).click();
await page.getByRole('button', { name: 'Light or dark' }).click();
await page.keyboard.press('f');
await page.locator('.row', { hasText: 'Body skin' }).click();
await page.waitForTimeout(1200);
await page.screenshot({ path: shot('dark') });
await page.getByRole('button', { name: 'Light or dark' }).click();
await page.keyboard.press('Escape');
// drawing a curve
const { id } = await (await fetch(`${base}/api/models`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: 'Sketch of a lid' }) })).json();
await page.goto(`${base}/model/${id}`);
await ready();
await page.getByRole('complementary', { name: 'Tools' }).getByRole('button', { name: 'Spline', exact: true }).click();
const box = await page.getByTestId('view').boundingBox();
for (const [x, y] of [
  [300, 330],
  [360, 230],
  [470, 250],
  [540, 350],
  [450, 420],
]) {
  await page.mouse.click(box.x + x, box.y + y);
  await page.waitForTimeout(150);
}
await page.mouse.move(box.x + 380, box.y + 440);
await page.waitForTimeout(700);
await page.screenshot({ path: shot('drawing') });
await fetch(`${base}/api/models/${id}`, { method: 'DELETE' });
await page.goto(base);
await page.waitForTimeout(1200);
await page.screenshot({ path: shot('home') });
await browser.close();
