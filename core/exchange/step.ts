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

export interface StepPart {
  readonly name: string;
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

interface Entities {
  readonly type: Map<number, string>;
  readonly args: Map<number, string>;
}
/** Entities of the data by their numbers, found in one walk: quotes and comments are stepped over, whatever stands in them. */
function entities(text: string): Entities {
  const type = new Map<number, string>();
  const args = new Map<number, string>();
  const n = text.length;
  let i = 0;
  while (i < n) {
    const c = text.charCodeAt(i);
    if (c === 39) {
      i = afterQuote(text, i);
      continue;
    }
    if (c !== 35 || !digit(text.charCodeAt(i + 1))) {
      i++;
      continue;
    }
    let k = i + 1;
    while (digit(text.charCodeAt(k))) k++;
    const id = Number(text.slice(i + 1, k));
    while (k < n && text.charCodeAt(k) <= 32) k++;
    if (text[k] !== '=') {
      i = k;
      continue;
    }
    k++;
    while (k < n && text.charCodeAt(k) <= 32) k++;
    const from = k;
    while (k < n && /[A-Z0-9_]/.test(text[k])) k++;
    const kind = text.slice(from, k);
    while (k < n && text.charCodeAt(k) <= 32) k++;
    const start = k;
    while (k < n && text.charCodeAt(k) !== 59) k = text.charCodeAt(k) === 39 ? afterQuote(text, k) : k + 1;
    if (text[start] === '(') {
      type.set(id, kind);
      args.set(id, text.slice(start + 1, Math.max(start + 1, text.lastIndexOf(')', k))));
    }
    i = k + 1;
  }
  return { type, args };
}
const digit = (c: number) => c >= 48 && c <= 57;
const afterQuote = (text: string, from: number): number => {
  const end = text.indexOf("'", from + 1);
  return end < 0 ? text.length : end + 1;
};
/** A number in the data that no part can have; the kernel would look for it for ever. */
function wildNumber(text: string): string | undefined {
  for (const m of text.matchAll(/[\d.][eE]\+?(\d{2,9})/g)) {
    if (Number(m[1]) < 30) continue;
    const from = Math.max(0, text.lastIndexOf('#', m.index));
    const before = text.slice(from, m.index);
    if ((before.match(/'/g) ?? []).length % 2) continue;
    return `entity ${/^#\d+/.exec(text.slice(from, from + 20))?.[0] ?? 'of its data'} holds the number ${text.slice(Math.max(from, m.index - 12), m.index + m[0].length).replace(/^.*[(,]/s, '')}, which is no length`;
  }
  return undefined;
}
const refs = (s: string): number[] => [...s.matchAll(/#(\d{1,15})/g)].map((m) => Number(m[1]));
/** First quoted text; two quotes inside it stand for one. */
function firstString(s: string): string {
  const from = s.indexOf("'");
  if (from < 0) return '';
  let end = s.indexOf("'", from + 1);
  while (end >= 0 && s[end + 1] === "'") end = s.indexOf("'", end + 2);
  return decodeString(s.slice(from + 1, end < 0 ? s.length : end)).slice(0, 400);
}
function decodeString(s: string): string {
  return s
    .replace(/''/g, "'")
    .replace(/\\X2\\([0-9A-F]+)\\X0\\/g, (_, h: string) =>
      (h.match(/.{4}/g) ?? []).map((c) => String.fromCharCode(Number.parseInt(c, 16))).join(''),
    )
    .replace(/\\X\\([0-9A-F]{2})/g, (_, h: string) => String.fromCharCode(Number.parseInt(h, 16)));
}
function encodeString(s: string): string {
  return s
    .replace(/'/g, "''")
    .replace(/\\/g, '\\\\')
    .replace(
      /[^\x20-\x7e]+/g,
      (t) => `\\X2\\${[...t].map((c) => c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')).join('')}\\X0\\`,
    );
}

/** Names and colours by the order of faces in the file's shells, which is the order the kernel hands them out in. */
function annotations(text: string) {
  const e = entities(text);
  const shells = [...e.type].filter(([, t]) => t === 'CLOSED_SHELL' || t === 'OPEN_SHELL').map(([id]) => id);
  const faceIds: number[] = [];
  const used = new Set(shells);
  const solids = [...e.type].filter(([, t]) => t === 'MANIFOLD_SOLID_BREP' || t === 'BREP_WITH_VOIDS' || t === 'SHELL_BASED_SURFACE_MODEL');
  const solidNames: string[] = [];
  for (const [id, t] of solids) {
    const list = refs(e.args.get(id) ?? '').flatMap((r) => (e.type.get(r) === 'ORIENTED_CLOSED_SHELL' ? refs(e.args.get(r) ?? '') : [r]));
    if (t !== 'SHELL_BASED_SURFACE_MODEL') solidNames.push(firstString(e.args.get(id) ?? ''));
    for (const s of list) {
      if (!used.delete(s)) continue;
      faceIds.push(...refs(e.args.get(s) ?? '').filter((f) => /FACE/.test(e.type.get(f) ?? '')));
    }
  }
  for (const s of used) faceIds.push(...refs(e.args.get(s) ?? '').filter((f) => /FACE/.test(e.type.get(f) ?? '')));
  const colour = new Map<number, string>();
  const colours = new Map<number, string | undefined>();
  const colourOf = (id: number, depth = 0): string | undefined => {
    if (depth > 12 || colours.has(id)) return colours.get(id);
    // marked before it is looked at: a style that refers to itself has no colour
    colours.set(id, undefined);
    const found = lookUp(id, depth);
    colours.set(id, found);
    return found;
  };
  const lookUp = (id: number, depth: number): string | undefined => {
    const type = e.type.get(id);
    const args = e.args.get(id) ?? '';
    if (type === 'COLOUR_RGB') {
      const rgb = args.split(',').slice(-3).map(Number);
      return `#${rgb
        .map((x) =>
          Math.round(255 * Math.min(1, Math.max(0, x)))
            .toString(16)
            .padStart(2, '0'),
        )
        .join('')}`;
    }
    for (const r of refs(args)) {
      const c = colourOf(r, depth + 1);
      if (c) return c;
    }
    return undefined;
  };
  for (const [id, t] of e.type) {
    if (t !== 'STYLED_ITEM' && t !== 'OVER_RIDING_STYLED_ITEM') continue;
    const r = refs(e.args.get(id) ?? '');
    const target = t === 'STYLED_ITEM' ? r[r.length - 1] : r[r.length - 2];
    const styles = r.slice(0, -1);
    for (const s of styles) {
      const c = colourOf(s);
      if (c) colour.set(target, c);
    }
  }
  const solidOfFace = new Map<number, number>();
  solids.forEach(([id]) => {
    for (const s of refs(e.args.get(id) ?? '')) for (const f of refs(e.args.get(s) ?? '')) solidOfFace.set(f, id);
  });
  const products = [...e.type]
    .filter(([, t]) => t === 'PRODUCT')
    .map(([id]) => firstString(e.args.get(id) ?? ''))
    // a writer's own name says nothing about the part
    .filter((n) => n && !/STEP translator/i.test(n));
  // an inch file also mentions millimetres, to say how long its inch is
  const unit = /CONVERSION_BASED_UNIT\s*\(\s*'INCH'/i.test(text)
    ? 'in'
    : /SI_UNIT\s*\(\s*\.MILLI\.\s*,\s*\.METRE\.\s*\)/.test(text)
      ? 'mm'
      : /SI_UNIT\s*\(\s*\.CENTI\.\s*,\s*\.METRE\./.test(text)
        ? 'cm'
        : /SI_UNIT\s*\(\s*\$\s*,\s*\.METRE\./.test(text)
          ? 'm'
          : 'mm';
  return {
    faces: faceIds.map((id) => ({
      name: firstString(e.args.get(id) ?? ''),
      colour: colour.get(id) ?? colour.get(solidOfFace.get(id) ?? -1),
    })),
    products,
    solidNames,
    unit,
    multiple: [...e.type.values()].filter((t) => t === 'NEXT_ASSEMBLY_USAGE_OCCURRENCE').length,
  };
}

/** The kernel's own words for a trap mean nothing to people. */
const readable = (m: string): string =>
  /out of bounds|unreachable|call stack|table index|typed array/i.test(m) ? 'the reader broke on it: it is damaged inside' : m;

/** Reads a STEP file: geometry by the kernel, names and colours from the text. Solids and loose shells become parts; lengths arrive in mm. */
export async function readStep(data: Uint8Array, kernel: KernelService, fallbackName = 'Import', options?: CallOptions): Promise<ReadStep> {
  const trouble = stepTrouble(data);
  if (trouble) return { ok: false, message: trouble };
  const wild = wildNumber(new TextDecoder('latin1').decode(data));
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
  const info = annotations(new TextDecoder('latin1').decode(data));
  const distinct = new Set(read.faceOrder).size;
  let faces: readonly Face[] = read.body.faces;
  // a part placed several times gives more faces than the file lists: then the order cannot be trusted
  if (info.faces.length === distinct) {
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
  const inSolid = new Set(body.solids.flat());
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
      name: own || (body.solids.length > 1 ? `${base} ${k + 1}` : base),
      body: closed ? { ...part, solids: [part.shells.map((_, i) => i)] } : part,
    });
  });
  const loose = body.shells.map((_, i) => i).filter((i) => !inSolid.has(i));
  if (loose.length)
    parts.push({
      name: parts.length ? `${base} skins` : base,
      body: subBody(
        body,
        loose.flatMap((i) => body.shells[i].faces),
      ),
    });
  return { ok: true, parts, report: { notes, unit: info.unit, parts: parts.length, faces: body.faces.length } };
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
  const named = annotate(content, parts);
  const back = await readStep(new TextEncoder().encode(named), kernel, 'back', call);
  if (!back.ok) throw new KernelError(`The written file cannot be read back: ${back.message}`);
  const all = combineBodies(parts.map((p) => p.body));
  const again = combineBodies(back.parts.map((p) => p.body));
  if (all.faces.length !== again.faces.length)
    throw new KernelError(`The written file holds ${again.faces.length} faces instead of ${all.faces.length}`);
  const [m, n] = [massProperties(all), massProperties(again)];
  const off = (a: number, b: number) => Math.abs(a - b) > 1e-6 * Math.abs(a);
  if (off(m.area, n.area)) throw new KernelError(`The written file has an area of ${n.area} mm² instead of ${m.area} mm²`);
  if (all.solids.length && off(m.volume, n.volume))
    throw new KernelError(`The written file has a volume of ${n.volume} mm³ instead of ${m.volume} mm³`);
  return named;
}

function annotate(content: string, parts: readonly StepPart[]): string {
  const faces = parts.flatMap((p) => p.body.faces);
  let next = Math.max(...[...content.matchAll(/^#(\d+)/gm)].map((m) => Number(m[1]))) + 1;
  let k = 0;
  const faceIds: number[] = [];
  let product = 0;
  let out = content.replace(/#(\d+)(\s*=\s*ADVANCED_FACE\s*\(\s*)''/g, (_, id: string, mid: string) => {
    faceIds.push(Number(id));
    return `#${id}${mid}'${encodeString(faces[k++]?.name ?? '')}'`;
  });
  out = out.replace(/(=\s*PRODUCT\s*\(\s*)'[^']*'(\s*,\s*)'[^']*'/g, (_, a: string, b: string) => {
    const name = encodeString((parts[product++] ?? parts[0]).name);
    return `${a}'${name}'${b}'${name}'`;
  });
  const context = /#(\d+)\s*=\s*\(\s*GEOMETRIC_REPRESENTATION_CONTEXT/.exec(out)?.[1];
  const styled: number[] = [];
  const lines: string[] = [];
  const byColour = new Map<string, number>();
  faces.forEach((f, i) => {
    if (!f.colour || !faceIds[i]) return;
    let style = byColour.get(f.colour);
    if (!style) {
      const rgb = [1, 3, 5].map((o) => (Number.parseInt((f.colour as string).slice(o, o + 2), 16) / 255).toFixed(6));
      const n = next;
      next += 7;
      lines.push(
        `#${n}=COLOUR_RGB('',${rgb.join(',')});`,
        `#${n + 1}=FILL_AREA_STYLE_COLOUR('',#${n});`,
        `#${n + 2}=FILL_AREA_STYLE('',(#${n + 1}));`,
        `#${n + 3}=SURFACE_STYLE_FILL_AREA(#${n + 2});`,
        `#${n + 4}=SURFACE_SIDE_STYLE('',(#${n + 3}));`,
        `#${n + 5}=SURFACE_STYLE_USAGE(.BOTH.,#${n + 4});`,
        `#${n + 6}=PRESENTATION_STYLE_ASSIGNMENT((#${n + 5}));`,
      );
      style = n + 6;
      byColour.set(f.colour, style);
    }
    lines.push(`#${next}=STYLED_ITEM('colour',(#${style}),#${faceIds[i]});`);
    styled.push(next++);
  });
  if (styled.length && context)
    lines.push(
      `#${next}=MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',(${styled.map((s) => `#${s}`).join(',')}),#${context});`,
    );
  if (lines.length) out = out.replace(/ENDSEC;\s*END-ISO/, `${lines.join('\n')}\nENDSEC;\nEND-ISO`);
  return out;
}
