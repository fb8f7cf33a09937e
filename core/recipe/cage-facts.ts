import { pointOf } from '../cage/cage.ts';
import { bordersOf, type Cage, cornersOf, junctionsOf, manySided, partsOf, valenceOf } from '../cage/index.ts';
import type { Vec3 } from '../math/index.ts';
import type { Diagnostic, Fact } from './tool.ts';

const count = (label: string, n: number): Fact => ({ label, value: String(n), number: n });

/** What every step that makes a cage shows of it. */
export function cageFacts(c: Cage): Fact[] {
  const { shape: s } = c;
  let poles = 0;
  const open = new Set<number>();
  const borders = bordersOf(s);
  for (const ring of borders) for (const h of ring) open.add(s.corners[h]);
  for (let v = 0; v < s.vertices; v++) if (s.out[v] >= 0 && !open.has(v) && valenceOf(s, v) !== 4) poles++;
  const creases = c.sharpness.reduce((n, x) => n + (x > 0 ? 1 : 0), 0);
  const parts = partsOf(s).length;
  return [
    count('vertices', s.vertices),
    count('faces', s.faces),
    count('poles', poles),
    count('open borders', borders.length),
    ...(creases ? [count('creased edges', creases)] : []),
    ...(parts > 1 ? [count('parts', parts)] : []),
  ];
}

/** Faces with more than four corners and T-junctions, each told in a sentence with its place. They are allowed; what comes of them is said. */
export function cageNotes(c: Cage): Diagnostic[] {
  const { shape: s } = c;
  const out: Diagnostic[] = [];
  const middle = (f: number): Vec3 => {
    const n = cornersOf(s, f);
    const p = Array.from({ length: n }, (_, i) => pointOf(c.points, s.corners[s.faceStart[f] + i]));
    return [0, 1, 2].map((k) => p.reduce((sum, q) => sum + q[k], 0) / n) as unknown as Vec3;
  };
  const junctions = junctionsOf(c);
  const inJunction = new Set(junctions.map((j) => j.face));
  const many = manySided(c).filter((m) => !inJunction.has(m.face));
  if (junctions.length)
    out.push({
      severity: 'note',
      code: 't-junction',
      message: `${junctions.length === 1 ? 'An edge ends' : `${junctions.length} edges end`} in the side of a face (a T-junction). The smooth surface takes that corner as one more, and there is a pole in that face: run the edge on, or stop it there`,
      place: junctions.map((j) => pointOf(c.points, j.vertex)),
    });
  if (many.length)
    out.push({
      severity: 'note',
      code: 'many-sided',
      message: `${many.length === 1 ? `A face has ${many[0].corners} corners` : `${many.length} faces have more than four corners or three`}: each gives a pole in its middle`,
      place: many.map((m) => middle(m.face)),
    });
  return out;
}
