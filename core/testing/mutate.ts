/** Damaged files for the readers: small whole files of every kind, and changes of them that a disk, a mailer or an enemy would make. */
import { strToU8, zipSync } from 'fflate';
import { localKernel } from '../brep/local.ts';
import { readDxf, readIges, readPicture, readScan, readStep, readSvg, writeStep, writeStl } from '../exchange/index.ts';
import { parseModel } from '../recipe/index.ts';
import { bodyOf, run, step } from './run.ts';

export interface Sample {
  readonly name: string;
  readonly data: Uint8Array;
}
const text = (name: string, s: string): Sample => ({ name, data: strToU8(s) });
const MODEL =
  '<model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources><object id="1" type="model"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/></triangles></mesh></object><object id="2" type="model"><components><component objectid="1" transform="1 0 0 0 1 0 0 0 1 5 0 0"/></components></object></resources><build><item objectid="1"/><item objectid="2"/></build></model>';
const line = (s: string, section: string, n: number) => `${s.padEnd(72)}${section}${String(n).padStart(7)}`;
const IGES = [
  line('a block', 'S', 1),
  line('1H,,1H;,4Hpart,8Hpart.igs,5Hample,1H1,32,38,6,308,15,4Hpart,1.,2,2HMM,1,0.01,', 'G', 1).slice(0, 80),
  line('15H20260101.000000,1E-6,100.,4Hauth,3Horg,11,0;', 'G', 2),
  line('     110       1       0       0       0       0       0       000000000', 'D', 1),
  line('     110       0       0       1       0                               0', 'D', 2),
  `${'110,0.,0.,0.,10.,5.,2.;'.padEnd(64)}${'1'.padStart(8)}P${'1'.padStart(7)}`,
  line('S      1G      2D      2P      1', 'T', 1),
].join('\n');
const ply =
  'ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n';
const dxf =
  '0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n2\nB\n10\n0\n20\n0\n0\nCIRCLE\n8\n0\n10\n1\n20\n2\n40\n3\n0\nENDBLK\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n0\n10\n0\n20\n0\n11\n5\n21\n5\n0\nINSERT\n2\nB\n10\n7\n20\n0\n41\n2\n42\n2\n0\nLWPOLYLINE\n90\n3\n70\n1\n10\n0\n20\n0\n42\n0.5\n10\n4\n20\n0\n10\n4\n20\n4\n0\nSPLINE\n71\n3\n72\n8\n73\n4\n40\n0\n40\n0\n40\n0\n40\n0\n40\n1\n40\n1\n40\n1\n40\n1\n10\n0\n20\n0\n10\n1\n20\n2\n10\n3\n20\n2\n10\n4\n20\n0\n0\nENDSEC\n0\nEOF\n';
const svg =
  '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30"><defs><g id="g"><path d="M1 2 C3 4 5 6 7 8 A4 5 30 0 1 9 9 S1 2 3 4 Q1 1 2 2 T5 5 Z"/></g></defs><use href="#g" transform="rotate(30) scale(2)"/><circle cx="5" cy="5" r="3"/><rect x="1" y="1" width="4" height="3" rx="1"/><polygon points="0,0 4,0 4,4"/></svg>';
const recipe =
  '{"format":"ample-skin-recipe","version":1,"name":"a","dials":[{"name":"w","formula":"3 mm","unit":"length"}],"steps":[{"id":"c","tool":"circle","version":1,"inputs":{},"params":{"radius":"w*2"}}]}';
const gltf = `{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"children":[1]},{"mesh":0,"translation":[1,2,3]}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,${Buffer.from(new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0]).buffer).toString('base64')}"}]}`;

const block = async () =>
  bodyOf(
    await run(
      step('c', 'rectangle', {
        points: [
          [0, 0],
          [4, 3],
        ],
      }),
      step('e', 'extrude', { distance: 2 }, { profile: ['c'] }),
    ),
    'e',
  );

// one grey dot
const PNG = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAAAAAA6fptVAAAACklEQVR4nGNgAAAAAgABSK+kcQAAAABJRU5ErkJggg==';
/** One small whole file of every kind that is read. */
export const samples = async (): Promise<Sample[]> => [
  text('a.svg', svg),
  text('a.dxf', dxf),
  text('a.obj', 'o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\nf -1 -2 -3\n'),
  text('a.ply', ply),
  text('a.iges', IGES),
  text('a.step', await writeStep([{ name: 'block', body: await block() }], localKernel)),
  text('a.json', recipe),
  text('a.gltf', gltf),
  { name: 'a.stl', data: writeStl([{ positions: Float64Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]), indices: Uint32Array.from([0, 1, 2]) }]) },
  text('text.stl', 'solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n'),
  { name: 'a.3mf', data: zipSync({ '3D/3dmodel.model': strToU8(MODEL) }, { level: 0 }) },
  { name: 'a.png', data: Buffer.from(PNG, 'base64') },
];

const WILD = [
  '1e999',
  '-1e308',
  'NaN',
  '0',
  '-1',
  '99999999999',
  '0.0000001',
  '',
  '(',
  ')',
  '#1',
  '<',
  '/>',
  '"',
  "'",
  ',',
  '$',
  '*',
  '\0',
];
/** One to six changes: bytes, runs cut or doubled, numbers replaced, the end cut off. `next` gives numbers in [0, 1). */
export function mutate(data: Uint8Array, next: () => number): Uint8Array {
  let out = data;
  const int = (n: number) => Math.floor(next() * n);
  for (let k = 1 + int(6); k > 0; k--) {
    const at = int(out.length);
    const run = 1 + int(Math.min(200, out.length));
    const way = int(6);
    const put = (middle: Uint8Array, drop: number) => {
      const joined = new Uint8Array(out.length - Math.min(drop, out.length - at) + middle.length);
      joined.set(out.subarray(0, at));
      joined.set(middle, at);
      joined.set(out.subarray(Math.min(out.length, at + drop)), at + middle.length);
      out = joined;
    };
    if (way === 0) put(Uint8Array.of(int(256)), 1);
    else if (way === 1) put(new Uint8Array(0), run);
    else if (way === 2) put(out.slice(at, at + run), 0);
    else if (way === 3) out = out.slice(0, at);
    else if (way === 4) put(strToU8(WILD[int(WILD.length)]), 0);
    else {
      // the next number is replaced
      let i = at;
      while (i < out.length && !(out[i] >= 48 && out[i] <= 57)) i++;
      let z = i;
      while (z < out.length && ((out[z] >= 48 && out[z] <= 57) || out[z] === 46)) z++;
      const rest = out.subarray(z);
      const wild = strToU8(WILD[int(7)]);
      const joined = new Uint8Array(i + wild.length + rest.length);
      joined.set(out.subarray(0, i));
      joined.set(wild, i);
      joined.set(rest, i + wild.length);
      out = joined;
    }
    if (!out.length) break;
  }
  return out;
}
/** Reads a file the way an import does. What cannot be read must be an answer with a message, never an exception. */
export async function readAny(s: Sample): Promise<{ ok: boolean; message?: string }> {
  const words = () => new TextDecoder().decode(s.data);
  if (s.name.endsWith('.svg')) return readSvg(words());
  if (s.name.endsWith('.dxf')) return readDxf(words());
  if (s.name.endsWith('.iges')) return readIges(s.data, localKernel);
  if (s.name.endsWith('.step')) return readStep(s.data, localKernel);
  if (s.name.endsWith('.png')) return readPicture(s.data);
  if (s.name.endsWith('.json')) {
    let data: unknown;
    try {
      data = JSON.parse(words());
    } catch {
      return { ok: false, message: 'not JSON' };
    }
    return parseModel(data);
  }
  return readScan(s.data, s.name);
}
/** Numbers in [0, 1) from a seed (Park and Miller 1988). */
export function seeded(seed: number): () => number {
  let x = (Math.abs(Math.trunc(seed)) % 2147483646) + 1;
  return () => {
    x = (x * 16807) % 2147483647;
    return (x - 1) / 2147483646;
  };
}
