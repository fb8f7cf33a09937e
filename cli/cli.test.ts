import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import init from 'replicad-opencascadejs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';

const root = fileURLToPath(new URL('..', import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'ample-cli-'));
const file = (name: string) => join(folder, name);
function ample(...args: string[]) {
  const start = performance.now();
  const r = spawnSync(process.execPath, ['cli/ample.mjs', ...args], { cwd: root, encoding: 'utf8', maxBuffer: 1 << 26 });
  return { code: r.status, out: r.stdout, err: r.stderr, ms: performance.now() - start, json: () => JSON.parse(r.stdout) };
}
/** Milliseconds in which this machine, as busy as it is, starts the program and does nothing with it. */
let started: number | undefined;
const starting = (): number => {
  started ??= ample('dance').ms;
  return started;
};
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A file our own code had no part in: a drilled block with a cylinder, made and written by the kernel alone. */
let foreign: { volume: number; area: number; faces: number };
beforeAll(async () => {
  // biome-ignore lint/suspicious/noExplicitAny: generated bindings
  const oc: any = await (init as unknown as (o: object) => Promise<unknown>)({ print() {}, printErr() {} });
  const pr = () => new oc.Message_ProgressRange();
  const block = new oc.BRepPrimAPI_MakeBox(40, 30, 20).Shape();
  const axis = new oc.gp_Ax2(new oc.gp_Pnt(20, 15, -5), new oc.gp_Dir(0, 0, 1));
  const drill = new oc.BRepPrimAPI_MakeCylinder(axis, 6, 40).Shape();
  const ball = new oc.BRepPrimAPI_MakeSphere(9).Shape();
  const cut = new oc.BRepAlgoAPI_Cut(new oc.BRepAlgoAPI_Cut(block, drill, pr()).Shape(), ball, pr()).Shape();
  const g = new oc.GProp_GProps();
  oc.BRepGProp.VolumeProperties(cut, g, 1e-9, false);
  const a = new oc.GProp_GProps();
  oc.BRepGProp.SurfaceProperties(cut, a, 1e-9, false);
  let faces = 0;
  for (const e = new oc.TopExp_Explorer(cut, 'TopAbs_FACE', 'TopAbs_SHAPE'); e.More(); e.Next()) faces++;
  foreign = { volume: g.Mass(), area: a.Mass(), faces };
  const w = new oc.STEPControl_Writer();
  w.Transfer(cut, 'STEPControl_AsIs', true, pr());
  w.Write('/x.step');
  writeFileSync(file('foreign.step'), oc.FS.readFile('/x.step', { encoding: 'utf8' }));
});

describe('ample check', () => {
  it('a foreign STEP file: faces, rims, watertight, volume as the kernel has them and as the closed form says', () => {
    const r = ample('check', file('foreign.step'), '--json');
    expect(r.code).toBe(0);
    const c = r.json();
    expect(c.faces).toBe(foreign.faces);
    expect(c.rims.count).toBe(0);
    expect(c.watertight).toBe(true);
    expect(c.solids).toBe(1);
    expect(c.valid).toBe(true);
    // block less bore less the eighth of a ball at its corner
    expect(Math.abs(c.volumeMm3 / (24000 - Math.PI * 36 * 20 - ((4 / 3) * Math.PI * 729) / 8) - 1)).toBeLessThan(1e-6);
    expect(Math.abs(c.volumeMm3 / foreign.volume - 1)).toBeLessThan(1e-5);
    expect(Math.abs(c.areaMm2 / foreign.area - 1)).toBeLessThan(1e-5);
    expect(c.bbox.max[0]).toBeCloseTo(40, 6);
    // the mesh library agrees: one part, and the bore goes right through
    expect(c.mesh).toMatchObject({ solid: true, parts: 1, genus: 1 });
    expect(Math.abs(c.mesh.volume / c.volumeMm3 - 1)).toBeLessThan(2e-3);
    expect(Object.keys(c).sort()).toEqual([
      'areaMm2',
      'bbox',
      'defects',
      'faces',
      'mesh',
      'ms',
      'rims',
      'seams',
      'solids',
      'unit',
      'valid',
      'volumeMm3',
      'watertight',
    ]);
  });
  it('the Returned cap: open, with its sliver and its duplicate', () => {
    const r = ample('check', 'demo/files/returned-cap.step', '--json');
    expect(r.code).toBe(1);
    const codes = r.json().defects.map((d: { code: string }) => d.code);
    expect(r.json().watertight).toBe(false);
    expect(r.json().rims.count).toBeGreaterThan(0);
    for (const c of ['sliver-face', 'duplicate-face']) expect(codes).toContain(c);
  });
  it.each([
    ['empty.step', () => '', 'empty'],
    ['cut-off.step', () => readFileSync(file('foreign.step'), 'utf8').slice(0, 6000), 'cut off'],
    ['garbage.step', () => Buffer.from(Array.from({ length: 4000 }, (_, i) => (i * 7919) % 256)), 'not a STEP file'],
    ['words.step', () => 'this is a letter, not a part', 'not a STEP file'],
    ['hollow.step', () => 'ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n', 'STEP file'],
    ['letter.txt', () => 'hello', 'not a known kind'],
    ['broken.json', () => '{"format":', 'not JSON'],
    ['other.json', () => '{"format":"other"}', 'not a recipe'],
    ['bad.stl', () => 'solid', 'STL'],
  ] as [string, () => string | Buffer, string][])('%s: a clear message and exit code 2 within 10 s', (name, content, why) => {
    writeFileSync(file(name), content());
    const r = ample('check', file(name), '--json');
    expect(r.code).toBe(2);
    expect(r.json().error).toContain(why);
    expect(r.ms).toBeLessThan(10_000 + starting());
  });
  it('a huge file of the wrong kind is refused quickly', () => {
    writeFileSync(file('huge.step'), Buffer.alloc(210 * 2 ** 20, 65));
    const r = ample('check', file('huge.step'));
    expect(r.code).toBe(2);
    expect(r.err).toContain('limit');
    expect(r.ms).toBeLessThan(10_000 + starting());
  });
  it('a missing file, a missing word, a wrong option', () => {
    expect(ample('check', file('nobody.step')).code).toBe(2);
    expect(ample('check').code).toBe(2);
    expect(ample('dance').code).toBe(2);
    expect(ample('check', '--fast').err).toContain('--fast');
  });
});

describe('other files', () => {
  it('a mesh in inches is checked and becomes STL; its open edge is counted', () => {
    const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => `v ${i & 1 ? 2 : 0} ${i & 2 ? 3 : 0} ${i & 4 ? 4 : 0}`);
    const sides = ['1 3 4 2', '5 6 8 7', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6'];
    writeFileSync(file('block.obj'), [...corners, ...sides.map((x) => `f ${x}`)].join('\n'));
    const whole = ample('check', file('block.obj'), '--json');
    expect([whole.code, whole.json().triangles, whole.json().volumeMm3]).toEqual([0, 12, 24]);
    writeFileSync(file('open.obj'), [...corners, ...sides.slice(1).map((x) => `f ${x}`)].join('\n'));
    const open = ample('check', file('open.obj'), '--json');
    expect([open.code, open.json().openEdges, open.json().watertight]).toEqual([1, 4, false]);
    const many = Array.from({ length: 18 }, (_, k) => [
      ...corners.map((c) => c.replace(/^v (\d)/, (_m, x) => `v ${Number(x) + 9 * k}`)),
      ...sides.map((x) => `f ${x.replace(/\d/g, (d) => String(Number(d) + 8 * k))}`),
    ]).flat();
    writeFileSync(file('many.obj'), many.join('\n'));
    const parts = ample('check', file('many.obj'), '--json');
    expect([parts.code, parts.json()]).toMatchObject([
      0,
      { watertight: true, solid: true, closedParts: 18, handles: 0, volumeMm3: 18 * 24 },
    ]);
    expect(ample('convert', file('block.obj'), file('block.stl')).code).toBe(0);
    expect(ample('check', file('block.stl'), '--json').json()).toMatchObject({ triangles: 12, watertight: true });
    const cut = ample('check', file('nothing.ply'));
    expect(cut.code).toBe(2);
  });
  it('curves of a recipe are written as DXF and turned into SVG with the same length', () => {
    const recipe = {
      format: 'ample-skin-recipe',
      version: 1,
      name: 'ring',
      steps: [{ id: 'c', tool: 'circle', params: { radius: 'r' } }],
      dials: [{ name: 'r', formula: '10 mm' }],
    };
    writeFileSync(file('ring.json'), JSON.stringify(recipe));
    expect(ample('run', file('ring.json'), '--set', 'r=20', '--out', file('ring.dxf')).code).toBe(0);
    expect(readFileSync(file('ring.dxf'), 'utf8')).toContain('SPLINE');
    const r = ample('convert', file('ring.dxf'), file('ring.svg'), '--json');
    expect([r.code, r.json().curves]).toEqual([0, 1]);
    expect(readFileSync(file('ring.svg'), 'utf8')).toMatch(/viewBox="[^"]*4[0-9]/);
  });
});

describe('ample tools, run, convert', () => {
  it('every format out of a foreign STEP file, in inches, read back and compared; the volume is the closed form', () => {
    const exact = 24000 - Math.PI * 36 * 20 - ((4 / 3) * Math.PI * 729) / 8;
    for (const kind of ['step', 'iges', 'stl', '3mf', 'obj', 'ply', 'glb']) {
      const surfaces = kind === 'step' || kind === 'iges';
      const r = ample(
        'convert',
        file('foreign.step'),
        file(`out.${kind}`),
        '--unit',
        'in',
        '--schema',
        'AP242',
        '--tolerance',
        '0.01',
        '--json',
      );
      expect([kind, r.code, r.err]).toEqual([kind, 0, '']);
      const [written] = r.json().written;
      const volume = written.compared.find((c: { what: string }) => c.what === 'volume');
      const near = surfaces ? 1e-6 : 1e-3;
      // trimmed surfaces do not say that they are a solid, and have no volume of their own
      expect(Math.abs(volume.file / exact - 1)).toBeLessThan(near);
      expect(existsSync(file(`out.${kind}`))).toBe(true);
    }
    expect(readFileSync(file('out.step'), 'utf8')).toContain('AP242_MANAGED_MODEL');
    const again = ample('check', file('out.iges'), '--json').json();
    expect(again.watertight).toBe(true);
    expect(Math.abs(again.volumeMm3 / exact - 1)).toBeLessThan(1e-6);
    expect(ample('convert', file('foreign.step'), file('x.step'), '--unit', 'cubit').err).toContain('it is one of mm, in, m');
    expect(ample('convert', file('out.3mf'), file('x.iges')).err).toContain('a mesh has no surfaces');
    expect(ample('convert', file('out.3mf'), file('back.ply'), '--json').json().written[0].compared.length).toBeGreaterThan(5);
  });
  it('writes the proof report for people as a page and as a PDF; another ending is refused', () => {
    const recipe = file('small.json');
    const steps = [{ id: 'b', tool: 'primitive', version: 1, inputs: {}, params: { shape: 'ball', radius: 6, solid: true } }];
    writeFileSync(recipe, JSON.stringify({ format: 'ample-skin-recipe', version: 1, name: 'Small', dials: [], steps }));
    expect(ample('run', recipe, '--report', file('proof.html')).code).toBe(0);
    expect(readFileSync(file('proof.html'), 'utf8')).toContain('Every step is fine');
    expect(ample('run', recipe, '--report', file('proof.pdf')).code).toBe(0);
    expect(readFileSync(file('proof.pdf'), 'latin1').slice(0, 5)).toBe('%PDF-');
    const refused = ample('run', recipe, '--report', file('proof.doc'));
    expect([refused.code, refused.err]).toEqual([2, expect.stringContaining('a report is .json, .html or .pdf')]);
  });
  it('lists tools with JSON schema', () => {
    const list = ample('tools', '--json').json();
    const loft = list.find((t: { id: string }) => t.id === 'loft');
    expect(loft.params.properties.degree).toBeDefined();
    expect(loft.slots.sections.ordered).toBe(true);
  });
  it('tries other methods for what a step fills, and keeps one in its place', () => {
    const demo = 'demo/recipes/tansy-shroud.json';
    const r = ample('try-off', demo, 'f-cheek', '--keep', 'weave', '--out', file('woven.json'), '--json');
    expect(r.code).toBe(0);
    const rows = r.json().methods as { method: string; reached?: string; gapMm: number; why?: string }[];
    const of = (method: string) => rows.find((x) => x.method === method);
    expect(of('patch')?.reached).toBe('G2');
    expect(of('weave')?.gapMm).toBeLessThan(1e-5);
    expect(of('blend-a')?.reached).toBe('open');
    expect(of('flat')?.why).toContain('out of one plane');
    const kept = JSON.parse(readFileSync(file('woven.json'), 'utf8'));
    const step = (id: string) => kept.steps.find((s: { id: string }) => s.id === id);
    expect([step('f-cheek').tool, step('patch-before-1').muted]).toEqual(['weave', true]);
    expect(ample('check', file('woven.json'), '--json').json().watertight).toBe(true);
    expect(ample('try-off', demo, 'nothing').err).toContain('these fill or bridge something: f-cheek');
    expect(ample('try-off', demo, 's-half').err).toContain('neither fills');
  });
  it('runs the demo, writes STEP and STL, converts, and the volumes agree', () => {
    const r = ample(
      'run',
      'demo/recipes/tansy-body.json',
      '--out',
      file('body.step'),
      '--out',
      file('body.stl'),
      '--report',
      file('report.json'),
      '--set',
      'wall=1.5',
    );
    expect(r.err).toBe('');
    expect(r.code).toBe(0);
    const report = JSON.parse(readFileSync(file('report.json'), 'utf8'));
    expect(report.dials.wall).toBe(1.5);
    expect(report.check.watertight).toBe(true);
    const back = ample('check', file('body.step'), '--json').json();
    expect(back.faces).toBe(report.check.faces);
    expect(Math.abs(back.volumeMm3 / report.check.volumeMm3 - 1)).toBeLessThan(1e-6);
    expect(ample('check', file('body.stl'), '--json').json().watertight).toBe(true);
    expect(ample('convert', file('body.step'), file('again.stl'), '--tolerance', '0.1 mm').code).toBe(0);
    expect(existsSync(file('again.stl'))).toBe(true);
    const unknown = ample('convert', file('body.step'), file('again.xyz'));
    expect([unknown.code, unknown.err]).toEqual([2, expect.stringContaining('.step .stp .iges')]);
    expect(ample('run', 'demo/recipes/tansy-body.json', '--set', 'nobody=3').err).toContain('no dial');
  });
});

describe('ample sweep and ample compare', () => {
  const ball = (radius: string, more: object = {}) =>
    JSON.stringify({
      format: 'ample-skin-recipe',
      version: 1,
      name: 'Ball',
      dials: [{ name: 'r', formula: radius, unit: 'length' }],
      steps: [{ id: 'b', tool: 'primitive', version: 1, params: { shape: 'ball', radius: 'r' }, inputs: {}, ...more }],
    });
  it('a ball over its radius: a line for each run, a table beside it, exit code 1 when a run is not fine', () => {
    writeFileSync(file('ball.json'), ball('10'));
    const r = ample('sweep', file('ball.json'), '--over', 'r=5..10:2', '--out', file('ball.csv'));
    expect([r.code, r.err.replaceAll(/npm warn.*\n/g, '')]).toEqual([0, '']);
    const lines = readFileSync(file('ball.csv'), 'utf8').trim().split('\r\n');
    expect(lines.length).toBe(3);
    expect(Math.abs(Number(lines[2].split(',')[3]) / ((4 / 3) * Math.PI * 1000) - 1)).toBeLessThan(1e-9);
    const bad = ample('sweep', file('ball.json'), '--over', 'r=-5..10:2', '--json');
    expect(bad.code).toBe(1);
    expect(bad.json().rows.map((x: { ok: boolean }) => x.ok)).toEqual([false, true]);
  });
  it('what cannot be swept says why, with code 2', () => {
    for (const [args, word] of [
      [[], '--over'],
      [['--over', 'r=1'], 'FROM..TO:COUNT'],
      [['--over', 'q=1..2:3'], 'there are: r'],
      [['--over', 'r=1..2:3', '--out', file('x.txt')], '.csv'],
    ] as const) {
      const r = ample('sweep', file('ball.json'), ...args);
      expect(r.code).toBe(2);
      expect(r.err).toContain(word);
    }
  });
  it('two recipes: what changed, and how far the shapes lie apart', () => {
    writeFileSync(file('ball2.json'), ball('10.5', { name: 'Larger' }));
    const same = ample('compare', file('ball.json'), file('ball.json'), '--json');
    expect([same.code, same.json().differences, same.json().shapes[0].deviation.most]).toEqual([0, [], expect.closeTo(0, 9)]);
    const r = ample('compare', file('ball.json'), file('ball2.json'), '--json');
    expect(r.code).toBe(1);
    expect(r.json().differences).toEqual([
      { kind: 'changed', what: 'r', before: '10', after: '10.5' },
      { kind: 'changed', what: 'Larger', of: 'name', before: 'not set', after: 'Larger', step: 'b' },
    ]);
    expect(Math.abs(r.json().shapes[0].deviation.most - 0.5)).toBeLessThan(1e-9);
    expect(ample('compare', file('ball.json')).code).toBe(2);
  });
});
