import type { Vec3 } from '../math/index.ts';
import { type Body, bodyBox, connectedFaces, type Face, subBody, topologyOf } from './body.ts';
import { signedVolume } from './mass.ts';

/** Turns faces over until neighbours agree on what is outside; each connected part keeps the majority's side. */
export function orientConsistently(b: Body): { body: Body; flipped: number[]; ok: boolean } {
  const { uses } = topologyOf(b);
  const flip = new Int8Array(b.faces.length).fill(-1);
  let ok = true;
  for (const group of connectedFaces(b)) {
    flip[group[0]] = 0;
    const queue = [group[0]];
    for (let k = 0; k < queue.length; k++) {
      const f = queue[k];
      for (const l of b.faces[f].loops)
        for (const u of l) {
          const pair = uses[u.edge];
          if (pair.length !== 2 || b.edges[u.edge].degenerate) continue;
          const other = pair[0].face === f && pair[0].use === u ? pair[1] : pair[0];
          if (other.face === f) continue;
          const same = (u.reversed !== b.faces[f].reversed) === (other.use.reversed !== b.faces[other.face].reversed);
          const want = same ? 1 - flip[f] : flip[f];
          if (flip[other.face] < 0) {
            flip[other.face] = want;
            queue.push(other.face);
          } else if (flip[other.face] !== want) ok = false;
        }
    }
    const turned = group.filter((f) => flip[f] === 1);
    if (turned.length > group.length / 2) for (const f of group) flip[f] = 1 - flip[f];
  }
  const flipped = b.faces.map((_, i) => i).filter((i) => flip[i] === 1);
  if (!flipped.length) return { body: b, flipped, ok };
  return { body: { ...b, faces: b.faces.map((f, i): Face => (flip[i] === 1 ? { ...f, reversed: !f.reversed } : f)) }, flipped, ok };
}

export type SolidResult = { ok: true; body: Body; flipped: number } | { ok: false; message: string; place?: Vec3 };

/** Solids out of closed shells: outsides out, shells that lie inside another one become its voids. */
export function makeSolid(b: Body): SolidResult {
  const { rims, crowded } = topologyOf(b);
  if (rims.length) return { ok: false, message: `${rims.length} edges are still open`, place: b.vertices[b.edges[rims[0]].start].point };
  if (crowded.length)
    return { ok: false, message: 'more than two faces meet at an edge', place: b.vertices[b.edges[crowded[0]].start].point };
  const oriented = orientConsistently(b);
  if (!oriented.ok) return { ok: false, message: 'the skin is one-sided: no outside can be told' };
  const groups = connectedFaces(oriented.body);
  const volumes = groups.map((g) => signedVolume(oriented.body, g));
  if (volumes.some((v) => Math.abs(v) < 1e-12)) return { ok: false, message: 'a closed part encloses no volume' };
  const boxes = groups.map((g) => bodyBox(subBody(oriented.body, g)));
  const inside = (i: number, j: number) =>
    i !== j &&
    [0, 1, 2].every((k) => boxes[i].min[k] >= boxes[j].min[k] - 1e-9 && boxes[i].max[k] <= boxes[j].max[k] + 1e-9) &&
    Math.abs(volumes[i]) < Math.abs(volumes[j]);
  const depth = groups.map((_, i) => groups.filter((_, j) => inside(i, j)).length);
  let flipped = oriented.flipped.length;
  const faces = [...oriented.body.faces];
  groups.forEach((g, i) => {
    const want = depth[i] % 2 === 0 ? 1 : -1;
    if (Math.sign(volumes[i]) !== want) {
      flipped += g.length;
      for (const f of g) faces[f] = { ...faces[f], reversed: !faces[f].reversed };
    }
  });
  const shells = groups.map((g) => ({ faces: g, closed: true }));
  const solids: number[][] = [];
  groups.forEach((_, i) => {
    if (depth[i] % 2 === 0) solids.push([i, ...groups.map((_, j) => j).filter((j) => depth[j] === depth[i] + 1 && inside(j, i))]);
  });
  return { ok: true, flipped, body: { ...oriented.body, faces, shells, solids } };
}
