import { Budget, readingTrouble } from './budget.ts';
import type { ReadScan } from './mesh.ts';
import { readObj } from './obj.ts';
import { readPly } from './ply.ts';
import { readStl } from './stl.ts';

const READERS: Record<string, (data: Uint8Array, budget: Budget) => ReadScan | Promise<ReadScan>> = {
  '.stl': (data, budget) => {
    const r = readStl(data, budget);
    return r.ok ? { ok: true, parts: [{ name: '', mesh: r.mesh }], notes: r.notes } : r;
  },
  '.obj': readObj,
  '.ply': readPly,
  // packages are unpacked by libraries of some size: they are loaded with the first file of their kind
  '.3mf': async (data, budget) => (await import('./three-mf.ts')).read3mf(data, budget),
  '.glb': async (data, budget) => (await import('./gltf.ts')).readGltf(data, budget),
  '.gltf': async (data, budget) => (await import('./gltf.ts')).readGltf(data, budget),
};
export const SCAN_FILES = Object.keys(READERS);
export const isScanFile = (name: string): boolean => SCAN_FILES.some((e) => name.toLowerCase().endsWith(e));

/** Reads a mesh file by the ending of its name. */
export async function readScan(data: Uint8Array, name: string, budget = new Budget()): Promise<ReadScan> {
  if (!data.length) return { ok: false, message: 'The file is empty' };
  const reader = READERS[SCAN_FILES.find((e) => name.toLowerCase().endsWith(e)) ?? ''];
  if (!reader) return { ok: false, message: `Meshes are read from ${SCAN_FILES.join(' ')}` };
  try {
    return await reader(data, budget);
  } catch (e) {
    return { ok: false, message: `The file cannot be read: ${readingTrouble(e)}` };
  }
}
