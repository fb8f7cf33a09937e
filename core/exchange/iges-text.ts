/** One entity of an IGES file as it is written: directory entry and parameters (numbers, text, or nothing where a default was left). */
export interface IgesEntity {
  /** Sequence number of its directory entry: what other entities point to. */
  readonly id: number;
  readonly type: number;
  readonly form: number;
  readonly matrix: number;
  readonly blanked: boolean;
  /** 0 stands for itself, 1 to 3 belongs to another entity. */
  readonly subordinate: number;
  /** 0 geometry; other values are notes, definitions, charts. */
  readonly use: number;
  readonly colour: number;
  readonly label: string;
  readonly params: readonly (number | string | undefined)[];
}
export interface IgesFile {
  readonly unit: { readonly mm: number; readonly name: string };
  /** Smallest distance the sender tells apart, mm. */
  readonly resolution: number;
  readonly name: string;
  /** The system it was written by. */
  readonly sender: string;
  readonly entities: ReadonlyMap<number, IgesEntity>;
}
export type ReadIgesText = { ok: true; file: IgesFile } | { ok: false; message: string };

const UNITS: Record<number, { mm: number; name: string }> = {
  1: { mm: 25.4, name: 'in' },
  2: { mm: 1, name: 'mm' },
  4: { mm: 304.8, name: 'ft' },
  5: { mm: 1609344, name: 'mi' },
  6: { mm: 1000, name: 'm' },
  7: { mm: 1e6, name: 'km' },
  8: { mm: 0.0254, name: 'mil' },
  9: { mm: 0.001, name: 'µm' },
  10: { mm: 10, name: 'cm' },
  11: { mm: 2.54e-5, name: 'µin' },
};

/** Values between delimiters; counted text (5Habcde) may hold delimiters itself. Stops at the end of the record. */
function split(text: string, delimiter: string, end: string): (number | string | undefined)[] {
  const out: (number | string | undefined)[] = [];
  let i = 0;
  while (i <= text.length) {
    while (text[i] === ' ') i++;
    const counted = /^(\d{1,9})H/.exec(text.slice(i, i + 12));
    if (counted) {
      const from = i + counted[0].length;
      out.push(text.slice(from, from + Number(counted[1])));
      i = from + Number(counted[1]);
      while (i < text.length && text[i] !== delimiter && text[i] !== end) i++;
    } else {
      let k = i;
      while (k < text.length && text[k] !== delimiter && text[k] !== end) k++;
      const word = text.slice(i, k).trim();
      out.push(word === '' ? undefined : Number(word.replace(/[dD]/, 'e')));
      i = k;
    }
    if (i >= text.length || text[i] === end) break;
    i++;
  }
  return out;
}

/** Cards of 80 columns put together: global data, directory, parameters. */
export function readIgesText(data: Uint8Array): ReadIgesText {
  const lines = new TextDecoder('latin1').decode(data).split(/\r\n|\n|\r/);
  const section = (l: string) => l[72];
  if (!lines.some((l) => section(l) === 'S') || !lines.some((l) => section(l) === 'D')) {
    if (lines.some((l) => section(l) === 'B' || section(l) === 'C'))
      return { ok: false, message: 'This IGES file is in its binary or compressed form: save it as plain text' };
    return { ok: false, message: 'This is not an IGES file: its lines carry no section letters in column 73' };
  }
  if (!lines.some((l) => section(l) === 'T')) return { ok: false, message: 'The IGES file is cut off: its last section is missing' };
  const global = lines
    .filter((l) => section(l) === 'G')
    .map((l) => l.slice(0, 72))
    .join('');
  const own = /^\s*1H(.)(.)/.exec(global);
  const delimiter = own ? own[1] : ',';
  const second = new RegExp(`^\\s*(?:1H.)?\\${delimiter}\\s*1H(.)`).exec(global);
  const end = second ? second[1] : ';';
  const g = split(global, delimiter, end);
  const flag = typeof g[13] === 'number' ? g[13] : 1;
  const named: Record<string, { mm: number; name: string }> = {
    IN: UNITS[1],
    INCH: UNITS[1],
    MM: UNITS[2],
    FT: UNITS[4],
    M: UNITS[6],
    CM: UNITS[10],
  };
  const unit = UNITS[flag] ?? named[String(g[14] ?? '').trim()] ?? UNITS[2];
  const scale = typeof g[12] === 'number' && g[12] > 0 ? g[12] : 1;
  const parameter = new Map<number, string>();
  for (const l of lines) if (section(l) === 'P') parameter.set(Number(l.slice(73, 80)), l.slice(0, 64));
  const entities = new Map<number, IgesEntity>();
  const directory = lines.filter((l) => section(l) === 'D');
  for (let i = 0; i + 1 < directory.length; i += 2) {
    const [a, b] = [directory[i], directory[i + 1]];
    const field = (l: string, k: number) => Number(l.slice(8 * k, 8 * k + 8).trim() || '0');
    const id = Number(a.slice(73, 80));
    const [start, count] = [field(a, 1), field(b, 3)];
    let text = '';
    // no entity has more lines of numbers than the file has in all
    const rows = Number.isInteger(count) ? Math.min(Math.max(0, count), parameter.size) : 0;
    for (let k = 0; k < rows; k++) text += parameter.get(start + k) ?? '';
    const status = a.slice(64, 72).replace(/ /g, '0');
    entities.set(id, {
      id,
      type: field(a, 0),
      form: field(b, 4),
      matrix: field(a, 6),
      blanked: Number(status.slice(0, 2)) === 1,
      subordinate: Number(status.slice(2, 4)),
      use: Number(status.slice(4, 6)),
      colour: field(b, 2),
      label: b.slice(56, 64).trim(),
      params: split(text, delimiter, end),
    });
  }
  if (!entities.size) return { ok: false, message: 'The IGES file holds nothing: its directory is empty' };
  const resolution = typeof g[18] === 'number' && g[18] > 0 ? g[18] * unit.mm : 1e-3;
  return {
    ok: true,
    file: { unit: { mm: unit.mm / scale, name: unit.name }, resolution, name: String(g[2] ?? ''), sender: String(g[4] ?? ''), entities },
  };
}
