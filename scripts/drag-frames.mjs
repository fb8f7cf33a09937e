// Times the frames while a point of an open sketch is dragged, with a wall that follows it, at 1280 x 800. From a served studio.
// Usage: start the studio, then: npm run bench:drag [-- http://127.0.0.1:3000]
import { chromium } from '@playwright/test';

const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const N = 12;
const corner = (i) => ({ id: `p${i}`, x: 40 * Math.cos((2 * Math.PI * i) / N), y: 30 * Math.sin((2 * Math.PI * i) / N) });
const points = Array.from({ length: N }, (_, i) => corner(i));
const curves = points.map((p, i) => ({ id: `l${i}`, type: 'line', a: p.id, b: `p${(i + 1) % N}` }));
const rules = [2, 5, 8].map((i) => ({ id: `r${i}`, type: 'equal', a: `l${i}`, b: `l${i + 1}` }));
const recipe = {
  format: 'ample-skin-recipe',
  version: 1,
  name: 'Drag bench',
  steps: [
    { id: 'k', tool: 'sketch', params: { sketch: { points, curves, rules } } },
    { id: 'e', tool: 'extrude', inputs: { profile: [{ step: 'k', output: 'main' }] }, params: { distance: 20 } },
  ],
};
const made = await fetch(`${base}/api/models`, {
  method: 'POST',
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify({ name: 'Drag bench', recipe }),
});
const { id } = await made.json();
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-dev-shm-usage',
    '--use-gl=angle',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
    '--ignore-gpu-blocklist',
    '--disable-background-networking',
  ],
});
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${base}/model/${id}`);
  const settled = () =>
    page.waitForFunction(() => globalThis.ampleState?.().computed && !globalThis.ampleState().computing, null, { timeout: 60_000 });
  await settled();
  await page.locator('.row').first().click();
  await page.evaluate(() => {
    globalThis.ampleView.orbits[0].heading = 0;
    globalThis.ampleView.orbits[0].tilt = 89;
    globalThis.ampleView.fit();
  });
  await page.waitForTimeout(800);
  const box = await page.getByTestId('view').boundingBox();
  const at = await page.evaluate(() => globalThis.ampleView.project([40, 0, 0], 0));
  await page.mouse.move(box.x + at.x, box.y + at.y);
  await page.mouse.down();
  await page.evaluate(() => {
    globalThis.frames = [];
    globalThis.drawn = 0;
    let last = performance.now();
    const tick = () => {
      const now = performance.now();
      globalThis.frames.push(now - last);
      last = now;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    const draw = globalThis.ampleView.draw.bind(globalThis.ampleView);
    globalThis.ampleView.draw = () => {
      globalThis.drawn++;
      draw();
    };
  });
  const start = Date.now();
  for (let k = 0; Date.now() - start < 10_000; k++) {
    await page.mouse.move(box.x + at.x + 40 * Math.sin(0.08 * k), box.y + at.y + 30 * Math.sin(0.104 * k));
    await page.waitForTimeout(8);
  }
  const { frames, drawn } = await page.evaluate(() => ({ frames: globalThis.frames, drawn: globalThis.drawn }));
  await page.mouse.up();
  const sorted = frames.sort((a, b) => a - b);
  const share = (x) => sorted[Math.floor(sorted.length * x)].toFixed(0);
  console.log(
    `sketch drag: ${sorted.length} frames, median ${share(0.5)} ms, 95th percentile ${share(0.95)} ms; the view was drawn ${drawn} times`,
  );
} finally {
  await browser.close();
  await fetch(`${base}/api/models/${id}`, { method: 'DELETE' });
}
