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
