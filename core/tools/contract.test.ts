import { readdirSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { massProperties } from '../brep/index.ts';
import { evaluateExample } from '../help/samples.ts';
import { metaOf } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

describe('the registry', () => {
  it('lists every tool file', () => {
    const files = readdirSync(new URL('.', import.meta.url)).filter((f) => f.endsWith('.evaluate.ts'));
    expect(TOOLS.size).toBe(files.length);
    const index = readFileSync(new URL('./evaluations.ts', import.meta.url), 'utf8');
    for (const f of files) expect(index).toContain(`'./${f}'`);
  });
  it('has what the bench, the cards and the help need', () => {
    for (const t of TOOLS.values()) {
      expect(t.label.length).toBeGreaterThan(2);
      expect(t.hint.length).toBeGreaterThan(20);
      expect(t.icon.length).toBeGreaterThan(0);
      for (const f of Object.values(t.params.shape as Record<string, z.ZodType>)) expect(metaOf(f).label).toBeTruthy();
      expect(() => z.toJSONSchema(t.params, { unrepresentable: 'any' })).not.toThrow();
      expect((t.migrations ?? []).length).toBe(t.version - 1);
    }
  });
});

describe.each([...TOOLS.values()].map((t) => [t.id, t] as const))('%s', (_, tool) => {
  it.each((tool.examples ?? []).map((e, i) => [i, e.params] as const))('example %i evaluates, and twice the same', async (_i, params) => {
    const a = await evaluateExample(tool, params, tool.stage === 'output');
    expect(a?.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
    const b = await evaluateExample(tool, params, tool.stage === 'output');
    expect(Object.keys(b?.outputs ?? {})).toEqual(Object.keys(a?.outputs ?? {}));
    for (const [k, p] of Object.entries(a?.outputs ?? {})) {
      const q = b?.outputs[k];
      if ((p.kind === 'skin' || p.kind === 'solid') && q?.kind === p.kind) {
        expect(massProperties(q.body).area).toBe(massProperties(p.body).area);
        expect(p.body.faces.length).toBeGreaterThan(0);
      }
      if (p.kind === 'curve' && q?.kind === 'curve') expect(Array.from(q.curves[0].control)).toEqual(Array.from(p.curves[0].control));
    }
    if (tool.stage === 'output') expect(a?.files[0].data.length).toBeGreaterThan(250);
  });
  it('empty slots and nonsense give a message, never a throw', async () => {
    const needs = Object.values(tool.slots).some((s) => s.min > 0);
    const r = await evaluateExample(tool, {}, false, false);
    if (needs) expect(['asks', 'waits', 'error']).toContain(r?.status);
    for (const [key, field] of Object.entries(tool.params.shape as Record<string, z.ZodType>)) {
      const meta = metaOf(field);
      if (meta.control === 'hidden') continue;
      const bad = await evaluateExample(tool, { [key]: { nonsense: true } });
      expect(bad?.status).toBe('error');
      expect(bad?.diagnostics[0].message).toContain(meta.label);
    }
  });
  it('parameters survive JSON', () => {
    const defaults = tool.params.parse({});
    expect(tool.params.parse(JSON.parse(JSON.stringify(defaults)))).toEqual(defaults);
  });
});
