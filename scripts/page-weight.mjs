// Weighs the scripts that a page loads, as they come over the wire: the home page, the 404, and the modelling screen up to its first
// computed skin and after it has come to rest. From a served studio.
// Usage: start the studio, then: npm run bench:weight [-- http://127.0.0.1:3000]
import { launch } from './browser.mjs';

const base = process.argv[2] ?? 'http://127.0.0.1:3000';
const browser = await launch();
const models = await (await fetch(`${base}/api/models`)).json();
const body = models.find((m) => m.demo === 'tansy-body').id;
async function weigh(path, until) {
  const page = await browser.newPage();
  const client = await page.context().newCDPSession(page);
  await client.send('Network.enable');
  const scripts = new Set();
  let bytes = 0;
  client.on('Network.responseReceived', (e) => e.type === 'Script' && scripts.add(e.requestId));
  client.on('Network.loadingFinished', (e) => {
    if (scripts.has(e.requestId)) bytes += e.encodedDataLength;
  });
  await page.goto(base + path);
  const out = [];
  for (const wait of until) {
    await wait(page);
    out.push(`${Math.round(bytes / 1024)} kB`);
  }
  await page.close();
  return out;
}
const rest = (ms) => (page) => page.waitForTimeout(ms);
const skin = (page) =>
  page.waitForFunction(() => [...(globalThis.ampleState?.().pieces.values() ?? [])].some((p) => p.kind === 'skin' && p.display));
const settled = (page) =>
  page.waitForFunction(() => globalThis.ampleState?.().computed && !globalThis.ampleState().computing, null, { timeout: 120_000 });
console.log(`home                 ${await weigh('/', [rest(2000)])}`);
console.log(`no such page         ${await weigh('/none', [rest(2000)])}`);
const [first, all] = await weigh(`/model/${body}`, [
  skin,
  async (p) => {
    await settled(p);
    await p.waitForTimeout(3000);
  },
]);
console.log(`modelling, first skin ${first}; at rest ${all} (worker scripts not counted)`);
await browser.close();
