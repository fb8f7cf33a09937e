import {
  type Body,
  type CallOptions,
  combineBodies,
  type Face,
  KernelError,
  type KernelService,
  massProperties,
  subBody,
  textOf,
} from '../brep/index.ts';
import { readText } from '../brep/occt/read.ts';
import { readingTrouble } from './budget.ts';

import { assemble } from './step-assembly.ts';
import { annotate, annotations, schemaOf, wildNumber } from './step-text.ts';

export interface StepPart {
  readonly name: string;
  /** Groups it stands in, the outermost first; read names hold them, with " / " between. */
  readonly path?: readonly string[];
  /** Of the whole part; faces with a colour of their own keep it. */
  readonly colour?: string;
  readonly body: Body;
}
export interface StepReport {
  readonly notes: string[];
  readonly unit: string;
  readonly parts: number;
  readonly faces: number;
}
export type ReadStep = { ok: true; parts: StepPart[]; report: StepReport } | { ok: false; message: string };

const MAX_BYTES = 200 * 2 ** 20;

/** First look at the bytes: what is wrong with a file that cannot be STEP, told before the kernel sees it. */
export function stepTrouble(data: Uint8Array): string | undefined {
  if (data.length === 0) return 'The file is empty';
  if (data.length > MAX_BYTES) return `The file has ${(data.length / 2 ** 20).toFixed(0)} MB; the limit is ${MAX_BYTES / 2 ** 20} MB`;
  const head = new TextDecoder('latin1').decode(data.subarray(0, 4096));
  if (!/ISO-10303-21/.test(head))
    return /[\u0000-\u0008]/.test(head.slice(0, 256))
      ? 'This is a binary file, not a STEP file'
      : 'This is not a STEP file: it does not begin with ISO-10303-21';
  const tail = new TextDecoder('latin1').decode(data.subarray(Math.max(0, data.length - 4096)));
  if (!/END-ISO-10303-21/.test(tail)) return 'The STEP file is cut off: its end mark END-ISO-10303-21 is missing';
  return undefined;
}

/** The kernel's own words for a trap mean nothing to people. */
const readable = (m: string): string =>
  /out of bounds|unreachable|call stack|table index|typed array/i.test(m) ? 'the reader broke on it: it is damaged inside' : m;

/** Reads a STEP file: geometry by the kernel, names and colours from the text. Solids and loose shells become parts; lengths arrive in mm. */
export async function readStep(data: Uint8Array, kernel: KernelService, fallbackName = 'Import', options?: CallOptions): Promise<ReadStep> {
  const trouble = stepTrouble(data);
  if (trouble) return { ok: false, message: trouble };
  const words = new TextDecoder('latin1').decode(data);
  const wild = wildNumber(words);
  if (wild) return { ok: false, message: `The STEP file cannot be read: ${wild}` };
  // a small file is read in a moment, or it never ends
  const limit = Math.min(options?.limit ?? Infinity, 8000 + (data.length / 2 ** 20) * 4000);
  let text: string;
  try {
    text = (await kernel.run('readStep', { data }, { ...options, limit })).text;
  } catch (e) {
    if (!(e instanceof KernelError) || e.kind === 'cancelled') throw e;
    const why =
      e.kind === 'hung'
        ? `the reader found no end within ${Math.round(limit / 1000)} s: something in it refers to itself, or is damaged`
        : e.kind === 'died'
          ? 'the reader broke on it: it is damaged inside'
          : readable(e.message);
    return { ok: false, message: `The STEP file cannot be read: ${why}` };
  }
  let read: ReturnType<typeof readText>;
  try {
    read = readText(text);
  } catch (e) {
    return { ok: false, message: `The STEP file cannot be read: ${readingTrouble(e)}` };
  }
  const notes: string[] = [];
  const info = annotations(words);
  const { placed } = info;
  const [placedSolids, placedSkins] = [placed.filter((x) => !x.skin), placed.filter((x) => x.skin)];
  const count = (shells: readonly number[]) => shells.reduce((n, x) => n + read.body.shells[x].faces.length, 0);
  const inSolid = new Set(read.body.solids.flat());
  const loose = read.body.shells.map((_, i) => i).filter((i) => !inSolid.has(i));
  // the places in the tree count only when every solid, every skin, has the faces that stand there
  const treed =
    placedSolids.length > 0 &&
    placedSolids.length === read.body.solids.length &&
    read.body.solids.every((shells, k) => count(shells) === placedSolids[k].faces);
  const skinsTreed = placedSkins.length === loose.length && loose.every((i, k) => count([i]) === placedSkins[k].faces);
  const distinct = new Set(read.faceOrder).size;
  let faces: readonly Face[] = read.body.faces;
  if (placed.length && (treed || !read.body.solids.length) && skinsTreed) {
    const said = new Map<number, { name: string; colour?: string }>();
    const tell = (shells: readonly number[], ids: readonly number[]) =>
      shells
        .flatMap((x) => read.body.shells[x].faces)
        .sort((a, b) => read.faceOrder[a] - read.faceOrder[b])
        .forEach((f, i) => {
          said.set(f, info.faceSaid(ids[i]));
        });
    read.body.solids.forEach((shells, k) => {
      tell(shells, placedSolids[k].ids);
    });
    loose.forEach((x, k) => {
      tell([x], placedSkins[k].ids);
    });
    faces = faces.map((f, i) => ({ ...f, ...(said.get(i) ?? {}) }));
  } else if (info.faces.length === distinct) {
    faces = read.body.faces.map((f, i) => ({
      ...f,
      name: info.faces[read.faceOrder[i]].name,
      colour: info.faces[read.faceOrder[i]].colour,
    }));
  } else if (info.multiple)
    notes.push('The file is an assembly: parts keep their places, face names and colours of repeated parts were left out');
  const body: Body = {
    ...read.body,
    faces: faces.map((f, i) => ({ ...f, name: f.name || `face${i + 1}` })),
    edges: read.body.edges.map((e, i) => ({ ...e, name: `edge${i + 1}` })),
  };
  if (!body.faces.length) return { ok: false, message: 'The STEP file holds no faces' };
  const parts: StepPart[] = [];
  const base = info.products[0] || fallbackName;
  body.solids.forEach((shells, k) => {
    const part = subBody(
      body,
      shells.flatMap((s) => body.shells[s].faces),
    );
    const closed = part.shells.every((s) => s.closed);
    const own = info.solidNames.length === body.solids.length ? info.solidNames[k] : '';
    if (!closed) notes.push(`Solid ${k + 1} is not closed`);
    parts.push({
      name: treed ? placedSolids[k].path.join(' / ') : own || (body.solids.length > 1 ? `${base} ${k + 1}` : base),
      body: closed ? { ...part, solids: [part.shells.map((_, i) => i)] } : part,
    });
  });
  const looseOf = (shells: readonly number[]) =>
    subBody(
      body,
      shells.flatMap((i) => body.shells[i].faces),
    );
  // loose faces are one skin where there is no assembly, or where they are called alike in it: a part that fell to pieces is mended as a whole
  if (loose.length && skinsTreed && info.multiple) {
    const byPath = new Map<string, number[]>();
    loose.forEach((i, k) => {
      const name = placedSkins[k].plain.filter((x, n, all) => x !== all[n - 1]).join(' / ');
      byPath.set(name, [...(byPath.get(name) ?? []), i]);
    });
    for (const [name, shells] of byPath) parts.push({ name, body: looseOf(shells) });
  } else if (loose.length) parts.push({ name: parts.length ? `${base} skins` : base, body: looseOf(loose) });
  return { ok: true, parts, report: { notes, unit: info.unit, parts: parts.length, faces: body.faces.length } };
}

/** Volume of the solids of a body, mm³; what is open beside them does not count. */
export function solidVolume(b: Body): number {
  const faces = b.solids.flat().flatMap((s) => b.shells[s].faces);
  return faces.length ? massProperties(b, faces).volume : 0;
}

export interface WriteStepOptions {
  readonly schema?: 'AP214' | 'AP242' | 'AP203';
  readonly unit?: 'MM' | 'INCH' | 'M';
}

/**
 * Writes bodies as one STEP file with part names, face names and colours, then reads it back and compares faces, area and volume
 * (1e-6 relative). Throws a KernelError when the file does not hold what was asked.
 */
export async function writeStep(
  parts: readonly StepPart[],
  kernel: KernelService,
  options: WriteStepOptions = {},
  call?: CallOptions,
): Promise<string> {
  const { content } = await kernel.run(
    'writeStep',
    { inputs: parts.map((p) => textOf(p.body)), schema: options.schema ?? 'AP214', unit: options.unit ?? 'MM' },
    call,
  );
  const schema = options.schema ?? 'AP214';
  if (schemaOf(content) !== schema) throw new KernelError(`The kernel wrote ${schemaOf(content) ?? 'another schema'} instead of ${schema}`);
  const named = assemble(annotate(content, parts), parts);
  const back = await readStep(new TextEncoder().encode(named), kernel, 'back', call);
  if (!back.ok) throw new KernelError(`The written file cannot be read back: ${back.message}`);
  const all = combineBodies(parts.map((p) => p.body));
  const again = combineBodies(back.parts.map((p) => p.body));
  if (all.faces.length !== again.faces.length)
    throw new KernelError(`The written file holds ${again.faces.length} faces instead of ${all.faces.length}`);
  const [m, n] = [massProperties(all), massProperties(again)];
  const off = (a: number, b: number) => Math.abs(a - b) > 1e-6 * Math.abs(a);
  if (off(m.area, n.area)) throw new KernelError(`The written file has an area of ${n.area} mm² instead of ${m.area} mm²`);
  // the volume beside an open skin says nothing
  const [v, w] = [solidVolume(all), solidVolume(again)];
  if (all.solids.length && off(v, w)) throw new KernelError(`The written file has a volume of ${w} mm³ instead of ${v} mm³`);
  return named;
}
