import { boxSize, cross, dot, length, type Vec3 } from '../math/index.ts';
import { type Body, bodyBox, connectedFaces, edgePoint, type Face, subBody, topologyOf } from './body.ts';
import { massProperties } from './mass.ts';
import { type BodyMesh, meshBody } from './mesh.ts';

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
  const volumes = groups.map((g) => massProperties(oriented.body, g, true).volume);
  if (volumes.some((v) => Math.abs(v) < 1e-12)) return { ok: false, message: 'a closed part encloses no volume' };
  const inside = nesting(
    groups.map((g) => subBody(oriented.body, g)),
    volumes,
  );
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

/** Which closed parts lie inside which: boxes first, then the winding number of the other's mesh round places of the one. */
function nesting(parts: readonly Body[], volumes: readonly number[]): (i: number, j: number) => boolean {
  const boxes = parts.map(bodyBox);
  const meshes = new Map<number, BodyMesh>();
  const known = new Map<string, boolean>();
  return (i, j) => {
    if (i === j || Math.abs(volumes[i]) >= Math.abs(volumes[j])) return false;
    if (![0, 1, 2].every((k) => boxes[i].min[k] <= boxes[j].max[k] && boxes[i].max[k] >= boxes[j].min[k])) return false;
    const key = `${i},${j}`;
    const before = known.get(key);
    if (before !== undefined) return before;
    let mesh = meshes.get(j);
    if (!mesh) meshes.set(j, (mesh = meshBody(parts[j], { chord: Math.max(1e-6, boxSize(boxes[j]) / 200), angle: 0.5 })));
    // places on edges; parts may touch in some of them, so that most decide
    const edges = parts[i].edges.filter((e) => !e.degenerate);
    const step = Math.max(1, Math.floor(edges.length / 4));
    const places = edges
      .filter((_, k) => k % step === 0)
      .flatMap((e) => [0.19, 0.64].map((k) => edgePoint(e, e.range[0] + (e.range[1] - e.range[0]) * k)));
    const votes = places.filter((p) => Math.abs(windingNumber(mesh, p)) > 0.5).length;
    known.set(key, 2 * votes > places.length);
    return 2 * votes > places.length;
  };
}
/** How often a closed mesh goes round a place: the sum of the solid angles of its triangles over 4 pi (Van Oosterom and Strackee 1983). */
export function windingNumber(m: BodyMesh, p: Vec3): number {
  let sum = 0;
  const corner = (i: number): Vec3 => [m.positions[3 * i] - p[0], m.positions[3 * i + 1] - p[1], m.positions[3 * i + 2] - p[2]];
  for (let k = 0; k < m.indices.length; k += 3) {
    const [a, b, c] = [corner(m.indices[k]), corner(m.indices[k + 1]), corner(m.indices[k + 2])];
    const [la, lb, lc] = [length(a), length(b), length(c)];
    sum += 2 * Math.atan2(dot(a, cross(b, c)), la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb);
  }
  return sum / (4 * Math.PI);
}
