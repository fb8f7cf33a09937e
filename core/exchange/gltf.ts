import { type Accessor, type Document, Extension, type Node, Primitive, WebIO } from '@gltf-transform/core';
import { Budget } from './budget.ts';
import { MeshBuilder, type ReadScan, type ScanPart } from './mesh.ts';

/** Corners as short integers are read by the reader itself; the file only has to be allowed to ask for it. */
class QuantizedCorners extends Extension {
  static override readonly EXTENSION_NAME = 'KHR_mesh_quantization';
  override readonly extensionName = QuantizedCorners.EXTENSION_NAME;
  read(): this {
    return this;
  }
  write(): this {
    return this;
  }
}

/** Reads glTF 2.0, packed (.glb) or as text with its data inside; nodes become parts. Metres with y up become millimetres with z up. */
export async function readGltf(data: Uint8Array, budget = new Budget()): Promise<ReadScan> {
  const io = new WebIO().registerExtensions([QuantizedCorners]);
  const packed = data.length > 12 && new DataView(data.buffer, data.byteOffset).getUint32(0, true) === 0x46546c67;
  let doc: Document;
  const trouble = announced(data, packed);
  if (trouble) return { ok: false, message: `The glTF file ${trouble}` };
  try {
    if (packed) {
      const length = new DataView(data.buffer, data.byteOffset).getUint32(8, true);
      if (length > data.length)
        return { ok: false, message: `The glTF file is cut off: it announces ${length} bytes and has ${data.length}` };
      doc = await io.readBinary(data);
    } else {
      const json = JSON.parse(new TextDecoder().decode(data));
      const outside = [...(json.buffers ?? [])]
        .map((b: { uri?: string }) => b.uri)
        .filter((u: string | undefined) => u && !u.startsWith('data:'));
      if (outside.length)
        return { ok: false, message: `The glTF file keeps its numbers in another file (${outside[0]}): save it packed, as .glb` };
      const resources: Record<string, Uint8Array<ArrayBuffer>> = {};
      for (const b of json.buffers ?? [])
        if (b.uri) resources[b.uri] = Uint8Array.from(atob(b.uri.slice(b.uri.indexOf(',') + 1)), (c) => c.charCodeAt(0));
      // pictures on the surface are of no use here
      delete json.images;
      delete json.textures;
      for (const m of json.materials ?? []) for (const k of Object.keys(m)) if (typeof m[k] === 'object') delete m[k];
      doc = await io.readJSON({ json, resources });
    }
  } catch (e) {
    const m = (e as Error).message;
    const needs = /extension[^"']*["']([^"']+)/i.exec(m)?.[1];
    return {
      ok: false,
      message: needs
        ? `The glTF file is packed by ${needs}, which is not read: save it without compression`
        : `This is not a glTF file that can be read: ${m.slice(0, 120)}`,
    };
  }
  const parts: ScanPart[] = [];
  const notes: string[] = [];
  let [other, dropped] = [0, 0];
  const visit = (n: Node, above: readonly string[]) => {
    budget.take(1, 'nodes');
    const mesh = n.getMesh();
    if (mesh) {
      const m = n.getWorldMatrix();
      const mirrored = m[0] * (m[5] * m[10] - m[6] * m[9]) - m[4] * (m[1] * m[10] - m[2] * m[9]) + m[8] * (m[1] * m[6] - m[2] * m[5]) < 0;
      const builder = new MeshBuilder(budget);
      for (const p of mesh.listPrimitives()) {
        const at = p.getAttribute('POSITION');
        if (!at || p.getMode() < Primitive.Mode.TRIANGLES) {
          other++;
          continue;
        }
        budget.take(at.getCount(), 'corners');
        const q = [0, 0, 0];
        const nodes = Array.from({ length: at.getCount() }, (_, i) => {
          at.getElement(i, q);
          const [x, y, z] = [0, 1, 2].map((k) => m[k] * q[0] + m[4 + k] * q[1] + m[8 + k] * q[2] + m[12 + k]);
          return builder.node(1000 * x, -1000 * z, 1000 * y);
        });
        const add = (a: number, b: number, c: number) => builder.triangle(nodes[a] ?? -1, nodes[b] ?? -1, nodes[c] ?? -1);
        // a mirrored node turns its triangles over
        trianglesOf(p.getMode(), p.getIndices(), nodes.length, mirrored ? (a, b, c) => add(a, c, b) : add);
      }
      dropped += builder.dropped;
      const done = builder.mesh();
      if (done.indices.length) parts.push({ name: [...above, n.getName() || mesh.getName()].join(' / '), mesh: done });
    }
    const inside = n.getName() && above.length < 16 ? [...above, n.getName()] : above;
    for (const c of n.listChildren()) visit(c, inside);
  };
  const scene = doc.getRoot().getDefaultScene() ?? doc.getRoot().listScenes()[0];
  for (const n of scene?.listChildren() ??
    doc
      .getRoot()
      .listNodes()
      .filter((x) => !x.getParentNode()))
    visit(n, []);
  if (!parts.length)
    return { ok: false, message: other ? 'The glTF file holds points or lines and no triangles' : 'The glTF file holds no mesh' };
  if (other) notes.push(`${other} sets of points or lines were passed over`);
  if (dropped) notes.push(`${dropped} triangles without area were left out`);
  return { ok: true, parts, unit: { mm: 1, name: 'm' }, notes };
}

/** What the file announces, against what it has: an accessor without data stands for zeros, as many as it says. */
function announced(data: Uint8Array, packed: boolean): string | undefined {
  let json: { accessors?: { count?: unknown; bufferView?: unknown; sparse?: unknown }[]; nodes?: unknown[] };
  try {
    const length = packed ? new DataView(data.buffer, data.byteOffset).getUint32(12, true) : data.length;
    json = JSON.parse(new TextDecoder().decode(packed ? data.subarray(20, 20 + length) : data));
  } catch {
    return undefined;
  }
  let empty = 0;
  for (const a of Array.isArray(json.accessors) ? json.accessors : []) {
    if (!Number.isInteger(a.count) || (a.count as number) < 0) return 'is damaged: one of its lists has no length';
    if ((a.count as number) > data.length)
      return `announces a list of ${(a.count as number).toLocaleString('en')} entries and has only ${data.length.toLocaleString('en')} bytes`;
    if (a.bufferView === undefined) empty += a.count as number;
  }
  return empty > 1_000_000 ? `stands for ${empty.toLocaleString('en')} zeros` : undefined;
}

function trianglesOf(mode: number, indices: Accessor | null, count: number, add: (a: number, b: number, c: number) => void): void {
  const n = indices?.getCount() ?? count;
  const at = (i: number) => (indices ? indices.getScalar(i) : i);
  if (mode === Primitive.Mode.TRIANGLES) for (let i = 0; i + 2 < n; i += 3) add(at(i), at(i + 1), at(i + 2));
  else if (mode === Primitive.Mode.TRIANGLE_STRIP) for (let i = 0; i + 2 < n; i++) add(at(i), at(i + 1 + (i % 2)), at(i + 2 - (i % 2)));
  else for (let i = 1; i + 1 < n; i++) add(at(0), at(i), at(i + 1));
}
