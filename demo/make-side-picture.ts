import { writeFileSync } from 'node:fs';
import { type Dot, Pencil, through } from './pencil.ts';

/** Draws demo/files/tansy-side.png, a pencil-like side view to trace: npm run demo:write */
const pencil = new Pencil(880, 1240, 5.6, [420, 1130]);
const stroke = pencil.stroke.bind(pencil);
const DIGITS: Record<string, Dot[][]> = {
  1: [
    [
      [0.2, 0.8],
      [0.5, 1],
      [0.5, 0],
    ],
  ],
  2: [
    [
      [0, 0.8],
      [0.2, 1],
      [0.6, 1],
      [0.7, 0.7],
      [0, 0],
      [0.75, 0],
    ],
  ],
  4: [
    [
      [0.55, 0],
      [0.55, 1],
      [0, 0.3],
      [0.75, 0.3],
    ],
  ],
  5: [
    [
      [0.7, 1],
      [0.1, 1],
      [0.05, 0.55],
      [0.5, 0.6],
      [0.7, 0.3],
      [0.4, 0],
      [0, 0.1],
    ],
  ],
  8: [
    [
      [0.35, 0.55],
      [0.05, 0.8],
      [0.35, 1],
      [0.65, 0.8],
      [0.35, 0.55],
      [0, 0.25],
      [0.35, 0],
      [0.7, 0.25],
      [0.35, 0.55],
    ],
  ],
};
function write(text: string, [x, z]: Dot, size: number): void {
  [...text].forEach((c, i) => {
    for (const l of DIGITS[c] ?? [])
      stroke(
        l.map(([a, b]): Dot => [x + size * (a + i * 0.95), z + size * b]),
        2.2,
        0.55,
        0.4,
      );
  });
}

// the front with its belly, drawn in under the fingers; the back straight and leaning; both swept up into the neck
const right: Dot[] = [
  [23.8, 0],
  [31.5, 18],
  [38, 43.7],
  [37.4, 70],
  [33.9, 96.5],
  [38.6, 116],
  [43.6, 134.7],
  [44.4, 150],
  [41.6, 163.8],
  [42.2, 174],
  [42.8, 182],
];
const left: Dot[] = [
  [-22.7, 0],
  [-18.9, 22],
  [-14.7, 43.7],
  [-10, 70],
  [-5.2, 96.5],
  [-1.6, 116],
  [1.9, 134.7],
  [5.6, 150],
  [10.2, 163.8],
  [13, 174],
  [14.8, 182],
];
for (const side of [right, left]) {
  stroke(through(side), 3, 0.72);
  // searching lines beside the found one
  stroke(through(side.map(([x, z], i): Dot => [x + 0.5 * Math.sin(i * 2.3), z])), 1.6, 0.26);
  stroke(through(side.map(([x, z], i): Dot => [x - 0.6 * Math.cos(i * 1.7), z + 0.4])), 1.6, 0.2);
}
stroke([left[0], right[0]], 3, 0.7);
stroke([left[left.length - 1], right[right.length - 1]], 3, 0.7);
stroke(
  [
    [-1.3, -8],
    [30.1, 190],
  ],
  1.4,
  0.22,
);
// a little flat for the thumb on the back, and the collar above
stroke(
  through([
    [-1.2, 118],
    [1.4, 110],
    [0.4, 98],
    [-3.4, 86],
    [-8.6, 78],
  ]),
  2,
  0.4,
);
stroke(
  [
    [14.8, 182],
    [14.8, 190],
    [42.8, 190],
    [42.8, 182],
  ],
  1.8,
  0.3,
);
// how long and how wide
for (const [a, b] of [
  [
    [56, 0],
    [56, 182],
  ],
  [
    [-16, -12],
    [38, -12],
  ],
] as [Dot, Dot][]) {
  stroke([a, b], 1.6, 0.42, 0.3);
  for (const e of [a, b])
    stroke(
      [
        [e[0] - 2.2, e[1] - 2.2],
        [e[0] + 2.2, e[1] + 2.2],
      ],
      2.2,
      0.6,
      0.3,
    );
}
stroke(
  [
    [44, 182],
    [60, 182],
  ],
  1.2,
  0.24,
);
stroke(
  [
    [26, 0],
    [60, 0],
  ],
  1.2,
  0.24,
);
write('182', [59, 88], 7);
write('54', [7, -20.5], 6.5);
writeFileSync(new URL('./files/tansy-side.png', import.meta.url), pencil.png());
