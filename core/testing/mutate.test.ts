import { describe, expect, it } from 'vitest';
import { mutate, readAny, samples, seeded } from './mutate.ts';

describe('readers on damaged files', () => {
  it('the samples themselves are read', async () => {
    for (const s of await samples()) {
      const r = await readAny(s);
      expect([s.name, r.ok, r.message]).toEqual([s.name, true, undefined]);
    }
  });
  it('60 damaged files of every kind: an answer each time, with a reason when it is no, within two seconds', async () => {
    const next = seeded(1);
    const seen = { yes: 0, no: 0 };
    for (const s of await samples())
      for (let k = 0; k < 60; k++) {
        const data = mutate(s.data, next);
        const start = performance.now();
        const r = await readAny({ name: s.name, data }).catch((e: Error) => {
          throw new Error(`${s.name} ${k}: ${e.stack}\n${Buffer.from(data).toString('latin1').slice(0, 3000)}`);
        });
        const ms = performance.now() - start;
        expect([s.name, k, ms < 2000]).toEqual([s.name, k, true]);
        if (!r.ok) expect([s.name, k, (r.message ?? '').length > 3]).toEqual([s.name, k, true]);
        seen[r.ok ? 'yes' : 'no']++;
      }
    // both happen, or the damage is no test
    expect(Math.min(seen.yes, seen.no)).toBeGreaterThan(90);
  });
});
