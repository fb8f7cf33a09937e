import type { ReadScan } from './mesh.ts';
import { readObj } from './obj.ts';
import { readPly } from './ply.ts';
import { readStl } from './stl.ts';

const READERS: Record<string, (data: Uint8Array) => ReadScan | Promise<ReadScan>> = {
  '.stl': (data) => {
    const r = readStl(data);
    return r.ok ? { ok: true, parts: [{ name: '', mesh: r.mesh }], notes: r.notes } : r;
  },
  '.obj': readObj,
  '.ply': readPly,
  // packages are unpacked by libraries of some size: they are loaded with the first file of their kind
  '.3mf': async (data) => (await import('./three-mf.ts')).read3mf(data),
  '.glb': async (data) => (await import('./gltf.ts')).readGltf(data),
  '.gltf': async (data) => (await import('./gltf.ts')).readGltf(data),
};
export const SCAN_FILES = Object.keys(READERS);
export const isScanFile = (name: string): boolean => SCAN_FILES.some((e) => name.toLowerCase().endsWith(e));

/** Reads a mesh file by the ending of its name. */
export async function readScan(data: Uint8Array, name: string): Promise<ReadScan> {
  if (!data.length) return { ok: false, message: 'The file is empty' };
  const reader = READERS[SCAN_FILES.find((e) => name.toLowerCase().endsWith(e)) ?? ''];
  return reader ? reader(data) : { ok: false, message: `Meshes are read from ${SCAN_FILES.join(' ')}` };
}
