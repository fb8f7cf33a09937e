import type { Vec3 } from '../math/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';
import { gridPoint } from '../skins/refit-surface.ts';
import type { Mark } from './tool.ts';

/** A deviation over a surface as a colour map: values on an even grid of its parameters, rows along u. */
export function deviationMarks(s: NurbsSurface, map: Float64Array, columns: number, limit: number): Mark[] {
  const rows = map.length / columns;
  const points = new Float64Array(map.length * 3);
  let worst = 0;
  for (let i = 0; i < rows; i++)
    for (let j = 0; j < columns; j++) {
      points.set(gridPoint(s, i / (rows - 1), j / (columns - 1)), 3 * (i * columns + j));
      if (map[i * columns + j] > map[worst]) worst = i * columns + j;
    }
  const at: Vec3 = [points[3 * worst], points[3 * worst + 1], points[3 * worst + 2]];
  return [
    { kind: 'map', points, values: map, columns, limit: limit > 0 ? limit : map[worst] },
    { kind: 'number', at, label: `${Number(map[worst].toPrecision(2))} mm` },
  ];
}
