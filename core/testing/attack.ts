/** Attacks on tools, for tests only: one tool on randomly drawn sources with random settings, through the real registry and kernel. */
import type { Body } from '../brep/index.ts';
import { topologyOf } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { type Cage, edgeName, type Operation } from '../cage/index.ts';
import { findDefects } from '../proof/index.ts';
import {
  emptyModel,
  evaluateModel,
  metaOf,
  newMemory,
  type ParamMeta,
  type Pick,
  type Piece,
  partName,
  partPlace,
  type Slot,
  type Step,
  type StepResult,
} from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';
import { step } from './run.ts';
import { randomFrom } from './section-sets.ts';

type Random = () => number;
const between = (random: Random, a: number, b: number) => a + (b - a) * random();
const oneOf = <T>(random: Random, list: readonly T[]): T => list[Math.min(list.length - 1, Math.floor(random() * list.length))];
const chance = (random: Random, p: number) => random() < p;

/** Curves, planes and bodies to pick from: of one size, some tiny, some huge, some far from the origin, some degenerate. */
function sources(random: Random): Step[] {
  const size = oneOf(random, [20, 20, 20, 20, 20, 20, 0.02, 20000]);
  const far = chance(random, 0.1) ? 1e5 : 0;
  const number = () => between(random, -size, size);
  const points = (n: number, high = 0.5) => Array.from({ length: n }, () => [number(), number(), high * number()]);
  const ring = (n: number) =>
    Array.from({ length: n }, (_, i) => {
      const r = size * between(random, 0.4, 1);
      return [r * Math.cos((2 * Math.PI * i) / n), r * Math.sin((2 * Math.PI * i) / n), 0];
    });
  const plane = (id: string): Step =>
    step(id, 'work-plane', {
      base: oneOf(random, ['xy', 'xz', 'yz']),
      offset: [number(), number(), number() + far],
      turns: [between(random, -90, 90), between(random, -90, 90), 0],
    });
  const on = (s: Step, p: string): Step => ({ ...s, inputs: { ...s.inputs, plane: [{ step: p, output: 'main' }] } });
  const twice = points(4);
  let high = 0;
  const list = [
    plane('p0'),
    plane('p1'),
    on(step('line', 'polyline', { points: points(2) }), 'p0'),
    on(step('bent', 'polyline', { points: points(2 + Math.floor(5 * random())) }), 'p0'),
    on(step('doubled', 'polyline', { points: [...twice, twice[3], twice[1]] }), 'p0'),
    on(step('free', 'spline-through', { points: points(3 + Math.floor(5 * random())), flat: false }), 'p0'),
    on(step('free2', 'spline-through', { points: points(4), flat: true }), 'p1'),
    on(step('blob', 'spline-through', { points: ring(5 + Math.floor(5 * random())), closed: true }), 'p0'),
    on(step('blob2', 'spline-through', { points: ring(6), closed: true }), 'p1'),
    on(step('circle', 'circle', { radius: size * between(random, 0.05, 1), centre: [[number(), number()]] }), 'p1'),
    on(step('circle2', 'circle', { radius: size * between(random, 0.2, 1) }), 'p0'),
    on(step('arc', 'circle', { radius: size * between(random, 0.2, 1), part: 'arc', start: 10, end: between(random, 20, 350) }), 'p0'),
    on(step('square', 'rectangle', { by: 'centre', points: [[0, 0]], width: size, height: size * between(random, 0.2, 2) }), 'p1'),
    step('block', 'extrude', { distance: (high = size * between(random, 0.1, 2)) }, { profile: ['blob'] }),
    step('sheet', 'extrude', { distance: size * between(random, 0.1, 2), cap: false }, { profile: ['free2'] }),
    step('cone', 'loft', {}, { sections: ['circle', 'circle2'] }),
    on(step('shape', 'primitive', { shape: oneOf(random, ['box', 'ball', 'cylinder', 'cone', 'ring', 'ellipsoid']) }), 'p1'),
    step('lid', 'flat-skin', {}, { loops: ['square'] }),
    on(
      step('cage', 'cage-start', {
        shape: oneOf(random, ['grid', 'disc', 'ring', 'triangle', 'box', 'ball', 'cylinder', 'cone', 'torus']),
        width: size,
        depth: size * between(random, 0.3, 2),
        height: size,
        radius: size,
        inner: size / 3,
        tube: size / 4,
        across: 1 + Math.floor(4 * random()),
        opening: oneOf(random, [360, 360, 200]),
        caps: chance(random, 0.7),
      }),
      'p0',
    ),
    step('edited', 'cage-edit', { operations: [] }, { cage: ['cage'] }),
    ...net(random, size),
  ];
  // a hollow part with a belt round it
  return [
    ...list,
    step('hollow', 'shell', { wall: 0.05 * Math.min(size, high) }, { solid: ['block'] }),
    step('belt', 'move', { by: [0, 0, high / 2] }, { pieces: ['blob'], plane: ['p0'] }),
  ];
}
/** Curves each way over one bumpy hill, four and four, that meet exactly. */
function net(random: Random, size: number): Step[] {
  const [a, b, c] = [between(random, 0.5, 2), between(random, 0.5, 2), between(random, 0, 0.6)];
  const hill = (u: number, v: number) => [size * u, size * v * (1 + 0.2 * u), size * c * Math.sin(a * u * 3) * Math.cos(b * v * 3)];
  const shares = [0, 1 / 3, 2 / 3, 1];
  const through = (id: string, at: (t: number) => number[]) =>
    step(id, 'spline-through', { points: shares.map(at), flat: false, degree: 3 });
  return [...shares.map((u, i) => through(`u${i}`, (t) => hill(u, t))), ...shares.map((v, i) => through(`v${i}`, (t) => hill(t, v)))];
}
/** Picks that a person might make, by tool and slot; settings stay random. */
const LIKELY: Record<string, Record<string, readonly string[]>[]> = {
  weave: [
    { curves: ['u0', 'u3', 'v0', 'v3'] },
    { curves: ['u0', 'u1', 'u3', 'v0', 'v3'] },
    { curves: ['u0', 'u1', 'u2', 'u3', 'v0', 'v1', 'v2', 'v3'] },
    { curves: ['u0', 'u3'] },
    { curves: ['u0', 'v0', 'v3'] },
  ],
  'two-rails': [
    { first: ['u0'], second: ['u3'], sections: ['v0'] },
    { first: ['u0'], second: ['u3'], sections: ['v0', 'v3'] },
    { first: ['v0'], second: ['v3'], sections: ['u0', 'u1', 'u3'] },
  ],
  sweep: [
    { sections: ['circle'], path: ['free'] },
    { sections: ['blob'], path: ['free'] },
    { sections: ['square'], path: ['bent'] },
    { sections: ['circle', 'circle2'], path: ['free'] },
    { sections: ['free2'], path: ['blob'] },
    { sections: ['u0'], path: ['v0'] },
  ],
  tube: [{ path: ['free'] }, { path: ['bent'] }, { path: ['blob'] }, { path: ['doubled'] }, { path: ['circle'] }],
  loft: [
    { sections: ['circle', 'circle2'] },
    { sections: ['blob', 'circle2'] },
    { sections: ['u0', 'u1', 'u2', 'u3'] },
    { sections: ['square', 'blob2', 'circle'] },
  ],
  ruled: [{ ends: ['u0', 'u3'] }, { ends: ['circle', 'square'] }, { ends: ['blob', 'circle2'] }],
  'between-skins': [{ skins: ['block', 'cone'] }, { skins: ['sheet', 'lid'] }, { skins: ['cone', 'shape'] }],
  'grid-skin': [{ points: ['u0', 'u1', 'u2', 'u3'] }],
  'cut-sheets': [{ pieces: ['block'] }, { pieces: ['hollow'] }, { pieces: ['cone'] }, { pieces: ['shape'], along: ['free'] }],
  measure: [{ things: ['block'] }, { things: ['cone', 'sheet'] }, { things: ['free', 'p1'] }, { things: ['shape'] }],
  drawing: [{ pieces: ['block'] }, { pieces: ['cone', 'sheet'] }, { pieces: ['hollow'], section: ['p1'] }, { pieces: ['shape'] }],
  'split-loop': [{ solid: ['hollow'], loop: ['belt'] }],
  imprint: [
    { target: ['block'], lines: ['p1'] },
    { target: ['cone'], lines: ['sheet'] },
    { target: ['hollow'], lines: ['free', 'p1'] },
    { target: ['block'], lines: ['belt'] },
  ],
  'extend-skin': [
    { rim: ['cone#rim'], upTo: ['p1'], other: ['sheet#rim'] },
    { rim: ['sheet#rim'], upTo: ['cone'], other: ['lid#rim'] },
    { rim: ['lid#rim', 'lid#rim', 'lid#rim'], upTo: ['p0'], other: ['sheet#rim'] },
  ],
  fillet: [{ edges: ['block#edge'] }, { edges: ['cone#edge'] }, { edges: ['hollow#edge'] }, { edges: ['block#edge', 'block#edge'] }],
  patch: [
    { rim: ['cone#rim'] },
    { skin: ['cone'] },
    { rim: ['u0', 'u3', 'v0', 'v3'], through: ['u1'] },
    { rim: ['sheet#rim', 'u0'] },
    { rim: ['blob'] },
    { rim: ['circle2'] },
  ],
  'match-edge': [
    { edge: ['sheet#rim'], to: ['lid#rim'] },
    { edge: ['cone#rim'], to: ['sheet#rim'] },
    { edge: ['cone#rim'], to: ['circle'] },
    { edge: ['sheet#rim'], to: ['p0'] },
    { edge: ['sheet#rim'], to: ['lid#rim'], more: ['sheet#rim'], moreTo: ['u0'] },
  ],
  blend: [
    { first: ['cone#rim'], second: ['sheet#rim'] },
    { first: ['sheet#rim'], second: ['lid#rim'], shape: ['free'] },
    { first: ['cone#rim'], second: ['circle'] },
    { first: ['lid#rim'], second: ['u0'], mirror: ['p0'] },
    { first: ['sheet#rim'], firstMore: ['sheet#rim'], second: ['free2'] },
  ],
  trim: [
    { target: ['block'], cutters: ['p1'] },
    { target: ['cone'], cutters: ['sheet'], more: ['shape', 'block'] },
    { target: ['hollow'], cutters: ['p0', 'p1'] },
  ],
  combine: [
    { first: ['block'], second: ['shape'] },
    { first: ['hollow'], second: ['shape'] },
  ],
  array: [{ pieces: ['block', 'sheet'], path: ['free'] }],
  deform: [{ pieces: ['hollow'] }, { pieces: ['cone', 'sheet'] }, { pieces: ['cage'] }],
  'cage-edit': [{ cage: ['cage'] }, { cage: ['cage'], mirror: ['p0'] }],
  'cage-skin': [{ cage: ['cage'] }, { cage: ['edited'] }, { cage: ['edited'] }],
  'cage-fit': [
    { cage: ['cage'], onto: ['shape'] },
    { cage: ['edited'], onto: ['block'] },
  ],
  'cage-align': [
    { cage: ['cage'], to: ['circle'] },
    { cage: ['edited'], to: ['free'] },
    { cage: ['cage'], to: ['sheet'] },
    { cage: ['cage'], to: ['cone'] },
  ],
  'cage-rows': [
    { lines: ['circle', 'circle2'], onto: ['cone'] },
    { lines: ['u0', 'u1', 'u3'] },
    { lines: ['free', 'free2'], joins: ['cage'] },
  ],
  'cage-from': [{ of: ['sheet'] }, { of: ['lid'] }],
  'cage-mesh': [{ cage: ['edited'] }],
  pave: [{ plane: ['p0'] }, { plane: ['p0'], joins: ['cage'] }],
  'scan-line': [{ onto: ['cone'] }, { onto: ['shape'] }],
  lattice: [{ pieces: ['cage'] }, { pieces: ['edited', 'free'] }, { pieces: ['cone'] }],
};
/** A pick of a step, of one of its open edges (`step#rim`), or of one between two faces (`step#edge`). */
function likelyPick(random: Random, x: string, made: ReadonlyMap<string, StepResult>): Pick | undefined {
  const [id, part] = x.split('#');
  if (!part) return { step: id, output: 'main' };
  const piece = made.get(id)?.outputs.main;
  if (piece?.kind !== 'skin' && piece?.kind !== 'solid') return undefined;
  const { rims, seams } = topologyOf(piece.body);
  const list = part === 'rim' ? rims : seams;
  if (!list.length) return undefined;
  const edge = oneOf(random, list);
  return {
    step: id,
    output: 'main',
    part: { kind: 'edge', name: partName(piece.body, 'edge', edge), near: partPlace(piece.body, 'edge', edge) as [number, number, number] },
  };
}

function value(random: Random, meta: ParamMeta, standard: unknown): unknown {
  const [low, high] = [meta.min ?? -Infinity, meta.max ?? Infinity];
  const clip = (x: number) => Math.min(high, Math.max(low, x));
  if (meta.control === 'number' || meta.control === 'integer') {
    const base = typeof standard === 'number' ? standard : 1;
    const kind = random();
    const x =
      kind < 0.6
        ? (base || 1) * 10 ** between(random, -0.6, 0.6)
        : kind < 0.7 && Number.isFinite(low)
          ? low
          : kind < 0.8
            ? Math.min(high, 1000 * Math.abs(base || 1))
            : kind < 0.9
              ? 0
              : -base;
    return meta.control === 'integer' ? Math.round(clip(Math.min(x, 200))) : clip(x);
  }
  if (meta.control === 'toggle') return chance(random, 0.5);
  if (meta.control === 'choice') return oneOf(random, meta.options ?? []).value;
  if (meta.control === 'vector') return [between(random, -1, 1), between(random, -1, 1), chance(random, 0.2) ? 0 : between(random, -1, 1)];
  if (meta.control === 'points')
    return Array.from({ length: Math.floor(6 * random()) }, () => [between(random, -20, 20), between(random, -20, 20), 0]);
  if (meta.control === 'law') return chance(random, 0.5) ? [] : [0, 0.5, 1].map((t) => [t, clip(between(random, -2, 3))]);
  return standard;
}

const fitting = (slot: Slot, piece: Piece): ('whole' | 'edge' | 'face' | 'vertex')[] => {
  const list: ('whole' | 'edge' | 'face' | 'vertex')[] = [];
  const body = piece.kind === 'skin' || piece.kind === 'solid';
  const has = (...kinds: string[]) => slot.accepts.some((a) => kinds.includes(a));
  if (piece.kind === 'curve' && has('chain', 'piece')) list.push('whole');
  if (piece.kind === 'plane' && has('flat', 'piece')) list.push('whole');
  if (piece.kind === 'cage' && has('cage', 'piece')) list.push('whole');
  if (body && (has('body', 'piece') || has(piece.kind))) list.push('whole');
  if (body && has('chain', 'edge')) list.push('edge');
  if (body && has('face', 'flat')) list.push('face');
  if (body && has('vertex')) list.push('vertex');
  return list;
};
function pickOf(random: Random, slot: Slot, made: ReadonlyMap<string, StepResult>): Pick | undefined {
  const all = [...made].flatMap(([id, r]) => {
    const piece = r.outputs.main;
    return piece ? fitting(slot, piece).map((how) => ({ id, piece, how })) : [];
  });
  if (!all.length) return undefined;
  const { id, piece, how } = oneOf(random, all);
  const settings = slot.each && Object.fromEntries(paramsOf(random, slot.each.shape));
  const base = { step: id, output: 'main', ...(settings ? { settings } : {}) };
  if (how === 'whole') return base;
  const { body } = piece as { body: Body };
  const count = how === 'face' ? body.faces.length : how === 'edge' ? body.edges.length : body.vertices.length;
  const index = Math.floor(random() * count);
  if (how === 'edge' && body.edges[index].degenerate) return undefined;
  return {
    ...base,
    part: { kind: how, name: partName(body, how, index), near: partPlace(body, how, index) as [number, number, number] },
    ...(how === 'edge' && chance(random, 0.3) ? { grow: { way: oneOf(random, ['chain', 'loop', 'rim'] as const) } } : {}),
  };
}
/** Operations on a cage, most of them on what is there. */
function operationsOn(random: Random, cage: Cage): Operation[] {
  const edges = Array.from({ length: cage.shape.edges }, (_, e) => edgeName(cage, e));
  const some = (list: readonly string[]) =>
    chance(random, 0.05) ? ['gone'] : [...new Set(Array.from({ length: 1 + Math.floor(4 * random()) }, () => oneOf(random, list)))];
  const [vertex, edge, face] = [() => some(cage.vertexNames), () => some(edges), () => some(cage.faceNames)];
  const size = Math.max(...cage.points.map(Math.abs)) / 4;
  const away = (): [number, number, number] => [between(random, -size, size), between(random, -size, size), between(random, -size, size)];
  return Array.from({ length: Math.floor(7 * random()) }, (_, i): Operation => {
    const id = `k${i + 1}`;
    const row = () => [...vertex(), oneOf(random, cage.vertexNames)];
    return oneOf<() => Operation>(random, [
      () => ({
        id,
        op: 'move',
        vertices: vertex(),
        by: away(),
        turn: [0, 0, between(random, -90, 90)],
        radius: chance(random, 0.5) ? size : 0,
      }),
      () => ({ id, op: 'move', vertices: vertex(), scale: [between(random, -1, 2), 1, 1] }),
      () => ({ id, op: 'extrude-faces', faces: face(), by: between(random, -size, size) }),
      () => ({ id, op: 'extrude-edges', edges: edge(), by: away() }),
      () => ({ id, op: 'insert-loop', edge: edge()[0], shares: [between(random, -0.2, 1.2)] }),
      () => ({ id, op: 'connect', vertices: row() }),
      () => ({ id, op: 'remove', faces: face() }),
      () => ({ id, op: 'dissolve-edges', edges: edge(), heal: chance(random, 0.5) }),
      () => ({ id, op: 'dissolve-vertices', vertices: vertex() }),
      () => ({ id, op: 'fill', edge: edge()[0] }),
      () => ({ id, op: 'weld', groups: [row()], place: 'middle' }),
      () => ({ id, op: 'bridge', from: edge()[0], to: edge()[0], turns: Math.floor(5 * random()) }),
      () => ({ id, op: 'bridge-faces', faces: [face()[0], face()[0]], turns: Math.floor(5 * random()) }),
      () => ({ id, op: 'crease', edges: edge(), sharpness: oneOf(random, [0, 0.5, 2, 11]) }),
      () => ({ id, op: 'hold', vertices: vertex(), sharpness: oneOf(random, [0, 1, 11]) }),
      () => ({ id, op: 'flatten', vertices: row(), share: between(random, -1, 2) }),
      () => ({ id, op: 'straighten', vertices: row(), even: chance(random, 0.5) }),
      () => ({ id, op: 'circle', vertices: row() }),
      () => ({ id, op: 'calm', vertices: vertex(), rounds: 3 }),
      () => ({ id, op: 'ring', faces: face(), share: between(random, -0.1, 1.1) }),
      () => ({ id, op: 'split-off', faces: face() }),
      () => ({ id, op: 'copy-faces', faces: face(), by: away() }),
      () => ({ id, op: 'thicken', by: between(random, -size, size) }),
      () => ({ id, op: 'slide', edges: edge(), share: between(random, -1.2, 1.2) }),
      () => ({ id, op: 'refine' }),
      () => ({ id, op: 'refine-part', faces: face() }),
      () => ({ id, op: 'run-on', vertices: vertex() }),
      () => ({ id, op: 'stop', vertices: vertex() }),
    ])();
  });
}
const paramsOf = (random: Random, shape: Record<string, unknown>): [string, unknown][] =>
  Object.entries(shape).map(([key, schema]) => {
    const s = schema as { parse: (x: undefined) => unknown };
    const standard = s.parse(undefined);
    return [key, chance(random, 0.65) ? standard : value(random, metaOf(schema as never), standard)];
  });

export interface Attack {
  readonly step: Step;
  readonly result: StepResult;
}
/** One attack on a tool: the same for the same seed. */
export async function attack(id: string, seed: number): Promise<Attack & { readonly recipe: readonly Step[] }> {
  const tool = TOOLS.get(id);
  if (!tool) throw new Error(`no tool ${id}`);
  const random = randomFrom(seed * 31 + id.length * 1009 + id.charCodeAt(0));
  const memory = newMemory();
  const given = sources(random);
  const run = (steps: readonly Step[]) =>
    evaluateModel({ ...emptyModel('shapes'), steps: [...steps] }, { tools: TOOLS, kernel, memory, limit: 20000 });
  const first = (await run(given)).steps;
  const start = first.get('cage')?.outputs.main;
  const edited = given.find((s) => s.id === 'edited');
  if (edited && start?.kind === 'cage') Object.assign(edited.params, { operations: operationsOn(random, start.cage) });
  const made = (await run(given)).steps;
  const likely = chance(random, 0.6) ? LIKELY[id] && oneOf(random, LIKELY[id]) : undefined;
  const inputs: Record<string, Pick[]> = {};
  for (const [key, slot] of Object.entries(tool.slots)) {
    if (likely?.[key]) {
      inputs[key] = likely[key].flatMap((x): Pick[] => {
        const p = likelyPick(random, x, made);
        return p ? [{ ...p, ...(slot.each ? { settings: Object.fromEntries(paramsOf(random, slot.each.shape)) } : {}) }] : [];
      });
      continue;
    }
    if (likely && slot.min === 0 && chance(random, 0.7)) continue;
    const most = Math.min(slot.max, chance(random, 0.6) ? Math.max(1, slot.min) : slot.min + 3);
    const count = slot.min + Math.floor(random() * (most - slot.min + 1));
    const picks = Array.from({ length: count }, () => pickOf(random, slot, made)).filter((p) => p !== undefined);
    inputs[key] = chance(random, 0.9)
      ? picks.filter((p, i) => picks.findIndex((q) => q.step === p.step && !p.part && !q.part) === i || p.part)
      : picks;
  }
  const params = Object.fromEntries(paramsOf(random, tool.params.shape));
  const cage = made.get(inputs.cage?.[0]?.step ?? '')?.outputs.main;
  if ('operations' in params && cage?.kind === 'cage') params.operations = operationsOn(random, cage.cage);
  const attacked: Step = { id: 'attacked', tool: id, version: tool.version, params, inputs };
  const recipe = [...given, attacked];
  const result = (await run(recipe)).steps.get('attacked') as StepResult;
  return { step: attacked, result, recipe };
}

/** Gaps that tools of seams promise, mm. */
const SEAMS: Readonly<Record<string, number>> = { patch: 1e-3 };
/** What is wrong with an answer, whatever was asked: nothing, or a list of complaints. */
export function complaints({ step, result }: Attack): string[] {
  const out: string[] = [];
  const texts = [
    ...result.diagnostics.map((d) => d.message),
    ...result.facts.map((f) => `${f.label} ${f.value}`),
    ...(result.marks ?? []).map((m) => ('label' in m ? String(m.label ?? '') : '')),
  ];
  for (const t of texts) if (/NaN|undefined|null|\[object|Infinity/.test(t)) out.push(`says "${t}"`);
  for (const d of result.diagnostics) {
    if (d.code === 'unexpected' || d.code.startsWith('engine-')) out.push(`${d.code}: ${d.message}`);
    if (d.message.trim().length < 8) out.push(`a message without words: "${d.message}"`);
  }
  if (result.status === 'error' && !result.diagnostics.length) out.push('an error without a word');
  if (result.status === 'fine' && !Object.keys(result.outputs).length && !result.pages?.length && !result.facts.length)
    out.push('fine, and nothing made');
  for (const f of result.facts) if (f.number !== undefined && !Number.isFinite(f.number)) out.push(`${f.label} is ${f.number}`);
  for (const [key, piece] of Object.entries(result.outputs)) {
    if (piece.kind === 'cage') {
      const { points, vertexNames, faceNames } = piece.cage;
      if (!points.every(Number.isFinite)) out.push(`${key}: a vertex that is no number`);
      if (new Set(vertexNames).size < vertexNames.length || new Set(faceNames).size < faceNames.length)
        out.push(`${key}: names that are not unique`);
    }
    if (piece.kind === 'curve')
      for (const c of piece.curves)
        if (!c.control.every(Number.isFinite) || !c.knots.every(Number.isFinite)) out.push(`${key}: a curve that is no number`);
    // edges lie on their faces within what was asked; faces that cross are the desk's to tell
    if ((piece.kind === 'skin' || piece.kind === 'solid') && result.status === 'fine')
      for (const d of findDefects(piece.body, Math.max(SEAMS[step.tool] ?? 1e-5, 4 * Number(step.params.tolerance ?? 0))).filter(
        (x) => x.code === 'loose-edge',
      ))
        out.push(`fine, and ${d.code}: ${d.message}`);
    if (piece.kind === 'skin' || piece.kind === 'solid')
      for (const f of piece.body.faces) {
        const { control, knotsU, knotsV } = f.surface;
        if (![control, knotsU, knotsV].every((l) => l.every(Number.isFinite))) out.push(`${key}: face ${f.name} is no number`);
      }
  }
  if (result.ms > 30000) out.push(`took ${(result.ms / 1000).toFixed(1)} s`);
  return out;
}
