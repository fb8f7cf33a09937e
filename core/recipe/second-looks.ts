import { type Body, checkBody, massProperties, meshSolidity } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import type { Diagnostic, Fact, ToolContext, ToolResult } from './tool.ts';

const pending = (label: string, value: string): Fact => ({ label, value, pending: true });

/**
 * Exact volume and area, and two opinions on a solid that are not ours, told when they are there: the kernel's checker on the exact shape, and the mesh library on its
 * mesh. `volume`, `area` and `facts` stand among the facts of the step until then.
 */
export function secondLooks(
  body: Body,
  context: ToolContext,
): {
  readonly volume: Fact;
  readonly area: Fact;
  readonly facts: readonly Fact[];
  readonly later: NonNullable<ToolResult['later']>;
} {
  return {
    volume: pending('volume', '…'),
    area: pending('area', '…'),
    facts: [pending('checker', 'looking …'), pending('mesh', 'looking …')],
    later: async () => {
      const diagnostics: Diagnostic[] = [];
      const exact = massProperties(body);
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
          { label: 'volume', value: `${formatNumber(exact.volume, 3)} mm³` },
          { label: 'area', value: `${formatNumber(exact.area, 2)} mm²` },
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
