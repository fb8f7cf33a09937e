import type { NurbsCurve, NurbsSurface } from '../../nurbs/index.ts';
import type { Body, Edge, EdgeUse, Face, Trace } from '../body.ts';

const num = (x: number): string => (Object.is(x, -0) ? '0' : String(x));
const list = (a: ArrayLike<number>): string => Array.from(a, num).join(' ');

function runs(knots: Float64Array): [number, number][] {
  const out: [number, number][] = [];
  for (const k of knots) {
    if (out.length && out[out.length - 1][0] === k) out[out.length - 1][1]++;
    else out.push([k, 1]);
  }
  return out;
}

function splineText(c: NurbsCurve): string {
  const s = c.dim + 1;
  const k = runs(c.knots);
  const poles: string[] = [];
  for (let i = 0; i < c.control.length; i += s) {
    const w = c.control[i + c.dim];
    for (let d = 0; d < c.dim; d++) poles.push(num(c.control[i + d] / w));
    if (c.rational) poles.push(num(w));
  }
  return `7 ${c.rational ? 1 : 0} 0  ${c.degree} ${c.control.length / s} ${k.length}  ${poles.join(' ')}\n ${k.map(([t, m]) => `${num(t)} ${m}`).join(' ')}\n`;
}
const curveText = (c: Trace): string => (c.record ? `${c.record.type} ${list(c.record.data)}\n` : splineText(c.curve));

function surfaceText(s: NurbsSurface): string {
  const ku = runs(s.knotsU);
  const kv = runs(s.knotsV);
  const rows: string[] = [];
  for (let i = 0; i < s.countU; i++) {
    const row: string[] = [];
    for (let j = 0; j < s.countV; j++) {
      const o = (i * s.countV + j) * 4;
      const w = s.control[o + 3];
      row.push(num(s.control[o] / w), num(s.control[o + 1] / w), num(s.control[o + 2] / w));
      if (s.rational) row.push(num(w));
    }
    rows.push(row.join(' '));
  }
  const r = s.rational ? 1 : 0;
  return `9 ${r} ${r} 0 0 ${s.degreeU} ${s.degreeV} ${s.countU} ${s.countV} ${ku.length} ${kv.length} ${rows.join('\n')}\n\n${ku.map(([t, m]) => `${num(t)} ${m}`).join('\n')}\n\n${kv.map(([t, m]) => `${num(t)} ${m}`).join('\n')}\n\n`;
}
function faceSurfaceText(f: Face): string {
  const r = f.record;
  if (!r) return surfaceText(f.surface);
  return `${r.type} ${list(r.data)}\n${r.basis ? curveText(r.basis) : ''}`;
}

/** True when the face can go out in its analytic form; otherwise its chart must be the surface's own. */
const analytic = (f: Face): boolean => !!f.record;

/**
 * Faces and edges in the order in which the kernel meets them in the written text: shells of solids, then loose shells, their faces and
 * loops. What the kernel tells by index is told in this order, not in the body's own.
 */
export function visitOrder(b: Body): { readonly faces: readonly number[]; readonly edges: readonly number[] } {
  const inSolid = b.solids.flat();
  const shells = [...inSolid, ...b.shells.map((_, i) => i).filter((i) => !inSolid.includes(i))];
  const faces = [...new Set(shells.flatMap((s) => b.shells[s].faces))];
  return { faces, edges: [...new Set(faces.flatMap((f) => b.faces[f].loops.flatMap((l) => wireOrder(b, l).map((u) => u.edge))))] };
}
/**
 * A loop of nothing but a seam and poles begins with the seam run forward: from its first corner the kernel tells, when it writes a file
 * and has no edge to write, which pole stands for the whole loop, and reads it back only from the pole where the seam ends.
 */
function wireOrder(b: Body, loop: readonly EdgeUse[]): readonly EdgeUse[] {
  const bare = loop.every((u) => b.edges[u.edge].degenerate || loop.some((x) => x !== u && x.edge === u.edge));
  const first = bare ? loop.findIndex((u) => !u.reversed && !b.edges[u.edge].degenerate) : 0;
  return first > 0 ? [...loop.slice(first), ...loop.slice(0, first)] : loop;
}
/**
 * Writes bodies in the kernel's text format (topology version 1), children first. Edges and pcurves are shared, so nothing needs sewing.
 * Solids, closed or open shells and loose faces become one compound when there is more than one root.
 * Throws when a face has lost its analytic record but still lives in an angle chart (call `bakeCharts` first).
 */
export function writeText(b: Body): string {
  const curves: string[] = [];
  const curves2: string[] = [];
  const surfaces: string[] = [];
  const shapes: string[] = [];
  const total =
    b.vertices.length +
    b.edges.length +
    b.faces.reduce((s, f) => s + f.loops.length, 0) +
    b.faces.length +
    b.shells.length +
    b.solids.length;
  const shellInSolid = new Set(b.solids.flat());
  const roots: number[] = [];
  const lone = b.solids.length + b.shells.length - shellInSolid.size;
  const count = total + (lone === 1 ? 0 : 1);
  const id = (n: number) => count - n + 1;
  const ref = (n: number, reversed = false) => `${reversed ? '-' : '+'}${id(n)} 0`;
  const push = (t: string): number => shapes.push(t);

  const reps: string[][] = b.edges.map(() => []);
  b.faces.forEach((f, fi) => {
    if (!analytic(f) && (f.turnU || f.turnV)) throw new Error(`face ${f.name} needs its chart baked before it can be written`);
    surfaces.push(faceSurfaceText(f));
    const byEdge = new Map<number, EdgeUse[]>();
    for (const l of f.loops) for (const u of l) byEdge.set(u.edge, [...(byEdge.get(u.edge) ?? []), u]);
    for (const [e, uses] of byEdge) {
      const [a, z] = b.edges[e].range;
      if (uses.length === 1) {
        curves2.push(curveText(uses[0].pcurve));
        reps[e].push(`2  ${curves2.length} ${fi + 1} 0 ${num(a)} ${num(z)}`);
      } else {
        const forward = uses.find((u) => !u.reversed) ?? uses[0];
        const back = uses.find((u) => u !== forward) as EdgeUse;
        curves2.push(curveText(forward.pcurve), curveText(back.pcurve));
        reps[e].push(`3  ${curves2.length - 1} ${curves2.length}C0 ${fi + 1} 0 ${num(a)} ${num(z)}`);
      }
    }
  });

  const vertexId = b.vertices.map((v) => push(`Ve\n${num(v.tolerance)}\n${list(v.point)}\n0 0\n\n0101101\n*`));
  const edgeId = b.edges.map((e: Edge, i) => {
    const lines: string[] = [];
    if (!e.degenerate) {
      curves.push(curveText(e));
      lines.push(`1  ${curves.length} 0 ${num(e.range[0])} ${num(e.range[1])}`);
    }
    lines.push(...reps[i]);
    return push(
      `Ed\n ${num(e.tolerance)} 1 1 ${e.degenerate ? 1 : 0}\n${lines.join('\n')}\n0\n\n0101000\n${ref(vertexId[e.start])} ${ref(vertexId[e.end], true)} *`,
    );
  });
  const faceId = b.faces.map((f, fi) => {
    const wires = f.loops.map((l) =>
      push(
        `Wi\n\n0101100\n${wireOrder(b, l)
          .map((u) => ref(edgeId[u.edge], u.reversed))
          .join(' ')} *`,
      ),
    );
    return push(`Fa\n0  ${num(f.tolerance)} ${fi + 1} 0\n\n0101000\n${wires.map((w) => ref(w)).join(' ')} *`);
  });
  const shellId = b.shells.map((s) =>
    push(`Sh\n\n0101${s.closed ? '1' : '0'}00\n${s.faces.map((f) => ref(faceId[f], b.faces[f].reversed)).join(' ')} *`),
  );
  for (const solid of b.solids) roots.push(push(`So\n\n0100000\n${solid.map((s) => ref(shellId[s])).join(' ')} *`));
  b.shells.forEach((_, i) => {
    if (!shellInSolid.has(i)) roots.push(shellId[i]);
  });
  if (roots.length !== 1) push(`Co\n\n1100000\n${roots.map((r) => ref(r)).join(' ')} *`);
  const root = roots.length === 1 ? id(roots[0]) : 1;
  return `CASCADE Topology V1, (c) Matra-Datavision\nLocations 0\nCurve2ds ${curves2.length}\n${curves2.join('')}Curves ${curves.length}\n${curves.join('')}Polygon3D 0\nPolygonOnTriangulations 0\nSurfaces ${surfaces.length}\n${surfaces.join('')}Triangulations 0\n\nTShapes ${shapes.length}\n${shapes.join('\n')}\n\n+${root} 0 \n`;
}
