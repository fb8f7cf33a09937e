import { add, cross, distance, dot, length, lerp, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { type Cage, makeCage, partsOfCage, pointOf } from './cage.ts';
import type { Edited } from './edits.ts';
import { bordersOf } from './shape.ts';
import { share } from './starts.ts';

const no = (message: string, at: readonly number[] = []): Edited => ({ ok: false, message, at });

/** Rows of points, all of the same length, as quads; names tell their place. Closed: the last row runs on to the first, or the last column to it. */
export function rowsCage(op: string, rows: readonly (readonly Vec3[])[], o: { closedAlong: boolean; closedAcross: boolean }): Edited {
  const [m, n] = [rows.length, rows[0]?.length ?? 0];
  if (rows.some((r) => r.length !== n)) return no('The rows have different numbers of points');
  const [cells, columns] = [o.closedAcross ? m : m - 1, o.closedAlong ? n : n - 1];
  if (cells < 1 || columns < 1) return no('Two rows of two points make the first quad');
  const at = (i: number, j: number) => (i % m) * n + (j % n);
  const faces: number[][] = [];
  const faceNames: string[] = [];
  for (let i = 0; i < cells; i++)
    for (let j = 0; j < columns; j++) {
      faces.push([at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)]);
      faceNames.push(`${op} f ${share(i, cells)} ${share(j, columns)}`);
    }
  const vertexNames = rows.flatMap((r, i) => r.map((_, j) => `${op} v ${share(i, cells)} ${share(j, columns)}`));
  const made = makeCage({ points: rows.flat(), faces, vertexNames, faceNames });
  return made.ok ? { ok: true, cage: made.cage } : no(`${made.trouble.message}: the points lie on each other`, made.trouble.at);
}

/**
 * A run of quads along points of a plane with normal `up`: its sides stand half the width to the left and right, square to the run and mitred where it
 * turns. The width changes evenly to `end`.
 */
export function paveRun(op: string, points: readonly Vec3[], up: Vec3, o: { width: number; end: number; closed: boolean }): Edited {
  const list = points.filter((p, i) => i === 0 || distance(p, points[i - 1]) > 1e-9);
  const n = list.length;
  if (n < (o.closed ? 3 : 2)) return no(o.closed ? 'A closed run needs three points' : 'A run of quads needs two points');
  const way = (i: number): Vec3 => unit(sub(list[(i + 1) % n], list[i % n]));
  const left: Vec3[] = [];
  const right: Vec3[] = [];
  for (let i = 0; i < n; i++) {
    const before = i > 0 || o.closed ? way((i + n - 1) % n) : way(0);
    const after = i < n - 1 || o.closed ? way(i) : way(n - 2);
    const mean = add(before, after);
    // a turn right back on itself has no mitre: it is taken square to the way in
    const along = length(mean) > 1e-6 ? unit(mean) : before;
    const side = unit(cross(up, along));
    const lean = Math.max(0.35, Math.abs(dot(side, unit(cross(up, before)))));
    const t = o.closed ? i / n : i / (n - 1);
    const half = (o.closed ? o.width : o.width + t * (o.end - o.width)) / (2 * lean);
    left.push(add(list[i], scale(side, half)));
    right.push(add(list[i], scale(side, -half)));
  }
  // seen from above the right side comes first, so that faces look up
  return rowsCage(op, [right, left], { closedAlong: o.closed, closedAcross: false });
}

/**
 * Two cages as one: border vertices of the second that come within `within` mm of border vertices of the first are those, each to its nearest that is
 * free; what lies along borders so joined hangs together. Nothing else is welded.
 */
export function joined(a: Cage, b: Cage, within: number): Edited & { readonly met?: number } {
  const border = (c: Cage) => [
    ...new Set(
      bordersOf(c.shape)
        .flat()
        .map((h) => c.shape.corners[h]),
    ),
  ];
  const pairs = border(b)
    .flatMap((w) => border(a).map((v) => ({ v, w, d: distance(pointOf(a.points, v), pointOf(b.points, w)) })))
    .filter((p) => p.d <= within)
    .sort((p, q) => p.d - q.d);
  const to = new Map<number, number>();
  const taken = new Set<number>();
  for (const { v, w } of pairs) {
    if (to.has(w) || taken.has(v)) continue;
    to.set(w, v);
    taken.add(v);
  }
  const [pa, pb] = [partsOfCage(a), partsOfCage(b)];
  const names = new Set([...pa.vertexNames]);
  const faceNames = new Set([...pa.faceNames]);
  const fresh = (name: string, used: Set<string>): string => {
    let tried = name;
    for (let k = 2; used.has(tried); k++) tried = `${name}'${k}`;
    used.add(tried);
    return tried;
  };
  const points = [...pa.points];
  const vertexNames = [...pa.vertexNames];
  const place = pb.points.map((p, w) => {
    const v = to.get(w);
    if (v !== undefined) return v;
    vertexNames.push(fresh(pb.vertexNames[w], names));
    return points.push(p) - 1;
  });
  const second = pb.faces.map((f) => f.map((w) => place[w]));
  const build = (list: number[][]) =>
    makeCage({
      points,
      faces: [...pa.faces, ...list],
      sharp: [...pa.sharp, ...pb.sharp.map((e) => ({ ...e, ends: [place[e.ends[0]], place[e.ends[1]]] as [number, number] }))],
      pins: new Map([...pa.pins, ...[...pb.pins].map(([w, x]) => [place[w], x] as const)]),
      vertexNames,
      faceNames: [...pa.faceNames, ...pb.faceNames.map((n) => fresh(n, faceNames))],
    });
  let made = build(second);
  if (!made.ok) {
    // it may look the other way where the two meet
    faceNames.clear();
    for (const n of pa.faceNames) faceNames.add(n);
    made = build(second.map((f) => [...f].reverse()));
  }
  if (!made.ok)
    return no(
      `Joined to what is there it would be no whole cage: ${made.trouble.message.toLowerCase()}. Make "Meets within" smaller, or move its ends`,
    );
  return { ok: true, cage: made.cage, met: to.size };
}

/** Rows of quads between lines, each line told by as many points: `between` rows of new points stand between two lines, evenly. */
export function rowsBetween(
  op: string,
  lines: readonly (readonly Vec3[])[],
  o: { between: number; closedAlong: boolean; closedAcross: boolean },
  onto: (p: Vec3) => Vec3 = (p) => p,
): Edited {
  const rows: Vec3[][] = [];
  const count = o.closedAcross ? lines.length : lines.length - 1;
  for (let i = 0; i < lines.length; i++) {
    rows.push(lines[i].map(onto));
    if (i >= count) break;
    const next = lines[(i + 1) % lines.length];
    for (let k = 1; k <= o.between; k++) rows.push(lines[i].map((p, j) => onto(lerp(p, next[j], k / (o.between + 1)))));
  }
  return rowsCage(op, rows, o);
}
