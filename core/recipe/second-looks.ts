import { type Body, checkBody, massProperties, meshSolidity } from '../brep/index.ts';
import type { Diagnostic, Fact, ToolContext, ToolResult } from './tool.ts';

const PENDING: readonly Fact[] = ['checker', 'mesh'].map((label) => ({ label, value: 'looking …', pending: true }));

/**
 * Two opinions on a solid that are not ours, told when they are there: the kernel's checker on the exact shape, and the mesh library on its
 * mesh. To be spread into a step's result, with `facts` put after its own.
 */
export function secondLooks(
  body: Body,
  context: ToolContext,
): { readonly facts: readonly Fact[]; readonly later: NonNullable<ToolResult['later']> } {
  return {
    facts: PENDING,
    later: async () => {
      const diagnostics: Diagnostic[] = [];
      const check = await checkBody(context.kernel, body, { limit: context.limit });
      if (!check.valid)
        diagnostics.push({
          severity: 'warning',
          code: 'checker',
          message: check.badFaces.length
            ? `The independent checker objects to ${check.badFaces.length === 1 ? 'a face' : `${check.badFaces.length} faces`} of this solid`
            : 'The independent checker objects to an edge of this solid',
          place: check.badFaces.flatMap((f) => (body.faces[f] ? [massProperties(body, [f]).areaCentre] : [])),
        });
      const mesh = await meshSolidity(body);
      if (!mesh.solid)
        diagnostics.push({
          severity: 'warning',
          code: 'mesh-solid',
          message: `Its mesh ${mesh.reason}: look at the thin places before it is printed`,
        });
      return {
        diagnostics,
        facts: [
          { label: 'checker', value: check.valid ? 'valid' : 'objects' },
          { label: 'mesh', value: mesh.solid ? meshWords(mesh) : 'objects' },
        ],
      };
    },
  };
}
/** A solid mesh in a few words. */
export const meshWords = (v: { parts: number; genus: number; triangles: number }): string =>
  `solid${v.parts === 1 ? '' : `, ${v.parts} closed parts`}${v.genus ? `, ${v.genus} through` : ''}, ${v.triangles} triangles`;
