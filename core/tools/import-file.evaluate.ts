import { transformBody } from '../brep/index.ts';
import { inspectMesh, isScanFile, readCageObj, readDxf, readIges, readScan, readStep, readSvg, type ScanPart } from '../exchange/index.ts';
import { applyPoint, betweenFrames, compose, formatNumber, scaling, WORLD } from '../math/index.ts';
import { transformCurve } from '../nurbs/index.ts';
import {
  bodyPiece,
  cageFacts,
  cageNotes,
  curveFacts,
  type Diagnostic,
  defineEvaluation,
  drawingFrame,
  failure,
  type Input,
  type Piece,
  type ToolContext,
  type ToolResult,
  transformPiece,
} from '../recipe/index.ts';
import tool from './import-file.ts';

const MOST_PIECES = 2000;

interface Params {
  readonly unit: 'mm' | 'cm' | 'm' | 'in';
  readonly scale: number;
  readonly polygons: 'scan' | 'cage';
}

interface File {
  readonly name: string;
  readonly stem: string;
  readonly data: Uint8Array;
}

export default defineEvaluation(tool, async (inputs, p, context) => {
  if (!p.file) return failure('no-file', 'Choose a file: drop it on the window or press the button');
  const asset = await context.asset(p.file);
  if (!asset) return failure('file-missing', 'The stored file is missing: choose it again');
  const file: File = { name: asset.name, stem: asset.name.replace(/\.[^.]*$/, ''), data: asset.data };
  if (/\.(svg|dxf)$/i.test(file.name)) return curvesOf(file, p, inputs.plane);
  if (/\.(iges|igs)$/i.test(file.name)) return igesOf(file, p, context);
  if (/\.obj$/i.test(file.name) && p.polygons === 'cage') return cagesOf(file, p);
  const isStep = /\.(step|stp)$/i.test(file.name) || /ISO-10303/.test(new TextDecoder('latin1').decode(file.data.subarray(0, 256)));
  return isStep && !isScanFile(file.name)
    ? stepOf(file, p, context)
    : scanOf(isScanFile(file.name) ? file : { ...file, name: `${file.name}.stl` }, asset.name, p);
});

const warnings = (notes: readonly string[]): Diagnostic[] => notes.map((message) => ({ severity: 'warning', code: 'import', message }));

const named = (pieces: readonly Piece[]): Record<string, Piece> =>
  Object.fromEntries(pieces.slice(0, MOST_PIECES).map((piece, i) => [i === 0 ? 'main' : `part${i + 1}`, piece]));

const tooMany = (count: number, what: string): string[] =>
  count > MOST_PIECES ? [`${count - MOST_PIECES} of ${count} ${what} were left out: import a smaller part`] : [];

function curvesOf(file: File, p: Params, plane: readonly Input[]): ToolResult {
  const frame = drawingFrame(plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const r = (/\.svg$/i.test(file.name) ? readSvg : readDxf)(new TextDecoder().decode(file.data));
  if (!r.ok) return failure('bad-file', `${file.name}: ${r.message}`);
  const place = compose(betweenFrames(WORLD, frame), scaling([0, 0, 0], p.scale));
  return {
    outputs: named(r.chains.map((c): Piece => ({ kind: 'curve', curves: c.curves.map((k) => transformCurve(k, place)), label: c.label }))),
    diagnostics: warnings([...r.notes, ...tooMany(r.chains.length, 'chains')]),
    facts: [
      { label: 'chains', value: String(r.chains.length) },
      { label: 'file unit', value: r.unit },
      ...curveFacts(r.chains.flatMap((c) => c.curves)).slice(1, 4),
    ],
  };
}

function cagesOf(file: File, p: Params): ToolResult {
  const r = readCageObj(file.data);
  if (!r.ok) return failure('bad-file', `${file.name}: ${r.message}`);
  const map = scaling([0, 0, 0], { mm: 1, cm: 10, m: 1000, in: 25.4 }[p.unit] * p.scale);
  const label = (name: string, i: number) => name || (r.cages.length > 1 ? `${file.stem} ${i + 1}` : file.stem);
  return {
    outputs: named(r.cages.map((c, i) => transformPiece({ kind: 'cage', cage: c.cage, label: label(c.name, i) }, map))),
    diagnostics: [...warnings([...r.notes, ...tooMany(r.cages.length, 'cages')]), ...cageNotes(r.cages[0].cage)],
    facts: [{ label: 'cages', value: String(r.cages.length) }, ...cageFacts(r.cages[0].cage)],
  };
}

async function scanOf(file: File, shownName: string, p: Params): Promise<ToolResult> {
  const r = await readScan(file.data, file.name);
  if (!r.ok) return failure('bad-file', `${shownName}: ${r.message}`);
  const factor = (r.unit?.mm ?? { mm: 1, cm: 10, m: 1000, in: 25.4 }[p.unit]) * p.scale;
  const map = scaling([0, 0, 0], factor);
  const reports = r.parts.map((x) => ({ part: x, report: inspectMesh(x.mesh) }));
  const total = (get: (m: (typeof reports)[number]['report']) => number) => reports.reduce((s, x) => s + get(x.report), 0);
  const diagnostics: Diagnostic[] = warnings([...r.notes, ...tooMany(r.parts.length, 'parts')]);
  const told = (count: number, one: string, many: string, severity: Diagnostic['severity']) => {
    if (!count) return;
    const place = reports.flatMap((x) => x.report.places.map((q) => applyPoint(map, q))).slice(0, 8);
    diagnostics.push({ severity, code: 'scan', message: count === 1 ? one : `${count} ${many}`, place: place.length ? place : undefined });
  };
  told(
    total((m) => m.open),
    'One edge is open',
    'edges are open: the scan has holes or a border',
    'note',
  );
  told(
    total((m) => m.multiple),
    'More than two triangles meet at one edge',
    'edges have more than two triangles',
    'warning',
  );
  told(
    total((m) => m.clashing),
    'Two neighbours face opposite ways',
    'pairs of neighbours face opposite ways',
    'warning',
  );
  told(
    total((m) => m.doubled),
    'One triangle stands twice',
    'triangles stand twice',
    'warning',
  );
  const closed = !total((m) => m.open + m.multiple + m.clashing);
  const volume = total((m) => m.volume) * factor ** 3;
  if (closed && volume < 0) diagnostics.push({ severity: 'warning', code: 'scan', message: 'The scan is inside out' });
  const label = (x: ScanPart, i: number) => x.name || (r.parts.length > 1 ? `${file.stem} ${i + 1}` : file.stem);
  return {
    outputs: named(r.parts.map((x, i) => transformPiece({ kind: 'scan', mesh: x.mesh, label: label(x, i) }, map))),
    diagnostics,
    facts: [
      { label: 'parts', value: String(r.parts.length) },
      { label: 'triangles', value: String(total((m) => m.triangles)) },
      { label: 'corners', value: String(total((m) => m.corners)) },
      { label: 'file unit', value: r.unit?.name ?? `${p.unit} (not in the file)` },
      { label: 'islands', value: String(total((m) => m.islands)) },
      closed
        ? { label: 'volume', value: `${formatNumber(Math.abs(volume), 2)} mm³` }
        : { label: 'open edges', value: String(total((m) => m.open)) },
    ],
  };
}

async function stepOf(file: File, p: Params, context: ToolContext): Promise<ToolResult> {
  const r = await readStep(file.data, context.kernel, file.stem, { signal: context.signal, limit: context.limit });
  if (!r.ok) return failure('bad-file', `${file.name}: ${r.message}`);
  return {
    outputs: named(
      r.parts.map((part) => bodyPiece(p.scale === 1 ? part.body : transformBody(part.body, scaling([0, 0, 0], p.scale)), part.name)),
    ),
    diagnostics: warnings([...r.report.notes, ...tooMany(r.parts.length, 'parts')]),
    facts: [
      { label: 'parts', value: String(r.report.parts) },
      { label: 'faces', value: String(r.report.faces) },
      { label: 'file unit', value: r.report.unit },
      { label: 'size', value: `${formatNumber(file.data.length / 1024, 1)} kB` },
    ],
  };
}

async function igesOf(file: File, p: Params, context: ToolContext): Promise<ToolResult> {
  const r = await readIges(file.data, context.kernel, file.stem, { signal: context.signal, limit: context.limit });
  if (!r.ok) return failure('bad-file', `${file.name}: ${r.message}`);
  const map = scaling([0, 0, 0], p.scale);
  const pieces: Piece[] = [
    ...r.parts.map((x) => bodyPiece(x.body, x.name)),
    ...r.curves.map((c): Piece => ({ kind: 'curve', curves: c.curves, label: c.name })),
    ...r.points.map((point, i): Piece => ({ kind: 'point', point, label: `point ${i + 1}` })),
  ];
  return {
    outputs: named(p.scale === 1 ? pieces : pieces.map((x) => transformPiece(x, map))),
    diagnostics: warnings([...r.notes, ...tooMany(pieces.length, 'pieces')]),
    facts: [
      { label: 'parts', value: String(r.parts.length) },
      { label: 'faces', value: String(r.faces) },
      { label: 'solids', value: String(r.parts.filter((x) => x.body.solids.length).length) },
      { label: 'free curves', value: String(r.curves.length) },
      { label: 'file unit', value: r.unit },
      { label: 'size', value: `${formatNumber(file.data.length / 1024, 1)} kB` },
    ],
  };
}
