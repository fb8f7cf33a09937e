/** What a file may hold: surfaces, flat or spatial curves, triangles, or a picture. */
export type FormatKind = 'bodies' | 'curves' | 'scan' | 'picture';
export interface Format {
  readonly id: string;
  readonly label: string;
  /** Endings of file names, with the dot, the usual one first. */
  readonly endings: readonly string[];
  readonly kind: FormatKind;
  readonly reads: boolean;
  readonly writes: boolean;
  readonly mime: string;
  /** The file itself says what its numbers count. */
  readonly saysUnit: boolean;
  /** Largest file that is read, in megabytes. */
  readonly megabytes: number;
}

/** Every file format by one table: import, export, the home page and the command line read it. Readers and writers stand in `files.ts`. */
export const FORMATS: readonly Format[] = [
  {
    id: 'step',
    label: 'STEP',
    endings: ['.step', '.stp'],
    kind: 'bodies',
    reads: true,
    writes: true,
    mime: 'model/step',
    saysUnit: true,
    megabytes: 200,
  },
  {
    id: 'iges',
    label: 'IGES',
    endings: ['.iges', '.igs'],
    kind: 'bodies',
    reads: true,
    writes: true,
    mime: 'model/iges',
    saysUnit: true,
    megabytes: 200,
  },
  {
    id: 'stl',
    label: 'STL',
    endings: ['.stl'],
    kind: 'scan',
    reads: true,
    writes: true,
    mime: 'model/stl',
    saysUnit: false,
    megabytes: 200,
  },
  {
    id: 'obj',
    label: 'OBJ',
    endings: ['.obj'],
    kind: 'scan',
    reads: true,
    writes: true,
    mime: 'model/obj',
    saysUnit: false,
    megabytes: 200,
  },
  {
    id: 'ply',
    label: 'PLY',
    endings: ['.ply'],
    kind: 'scan',
    reads: true,
    writes: true,
    mime: 'application/octet-stream',
    saysUnit: false,
    megabytes: 200,
  },
  {
    id: '3mf',
    label: '3MF',
    endings: ['.3mf'],
    kind: 'scan',
    reads: true,
    writes: true,
    mime: 'model/3mf',
    saysUnit: true,
    megabytes: 200,
  },
  {
    id: 'gltf',
    label: 'glTF',
    endings: ['.glb', '.gltf'],
    kind: 'scan',
    reads: true,
    writes: true,
    mime: 'model/gltf-binary',
    saysUnit: true,
    megabytes: 200,
  },
  {
    id: 'svg',
    label: 'SVG',
    endings: ['.svg'],
    kind: 'curves',
    reads: true,
    writes: true,
    mime: 'image/svg+xml',
    saysUnit: true,
    megabytes: 50,
  },
  {
    id: 'dxf',
    label: 'DXF',
    endings: ['.dxf'],
    kind: 'curves',
    reads: true,
    writes: true,
    mime: 'image/vnd.dxf',
    saysUnit: true,
    megabytes: 50,
  },
  {
    id: 'picture',
    label: 'Picture',
    endings: ['.png', '.jpg', '.jpeg', '.webp', '.gif', '.bmp'],
    kind: 'picture',
    reads: true,
    writes: false,
    mime: 'image/png',
    saysUnit: false,
    megabytes: 25,
  },
];

/** Endings of all files that can be read and hold one of these kinds. */
export const readableEndings = (...kinds: readonly FormatKind[]): string[] =>
  FORMATS.filter((f) => f.reads && kinds.includes(f.kind)).flatMap((f) => f.endings);
/** Formats that pieces of this kind can be written in. */
export const writableFormats = (...kinds: readonly FormatKind[]): Format[] => FORMATS.filter((f) => f.writes && kinds.includes(f.kind));
export const endingOf = (name: string): string => /\.[^./\\]*$/.exec(name)?.[0].toLowerCase() ?? '';
/** The format of a file by the ending of its name. */
export const formatOf = (name: string): Format | undefined => FORMATS.find((f) => f.endings.includes(endingOf(name)));

/** Formats of surfaces and triangles in space; curves seen on a plane (SVG, DXF) have writers of their own. */
export const SPACE_FORMATS = ['step', 'iges', 'stl', '3mf', 'obj', 'ply', 'gltf'] as const;
export type SpaceFormat = (typeof SPACE_FORMATS)[number];
