import { Budget, BudgetError } from './budget.ts';
import { MeshBuilder, type ReadScan } from './mesh.ts';

const SIZES: Record<string, number> = {
  char: 1,
  uchar: 1,
  int8: 1,
  uint8: 1,
  short: 2,
  ushort: 2,
  int16: 2,
  uint16: 2,
  int: 4,
  uint: 4,
  int32: 4,
  uint32: 4,
  float: 4,
  float32: 4,
  double: 8,
  float64: 8,
};
interface Property {
  readonly name: string;
  readonly type: string;
  /** Type of the count, for a list. */
  readonly count?: string;
}
interface Element {
  readonly name: string;
  readonly count: number;
  readonly properties: Property[];
}

/** Reads a PLY file, text or binary in either byte order; polygons are cut into triangles. */
export function readPly(data: Uint8Array, budget = new Budget()): ReadScan {
  const head = new TextDecoder('latin1').decode(data.subarray(0, 65536));
  if (!/^ply\s/.test(head)) return { ok: false, message: 'This is not a PLY file: it does not begin with "ply"' };
  const end = /end_header\r?\n/.exec(head);
  if (!end) return { ok: false, message: 'The PLY file has no end of its header: it is cut off or damaged' };
  const elements: Element[] = [];
  let format = '';
  for (const line of head.slice(0, end.index).split(/\r?\n/)) {
    const w = line.trim().split(/\s+/);
    if (w[0] === 'format') format = w[1];
    else if (w[0] === 'element') elements.push({ name: w[1], count: Number(w[2]), properties: [] });
    else if (w[0] === 'property')
      elements.at(-1)?.properties.push(w[1] === 'list' ? { name: w[4], type: w[3], count: w[2] } : { name: w[2], type: w[1] });
  }
  const unknown = elements.flatMap((e) => e.properties).find((p) => !SIZES[p.type] || (p.count && !SIZES[p.count]));
  if (unknown)
    return {
      ok: false,
      message: `The PLY file uses a number kind that is not known: ${SIZES[unknown.type] ? unknown.count : unknown.type}`,
    };
  if (!['ascii', 'binary_little_endian', 'binary_big_endian'].includes(format))
    return { ok: false, message: `The PLY file is of the form "${format}", which is not known` };
  const odd = elements.find((e) => !Number.isInteger(e.count) || e.count < 0 || (e.count > 0 && !e.properties.length));
  if (odd)
    return {
      ok: false,
      message: `The PLY file announces ${odd.count} times "${odd.name}" ${odd.properties.length ? '' : 'without any property'}: its header is damaged`,
    };
  const start = end.index + end[0].length;
  const next =
    format === 'ascii'
      ? textNumbers(new TextDecoder('latin1').decode(data.subarray(start)))
      : binaryNumbers(data, start, format === 'binary_little_endian');
  const builder = new MeshBuilder(budget);
  const nodes: number[] = [];
  const notes: string[] = [];
  let [faces, wrong, corners] = [0, 0, 0];
  try {
    for (const e of elements) {
      const axis = ['x', 'y', 'z'].map((n) => e.properties.findIndex((p) => p.name === n));
      const list = e.properties.findIndex((p) => p.count && /^vert(ex|ice)_ind(ex|ices)$/.test(p.name));
      if (e.name === 'tristrips') notes.push('Triangle strips were passed over');
      for (let i = 0; i < e.count; i++) {
        budget.take(1, 'entries');
        const row = e.properties.map((p): number | number[] =>
          p.count ? Array.from({ length: listLength(next(p.count), budget) }, () => next(p.type)) : next(p.type),
        );
        if (e.name === 'vertex') {
          nodes.push(builder.node(row[axis[0]] as number, row[axis[1]] as number, row[axis[2]] as number));
          corners++;
        } else if (e.name === 'face' && list >= 0) {
          const ids = row[list] as number[];
          if (ids.length < 3 || ids.some((k) => !(k >= 0 && k < nodes.length))) wrong++;
          else {
            faces++;
            builder.polygon(ids.map((k) => nodes[k]));
          }
        }
      }
    }
  } catch (e) {
    if (e instanceof BudgetError) throw e;
    return {
      ok: false,
      message: `The PLY file is cut off: its header announces ${elements.map((e) => `${e.count} ${e.name}`).join(', ')}; ${corners} corners and ${faces} faces are there`,
    };
  }
  if (!faces)
    return {
      ok: false,
      message: corners
        ? `The PLY file holds ${corners} points and no faces: a surface must be put through them first`
        : 'The PLY file holds nothing',
    };
  if (wrong) notes.push(`${wrong} faces name corners that are not there and were left out`);
  if (builder.broken) notes.push(`${builder.broken} corners are not numbers`);
  if (builder.dropped) notes.push(`${builder.dropped} triangles without area were left out`);
  return { ok: true, parts: [{ name: '', mesh: builder.mesh() }], notes };
}

function listLength(n: number, budget: Budget): number {
  if (!Number.isInteger(n) || n < 0) throw new RangeError('list');
  budget.take(n, 'corners');
  return n;
}
function textNumbers(text: string): (type: string) => number {
  const words = text.split(/\s+/).filter(Boolean);
  let i = 0;
  return () => {
    if (i >= words.length) throw new RangeError('end');
    return Number(words[i++]);
  };
}
function binaryNumbers(data: Uint8Array, start: number, little: boolean): (type: string) => number {
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  let at = start;
  return (type) => {
    const o = at;
    at += SIZES[type];
    switch (type) {
      case 'char':
      case 'int8':
        return view.getInt8(o);
      case 'uchar':
      case 'uint8':
        return view.getUint8(o);
      case 'short':
      case 'int16':
        return view.getInt16(o, little);
      case 'ushort':
      case 'uint16':
        return view.getUint16(o, little);
      case 'int':
      case 'int32':
        return view.getInt32(o, little);
      case 'uint':
      case 'uint32':
        return view.getUint32(o, little);
      case 'float':
      case 'float32':
        return view.getFloat32(o, little);
      default:
        return view.getFloat64(o, little);
    }
  };
}
