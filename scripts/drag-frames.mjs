// Times the frames of a drag at 1280 x 800 from a served studio, and tells apart what of them is ours: the work of the page's own scripts, the
// hand-over of the picture, and the rest, which is the software rasteriser (the same view turned alone, without any change, is the measure).
// Usage: start the studio, then: npm run bench:drag [-- http://127.0.0.1:3000]
import { launch, makeModel, settled } from './browser.mjs';

const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const SECONDS = 8;
const N = 12;
const corner = (i) => ({ id: `p${i}`, x: 40 * Math.cos((2 * Math.PI * i) / N), y: 30 * Math.sin((2 * Math.PI * i) / N) });
const profile = {
  points: Array.from({ length: N }, (_, i) => corner(i)),
  curves: Array.from({ length: N }, (_, i) => ({ id: `l${i}`, type: 'line', a: `p${i}`, b: `p${(i + 1) % N}` })),
  rules: [2, 5, 8].map((i) => ({ id: `r${i}`, type: 'equal', a: `l${i}`, b: `l${i + 1}` })),
};
/** Twenty sections of twenty control points each, and the skin over them. */
const section = (k) => ({
  id: `s${k}`,
  tool: 'spline',
  params: { points: Array.from({ length: 20 }, (_, i) => [5 * i - 47, 4 * k - 38, 5 * Math.sin(i * 0.7 + k * 0.4)]) },
});
const JOBS = [
  {
    name: 'a point of a sketch, with a wall that follows',
    steps: [
      { id: 'k', tool: 'sketch', params: { sketch: profile } },
      { id: 'e', tool: 'extrude', inputs: { profile: [{ step: 'k', output: 'main' }] }, params: { distance: 20 } },
    ],
    open: 0,
    at: [40, 0, 0],
  },
  {
    name: 'a point of a 20x20 skin in stripes',
    steps: [
      ...Array.from({ length: 20 }, (_, k) => section(k)),
      { id: 'l', tool: 'loft', inputs: { sections: Array.from({ length: 20 }, (_, k) => ({ step: `s${k}`, output: 'main' })) } },
    ],
    open: 10,
    at: [53 - 50, 2, 5 * Math.sin(10 * 0.7 + 10 * 0.4)],
    stripes: true,
  },
];

const quantile = (list, x) => [...list].sort((a, b) => a - b)[Math.floor(list.length * x)] ?? Number.NaN;
const ms = (x) => `${x.toFixed(1)} ms`;
/** Frames, the page's own work and the hand-over of pictures while `move` is called again and again. */
async function watch(page, client, move) {
  await page.evaluate(() => {
    const g = globalThis;
    g.bench = { frames: [], draws: [], on: true };
    let last = performance.now();
    const tick = () => {
      const now = performance.now();
      g.bench.frames.push(now - last);
      last = now;
      if (g.bench.on) requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    g.plainDraw ??= g.ampleView.draw.bind(g.ampleView);
    g.ampleView.draw = (fine) => {
      const t = performance.now();
      g.plainDraw(fine);
      g.bench.draws.push(performance.now() - t);
    };
  });
  const busy = async () => {
    const { metrics } = await client.send('Performance.getMetrics');
    return Object.fromEntries(metrics.map((m) => [m.name, m.value]));
  };
  const before = await busy();
  const start = Date.now();
  for (let k = 0; Date.now() - start < SECONDS * 1000; k++) {
    await move(k);
    await page.waitForTimeout(8);
  }
  const after = await busy();
  const { frames, draws } = await page.evaluate(() => {
    globalThis.bench.on = false;
    return globalThis.bench;
  });
  const drawn = draws.reduce((a, b) => a + b, 0);
  const script = 1000 * (after.ScriptDuration - before.ScriptDuration);
  return {
    frames: frames.length,
    pictures: draws.length,
    median: quantile(frames, 0.5),
    late: quantile(frames, 0.95),
    ours: (script - drawn) / draws.length,
    handing: drawn / draws.length,
  };
}

const browser = await launch();
try {
  for (const job of JOBS) {
    const model = await makeModel(base, 'Drag bench', job.steps);
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    try {
      const client = await page.context().newCDPSession(page);
      await client.send('Performance.enable');
      await page.goto(`${base}/model/${model.id}`);
      await settled(page);
      if (job.stripes) await page.keyboard.press('l');
      await page.locator('.row').nth(job.open).click();
      await page.evaluate(() => {
        Object.assign(globalThis.ampleView.orbits[0], { heading: 0, tilt: 60 });
        globalThis.ampleView.fit();
      });
      await page.waitForTimeout(2500);
      const box = await page.getByTestId('view').boundingBox();
      const at = await page.evaluate((p) => globalThis.ampleView.project(p, 0), job.at);
      const [x, y] = [box.x + at.x, box.y + at.y];
      // turning alone: what the rasteriser takes for this view
      await page.mouse.move(box.x + 30, box.y + 90);
      await page.mouse.down();
      const turned = await watch(page, client, (k) =>
        page.mouse.move(box.x + 30 + 40 * Math.sin(0.08 * k), box.y + 90 + 6 * Math.sin(0.1 * k)),
      );
      await page.mouse.up();
      await page.evaluate(() => Object.assign(globalThis.ampleView.orbits[0], { heading: 0, tilt: 60 }));
      await page.evaluate(() => globalThis.ampleView.invalidate());
      await page.waitForTimeout(1500);
      await page.mouse.move(x, y);
      await page.mouse.down();
      const value = () => page.evaluate(() => JSON.stringify(globalThis.ampleState().model.steps.map((s) => s.params)));
      const first = await value();
      const d = await watch(page, client, (k) => page.mouse.move(x + 40 * Math.sin(0.08 * k), y + 30 * Math.sin(0.104 * k)));
      await page.mouse.up();
      await settled(page);
      if ((await value()) === first) throw new Error(`${job.name}: nothing was taken hold of`);
      console.log(`${job.name}: ${d.pictures} pictures in ${SECONDS} s`);
      console.log(`  a frame                      median ${ms(d.median)}, 95th percentile ${ms(d.late)}`);
      console.log(`  of it our own work           ${ms(d.ours)} a picture (handing it over: ${ms(d.handing)})`);
      console.log(
        `  the same view turned alone   median ${ms(turned.median)}, our own work ${ms(turned.ours)}, handing it over ${ms(turned.handing)}`,
      );
    } finally {
      await page.close();
      await model.drop();
    }
  }
} finally {
  await browser.close();
}
