import { seeded } from '@ample-skin/core/testing/mutate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { BODIES, damagedBody, openServer } from '../../testing/api-bodies.ts';

let server: Awaited<ReturnType<typeof openServer>>;
beforeAll(async () => {
  server = await openServer();
});
afterAll(() => server.close());

describe('what is sent to the server', () => {
  it('whole bodies of every kind are taken', async () => {
    for (const { kind, body } of BODIES) {
      const id = await server.fresh();
      const r = await server.ask(kind, id, JSON.stringify(body));
      expect([body, r.status]).toEqual([body, kind === 'edit' ? 200 : 201]);
      await server.model(id);
    }
  });
  it('600 damaged ones: an answer each time, a reason when it is no, and the model stays readable', async () => {
    const next = seeded(7);
    const id = await server.fresh();
    const seen = { yes: 0, no: 0 };
    for (let k = 0; k < 600; k++) {
      const sample = BODIES[Math.floor(next() * BODIES.length)];
      const damaged = damagedBody(sample.body, next);
      let text = JSON.stringify(damaged) ?? '';
      if (next() < 0.1) text = text.slice(0, Math.floor(next() * text.length));
      const r = await server.ask(sample.kind, id, text);
      expect([text, [200, 201, 400, 404, 409].includes(r.status)]).toEqual([text, true]);
      if (r.status >= 400 && r.status !== 409) {
        expect([text, String(r.answer.message).length > 5]).toEqual([text, true]);
        // never a query, a path or a line of code
        expect(String(r.answer.message)).not.toMatch(/select |insert into|node_modules|\.ts:\d/i);
      }
      seen[r.status < 300 ? 'yes' : 'no']++;
      if (k % 20 === 0) await server.model(id);
    }
    await server.model(id);
    expect(Math.min(seen.yes, seen.no)).toBeGreaterThan(20);
    expect(({} as Record<string, unknown>).label).toBeUndefined();
  });
  it('what breaks the recipe is refused at the door', async () => {
    const id = await server.fresh();
    const change = (c: object) =>
      server.ask('edit', id, JSON.stringify({ clientId: 'w', sequence: 1, base: 0, kind: 'do', change: { label: 'x', changes: [c] } }));
    for (const bad of [
      { type: 'setModel', name: 'x'.repeat(500) },
      { type: 'setModel', tolerance: -1 },
      { type: 'setPiece', key: '__proto__', look: { hidden: true } },
      { type: 'setGroup', id: 'constructor', group: { id: 'constructor', name: 'x'.repeat(300) } },
      { type: 'dance' },
    ]) {
      const r = await change(bad);
      expect([bad, r.status]).toEqual([bad, 400]);
    }
    expect((await server.model(id)).name).toBe('Fuzz');
  });
});
