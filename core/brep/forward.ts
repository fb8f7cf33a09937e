import { domainU, domainV, type NurbsCurve, planeSurface, reverseU } from '../nurbs/index.ts';
import type { Body, EdgeUse, Face } from './body.ts';
import { planeRecordOf } from './build.ts';

/** The 2D curve with its first coordinate mirrored in [a, b], or its second negated. */
function mirrored(c: NurbsCurve, map: (x: number, y: number, w: number) => readonly [number, number]): NurbsCurve {
  const control = new Float64Array(c.control.length);
  for (let i = 0; i < control.length; i += 3) {
    const [x, y] = map(c.control[i], c.control[i + 1], c.control[i + 2]);
    control.set([x, y, c.control[i + 2]], i);
  }
  return { ...c, control };
}

/**
 * The same body with every reversed face turned into a forward one: the surface is run the other way round, so that its own normal looks
 * outwards. Faces in an angle chart stay as they are.
 */
export function forwardFaces(b: Body): Body {
  const faces = b.faces.map((f): Face => {
    if (!f.reversed || f.turnU || f.turnV || (f.record && f.record.type !== 1)) return f;
    const turn = (map: Parameters<typeof mirrored>[1]): EdgeUse[][] =>
      f.loops.map((l) =>
        [...l]
          .reverse()
          .map((u) => ({ ...u, reversed: !u.reversed, pcurve: { curve: mirrored(u.pcurve.curve, map), turn: u.pcurve.turn } })),
      );
    if (f.record) {
      const d = f.record.data;
      const frame = {
        origin: [d[0], d[1], d[2]] as const,
        z: [-d[3], -d[4], -d[5]] as const,
        x: [d[6], d[7], d[8]] as const,
        y: [-d[9], -d[10], -d[11]] as const,
      };
      const [u0, u1] = domainU(f.surface);
      const [v0, v1] = domainV(f.surface);
      return {
        ...f,
        reversed: false,
        surface: planeSurface(frame, u0, u1, -v1, -v0),
        record: planeRecordOf(frame),
        loops: turn((x, y) => [x, -y]),
      };
    }
    const [u0, u1] = domainU(f.surface);
    return { ...f, reversed: false, surface: reverseU(f.surface), loops: turn((x, y, w) => [(u0 + u1) * w - x, y]) };
  });
  return { ...b, faces };
}
