import { crc32, deflateSync } from 'node:zlib';

export type Dot = readonly [number, number];

/** A sheet that is drawn on in millimetres with a pencil, and becomes a PNG. */
export class Pencil {
  private readonly ink: Float64Array;
  constructor(
    private readonly width: number,
    private readonly height: number,
    /** Dots a millimetre, and the dot where the origin stands. */
    private readonly scale: number,
    private readonly foot: Dot,
  ) {
    this.ink = new Float64Array(width * height);
  }
  private onPaper([x, z]: Dot): Dot {
    return [this.foot[0] + x * this.scale, this.foot[1] - z * this.scale];
  }
  /** A soft stroke through points given in millimetres; a slow wobble makes it look drawn by hand. */
  stroke(points: readonly Dot[], width: number, dark: number, wobble = 1.1): void {
    const p = points
      .map((q) => this.onPaper(q))
      .map(([x, y]): Dot => [x + wobble * Math.sin(0.021 * y + 0.6 * width), y + wobble * Math.sin(0.017 * x + width)]);
    const pass = new Float64Array(this.ink.length);
    for (let i = 0; i + 1 < p.length; i++) {
      const [a, b] = [p[i], p[i + 1]];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const l = dx * dx + dy * dy || 1;
      for (
        let y = Math.max(0, Math.floor(Math.min(a[1], b[1]) - width - 1));
        y <= Math.min(this.height - 1, Math.max(a[1], b[1]) + width + 1);
        y++
      )
        for (
          let x = Math.max(0, Math.floor(Math.min(a[0], b[0]) - width - 1));
          x <= Math.min(this.width - 1, Math.max(a[0], b[0]) + width + 1);
          x++
        ) {
          const t = Math.min(1, Math.max(0, ((x - a[0]) * dx + (y - a[1]) * dy) / l));
          const d = Math.hypot(a[0] + t * dx - x, a[1] + t * dy - y);
          const k = y * this.width + x;
          pass[k] = Math.max(pass[k], Math.min(1, Math.max(0, width / 2 + 0.7 - d)));
        }
    }
    for (let k = 0; k < this.ink.length; k++) this.ink[k] = Math.min(1, this.ink[k] + dark * pass[k]);
  }
  png(): Buffer {
    const raw = Buffer.alloc(this.height * (this.width * 3 + 1));
    for (let y = 0; y < this.height; y++)
      for (let x = 0; x < this.width; x++) {
        const d = this.ink[y * this.width + x];
        const o = y * (this.width * 3 + 1) + 1 + 3 * x;
        [
          [250, 52],
          [246, 60],
          [236, 66],
        ].forEach(([paper, lead], k) => {
          raw[o + k] = Math.round(paper + d * (lead - paper));
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
    head.writeUInt32BE(this.width, 0);
    head.writeUInt32BE(this.height, 4);
    head.set([8, 2, 0, 0, 0], 8);
    return Buffer.concat([
      Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]),
      chunk('IHDR', head),
      chunk('IDAT', deflateSync(raw, { level: 9 })),
      chunk('IEND', Buffer.alloc(0)),
    ]);
  }
}
/** Smooth run through points (centripetal tangents). */
export function through(points: readonly Dot[], steps = 24): Dot[] {
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
