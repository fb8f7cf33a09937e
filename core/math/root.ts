/**
 * Where something that holds at `from` stops holding on the way to `to`: the interval is halved until it is as small as numbers allow, or
 * `halvings` times. Gives the last place found where it holds and the first where it does not. `from` may lie on either side.
 */
export function changeBetween(holds: (x: number) => boolean, from: number, to: number, halvings = 52): readonly [number, number] {
  let [last, first] = [from, to];
  for (let k = 0; k < halvings; k++) {
    const m = (last + first) / 2;
    if (m === last || m === first) break;
    if (holds(m)) last = m;
    else first = m;
  }
  return [last, first];
}

/** Where a function of one sign at `a` and another at `b` goes through zero, by halving: for values that are no more than a sign is worth. */
export function signChange(g: (x: number) => number, a: number, b: number, halvings = 52): number {
  const below = g(a) < 0;
  const [p, q] = changeBetween((x) => g(x) < 0 === below, a, b, halvings);
  return (p + q) / 2;
}

/**
 * Root of g between a and b, where its signs differ: secants through the ends; an end that stays twice is weighed down (Illinois rule, Dowell
 * and Jarratt 1971), and a step that follows three which did not halve the interval together does. An end within `zero` of zero is the root; so is any place within `enough`.
 */
export function rootBetween(g: (x: number) => number, a: number, b: number, enough = 0, zero = 0): number {
  let [p, q] = [a, b];
  let [fp, fq] = [g(p), g(q)];
  if (Math.abs(fp) <= zero) return p;
  if (Math.abs(fq) <= zero) return q;
  // the signs themselves: a weight may become too small to have one
  const up = fq > 0;
  let stayed = 0;
  let before = Number.NaN;
  let width = q - p;
  for (let k = 1; k < 250; k++) {
    let x = (p * fq - q * fp) / (fq - fp);
    const slow = k % 3 === 0 && q - p > width / 2;
    if (k % 3 === 0) width = q - p;
    if (!(x > p && x < q) || slow) x = (p + q) / 2;
    if (x === before || x === p || x === q) return x;
    before = x;
    const fx = g(x);
    if (Math.abs(fx) <= enough) return x;
    if (fx > 0 === up) {
      [q, fq] = [x, fx];
      if (stayed === 1) fp /= 2;
      stayed = 1;
    } else {
      [p, fp] = [x, fx];
      if (stayed === -1) fq /= 2;
      stayed = -1;
    }
  }
  return before;
}
