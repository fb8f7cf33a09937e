/** Values at shares of a length, as a smooth curve that does not swing beyond them (Fritsch, Carlson 1980); straight between two. */
export function lawOf(points: readonly (readonly [number, number])[], otherwise: number): (share: number) => number {
  const list = [...points].sort((a, b) => a[0] - b[0]).filter((p, i, l) => i === 0 || p[0] - l[i - 1][0] > 1e-9);
  if (!list.length) return () => otherwise;
  if (list.length === 1) return () => list[0][1];
  const n = list.length - 1;
  const h = list.slice(1).map((p, i) => p[0] - list[i][0]);
  const d = h.map((w, i) => (list[i + 1][1] - list[i][1]) / w);
  const m = list.map((_, i) => {
    if (n === 1) return d[0];
    if (i === 0 || i === n) return 0;
    if (d[i - 1] * d[i] <= 0) return 0;
    const w = (h[i - 1] + 2 * h[i]) / (3 * (h[i - 1] + h[i]));
    return (d[i - 1] * d[i]) / (w * d[i] + (1 - w) * d[i - 1]);
  });
  return (s) => {
    if (s <= list[0][0]) return list[0][1];
    if (s >= list[n][0]) return list[n][1];
    let i = 0;
    while (i < n - 1 && s > list[i + 1][0]) i++;
    const t = (s - list[i][0]) / h[i];
    const [t2, t3] = [t * t, t * t * t];
    return (
      list[i][1] * (1 - 3 * t2 + 2 * t3) + list[i + 1][1] * (3 * t2 - 2 * t3) + h[i] * (m[i] * (t - 2 * t2 + t3) + m[i + 1] * (t3 - t2))
    );
  };
}
