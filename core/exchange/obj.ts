import { Budget } from './budget.ts';
import { MeshBuilder, type ReadScan, type ScanPart } from './mesh.ts';

/** Reads an OBJ text: polygons with forward and backward counted corners; objects and groups become parts with their names. */
export function readObj(data: Uint8Array, budget = new Budget()): ReadScan {
  const text = new TextDecoder().decode(data).replace(/\\\r?\n/g, ' ');
  const xyz: number[] = [];
  const notes: string[] = [];
  const parts: ScanPart[] = [];
  let builder = new MeshBuilder(budget);
  let name = '';
  let faces = 0;
  let [wrong, others] = [0, 0];
  let dropped = 0;
  let firstWrong = 0;
  const close = () => {
    const mesh = builder.mesh();
    dropped += builder.dropped;
    if (mesh.indices.length) parts.push({ name, mesh });
    builder = new MeshBuilder(budget);
  };
  text.split('\n').forEach((raw, row) => {
    budget.take(1, 'lines');
    const line = raw.trim();
    const space = line.search(/\s/);
    const word = space < 0 ? line : line.slice(0, space);
    const rest = space < 0 ? '' : line.slice(space + 1).trim();
    if (word === 'v') {
      const v = rest.split(/\s+/).map(Number);
      xyz.push(v[0], v[1], v[2]);
    } else if (word === 'o' || word === 'g') {
      if (rest !== name) {
        close();
        name = rest;
      }
    } else if (word === 'f') {
      const count = xyz.length / 3;
      const ids = rest.split(/\s+/).map((c) => {
        const k = Number.parseInt(c, 10);
        return k < 0 ? count + k : k - 1;
      });
      if (ids.length < 3 || ids.some((i) => !(i >= 0 && i < count))) {
        wrong++;
        firstWrong ||= row + 1;
        return;
      }
      faces++;
      builder.polygon(ids.map((i) => builder.node(xyz[3 * i], xyz[3 * i + 1], xyz[3 * i + 2])));
    } else if (word === 'curv' || word === 'surf' || word === 'l') others++;
  });
  close();
  if (!faces && !xyz.length) return { ok: false, message: 'This is not an OBJ file: it holds neither corners nor faces' };
  if (!faces)
    return {
      ok: false,
      message: wrong
        ? `The OBJ file holds no face that can be used; the first is wrong in line ${firstWrong}`
        : `The OBJ file holds ${xyz.length / 3} points and no faces`,
    };
  if (wrong) notes.push(`${wrong} faces name corners that are not there and were left out; the first in line ${firstWrong}`);
  if (dropped) notes.push(`${dropped} triangles without area were left out`);
  if (others) notes.push(`${others} lines and free-form parts were passed over: only faces come in`);
  return parts.length ? { ok: true, parts, notes } : { ok: false, message: 'The OBJ file holds no triangle with an area' };
}
