import { pointOf } from '../cage/cage.ts';
import {
  bordersOf,
  type Cage,
  cornersOf,
  isBorderVertex,
  junctionsOf,
  limitThrough,
  manySided,
  partsOf,
  valenceOf,
} from '../cage/index.ts';
import type { Vec3 } from '../math/index.ts';
import type { Diagnostic, Fact } from './tool.ts';

const count = (label: string, n: number): Fact => ({ label, value: String(n), number: n });

interface Counts {
  readonly poles: number;
  readonly borders: number;
  readonly parts: number;
}
const counted = new WeakMap<Cage['shape'], Counts>();
/** What hangs on the shape alone is counted once for it, not for each step of a drag. */
function countsOf(s: Cage['shape']): Counts {
  let found = counted.get(s);
  if (!found) {
    let poles = 0;
    for (let v = 0; v < s.vertices; v++) if (s.out[v] >= 0 && !isBorderVertex(s, v) && valenceOf(s, v) !== 4) poles++;
    found = { poles, borders: bordersOf(s).length, parts: partsOf(s).length };
    counted.set(s, found);
  }
  return found;
}

/** What every step that makes a cage shows of it. */
export function cageFacts(c: Cage): Fact[] {
  const { shape: s } = c;
  const { poles, borders, parts } = countsOf(s);
  const creases = c.sharpness.reduce((n, x) => n + (x > 0 ? 1 : 0), 0);
  return [
    count('vertices', s.vertices),
    count('faces', s.faces),
    count('poles', poles),
    count('open borders', borders),
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

/** The cage whose smooth surface runs through its points; itself, with a warning, where there is none. */
export function throughItsPoints(c: Cage): { cage: Cage; diagnostics: Diagnostic[] } {
  const through = limitThrough(c, 1e-6);
  if (through) return { cage: through, diagnostics: [] };
  const message = 'The smooth surface cannot run through all of these points: the cage does. Use other numbers of quads';
  return { cage: c, diagnostics: [{ severity: 'warning', code: 'through', message }] };
}
