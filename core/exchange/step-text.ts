import type { StepPart } from './step.ts';

export interface Entities {
  readonly type: Map<number, string>;
  readonly args: Map<number, string>;
}
/** Entities of the data by their numbers, found in one walk: quotes and comments are stepped over, whatever stands in them. */
export function entities(text: string): Entities {
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
export function wildNumber(text: string): string | undefined {
  for (const m of text.matchAll(/[\d.][eE]\+?(\d{2,9})/g)) {
    if (Number(m[1]) < 30) continue;
    const from = Math.max(0, text.lastIndexOf('#', m.index));
    const before = text.slice(from, m.index);
    if ((before.match(/'/g) ?? []).length % 2) continue;
    return `entity ${/^#\d+/.exec(text.slice(from, from + 20))?.[0] ?? 'of its data'} holds the number ${text.slice(Math.max(from, m.index - 12), m.index + m[0].length).replace(/^.*[(,]/s, '')}, which is no length`;
  }
  return undefined;
}
export const refs = (s: string): number[] => [...s.matchAll(/#(\d{1,15})/g)].map((m) => Number(m[1]));
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
export function encodeString(s: string): string {
  return s
    .replace(/'/g, "''")
    .replace(/\\/g, '\\\\')
    .replace(
      /[^\x20-\x7e]+/g,
      (t) => `\\X2\\${[...t].map((c) => c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')).join('')}\\X0\\`,
    );
}

/** The schema a file follows, as far as it is told apart. */
export const schemaOf = (text: string): 'AP203' | 'AP214' | 'AP242' | undefined => {
  const said = /FILE_SCHEMA\s*\(\s*\(\s*'([^']*)'/.exec(text)?.[1] ?? '';
  return /AP242|MANAGED_MODEL/i.test(said)
    ? 'AP242'
    : /AUTOMOTIVE_DESIGN/i.test(said)
      ? 'AP214'
      : /CONFIG_CONTROL/i.test(said)
        ? 'AP203'
        : undefined;
};

/** Names and colours by the order of faces in the file's shells, which is the order the kernel hands them out in. */
export function annotations(text: string) {
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
  const faceSaid = (id: number) => ({
    name: firstString(e.args.get(id) ?? ''),
    colour: colour.get(id) ?? colour.get(solidOfFace.get(id) ?? -1),
  });
  return {
    faces: faceIds.map(faceSaid),
    /** What is said of a face by its number in the file. */
    faceSaid,
    products,
    solidNames,
    unit,
    multiple: [...e.type.values()].filter((t) => t === 'NEXT_ASSEMBLY_USAGE_OCCURRENCE').length,
    placed: placedIn(e),
  };
}

/** A solid, or a shell of a skin, where it is placed: the products on the way down to it, and how many faces it has. */
export interface PlacedSolid {
  readonly path: readonly string[];
  readonly faces: number;
  readonly skin?: true;
  /** The way down without the numbers of those called alike: skins of one name side by side are a part that fell to pieces. */
  readonly plain: readonly string[];
  /** Its faces in the order of the file, by their numbers there. */
  readonly ids: readonly number[];
}
/** Most solids that are looked for: an assembly that multiplies at each level has no end. */
const MOST_PLACED = 5000;
/**
 * Solids of the products of a file in the order in which they are placed, depth first, occurrences in the order of the file (ISO 10303-44).
 * Empty when there is one product only, or no end to them.
 */
export const placedSolids = (text: string): PlacedSolid[] => placedIn(entities(text));
function placedIn(e: Entities): PlacedSolid[] {
  const argsOf = (id: number) => refs(e.args.get(id) ?? '');
  const all = (type: string) => [...e.type].filter(([, t]) => t === type).map(([id]) => id);
  const children = new Map<number, number[]>();
  const below = new Set<number>();
  for (const id of all('NEXT_ASSEMBLY_USAGE_OCCURRENCE')) {
    const [parent, child] = argsOf(id);
    children.set(parent, [...(children.get(parent) ?? []), child]);
    below.add(child);
  }
  const definitions = all('PRODUCT_DEFINITION');
  if (!children.size && definitions.length < 2) return [];
  const shapeOf = new Map(all('PRODUCT_DEFINITION_SHAPE').map((id) => [id, argsOf(id)[0]]));
  const beside = new Map<number, number[]>();
  for (const id of all('SHAPE_REPRESENTATION_RELATIONSHIP')) {
    const [a, b] = argsOf(id);
    beside.set(a, [...(beside.get(a) ?? []), b]);
    beside.set(b, [...(beside.get(b) ?? []), a]);
  }
  const representations = new Map<number, number[]>();
  for (const id of all('SHAPE_DEFINITION_REPRESENTATION')) {
    const [shape, rep] = argsOf(id);
    const owner = shapeOf.get(shape);
    if (owner !== undefined) representations.set(owner, [...(representations.get(owner) ?? []), rep, ...(beside.get(rep) ?? [])]);
  }
  const facesIn = (shell: number): number[] => argsOf(shell).filter((f) => /FACE/.test(e.type.get(f) ?? ''));
  const facesOf = (solid: number): number[] =>
    argsOf(solid)
      .flatMap((x) => (e.type.get(x) === 'ORIENTED_CLOSED_SHELL' ? argsOf(x) : [x]))
      .flatMap(facesIn);
  const skinsOf = (definition: number): number[] =>
    [...new Set(representations.get(definition) ?? [])].flatMap((rep) =>
      argsOf(rep)
        .filter((i) => e.type.get(i) === 'SHELL_BASED_SURFACE_MODEL')
        .flatMap(argsOf),
    );
  const solidsOf = (definition: number): number[] =>
    [...new Set(representations.get(definition) ?? [])].flatMap((rep) =>
      argsOf(rep).filter((i) => e.type.get(i) === 'MANIFOLD_SOLID_BREP' || e.type.get(i) === 'BREP_WITH_VOIDS'),
    );
  const nameOf = (definition: number): string => firstString(e.args.get(argsOf(argsOf(definition)[0])[0]) ?? '').trim() || 'part';
  const out: PlacedSolid[] = [];
  const walk = (definition: number, path: readonly string[], plain: readonly string[], depth: number): void => {
    if (depth > 30 || out.length > MOST_PLACED) return;
    const solids = solidsOf(definition);
    solids.forEach((s, i) => {
      const ids = facesOf(s);
      out.push({ path: solids.length > 1 ? [...path, `${path[path.length - 1]} ${i + 1}`] : path, plain, faces: ids.length, ids });
    });
    // the shells of one product are one skin
    for (const shell of skinsOf(definition)) {
      const ids = facesIn(shell);
      out.push({ path, plain, faces: ids.length, skin: true, ids });
    }
    // the same part placed again in one assembly is numbered
    const seen = new Map<string, number>();
    for (const child of children.get(definition) ?? []) {
      const name = nameOf(child);
      const n = (seen.get(name) ?? 0) + 1;
      seen.set(name, n);
      walk(child, [...path, n > 1 ? `${name} ${n}` : name], [...plain, name], depth + 1);
    }
  };
  for (const id of definitions) if (!below.has(id)) walk(id, [nameOf(id)], [nameOf(id)], 0);
  // a writer's own name says nothing about a part
  return out.length > MOST_PLACED || out.some((s) => s.path.some((n) => /STEP translator/i.test(n))) ? [] : out;
}

export function annotate(content: string, parts: readonly StepPart[]): string {
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
  // each product has its own space; what is said of how it looks belongs to that
  const spaces = [...out.matchAll(/#(\d+)\s*=\s*\(\s*GEOMETRIC_REPRESENTATION_CONTEXT\s*\(\s*3\s*\)/g)].map((m) => m[1]);
  const lines: string[] = [];
  const byColour = new Map<string, number>();
  const put = (text: string): number => {
    lines.push(`#${next}=${text};`);
    return next++;
  };
  const styleOf = (hex: string): number => {
    const known = byColour.get(hex);
    if (known) return known;
    const rgb = [1, 3, 5].map((o) => (Number.parseInt(hex.slice(o, o + 2), 16) / 255).toFixed(6));
    const colour = put(`COLOUR_RGB('',${rgb.join(',')})`);
    const area = put(`FILL_AREA_STYLE_COLOUR('',#${colour})`);
    const fill = put(`SURFACE_STYLE_FILL_AREA(#${put(`FILL_AREA_STYLE('',(#${area}))`)})`);
    const usage = put(`SURFACE_STYLE_USAGE(.BOTH.,#${put(`SURFACE_SIDE_STYLE('',(#${fill}))`)})`);
    const style = put(`PRESENTATION_STYLE_ASSIGNMENT((#${usage}))`);
    byColour.set(hex, style);
    return style;
  };
  // a part of one colour says so as a whole as well: some look no deeper than that in an assembly
  const wholes = [...out.matchAll(/#(\d+)\s*=\s*(?:MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS|SHELL_BASED_SURFACE_MODEL)\s*\(/g)].map((m) => m[1]);
  let i = 0;
  parts.forEach((p, k) => {
    const styled: number[] = [];
    const own = new Set(p.body.faces.map((f) => f.colour ?? p.colour));
    const [only] = own;
    if (own.size === 1 && only && wholes.length === parts.length)
      styled.push(put(`STYLED_ITEM('colour',(#${styleOf(only)}),#${wholes[k]})`));
    for (const f of p.body.faces) {
      const [colour, id] = [f.colour ?? p.colour, faceIds[i++]];
      if (colour && id) styled.push(put(`STYLED_ITEM('colour',(#${styleOf(colour)}),#${id})`));
    }
    const space = spaces[k] ?? spaces[0];
    if (styled.length && space)
      put(`MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',(${styled.map((s) => `#${s}`).join(',')}),#${space})`);
  });
  if (lines.length) out = out.replace(/ENDSEC;\s*END-ISO/, `${lines.join('\n')}\nENDSEC;\nEND-ISO`);
  return out;
}
