import { isWatertight, type MeshVerdict, meshBody, meshVerdict } from '../brep/index.ts';
import type { StepPart } from './step.ts';

export type BodyMeshes =
  | {
      readonly ok: true;
      readonly meshes: readonly ReturnType<typeof meshBody>[];
      /** What the mesh library says of every closed part. */
      readonly solids: readonly { readonly name: string; readonly verdict: MeshVerdict }[];
    }
  | { readonly ok: false; readonly message: string };

/**
 * Meshes of parts within `chord` mm, to be written to a file: refused when a face is missing, or when a closed part is no solid mesh to
 * whoever reads it. Corners count as one where the file's single precision has them at one place.
 */
export async function meshesToWrite(parts: readonly StepPart[], chord: number): Promise<BodyMeshes> {
  const meshes = parts.map((x) => meshBody(x.body, { chord }));
  const failed = meshes.flatMap((m, k) => m.failed.map((f) => parts[k].body.faces[f].name));
  if (failed.length) return { ok: false, message: `Faces cannot be meshed: ${failed.join(', ')}` };
  const closed = parts.map((x, k) => ({ name: x.name, body: x.body, mesh: meshes[k] })).filter((x) => isWatertight(x.body));
  const solids = await Promise.all(
    closed.map(async ({ name, mesh }) => ({
      name,
      verdict: await meshVerdict({ positions: Float64Array.from(Float32Array.from(mesh.positions)), indices: mesh.indices }),
    })),
  );
  const objections = solids.filter((x) => !x.verdict.solid).map((x) => `the mesh of ${x.name} ${x.verdict.reason}`);
  if (objections.length) return { ok: false, message: `Not written: ${objections.join('; ')}. Try another chord` };
  return { ok: true, meshes, solids };
}
