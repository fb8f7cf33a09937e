// Times the opening of the demo body in the browser: the saved picture, the first computed skin, everything. From a served studio.
// Usage: start the studio, then: npm run bench:page [-- http://127.0.0.1:3000]
import { launch } from './browser.mjs';

const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const models = await (await fetch(`${base}/api/models`)).json();
const body = models.find((m) => m.demo === 'tansy-body');
const rows = [];
for (let run = 0; run < 5; run++) {
  const browser = await launch();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const start = performance.now();
  const since = () => performance.now() - start;
  await page.goto(`${base}/model/${body.id}`, { waitUntil: 'commit' });
  const picture = page
    .waitForSelector('img.lastpicture')
    .then(since)
    .catch(() => Number.NaN);
  await page.waitForFunction(() => [...(globalThis.ampleState?.().pieces.values() ?? [])].some((p) => p.kind === 'skin' && p.display));
  const skin = since();
  await page.waitForFunction(() => !globalThis.ampleState().computing, null, { timeout: 120_000 });
  rows.push([await picture, skin, since()]);
  await browser.close();
}
for (const [k, name] of ['saved picture', 'first computed skin', 'everything computed'].entries()) {
  const list = rows.map((r) => r[k]).sort((a, b) => a - b);
  console.log(
    `${name.padEnd(22)} median ${(list[2] / 1000).toFixed(2)} s   (${(list[0] / 1000).toFixed(2)} to ${(list[4] / 1000).toFixed(2)})`,
  );
}
