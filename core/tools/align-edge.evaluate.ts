import { type Body, sideOf, surfaceBody } from '../brep/index.ts';
import { dot, type Frame, formatNumber, sub, type Vec3 } from '../math/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';
import { defineEvaluation, failure, inputBody, inputPlane } from '../recipe/index.ts';
import tool from './align-edge.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const input = inputs.edge[0];
  const body = inputBody(input);
  if (!body || input.edge === undefined) return failure('no-edge', 'Pick an edge of a skin');
  if (body.faces.length !== 1)
    return failure(
      'several-faces',
      `This skin has ${body.faces.length} faces: take the face out with "Unknit", align its edge and knit again`,
    );
  const side = sideOf(body, input.edge)?.side;
  if (!side)
    return failure('not-a-side', 'This edge is not a whole side of the face’s own surface: untrim the face first, or pick another edge');
  const plane: Frame | undefined = inputs.plane[0] && inputPlane(inputs.plane[0]);
  if (inputs.plane[0] && !plane) return failure('not-flat', 'The plane picked is not flat');
  const axis = 'xyz'.indexOf(p.axis);
  const target = (q: Vec3): Vec3 => {
    if (!plane) return q.map((x, k) => (k === axis ? p.value : x)) as unknown as Vec3;
    const h = dot(sub(q, plane.origin), plane.z);
    return [q[0] - h * plane.z[0], q[1] - h * plane.z[1], q[2] - h * plane.z[2]];
  };
  const s = body.faces[0].surface;
  const along = side[0] === 'u' ? s.countV : s.countU;
  const across = side[0] === 'u' ? s.countU : s.countV;
  const follow = Math.min(p.follow, across - 2);
  const control = new Float64Array(s.control);
  const index = (row: number, k: number) => {
    const r = side[1] === '0' ? row : across - 1 - row;
    return 4 * (side[0] === 'u' ? r * s.countV + k : k * s.countV + r);
  };
  let most = 0;
  for (let k = 0; k < along; k++) {
    const o = index(0, k);
    const w = control[o + 3];
    const q: Vec3 = [control[o] / w, control[o + 1] / w, control[o + 2] / w];
    const by = sub(target(q), q);
    most = Math.max(most, Math.hypot(...by));
    for (let row = 0; row <= follow; row++) {
      // a smooth fall to nothing at the first row that stays
      const x = 1 - row / (follow + 1);
      const share = row === 0 ? 1 : x * x * (3 - 2 * x);
      const i = index(row, k);
      for (let d = 0; d < 3; d++) control[i + d] += share * by[d] * control[i + 3];
    }
  }
  const name = body.faces[0].name;
  const prefix = body.edges[input.edge].name.replace(/\.[^.]*$/, '') || name;
  const surface: NurbsSurface = { ...s, control };
  const made = surfaceBody(surface, { prefix, face: (i, j, n, m) => (n * m > 1 ? `${name}.${i}.${j}` : name) }).body;
  const turned: Body = {
    ...made,
    faces: made.faces.map((f) => ({ ...f, reversed: body.faces[0].reversed, colour: body.faces[0].colour })),
  };
  return {
    outputs: { main: { kind: 'skin', body: turned } },
    facts: [
      { label: 'points in the edge', value: String(along) },
      { label: 'rows moved', value: String(follow + 1) },
      { label: 'moved by at most', value: `${formatNumber(most, 4)} mm` },
    ],
  };
});
