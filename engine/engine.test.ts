import { KernelError } from '@ample-skin/core/brep';
import { emptyModel, type Model, type Step } from '@ample-skin/core/recipe';
import { squeezeGrip, tansyBody } from '@ample-skin/demo';
import { demoAsset } from '@ample-skin/demo/node';
import { afterAll, describe, expect, it } from 'vitest';
import { KernelHost, type KernelThread, Session, type Update } from './index.ts';
import { nodeKernel, nodeKernelThread } from './node.ts';

const pick = (step: string) => [{ step, output: 'main' }];
const small = (): Model => ({
  ...emptyModel('small'),
  steps: [
    { id: 'a', tool: 'circle', version: 1, inputs: {}, params: { radius: 10 } },
    { id: 'p', tool: 'work-plane', version: 1, inputs: {}, params: { offset: [0, 0, 30] } },
    { id: 'b', tool: 'circle', version: 1, inputs: { plane: pick('p') }, params: { radius: 6 } },
    { id: 'l', tool: 'loft', version: 1, name: 'Small loft', inputs: { sections: [...pick('a'), ...pick('b')] }, params: { cap: true } },
    // a wall with round corners is the kernel's
    {
      id: 't',
      tool: 'shell',
      version: 1,
      name: 'Small solid',
      inputs: { solid: pick('l') },
      params: { wall: 1, side: 'out', corner: 'round' },
    },
  ] as Step[],
});
const noAsset = async () => undefined;

describe('the kernel in a thread of its own', () => {
  const kernel = nodeKernel();
  afterAll(() => kernel.close());
  it('answers, and refuses nonsense without dying', async () => {
    expect((await kernel.run('memory', {})).bytes).toBeGreaterThan(1e6);
    await expect(kernel.run('check', { input: 'garbage' })).rejects.toMatchObject({ kind: 'refused' });
    expect((await kernel.run('memory', {})).bytes).toBeGreaterThan(1e6);
  });
  it('a cancelled call ends at once and the next one works', async () => {
    const c = new AbortController();
    const call = kernel.run('memory', {}, { signal: c.signal });
    c.abort();
    await expect(call).rejects.toMatchObject({ kind: 'cancelled' });
    expect((await kernel.run('memory', {})).bytes).toBeGreaterThan(1e6);
  });
});

describe('a step that hangs or kills the kernel', () => {
  it('is marked with its name after the limit; the rest stays', async () => {
    const mute: KernelThread = { post() {}, onMessage() {}, onDeath() {}, kill() {} };
    const host = new KernelHost(() => mute);
    const session = new Session(host, noAsset);
    const u = await session.update(small(), { limit: 120 });
    const solid = u.steps.find((s) => s.id === 't');
    expect(solid?.status).toBe('hung');
    expect(solid?.diagnostics[0].message).toContain('Small solid');
    expect(u.steps.find((s) => s.id === 'l')?.status).toBe('fine');
    expect(u.pieces.find((p) => p.key === 'l/main')?.display).toBeDefined();
  });
  it('killed 20 times in the middle of a recompute: nothing lost, the step is named, the next try works', async () => {
    let current: KernelThread | undefined;
    let deadly = false;
    const host = new KernelHost(() => {
      const t = nodeKernelThread();
      current = {
        ...t,
        post: (m) => {
          t.post(m);
          // at once: a warm kernel may be done within milliseconds
          if (deadly) t.kill();
        },
      };
      return current;
    });
    const whole = await new Session(host, noAsset).update(small());
    const faces = (u: typeof whole) => u.pieces.find((p) => p.key === 't/main')?.facts;
    for (let k = 0; k < 20; k++) {
      const session = new Session(host, noAsset);
      deadly = true;
      const u = await session.update(small());
      const solid = u.steps.find((s) => s.id === 't');
      // killed while it built, or, where that was done before the kill arrived, while it was looked at: told either way, never fine
      expect([solid?.status, solid?.diagnostics.at(-1)?.code]).toEqual([expect.stringMatching(/^(hung|warning)$/), 'engine-died']);
      expect(solid?.diagnostics.at(-1)?.message).toContain('Small solid');
      expect(u.pieces.some((p) => p.key === 'l/main')).toBe(true);
      deadly = false;
      const again = await session.update(small());
      expect(again.steps.find((s) => s.id === 't')?.status).toBe('fine');
      expect(faces(again)).toEqual(faces(whole));
    }
    host.close();
  });
  it('errors carry their kind', () => expect(new KernelError('x', 'hung').kind).toBe('hung'));
});

describe('memory', () => {
  const RECOMPUTES = Number(process.env.RECOMPUTES ?? 300);
  it(`${RECOMPUTES} recomputes with the kernel: its memory stays bounded (a longer run: RECOMPUTES=1000)`, async () => {
    const kernel = nodeKernel();
    const session = new Session(kernel, noAsset);
    await session.update(small());
    const before = (await kernel.run('memory', {})).bytes;
    const { textOf, BodyBuilder, surfaceBody } = await import('@ample-skin/core/brep');
    const { planeSurface } = await import('@ample-skin/core/nurbs');
    const { WORLD, frameFromNormal } = await import('@ample-skin/core/math');
    const face = (f: typeof WORLD) =>
      textOf(surfaceBody(planeSurface(f, -10, 10, -10, 10), { prefix: 'f', face: () => 'f' }, new BodyBuilder()).body);
    const [target, tool] = [face(WORLD), face(frameFromNormal([1, 0, 0], [1, 0, 0]))];
    for (let k = 0; k < RECOMPUTES; k++) await kernel.run('split', { targets: [target], tools: [tool], fuzzy: 0 });
    const after = (await kernel.run('memory', {})).bytes;
    kernel.close();
    // the heap grows in steps of its own; what is kept per call must not add up
    expect(after - before).toBeLessThan(16 * 2 ** 20 + RECOMPUTES * 48 * 2 ** 10);
  });
});

describe('the demo', () => {
  it('Tansy body: every step fine, watertight solid with a wall, smooth seam', async () => {
    const kernel = nodeKernel();
    const session = new Session(kernel, demoAsset);
    const model = tansyBody();
    const u = await session.update(model);
    expect(u.steps.filter((s) => s.status !== 'fine').map((s) => `${s.id}: ${s.diagnostics[0]?.message}`)).toEqual([]);
    const fact = (id: string, label: string) => u.steps.find((s) => s.id === id)?.facts.find((f) => f.label === label)?.value;
    expect(fact('c-waist', 'freedoms left')).toBe('0');
    expect(fact('pic-side', 'A to B')).toBe('182 mm');
    const wall = u.pieces.find((p) => p.key === 'w-body/main');
    expect(wall?.kind).toBe('solid');
    expect(wall?.watertight).toBe(true);
    const proof = session.proof('w-body/main', model);
    expect(proof?.rims.length).toBe(0);
    expect(proof?.seams.filter((s) => s.faces[0] === s.faces[1] && s.grade !== 'G2' && s.grade !== 'G3').map((s) => s.name)).toEqual([]);
    expect(proof?.seams.every((s) => s.gap < 0.005)).toBe(true);
    const volume = Number(
      wall?.facts
        .find((f) => f.label === 'volume')
        ?.value.replace(/[^\d.]/g, '')
        .replace(/\.$/, ''),
    );
    // the waist's sketch follows its dials
    const box = (key: string) => u.pieces.find((p) => p.key === key)?.display?.box;
    const deeper = await session.update(model, {
      overrides: new Map([
        ['recess_depth', 9],
        ['grip_width', 60],
      ]),
    });
    const now = deeper.pieces.find((p) => p.key === 'c-waist/main')?.display?.box;
    const was = box('c-waist/main');
    expect((now?.max[1] ?? 0) / (was?.max[1] ?? 1)).toBeCloseTo(60 / 54, 3);
    expect((now?.max[0] ?? 0) - (was?.max[0] ?? 0)).toBeLessThan(-0.05);
    expect(deeper.steps.filter((s) => s.status !== 'fine').map((s) => s.id)).toEqual([]);
    expect(volume).toBeGreaterThan(25_000);
    expect(volume).toBeLessThan(35_000);
    kernel.close();
  });
});

describe('seams while something is dragged', () => {
  it('those on screen first, the same numbers as the whole proof has, within a picture’s time', async () => {
    const kernel = nodeKernel();
    const session = new Session(kernel, noAsset);
    const edge = (step: string, name: string) => [{ step, output: 'main', part: { kind: 'edge' as const, name } }];
    const wave = (id: string, y: number, lift: number) => ({
      id,
      tool: 'spline',
      version: 1,
      inputs: {},
      params: {
        flat: false,
        points: [
          [0, y, 0],
          [20, y, lift],
          [40, y, -lift],
          [60, y, 0],
        ],
      },
    });
    const model = (reach: number): Model => ({
      ...emptyModel('dragged'),
      steps: [
        wave('a0', 0, 4),
        wave('a1', 30, 2),
        { id: 'a', tool: 'loft', version: 1, inputs: { sections: [...pick('a0'), ...pick('a1')] }, params: {} },
        wave('b0', 50, 3),
        wave('b1', 80, 5),
        { id: 'b', tool: 'loft', version: 1, inputs: { sections: [...pick('b0'), ...pick('b1')] }, params: {} },
        {
          id: 'x',
          tool: 'blend',
          version: 1,
          inputs: { first: edge('a', 'a.u1'), second: edge('b', 'b.u0') },
          params: { gradeFirst: '1', gradeSecond: '1', reachFirst: reach },
        },
        { id: 'k', tool: 'knit', version: 1, inputs: { skins: ['a', 'x', 'b'].flatMap(pick) }, params: {} },
      ] as Step[],
    });
    await session.update(model(1));
    const before = session.proof('k/main', model(1))?.seams ?? [];
    expect(before).toHaveLength(2);
    await session.update(model(1.4), { preview: true });
    const wanted = before[1].key;
    const live = session.liveSeams('k/main', [wanted], 1000);
    expect(live.map((s) => s.key)).toEqual([wanted, before[0].key]);
    // the numbers are those of the shape as it is dragged, and no others
    const whole = new Map(session.proof('k/main', model(1.4))?.seams.map((s) => [s.key, s]));
    for (const s of live) expect([s.gap, s.kink, s.step]).toEqual(['gap', 'kink', 'step'].map((m) => whole.get(s.key)?.[m as 'gap']));
    expect(Math.abs(live[1].step - before[0].step)).toBeGreaterThan(0.5);
    // no time at all: one seam, the first one wanted
    expect(session.liveSeams('k/main', [wanted], 0).map((s) => s.key)).toEqual([wanted]);
    expect(session.liveSeams('nothing/main', [], 10)).toEqual([]);
    await kernel.close();
  });
});

describe('beside the open model', () => {
  const refit: Model = {
    ...emptyModel('refit'),
    steps: [
      {
        id: 'g',
        tool: 'grid-skin',
        version: 1,
        inputs: {},
        params: {
          columns: 6,
          grid: Array.from({ length: 36 }, (_, i) => [10 * (i % 6), 10 * Math.floor(i / 6), 3 * Math.sin(1.7 * i)]),
        },
      },
      { id: 'r', tool: 'refit-skin', version: 1, inputs: { skin: pick('g') }, params: { pointsU: 4, pointsV: 4, allowed: 5 } },
      { id: 'b', tool: 'primitive', version: 1, inputs: {}, params: { shape: 'ball', radius: 5 } },
    ] as Step[],
  };
  const kernel = nodeKernel();
  afterAll(() => kernel.close());
  it('a refit in the colours of its deviation: to what it was made from, its worst as the step tells it', async () => {
    const session = new Session(kernel, noAsset);
    const u = await session.update(refit);
    const told = u.steps.find((s) => s.id === 'r')?.facts.find((f) => /deviation/i.test(f.label))?.value ?? '';
    const m = await session.map('r/main', { kind: 'distance', to: 'before', beyond: 0, bands: 0 }, () => undefined);
    if (!m.ok) throw new Error(m.why);
    const worst = Math.max(...m.view.values.map(Math.abs));
    expect(worst).toBeGreaterThan(0);
    // sampled at other places, and to the nearest place rather than to the same parameters: never more than is told
    expect(worst).toBeLessThan(Number.parseFloat(told) * 1.02 + 1e-9);
    expect(worst).toBeGreaterThan(Number.parseFloat(told) * 0.3);
    const ball = await session.map('b/main', { kind: 'distance', to: 'before', beyond: 0, bands: 0 }, () => undefined);
    expect(ball).toMatchObject({ ok: false, why: expect.stringContaining('not made from another skin') });
  });
  it('a sweep and a comparison leave the open model as it is', async () => {
    const session = new Session(kernel, noAsset);
    const m = small();
    const dialled: Model = {
      ...m,
      dials: [{ name: 'r', formula: '6', unit: 'length' }],
      steps: m.steps.slice(0, 4).map((s) => (s.id === 'b' ? { ...s, params: { radius: 'r' } } : s)),
    };
    await session.update(dialled);
    const before = session.pieceOf('l/main');
    const rows = await session.sweep(dialled, [{ r: 5 }, { r: 8 }], {});
    // a loft of two circles is a cone: its volume is known
    for (const row of rows) {
      const x = row.point.r;
      expect(Math.abs((row.volume ?? 0) / ((Math.PI * 30 * (100 + 10 * x + x * x)) / 3) - 1)).toBeLessThan(1e-9);
    }
    const told: number[] = [];
    const c = await session.compare(
      dialled,
      { ...dialled, dials: [{ name: 'r', formula: '8', unit: 'length' }] },
      { tell: (_, done) => void told.push(done) },
    );
    expect(c.notes).toEqual([]);
    expect(c.pairs.map((p) => [!!p.a?.map, !!p.b?.map])).toEqual([[true, true]]);
    // from the rim of the larger lid straight to the steeper side: 2 sin of its lean
    expect(Math.abs((c.pairs[0].deviation?.most ?? 0) - (2 * 30) / Math.hypot(30, 4))).toBeLessThan(1e-6);
    expect(told.at(-1)).toBeGreaterThan(0.4);
    expect(session.pieceOf('l/main')).toBe(before);
    // what has no result on one side is told
    const broken = { ...dialled, dials: [{ name: 'r', formula: '-1', unit: 'length' as const }] };
    const half = await session.compare(dialled, broken, {});
    expect(half.notes.join()).toContain('no result');
    expect(half.pairs.map((p) => [!!p.a, !!p.b])).toEqual([[true, false]]);
  });
});

describe('a step that is dragged', () => {
  const kernel = nodeKernel();
  afterAll(() => kernel.close());
  const rim = (m: Model, by: number): Model => ({
    ...m,
    steps: m.steps.map((s) => {
      if (s.id !== 'c-rim') return s;
      const list = s.params.operations as { id: string }[];
      const moved = { id: 'drag', op: 'move', vertices: ['c-run v 0 1/2'], by: [0, 0, by] };
      return { ...s, params: { ...s.params, operations: by ? [...list, moved] : list } } as Step;
    }),
  });
  it('is shown before what follows it, which waits for a rest and is told as it was until then', async () => {
    const session = new Session(kernel, demoAsset);
    const m = squeezeGrip();
    const first = await session.update(m);
    expect(first.steps.map((s) => s.status)).toEqual(first.steps.map(() => 'fine'));
    const have = new Map(first.pieces.map((p) => [p.key, p.stamp]));
    const shown: { u: Update; after: number }[] = [];
    let last = first;
    for (let k = 1; k <= 4; k++) {
      const stop = new AbortController();
      const start = performance.now();
      last = await session.update(rim(m, k / 100), {
        preview: true,
        focus: 'c-rim',
        open: 'c-rim',
        have,
        signal: stop.signal,
        // the drag goes on as soon as it sees something, but for the last time
        onPartial: (u) => {
          shown.push({ u, after: performance.now() - start });
          if (k < 4) stop.abort();
        },
      });
      expect(last.cancelled).toBe(k < 4);
    }
    // behind the last one what follows was computed, and shown on the way
    expect(shown.length).toBeGreaterThanOrEqual(4);
    shown.length = 4;
    for (const { u } of shown) {
      expect(u.steps.length).toBe(first.steps.length);
      expect(u.pieces.find((p) => p.key === 'c-rim/main')?.display).toBeDefined();
      const solid = u.pieces.find((p) => p.key === 'k-grip/main');
      expect([solid?.live, solid?.stamp, solid?.display]).toEqual([true, have.get('k-grip/main'), undefined]);
    }
    // the first draws all of it once, those after it follow the one vertex; the whole takes seconds
    expect(Math.min(...shown.slice(1).map((s) => s.after))).toBeLessThan(last.ms / 4);
    expect(last.pieces.find((p) => p.key === 'k-grip/main')?.stamp).not.toBe(have.get('k-grip/main'));
    // and the same as without a drag
    const plain = await new Session(kernel, demoAsset).update(rim(m, 0.04), { preview: true });
    const volume = (u: Update) => u.pieces.find((p) => p.key === 'k-grip/main')?.facts.find((f) => f.label === 'volume')?.value;
    expect(volume(last)).toBe(volume(plain));
  });
  it('and what follows quickly comes along with it, without a rest', async () => {
    const session = new Session(kernel, noAsset);
    const m = small();
    const wide = (radius: number): Model => ({
      ...m,
      steps: m.steps.slice(0, 4).map((s) => (s.id === 'a' ? { ...s, params: { radius } } : s)),
    });
    const first = await session.update(wide(10));
    const have = new Map(first.pieces.map((p) => [p.key, p.stamp]));
    let partial = 0;
    for (const radius of [10.5, 11]) {
      const u = await session.update(wide(radius), { preview: true, focus: 'a', have, onPartial: () => void partial++ });
      expect(u.cancelled).toBe(false);
      expect(u.pieces.find((p) => p.key === 'l/main')?.display).toBeDefined();
    }
    expect(partial).toBe(0);
  });
  it('a model opened behind another one shows nothing of it, though its steps have the same ids', async () => {
    const session = new Session(kernel, noAsset);
    const m = { ...small(), steps: small().steps.slice(0, 1) };
    const broken = { ...m, steps: m.steps.map((s) => ({ ...s, params: { radius: -1 } })) };
    await session.update(m, { document: 'one' });
    // the same model: the last good circle stands there as old
    const old = await session.update(broken, { document: 'one' });
    expect(old.pieces.map((p) => [p.key, p.stale])).toEqual([['a/main', true]]);
    const other = await session.update(broken, { document: 'two' });
    expect([other.steps[0].status, other.pieces]).toEqual(['error', []]);
  });
});
