import { writeFileSync } from 'node:fs';
import { crc32, deflateSync } from 'node:zlib';

/** Draws demo/files/tansy-side.png, a pencil-like side view to trace: npm run demo:write */
const [WIDTH, HEIGHT] = [880, 1240];
/** Dots a millimetre, and the dot where the middle of the foot stands. */
const SCALE = 5.6;
const FOOT = [420, 1130] as const;
const ink = new Float64Array(WIDTH * HEIGHT);

type Dot = readonly [number, number];
const onPaper = ([x, z]: Dot): Dot => [FOOT[0] + x * SCALE, FOOT[1] - z * SCALE];

/** A soft stroke through points given in millimetres; a slow wobble makes it look drawn by hand. */
function stroke(points: readonly Dot[], width: number, dark: number, wobble = 1.1): void {
  const p = points
    .map(onPaper)
    .map(([x, y]): Dot => [x + wobble * Math.sin(0.021 * y + 0.6 * width), y + wobble * Math.sin(0.017 * x + width)]);
  const pass = new Float64Array(ink.length);
  for (let i = 0; i + 1 < p.length; i++) {
    const [a, b] = [p[i], p[i + 1]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const l = dx * dx + dy * dy || 1;
    for (
      let y = Math.max(0, Math.floor(Math.min(a[1], b[1]) - width - 1));
      y <= Math.min(HEIGHT - 1, Math.max(a[1], b[1]) + width + 1);
      y++
    )
      for (
        let x = Math.max(0, Math.floor(Math.min(a[0], b[0]) - width - 1));
        x <= Math.min(WIDTH - 1, Math.max(a[0], b[0]) + width + 1);
        x++
      ) {
        const t = Math.min(1, Math.max(0, ((x - a[0]) * dx + (y - a[1]) * dy) / l));
        const d = Math.hypot(a[0] + t * dx - x, a[1] + t * dy - y);
        const k = y * WIDTH + x;
        pass[k] = Math.max(pass[k], Math.min(1, Math.max(0, width / 2 + 0.7 - d)));
      }
  }
  for (let k = 0; k < ink.length; k++) ink[k] = Math.min(1, ink[k] + dark * pass[k]);
}
/** Smooth run through points (centripetal tangents). */
function through(points: readonly Dot[], steps = 24): Dot[] {
  const at = (i: number) => points[Math.min(points.length - 1, Math.max(0, i))];
  const out: Dot[] = [];
  for (let i = 0; i + 1 < points.length; i++)
    for (let k = 0; k < steps; k++) {
      const t = k / steps;
      const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
      const mix = (j: 0 | 1) =>
        b[j] + 0.5 * t * (c[j] - a[j] + t * (2 * a[j] - 5 * b[j] + 4 * c[j] - d[j] + t * (3 * (b[j] - c[j]) + d[j] - a[j])));
      out.push([mix(0), mix(1)]);
    }
  return [...out, points[points.length - 1]];
}
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

const raw = Buffer.alloc(HEIGHT * (WIDTH * 3 + 1));
for (let y = 0; y < HEIGHT; y++)
  for (let x = 0; x < WIDTH; x++) {
    const d = ink[y * WIDTH + x];
    const o = y * (WIDTH * 3 + 1) + 1 + 3 * x;
    [
      [250, 52],
      [246, 60],
      [236, 66],
    ].forEach(([paper, pencil], k) => {
      raw[o + k] = Math.round(paper + d * (pencil - paper));
    });
  }
const chunk = (type: string, data: Buffer): Buffer => {
  const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
  const out = Buffer.alloc(body.length + 8);
  out.writeUInt32BE(data.length, 0);
  body.copy(out, 4);
  out.writeUInt32BE(crc32(body), body.length + 4);
  return out;
};
const head = Buffer.alloc(13);
head.writeUInt32BE(WIDTH, 0);
head.writeUInt32BE(HEIGHT, 4);
head.set([8, 2, 0, 0, 0], 8);
const png = Buffer.concat([
  Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]),
  chunk('IHDR', head),
  chunk('IDAT', deflateSync(raw, { level: 9 })),
  chunk('IEND', Buffer.alloc(0)),
]);
writeFileSync(new URL('./files/tansy-side.png', import.meta.url), png);
