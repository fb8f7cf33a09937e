/**
 * Regular faces into large rectangles. The sides of every largest rectangle lie on lines that start at corners of the irregular region and run
 * straight on; these lines cut the regular faces into a few blocks (their number does not grow with refinement), and the greedy choice is made
 * on blocks. Work: one pass over the faces, then block work alone.
 */
import TinyQueue from 'tinyqueue';
import { isRegularFace } from './sectors.ts';
import type { Refinable } from './subdivide.ts';

export interface Rectangle {
  /** rows[y][x] = half-edge of the face whose edge along +x it is (its origin is the face's (0,0)). */
  readonly rows: readonly (readonly number[])[];
}
export interface Merge {
  readonly rectangles: readonly Rectangle[];
  readonly blocks: number;
}
interface Choice {
  readonly area: number;
  readonly nx: number;
  readonly ny: number;
}
/** Faces between lines, all of them a rectangle. */
interface Block {
  readonly w: number;
  readonly h: number;
  /** Faces, row by row: half-edges along +x. */
  readonly cells: Int32Array;
}

export function mergeRegular(c: Refinable, isRegular: (f: number) => boolean = (f) => isRegularFace(c, f)): Merge {
  const { next, prev, twin, face, edgeOf, faceStart, faces: nf } = c.shape;
  const ok = new Uint8Array(nf);
  for (let f = 0; f < nf; f++) ok[f] = isRegular(f) ? 1 : 0;
  const ne = face.length;
  const open = (h: number) => twin[h] >= 0 && c.sharpness[edgeOf[h]] === 0 && ok[face[h]] === 1 && ok[face[twin[h]]] === 1;
  const line = new Uint8Array(ne); // 1 = side of a block
  for (let h = 0; h < ne; h++) if (ok[face[h]] && !open(h)) line[h] = 1;
  // lines go on from every border edge, both ways, while both sides are regular
  const stack: number[] = [];
  for (let h = 0; h < ne; h++) if (line[h]) stack.push(h);
  const onward = (h: number): number => {
    // from the end of h: first edge of the next face of the fan that goes straight on, seen from h's own side
    const across = next[h];
    return open(across) ? next[twin[across]] : -1;
  };
  const backward = (h: number): number => {
    const across = prev[h];
    return open(across) ? prev[twin[across]] : -1;
  };
  const spread = () => {
    while (stack.length) {
      const h = stack.pop() as number;
      for (const g of [onward(h), backward(h)]) {
        if (g < 0 || line[g]) continue;
        line[g] = 1;
        stack.push(g);
        if (open(g) && !line[twin[g]]) {
          line[twin[g]] = 1;
          stack.push(twin[g]);
        }
      }
      if (open(h) && !line[twin[h]]) {
        line[twin[h]] = 1;
        stack.push(twin[h]);
      }
    }
  };
  spread();
  // blocks: from a corner cell, right until a side, up until a side; what closes on itself is cut once
  const blockOf = new Int32Array(nf).fill(-1);
  const blocks: Block[] = [];
  const right = (h: number) => next[twin[next[h]]]; // cell to the right, same frame
  const up = (h: number) => twin[next[next[h]]];
  // strips that close on themselves (a limb without a corner, a torus) get one line across, run on as far as any other
  for (const way of [0, 1]) {
    const seen = new Uint8Array(ne);
    for (let f = 0; f < nf; f++)
      for (const s of [0, 1]) {
        let h = faceStart[f];
        if (s !== way) h = next[h];
        if (!ok[f] || seen[h]) continue;
        const start = h;
        for (;;) {
          seen[h] = seen[next[next[h]]] = 1;
          const side = next[h];
          if (line[side]) break;
          h = right(h);
          if (h === start) {
            line[side] = line[twin[side]] = 1;
            stack.push(side, twin[side]);
            spread();
            break;
          }
        }
      }
  }
  for (let f = 0; f < nf; f++) {
    if (!ok[f] || blockOf[f] >= 0) continue;
    let h = faceStart[f];
    // left and down to the corner
    for (;;) {
      const side = prev[h];
      if (line[side]) break;
      h = prev[twin[side]];
    }
    for (;;) {
      if (line[h]) break;
      h = next[next[twin[h]]];
    }
    const row: number[] = [h];
    while (!line[next[row[row.length - 1]]]) row.push(right(row[row.length - 1]));
    const cells: number[] = [];
    let current = row;
    let height = 0;
    for (;;) {
      cells.push(...current);
      height++;
      for (const x of current) blockOf[face[x]] = blocks.length;
      if (line[next[next[current[0]]]]) break;
      current = current.map((x) => up(x));
    }
    blocks.push({ w: row.length, h: height, cells: Int32Array.from(cells) });
  }
  // block steps: frame (block, r): r quarter turns; neighbour over the right side
  const used = new Uint8Array(blocks.length);
  const corner = (b: number, r: number): number => {
    const { w, h, cells } = blocks[b];
    const at = [cells[0], next[cells[w - 1]], next[next[cells[w * h - 1]]], prev[cells[w * (h - 1)]]];
    return at[r];
  };
  const frame = new Map<number, number>(); // corner half-edge -> block*4+r
  blocks.forEach((_, b) => {
    for (let r = 0; r < 4; r++) frame.set(corner(b, r), b * 4 + r);
  });
  const width = (x: number) => ((x & 1) === 0 ? blocks[x >> 2].w : blocks[x >> 2].h);
  const height = (x: number) => ((x & 1) === 0 ? blocks[x >> 2].h : blocks[x >> 2].w);
  const rightOf = (x: number): number => {
    const side = corner(x >> 2, ((x & 3) + 1) & 3); // half-edge going up the right side, at its lower end
    if (!open(side)) return -1;
    return frame.get(next[twin[side]]) ?? -1;
  };
  const upOf = (x: number): number => {
    // lower-left corner of the block above
    const side = corner(x >> 2, ((x & 3) + 3) & 3); // half-edge going down the left side, at the top
    const top = prev[side];
    return open(top) ? (frame.get(twin[top]) ?? -1) : -1;
  };
  const rightTable = Int32Array.from({ length: blocks.length * 4 }, (_, x) => {
    const y = rightOf(x);
    return y >= 0 && height(y) === height(x) ? y : -1;
  });
  const upTable = Int32Array.from({ length: blocks.length * 4 }, (_, x) => {
    const y = upOf(x);
    return y >= 0 && width(y) === width(x) ? y : -1;
  });
  const bestAt = (seed: number): Choice => {
    let best: Choice = { area: 0, nx: 0, ny: 0 };
    if (used[seed >> 2]) return best;
    let row: number[] = [];
    const seen = new Set<number>();
    for (let x = seed; x >= 0 && !used[x >> 2] && !seen.has(x >> 2); x = rightTable[x]) {
      row.push(x);
      seen.add(x >> 2);
    }
    let tall = 0;
    for (let ny = 1; row.length; ny++) {
      tall += height(row[0]);
      let wide = 0;
      for (let i = 0; i < row.length; i++) {
        wide += width(row[i]);
        if (wide * tall > best.area) best = { area: wide * tall, nx: i + 1, ny };
      }
      const above: number[] = [];
      for (let i = 0; i < row.length; i++) {
        const y = upTable[row[i]];
        if (y < 0 || used[y >> 2] || seen.has(y >> 2) || (i > 0 && rightTable[above[i - 1]] !== y)) break;
        above.push(y);
      }
      for (const y of above) seen.add(y >> 2);
      row = above;
    }
    return best;
  };
  // greedy with late re-evaluation: areas only go down as blocks are used
  const heap = new TinyQueue(
    Array.from({ length: blocks.length * 4 }, (_, x) => ({ key: bestAt(x).area, item: x })),
    (a, b) => b.key - a.key || a.item - b.item,
  );
  const rectangles: Rectangle[] = [];
  for (let top = heap.pop(); top; top = heap.pop()) {
    const now = bestAt(top.item);
    if (!now.area) continue;
    if (now.area < top.key) {
      heap.push({ key: now.area, item: top.item });
      continue;
    }
    const rows: number[][] = [];
    let first = top.item;
    for (let y = 0; y < now.ny; y++) {
      const strip: number[][] = Array.from({ length: height(first) }, () => []);
      let x = first;
      for (let i = 0; i < now.nx; i++) {
        used[x >> 2] = 1;
        turned(blocks[x >> 2], x & 3, next).forEach((r, j) => strip[j].push(...r));
        x = rightTable[x];
      }
      rows.push(...strip);
      first = upTable[first];
    }
    rectangles.push({ rows });
  }
  return { rectangles, blocks: blocks.length };
}
/** Cells of a block seen after r quarter turns, each with the half-edge along the new +x. */
function turned(b: Block, r: number, next: Uint32Array): number[][] {
  const [w, h] = r & 1 ? [b.h, b.w] : [b.w, b.h];
  return Array.from({ length: h }, (_, y) =>
    Array.from({ length: w }, (_, x) => {
      const [cx, cy] = r === 0 ? [x, y] : r === 1 ? [b.w - 1 - y, x] : r === 2 ? [b.w - 1 - x, b.h - 1 - y] : [y, b.h - 1 - x];
      let e = b.cells[cy * b.w + cx];
      for (let k = 0; k < r; k++) e = next[e];
      return e;
    }),
  );
}
