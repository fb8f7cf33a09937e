import { deflateSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { readPicture } from '../exchange/index.ts';
import { distance, toWorld, type Vec3 } from '../math/index.ts';
import { emptyModel, evaluateModel, type Mark, type Step } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

/** A white PNG; checksums are left out, as nobody looks at them here. */
function png(width: number, height: number): Uint8Array {
  const chunk = (type: string, data: Uint8Array) => {
    const out = new Uint8Array(12 + data.length);
    new DataView(out.buffer).setUint32(0, data.length);
    out.set(new TextEncoder().encode(type), 4);
    out.set(data, 8);
    return out;
  };
  const head = new Uint8Array(13);
  new DataView(head.buffer).setUint32(0, width);
  new DataView(head.buffer).setUint32(4, height);
  head.set([8, 0, 0, 0, 0], 8);
  const parts = [
    Uint8Array.from([137, 80, 78, 71, 13, 10, 26, 10]),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(new Uint8Array(height * (width + 1)).fill(255))),
    chunk('IEND', new Uint8Array()),
  ];
  return Uint8Array.from(parts.flatMap((p) => [...p]));
}
/** A JPEG's head with a turning mark and a size, and its end. */
function jpeg(width: number, height: number, turn: number): Uint8Array {
  const exif = [0x45, 0x78, 0x69, 0x66, 0, 0, 0x4d, 0x4d, 0, 42, 0, 0, 0, 8, 0, 1, 0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, turn, 0, 0, 0, 0, 0, 0];
  const frame = [8, height >> 8, height & 255, width >> 8, width & 255, 1, 1, 0x11, 0];
  return Uint8Array.from([
    0xff,
    0xd8,
    0xff,
    0xe1,
    0,
    exif.length + 2,
    ...exif,
    0xff,
    0xc0,
    0,
    frame.length + 2,
    ...frame,
    0xff,
    0xda,
    0,
    2,
    1,
    2,
    3,
    0xff,
    0xd9,
  ]);
}

describe('picture files', () => {
  it('tells kind and size, following the turning mark of a camera', () => {
    expect(readPicture(png(30, 70))).toEqual({ ok: true, mime: 'image/png', width: 30, height: 70 });
    expect(readPicture(jpeg(640, 480, 1))).toEqual({ ok: true, mime: 'image/jpeg', width: 640, height: 480 });
    expect(readPicture(jpeg(640, 480, 6))).toEqual({ ok: true, mime: 'image/jpeg', width: 480, height: 640 });
  });
  it.each([
    ['nothing', new Uint8Array(), /empty/],
    ['text', new TextEncoder().encode('curves and skins'), /not a picture/],
    ['a cut PNG', png(30, 70).slice(0, 60), /cut off/],
    ['a cut JPEG', jpeg(640, 480, 1).slice(0, -4), /cut off/],
    ['too much', new Uint8Array(25 * 2 ** 20 + 1), /25.0 MB; at most 25 MB/],
    [
      'a drawing in text form',
      new TextEncoder().encode('<svg xmlns="http://www.w3.org/2000/svg" width="4" height="3"></svg>'),
      /SVG cannot be shown/,
    ],
  ])('refuses %s with the reason', (_, data, reason) => {
    const r = readPicture(data);
    expect(r.ok ? '' : r.message).toMatch(reason);
  });
});

const files: Record<string, Uint8Array> = { 'wide.png': png(200, 100), 'broken.png': png(20, 20).slice(0, 40) };
async function place(params: Record<string, unknown>, plane?: Record<string, unknown>) {
  const steps: Step[] = [
    { id: 'p', tool: 'work-plane', version: 2, inputs: {}, params: plane ?? {} },
    {
      id: 'pic',
      tool: 'picture',
      version: 1,
      inputs: plane ? { plane: [{ step: 'p', output: 'main' }] } : {},
      params: { file: 'wide.png', ...params },
    },
  ];
  const asset = async (id: string) => (files[id] ? { name: id, data: files[id] } : undefined);
  const r = (await evaluateModel({ ...emptyModel('picture'), steps }, { tools: TOOLS, kernel, asset })).steps.get('pic');
  if (!r) throw new Error('no result');
  return { ...r, piece: r.outputs.main?.kind === 'picture' ? r.outputs.main : undefined };
}
const marked = (marks: readonly Mark[]): Vec3[] => marks.flatMap((m) => (m.kind === 'grip' || m.kind === 'number' ? [m.at] : []));

describe('a picture on a plane', () => {
  it('keeps its sides in proportion, its middle in the middle', async () => {
    const { piece } = await place({ width: 80 });
    expect(piece?.height).toBeCloseTo(40, 12);
    expect(piece?.frame.origin).toEqual([-40, -20, 0]);
  });
  it('is scaled so that A and B are as far apart as was said, wherever they lie', async () => {
    for (const [a, b, between] of [
      [[0.2, 0.5], [0.8, 0.5], 182],
      [[0.13, 0.9], [0.77, 0.04], 54.25],
      [[0.5, 0.1], [0.5, 0.9], 12],
    ]) {
      const { marks, piece } = await place({ size: 'places', a, b, between });
      const [p, q] = marked(marks);
      expect(distance(p, q)).toBeCloseTo(between as number, 10);
      // a place of the picture, by its frame alone
      const at = (s: readonly number[]) => toWorld(piece?.frame as never, [s[0] * (piece?.width ?? 0), s[1] * (piece?.height ?? 0), 0]);
      expect(distance(at(a as number[]), p)).toBeLessThan(1e-10);
      expect(distance(at(b as number[]), q)).toBeLessThan(1e-10);
    }
  });
  it('turns A to B along an axis of its plane and holds A where it is put', async () => {
    const plane = { base: 'xz', offset: [0, 0, 7], turns: [0, 0, 30] };
    const { marks } = await place(
      { size: 'places', a: [0.3, 0.2], b: [0.6, 0.7], between: 90, along: 'y', anchor: 'a', at: [5, 6, 0] },
      plane,
    );
    const [p, q] = marked(marks);
    const c = Math.cos(Math.PI / 6);
    // the plane: x = (c, 0, s), y = (-s, 0, c), lifted by 7 along -y of the world
    const to = (x: number, y: number): Vec3 => [c * x - 0.5 * y, -7, 0.5 * x + c * y];
    expect(distance(p, to(5, 6))).toBeLessThan(1e-10);
    expect(distance(q, to(5, 96))).toBeLessThan(1e-10);
  });
  it('mirrored, its marks count from the other side', async () => {
    const { marks } = await place({ width: 100, flipped: true, a: [0, 0], b: [1, 1] });
    const grips = marks.filter((m) => m.kind === 'grip');
    expect(distance(grips[0].at, [50, -25, 0])).toBeLessThan(1e-12);
    expect(distance(grips[1].at, [-50, 25, 0])).toBeLessThan(1e-12);
    const f = grips[1].within;
    expect(distance(toWorld(f?.frame as never, [100, 50, 0]), grips[1].at)).toBeLessThan(1e-12);
  });
  it('says what is wrong', async () => {
    const said = async (params: Record<string, unknown>) => (await place(params)).diagnostics.map((d) => d.message).join();
    expect(await said({ file: '' })).toMatch(/Choose a picture/);
    expect(await said({ file: 'gone.png' })).toMatch(/missing: choose it again/);
    expect(await said({ file: 'broken.png' })).toMatch(/broken.png: .*(cut off|not a picture)/);
    expect(await said({ size: 'places', a: [0.5, 0.5], b: [0.5, 0.5] })).toMatch(/one place/);
  });
});
