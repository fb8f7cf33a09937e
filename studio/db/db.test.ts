import { fileURLToPath } from 'node:url';
import type { RecipeEdit } from '@ample-skin/core/recipe';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type OpenDatabase, openDatabase } from './client.ts';
import { postgresPrograms, type RealPostgres, startPostgres } from './real-postgres.ts';
import {
  appendEdit,
  createModel,
  editsSince,
  listModels,
  listVersions,
  loadAsset,
  loadModel,
  removeModel,
  saveVersion,
  storeAsset,
} from './repository.ts';
import { setUp } from './setup.ts';

const migrations = fileURLToPath(new URL('./migrations', import.meta.url));
const addStep = (id: string): RecipeEdit => ({
  label: 'Circle',
  changes: [{ type: 'addStep', step: { id, tool: 'circle', version: 1, inputs: {}, params: {} } }],
});

// the same migrations and the same behaviour on both; the server is left out only where none is installed
describe.each([{ where: 'embedded' }, ...(postgresPrograms() ? [{ where: 'server' }] : [])])(
  'models in the database ($where)',
  ({ where }) => {
    let open: OpenDatabase;
    let server: RealPostgres | undefined;
    beforeAll(async () => {
      if (where === 'server') server = await startPostgres();
      open = await openDatabase(server ? { url: server.url } : { folder: 'memory' });
      await setUp(open, migrations);
    });
    afterAll(async () => {
      await open.close();
      server?.stop();
    });

    it('loads the demo once, however often it is set up', async () => {
      const first = await listModels(open.db);
      expect(first.map((m) => m.demo).sort()).toEqual([
        'packaging-buck',
        'returned-cap',
        'seed-pod',
        'squeeze-grip',
        'tansy-body',
        'tansy-shroud',
        'tansy-spout',
      ]);
      await setUp(open, migrations);
      expect((await listModels(open.db)).length).toBe(first.length);
      const cap = await loadModel(open.db, first.find((m) => m.demo === 'returned-cap')?.id ?? '');
      const file = await loadAsset(open.db, String(cap?.recipe.steps[0].params.file));
      expect(file?.name).toBe('returned-cap.step');
      expect(new TextDecoder().decode(file?.data).startsWith('ISO-10303-21')).toBe(true);
    });
    it('appends edits with revisions and gives them back', async () => {
      const id = await createModel(open.db, 'one');
      const r1 = await appendEdit(open.db, id, { clientId: 'c', sequence: 1, base: 0, kind: 'do', change: addStep('a') });
      const r2 = await appendEdit(open.db, id, { clientId: 'c', sequence: 2, base: 1, kind: 'do', change: addStep('b') });
      expect([r1, r2]).toEqual([
        { status: 'saved', revision: 1 },
        { status: 'saved', revision: 2 },
      ]);
      const m = await loadModel(open.db, id);
      expect(m?.recipe.steps.map((s) => s.id)).toEqual(['a', 'b']);
      expect(m?.history[1].inverse.changes[0]).toEqual({ type: 'removeStep', id: 'b' });
      expect((await editsSince(open.db, id, 1))?.length).toBe(1);
      expect(await editsSince(open.db, 'nobody', 0)).toBeUndefined();
    });
    it('a retried edit is saved once', async () => {
      const id = await createModel(open.db, 'two');
      const e = { clientId: 'c', sequence: 1, base: 0, kind: 'do' as const, change: addStep('a') };
      await appendEdit(open.db, id, e);
      expect(await appendEdit(open.db, id, e)).toEqual({ status: 'saved', revision: 1 });
      expect((await loadModel(open.db, id))?.recipe.steps.length).toBe(1);
    });
    it('two windows do not overwrite each other', async () => {
      const id = await createModel(open.db, 'three');
      await appendEdit(open.db, id, { clientId: 'first', sequence: 1, base: 0, kind: 'do', change: addStep('a') });
      const late = await appendEdit(open.db, id, { clientId: 'second', sequence: 1, base: 0, kind: 'do', change: addStep('b') });
      expect(late.status).toBe('behind');
      if (late.status === 'behind') {
        expect(late.edits.map((x) => x.clientId)).toEqual(['first']);
        expect(
          (await appendEdit(open.db, id, { clientId: 'second', sequence: 1, base: late.revision, kind: 'do', change: addStep('b') }))
            .status,
        ).toBe('saved');
      }
      expect((await loadModel(open.db, id))?.recipe.steps.map((s) => s.id)).toEqual(['a', 'b']);
    });
    it('an edit that does not fit is refused and changes nothing', async () => {
      const id = await createModel(open.db, 'four');
      const r = await appendEdit(open.db, id, {
        clientId: 'c',
        sequence: 1,
        base: 0,
        kind: 'do',
        change: { label: 'x', changes: [{ type: 'removeStep', id: 'nobody' }] },
      });
      expect(r.status).toBe('refused');
      expect((await loadModel(open.db, id))?.revision).toBe(0);
      expect(
        (await appendEdit(open.db, 'no-model', { clientId: 'c', sequence: 1, base: 0, kind: 'do', change: addStep('a') })).status,
      ).toBe('unknown');
    });
    it('versions, assets, deletion', async () => {
      const id = await createModel(open.db, 'five');
      expect(await saveVersion(open.db, id, 'before the change')).toBe(true);
      expect((await listVersions(open.db, id))[0].name).toBe('before the change');
      const data = Uint8Array.from([1, 2, 3, 250]);
      const hash = await storeAsset(open.db, 'a.stl', data);
      expect(await storeAsset(open.db, 'again.stl', data)).toBe(hash);
      expect(Array.from((await loadAsset(open.db, hash))?.data ?? [])).toEqual([1, 2, 3, 250]);
      expect(await removeModel(open.db, id)).toBe(true);
      expect(await loadModel(open.db, id)).toBeUndefined();
    });
    it('twenty windows writing at once: every edit gets its own revision, none is lost', async () => {
      const id = await createModel(open.db, 'crowd');
      const write = async (k: number) => {
        let base = 0;
        for (;;) {
          const r = await appendEdit(open.db, id, { clientId: `w${k}`, sequence: 1, base, kind: 'do', change: addStep(`s${k}`) });
          if (r.status === 'saved') return r.revision;
          if (r.status !== 'behind') throw new Error(r.status);
          base = r.revision;
        }
      };
      const revisions = await Promise.all(Array.from({ length: 20 }, (_, k) => write(k)));
      expect([...revisions].sort((a, b) => a - b)).toEqual(Array.from({ length: 20 }, (_, k) => k + 1));
      const m = await loadModel(open.db, id);
      expect(new Set(m?.recipe.steps.map((s) => s.id)).size).toBe(20);
      expect(m?.history.map((h) => h.revision)).toEqual(Array.from({ length: 20 }, (_, k) => k + 1));
    });
  },
);
