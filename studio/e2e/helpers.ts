import { expect, type Locator, type Page } from '@playwright/test';

type Point = readonly [number, number, number];
interface Hook {
  ampleView: { project: (p: Point, pane: number) => { x: number; y: number }; draw: () => void };
  ampleState: () => {
    pieces: Map<string, { key: string; live: boolean; kind: string; facts: { label: string; value: string }[] }>;
    steps: Map<string, { status: string; stale: boolean }>;
    progress?: unknown;
    computing: boolean;
    save: string;
    computed: boolean;
    undo: unknown[];
    redo: unknown[];
    model: { steps: { id: string }[] };
  };
}

/** A picture for the eye, where they are asked for. */
export const shot = async (page: Page, name: string): Promise<void> => {
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/${name}.png` });
};
/** Console errors, page errors and failed answers of a page; a journey must end with none. */
export function watch(page: Page): string[] {
  const bad: string[] = [];
  page.on('console', (m) => {
    if (m.type() === 'error') bad.push(`console: ${m.text()}`);
  });
  page.on('pageerror', (e) => bad.push(`page: ${e.message}`));
  page.on('response', (r) => {
    if (r.status() >= 500) bad.push(`${r.status()} ${r.url()}`);
  });
  return bad;
}

/** Screen position of a point of the model. */
export async function screen(page: Page, p: Point): Promise<{ x: number; y: number }> {
  const box = await page.getByTestId('view').boundingBox();
  const at = await page.evaluate((q) => {
    const v = (window as unknown as Hook).ampleView;
    v.draw();
    const r = v.project(q, 0);
    return { x: r.x, y: r.y };
  }, p);
  return { x: (box?.x ?? 0) + at.x, y: (box?.y ?? 0) + at.y };
}
export async function clickAt(page: Page, p: Point): Promise<void> {
  const s = await screen(page, p);
  await page.mouse.move(s.x - 3, s.y - 2);
  await page.mouse.move(s.x, s.y);
  await page.waitForTimeout(60);
  await page.mouse.click(s.x, s.y);
}

/** Waits until everything asked for is computed and saved. */
export async function settled(page: Page): Promise<void> {
  await page.waitForTimeout(120);
  await page
    .waitForFunction(
      () => {
        const s = (window as unknown as Partial<Hook>).ampleState?.();
        return (
          !!s &&
          s.computed &&
          !s.computing &&
          s.save === 'saved' &&
          !s.progress &&
          s.model.steps.every((x) => s.steps.has(x.id)) &&
          [...s.steps.values()].every((x) => !x.stale || x.status !== 'fine')
        );
      },
      null,
      { timeout: 120_000 },
    )
    .catch(async (e: Error) => {
      const state = await page.evaluate(() => {
        const s = (window as unknown as Partial<Hook>).ampleState?.();
        return (
          s && {
            computed: s.computed,
            computing: s.computing,
            save: s.save,
            progress: s.progress,
            steps: s.model.steps.map((x) => [x.id, s.steps.get(x.id)]),
          }
        );
      });
      throw new Error(`${e.message}\nThe page stands at: ${JSON.stringify(state)}`);
    });
  await page.waitForTimeout(150);
}
export const live = (page: Page) =>
  page.evaluate(() =>
    [...(window as unknown as Hook).ampleState().pieces.values()]
      .filter((p) => p.live)
      .map((p) => ({ key: p.key, kind: p.kind, facts: Object.fromEntries(p.facts.map((f) => [f.label, f.value])) })),
  );
export const statuses = (page: Page) =>
  page.evaluate(() => Object.fromEntries([...(window as unknown as Hook).ampleState().steps].map(([k, s]) => [k, s.status])));
export const counts = (page: Page) =>
  page.evaluate(() => {
    const s = (window as unknown as Hook).ampleState();
    return { steps: s.model.steps.length, undo: s.undo.length, redo: s.redo.length };
  });
export const volumeOf = (facts: Record<string, string>): number => Number((facts.volume ?? '').replace(' mm³', ''));

export const stage = (page: Page, name: string) =>
  page
    .getByRole('navigation', { name: 'Stages' })
    .getByRole('button', { name: new RegExp(`^${name}`) })
    .click();
export const tool = (page: Page, name: string) =>
  page.getByRole('complementary', { name: 'Tools' }).getByRole('button', { name, exact: true }).click();
export const card = (page: Page) => page.getByTestId('step-card');
export async function keep(page: Page): Promise<void> {
  await card(page).getByRole('button', { name: /^Keep/ }).click();
  await settled(page);
}
/** The field of that name; words to choose from may be called alike. */
export const field = (within: Locator, label: string) => within.locator(`input[aria-label="${label}"]:not([type="radio"])`);
export async function type(page: Page, label: string, value: string): Promise<void> {
  const f = field(card(page), label);
  await f.fill(value);
  await f.press('Enter');
}
export async function noErrors(page: Page, bad: string[]): Promise<void> {
  expect(bad).toEqual([]);
  await expect(page.locator('.diag.error')).toHaveCount(0);
}

/** Chooses among words that stand side by side on the card (or in another place). */
export const segment = (page: Page, name: string, within: Locator = card(page)) =>
  within
    .locator('.ant-segmented-item')
    .filter({ hasText: new RegExp(`^${name}$`) })
    .click();
/** Chooses from a list. */
export async function choose(page: Page, label: string, option: string, within: Locator = card(page)): Promise<void> {
  await within.getByRole('combobox', { name: label, exact: true }).click();
  await page.locator('.ant-select-dropdown:not(.ant-select-dropdown-hidden)').getByTitle(option, { exact: true }).click();
}

type Step = Readonly<Record<string, unknown>>;
export type GivenPick = { step: string; output: string; part?: { kind: string; name: string } };
/** A step of a recipe; inputs are ids of steps, or whole picks. */
export const recipeStep = (id: string, name: string, params: object = {}, inputs: Record<string, (string | GivenPick)[]> = {}) => ({
  id,
  tool: name,
  version: 1,
  params,
  inputs: Object.fromEntries(
    Object.entries(inputs).map(([k, v]) => [k, v.map((p) => (typeof p === 'string' ? { step: p, output: 'main' } : p))]),
  ),
});
/** A new model with these steps, opened and computed; the console is watched from here on. */
export async function begin(page: Page, name: string, steps: readonly Step[] = [], dials: readonly Step[] = []): Promise<string[]> {
  const bad = watch(page);
  const recipe = { format: 'ample-skin-recipe', version: 1, name, dials, steps };
  const answer = await page.request.post('/api/models', { data: { name, recipe } });
  await page.goto(`/model/${(await answer.json()).id}`);
  await settled(page);
  return bad;
}
/** Starts a tool by keys alone: finding it by name. */
export async function find(page: Page, text: string): Promise<void> {
  await page.keyboard.press('/');
  await expect(page.getByRole('textbox', { name: 'Find' })).toBeFocused();
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Find' })).toHaveCount(0);
}
/** Coordinates typed while drawing; the field has the keys from the start, so nothing is clicked. */
export async function typePoints(page: Page, points: readonly (readonly [number, number])[]): Promise<void> {
  for (const [x, y] of points) {
    await expect(page.getByLabel('x of the next point')).toBeFocused();
    await page.keyboard.type(String(x));
    await page.keyboard.press('Tab');
    await page.keyboard.type(String(y));
    await page.keyboard.press('Enter');
  }
}
/** Enter keeps what is open, wherever the focus is. */
export async function enterKeeps(page: Page): Promise<void> {
  await settled(page);
  await page.keyboard.press('Enter');
  await expect(card(page)).toHaveCount(0);
  await settled(page);
}
export const slot = (page: Page, name: string) => card(page).locator(`[data-slot="${name}"]`);
export const picked = (page: Page, name: string, count: number) => expect(slot(page, name).locator('.pick')).toHaveCount(count);
export const toggle = (page: Page, name: string) => card(page).getByRole('switch', { name }).click();
export const sheetRow = (page: Page, name: string) => page.getByRole('group', { name: `Step ${name}`, exact: true });
export const pieceRow = (page: Page, name: string) => page.locator('.pieces').getByRole('group', { name, exact: true });
export const tab = (page: Page, name: RegExp | string) => page.getByRole('tab', { name }).first().click();
/** Looks straight down on the world. */
export const lookFrom = (page: Page, heading: number, tilt: number) =>
  page.evaluate(
    ([h, t]) => {
      const v = (window as unknown as { ampleView: { orbits: { tilt: number; heading: number }[]; invalidate: () => void } }).ampleView;
      v.orbits[0].heading = h;
      v.orbits[0].tilt = t;
      v.invalidate();
    },
    [heading, tilt],
  );
/** Facts of the live pieces of a kind, by name of the fact. */
export const factsOf = async (page: Page, kind: string) => (await live(page)).filter((p) => p.kind === kind).map((p) => p.facts);
export const number = (text: string | undefined): number => Number((text ?? 'x').replace(/ .*$/, ''));
/** A drag of the left button between two places on screen, in small steps. */
export async function dragFrom(page: Page, from: { x: number; y: number }, to: { x: number; y: number }, steps = 8): Promise<void> {
  await page.mouse.move(from.x, from.y);
  await page.waitForTimeout(80);
  await page.mouse.down();
  for (let k = 1; k <= steps; k++) await page.mouse.move(from.x + ((to.x - from.x) * k) / steps, from.y + ((to.y - from.y) * k) / steps);
  await page.mouse.up();
}
/** Picks a piece from the list into the slot that asks, and goes back to the sheet. */
export async function pickFromList(page: Page, name: string): Promise<void> {
  await tab(page, /^Pieces/);
  await pieceRow(page, name).click();
  await tab(page, 'Build sheet');
}
/** Wears a look from the bar under the view. */
export const lookAs = async (page: Page, name: string) => {
  await page.getByRole('button', { name: /^Look/ }).click();
  await page.locator('.lookgrid').getByText(name, { exact: true }).click();
};
/** Waits until the maps of what is seen are there. */
export const mapped = (page: Page) =>
  page.waitForFunction(() => {
    const s = (window as unknown as { ampleState: () => { maps: Map<string, unknown>; mapWork?: number } }).ampleState();
    return s.maps.size > 0 && s.mapWork === undefined;
  });
