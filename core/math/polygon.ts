type Place = readonly [number, number];

/** Tells whether a place lies inside a closed polygon (even-odd). */
export function insidePolygon(poly: readonly Place[]): (x: number, y: number) => boolean {
  return (x, y) => {
    let odd = false;
    for (let i = 0, j = poly.length - 1; i < poly.length; j = i++)
      if (poly[i][1] > y !== poly[j][1] > y && x < ((poly[j][0] - poly[i][0]) * (y - poly[i][1])) / (poly[j][1] - poly[i][1]) + poly[i][0])
        odd = !odd;
    return odd;
  };
}
/** A corner of a side of a closed polygon that another side crosses. */
export function polygonCrossing(poly: readonly Place[]): Place | undefined {
  const n = poly.length;
  const side = (a: Place, b: Place, c: Place) => (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [poly[i], poly[(i + 1) % n], poly[j], poly[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return [a[0], a[1]];
    }
  return undefined;
}

/** Least and largest x, least and largest y. */
export const polygonBox = (poly: readonly Place[]): readonly [number, number, number, number] => {
  const box: [number, number, number, number] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const [x, y] of poly) {
    box[0] = Math.min(box[0], x);
    box[1] = Math.max(box[1], x);
    box[2] = Math.min(box[2], y);
    box[3] = Math.max(box[3], y);
  }
  return box;
};
