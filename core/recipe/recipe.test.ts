import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { massProperties } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';
import {
  applyEdit,
  type Change,
  dialValues,
  emptyModel,
  evaluateModel,
  livePieces,
  type Model,
  newMemory,
  parseModel,
  type RecipeEdit,
  type Step,
  standings,
} from './index.ts';

const step = (id: string, tool: string, params: Record<string, unknown> = {}, inputs: Record<string, string[]> = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, v.map((s) => ({ step: s, output: 'main' }))])),
});
const model = (...steps: Step[]): Model => ({ ...emptyModel('test'), steps, dials: [{ name: 'r', formula: '10 mm', unit: 'length' }] });
const cone = () =>
  model(
    step('a', 'circle', { radius: 'r' }),
    step('p', 'work-plane', { offset: [0, 0, '3*r'] }),
    step('b', 'circle', { radius: 4 }, { plane: ['p'] }),
    step('l', 'loft', { cap: true }, { sections: ['a', 'b'] }),
  );
const run = (m: Model, memory = newMemory(), extra = {}) => evaluateModel(m, { tools: TOOLS, kernel, memory, ...extra });

describe('edits', () => {
  const change = fc.oneof(
    fc.record({
      type: fc.constant('addStep' as const),
      step: fc.integer({ min: 0, max: 20 }).map((i) => step(`n${i}`, 'circle')),
      before: fc.constantFrom(undefined, 'a', 'l'),
    }),
    fc.record({ type: fc.constant('removeStep' as const), id: fc.constantFrom('a', 'p', 'b', 'l') }),
    fc.record({
      type: fc.constant('moveStep' as const),
      id: fc.constantFrom('a', 'p', 'b', 'l'),
      before: fc.constantFrom(undefined, 'a', 'b'),
    }),
    fc.record({
      type: fc.constant('setStep' as const),
      id: fc.constantFrom('a', 'b', 'l'),
      muted: fc.boolean(),
      params: fc.record({ radius: fc.integer() }),
    }),
    fc
      .record({ type: fc.constant('setDial' as const), name: fc.constantFrom('r', 's', 't'), formula: fc.constantFrom(null, '7', '8') })
      .map(({ type, name, formula }) => ({ type, name, dial: formula && { name, formula, unit: 'length' as const } })),
    fc.record({
      type: fc.constant('setTarget' as const),
      key: fc.constantFrom('x', 'y'),
      target: fc.constantFrom('G1' as const, 'G2' as const, null),
    }),
    fc
      .record({ type: fc.constant('setGroup' as const), id: fc.constantFrom('g', 'h'), group: fc.constantFrom(null, 'one', 'two') })
      .map(({ id, group, type }) => ({ type, id, group: group && { id, name: group, hidden: group === 'one' } })),
    fc.record({ type: fc.constant('setPiece' as const), key: fc.constant('a/main'), look: fc.record({ hidden: fc.boolean() }) }),
  );
  it('the inverse brings back exactly what was there', () =>
    fc.assert(
      fc.property(fc.array(change, { minLength: 1, maxLength: 8 }), (changes) => {
        let m = cone();
        const trail: { before: Model; inverse: RecipeEdit }[] = [];
        for (const c of changes) {
          const r = applyEdit(m, { label: 't', changes: [c as Change] });
          if (!r.ok) continue;
          trail.push({ before: m, inverse: r.inverse });
          m = r.model;
        }
        for (const t of trail.reverse()) {
          const r = applyEdit(m, t.inverse);
          expect(r.ok).toBe(true);
          if (r.ok) m = r.model;
          expect(JSON.parse(JSON.stringify(m))).toEqual(JSON.parse(JSON.stringify(t.before)));
        }
      }),
      { numRuns: 500 },
    ));
  it('a dial or a group taken away comes back in its place', () => {
    const dial = (name: string) => ({ name, formula: '1', unit: 'length' as const });
    const group = (id: string) => ({ id, name: id, hidden: false });
    const m: Model = { ...cone(), dials: ['a', 'b', 'c'].map(dial), groups: ['a', 'b', 'c'].map(group) };
    for (const changes of [[{ type: 'setDial', name: 'b', dial: null }], [{ type: 'setGroup', id: 'b', group: null }]] as Change[][]) {
      const r = applyEdit(m, { label: 'x', changes });
      if (!r.ok) throw new Error(r.message);
      expect(applyEdit(r.model, r.inverse)).toMatchObject({ ok: true, model: m });
    }
  });
  it('applies as a whole or not at all', () => {
    const m = cone();
    expect(
      applyEdit(m, {
        label: 't',
        changes: [
          { type: 'removeStep', id: 'a' },
          { type: 'removeStep', id: 'nobody' },
        ],
      }).ok,
    ).toBe(false);
    expect(m.steps.length).toBe(4);
  });
});

describe('recipes', () => {
  it('tells the place of what is wrong', () => {
    expect(parseModel({ format: 'other' })).toMatchObject({ ok: false, place: 'format' });
    expect(parseModel({ ...cone(), steps: [{ id: 'x' }] })).toMatchObject({ ok: false, place: 'steps.0.tool' });
    expect(parseModel({ ...cone(), steps: [step('x', 'circle'), step('x', 'circle')] })).toMatchObject({ ok: false, place: 'steps' });
    expect(parseModel(JSON.parse(JSON.stringify(cone())))).toMatchObject({ ok: true });
  });
  it('dials: formulas, circles, unknown names', () => {
    const dials = (list: [string, string][]) =>
      dialValues({ ...emptyModel('d'), dials: list.map(([name, formula]) => ({ name, formula, unit: 'length' as const })) });
    expect(
      dials([
        ['a', 'b*2'],
        ['b', '1 in'],
      ]).get('a'),
    ).toEqual({ ok: true, value: 50.8 });
    expect(
      dials([
        ['a', 'b'],
        ['b', 'a'],
      ]).get('a'),
    ).toMatchObject({ ok: false, message: expect.stringContaining('a → b → a') });
    expect(dials([['a', 'nobody+1']]).get('a')).toMatchObject({ ok: false, message: expect.stringContaining('nobody') });
  });
});

describe('evaluation', () => {
  it('follows dials and gives the exact volume', async () => {
    const r = await run(cone());
    const piece = r.steps.get('l')?.outputs.main;
    expect(piece?.kind).toBe('solid');
    if (piece?.kind === 'solid') expect(massProperties(piece.body).volume).toBeCloseTo(Math.PI * 10 * 156, 7);
    const s = await run(cone(), newMemory(), { overrides: new Map([['r', 4]]) });
    const small = s.steps.get('l')?.outputs.main;
    if (small?.kind === 'solid') expect(massProperties(small.body).volume).toBeCloseTo(Math.PI * 16 * 12, 7);
  });
  it('computes only what depends on a change', async () => {
    const memory = newMemory();
    const first = await run(cone(), memory);
    const m = cone();
    m.steps[2] = { ...m.steps[2], params: { radius: 5 } };
    const second = await run(m, memory);
    expect(second.steps.get('a')?.outputs.main).toBe(first.steps.get('a')?.outputs.main);
    expect(second.steps.get('b')?.outputs.main).not.toBe(first.steps.get('b')?.outputs.main);
    const third = await run(cone(), memory);
    expect(third.steps.get('l')?.outputs.main).toBe(first.steps.get('l')?.outputs.main);
  });
  it('a lost input keeps the last shape and says what it lost; undo mends it', async () => {
    const memory = newMemory();
    await run(cone(), memory);
    const removed = applyEdit(cone(), { label: 'x', changes: [{ type: 'removeStep', id: 'a' }] });
    if (!removed.ok) throw new Error();
    const r = (await run(removed.model, memory)).steps.get('l');
    expect(r?.status).toBe('waits');
    expect(r?.stale).toBe(true);
    expect(r?.outputs.main?.kind).toBe('solid');
    expect(r?.diagnostics[0].code).toBe('lost-input');
    const back = applyEdit(removed.model, removed.inverse);
    if (back.ok) expect((await run(back.model, memory)).steps.get('l')?.status).toBe('fine');
  });
  it('order, muting, unknown tools and bad values are told, never thrown', async () => {
    const m = cone();
    const late = { ...m, steps: [m.steps[3], ...m.steps.slice(0, 3)] };
    expect((await run(late)).steps.get('l')?.diagnostics[0].message).toContain('later');
    const muted = { ...m, steps: m.steps.map((s) => (s.id === 'b' ? { ...s, muted: true } : s)) };
    expect((await run(muted)).steps.get('l')?.diagnostics[0].message).toContain('muted');
    expect((await run(model(step('x', 'no-such-tool')))).steps.get('x')?.diagnostics[0].code).toBe('unknown-tool');
    expect((await run(model(step('x', 'circle', { radius: -3 })))).steps.get('x')?.diagnostics[0].code).toBe('too-small');
    expect((await run(model(step('x', 'circle', { radius: 'q*2' })))).steps.get('x')?.diagnostics[0].message).toContain(
      'no dial called "q"',
    );
    expect((await run(model(step('x', 'circle', { radius: { no: 1 } })))).steps.get('x')?.diagnostics[0].code).toBe('bad-value');
  });
  it('pieces taken over by a later step are no longer listed', async () => {
    const m = { ...cone(), steps: [...cone().steps, step('m', 'mirror', { keep: false, world: 'xy' }, { pieces: ['l'] })] };
    const live = livePieces(m, await run(m), TOOLS).map((p) => p.key);
    expect(live).toContain('m/main');
    expect(live).not.toContain('l/main');
  });
});

describe('groups', () => {
  const grouped = (): Model => ({
    ...model(
      step('a', 'circle'),
      step('e', 'extrude', {}, { profile: ['a'] }),
      step('t', 'trim', {}, { target: ['e'], cutters: ['a'] }),
      step('m', 'move', {}, { pieces: ['t', 'a'] }),
      step('other', 'circle'),
    ),
    groups: [
      { id: 'g', name: 'Tubes', colour: '#112233', locked: true },
      { id: 'h', name: 'Lines', hidden: true },
    ],
    pieces: { 'e/main': { group: 'g' }, 'a/main': { group: 'h', colour: '#445566' } },
  });
  it('what a group says holds for its pieces, and a piece that says otherwise has its way', () => {
    const of = standings(grouped(), TOOLS);
    expect(of('e/main')).toMatchObject({ group: { name: 'Tubes' }, locked: true, hidden: false, colour: '#112233' });
    expect(of('a/main')).toMatchObject({ group: { name: 'Lines' }, locked: false, hidden: true, colour: '#445566' });
    expect(of('other/main')).toEqual({ name: undefined, group: undefined, hidden: false, locked: false, colour: undefined });
  });
  it('a piece made out of another stays in its group; several go each to their own', () => {
    const of = standings(grouped(), TOOLS);
    expect(of('t/main').group?.id).toBe('g');
    expect([of('m/main').group?.id, of('m/part2').group?.id]).toEqual(['g', 'h']);
    // taken out by hand: an empty group is a word of its own
    const out = { ...grouped(), pieces: { ...grouped().pieces, 't/main': { group: '' } } };
    expect(standings(out, TOOLS)('t/main').group).toBeUndefined();
    expect(standings(out, TOOLS)('m/main').group).toBeUndefined();
  });
  it('a group that is gone leaves its pieces as they are; recipes from before groups open', () => {
    const r = applyEdit(grouped(), { label: 'x', changes: [{ type: 'setGroup', id: 'h', group: null }] });
    if (!r.ok) throw new Error(r.message);
    expect(standings(r.model, TOOLS)('a/main')).toMatchObject({ group: undefined, hidden: false, colour: '#445566' });
    expect(applyEdit(r.model, { label: 'x', changes: [{ type: 'setGroup', id: 'h', group: null }] })).toEqual({
      ok: false,
      message: 'the group is gone already',
    });
    const { groups: _, ...before } = grouped();
    const parsed = parseModel(before);
    expect(parsed.ok && parsed.model.groups).toEqual([]);
  });
  it('the name a person gave goes into what is written', async () => {
    const m: Model = {
      ...cone(),
      steps: [...cone().steps, step('x', 'export', {}, { pieces: ['l'] })],
      pieces: { 'l/main': { name: 'Nozzle' } },
    };
    const r = await run(m, newMemory(), { files: new Set(['x']) });
    expect(new TextDecoder().decode(r.steps.get('x')?.files[0].data)).toContain("PRODUCT('Nozzle'");
  });
});
