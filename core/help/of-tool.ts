import type { Vec3 } from '../math/index.ts';
import { controlPoints, type NurbsCurve, polylineCurve } from '../nurbs/index.ts';
import type { Piece, RunnableTool } from '../recipe/index.ts';
import { partCurves, toolPicture } from './picture.ts';
import { evaluateExample, inputsOf } from './samples.ts';
import { SCENES } from './scenes.ts';

/** Lines through the control points of curves and faces. */
function netOf(p: Piece): NurbsCurve[] {
  if (p.kind === 'curve') return p.curves.map((c) => polylineCurve(controlPoints(c) as unknown as Vec3[]));
  if (p.kind !== 'skin' && p.kind !== 'solid') return [];
  return p.body.faces.flatMap(({ surface: s }) => {
    const at = (i: number, j: number): Vec3 => {
      const o = 4 * (i * s.countV + j);
      return [0, 1, 2].map((k) => s.control[o + k] / s.control[o + 3]) as unknown as Vec3;
    };
    const row = (n: number, of: (k: number) => Vec3) => polylineCurve(Array.from({ length: n }, (_, k) => of(k)));
    return [
      ...Array.from({ length: s.countU }, (_, i) => row(s.countV, (j) => at(i, j))),
      ...Array.from({ length: s.countV }, (_, j) => row(s.countU, (i) => at(i, j))),
    ];
  });
}

/** The picture of a tool, made from its first example and the sample pieces of its slots, or from a scene of its own. */
export async function pictureOfTool(tool: RunnableTool): Promise<string> {
  const scene = SCENES[tool.id]?.() ?? {};
  const params = scene.params ?? (scene.given ? {} : (tool.examples?.[0]?.params ?? {}));
  if (scene.made) return toolPicture(tool.label, { pieces: [], files: scene.files }, { pieces: scene.made });
  const given = scene.given ?? {};
  const r = await evaluateExample(tool, params, tool.stage === 'output', true, undefined, given);
  const inputs = Object.keys(tool.slots).flatMap((slot) => inputsOf(tool, slot, given).map((x) => ({ ...x, slot })));
  const made = Object.values(r?.outputs ?? {});
  const bad = r?.diagnostics.find((d) => d.severity === 'error');
  if (bad && r?.status !== 'fine') throw new Error(`the picture of ${tool.id}: ${bad.message}`);
  const picked = inputs.flatMap(({ piece, part }) =>
    part && (piece.kind === 'skin' || piece.kind === 'solid') ? partCurves(piece.body, part) : [],
  );
  const drawn = tool.draws && (params[tool.draws.points] as readonly (readonly number[])[] | undefined);
  const points = drawn?.map((p): Vec3 => [p[0], p[1], p[2] ?? 0]);
  const stays = inputs.filter((x) => !tool.slots[x.slot].consumes).map((x) => x.piece);
  const before = inputs.map((x) => x.piece);
  const after = made.length ? [...stays, ...made] : before;
  const nets = (list: readonly Piece[]) => (scene.nets ? list.flatMap(netOf) : []);
  return toolPicture(
    tool.label,
    { pieces: before, picked, nets: nets(before) },
    {
      pieces: after,
      points,
      nets: nets(made),
      page: r?.pages?.[0]?.svg,
      files: r?.pages?.length ? undefined : r?.files.map((f) => f.name),
      words: made.length ? [] : (r?.facts ?? []).slice(0, 2).map((f) => `${f.label} ${f.value}`),
    },
  );
}
