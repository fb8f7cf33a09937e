import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { DEMO_MODELS } from '@ample-skin/demo';
import { eq } from 'drizzle-orm';
import type { OpenDatabase } from './client.ts';
import { createModel, ensureProject, savePicture, storeAsset } from './repository.ts';
import { setting } from './schema.ts';

/** Migrates, and loads the demo models at first start. Safe to run again at any time. */
export async function setUp(open: OpenDatabase, migrations = fileURLToPath(new URL('./migrations', import.meta.url))): Promise<void> {
  await open.migrate(migrations);
  await ensureProject(open.db);
  const [done] = await open.db.select().from(setting).where(eq(setting.key, 'demo-loaded'));
  if (done) return;
  for (const d of [...DEMO_MODELS].reverse()) {
    let recipe = d.model;
    for (const f of d.files) {
      const hash = await storeAsset(open.db, f.name, readFileSync(new URL(`../../demo/files/${f.name}`, import.meta.url)));
      recipe = {
        ...recipe,
        steps: recipe.steps.map((s) => (s.params.file === f.reference ? { ...s, params: { ...s.params, file: hash } } : s)),
      };
    }
    const id = await createModel(open.db, d.model.name, recipe, d.slug);
    const picture = new URL(`../../demo/files/${d.slug}.png`, import.meta.url);
    if (existsSync(picture)) await savePicture(open.db, id, readFileSync(picture), d.summary ?? {});
  }
  await open.db.insert(setting).values({ key: 'demo-loaded', value: true }).onConflictDoNothing();
}
