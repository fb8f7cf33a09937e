import { lawOf } from '@ample-skin/core/math';
import type { ParamMeta } from '@ample-skin/core/recipe';
import { Button } from 'antd';
import { type PointerEvent, useRef, useState } from 'react';
import { NumberField } from './number-field.tsx';

type Formula = number | string;
type Point = readonly [number, Formula];
const [WIDTH, HEIGHT, EDGE] = [236, 92, 8];

/** A value along a length, drawn as a curve: its points are dragged, added by a double click, taken away by Delete or below. */
export function LawField({
  meta,
  value,
  commit,
  preview,
}: {
  meta: ParamMeta;
  value: readonly Point[];
  commit: (v: unknown) => void;
  preview?: (v: unknown) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<number>();
  const latest = useRef<Point[]>(undefined);
  const usual = meta.quantity === 'angle' ? 0 : 1;
  const points = [...value].sort((a, b) => a[0] - b[0]);
  const plain = points.every((p) => typeof p[1] === 'number');
  const numbers = points.map((p) => [p[0], Number(p[1])] as const).filter((p) => Number.isFinite(p[1]));
  if (!points.length)
    return (
      <Button
        size="small"
        onClick={() =>
          commit([
            [0, usual],
            [1, usual],
          ])
        }
      >
        {`Vary ${meta.label.toLowerCase()} along the length`}
      </Button>
    );
  const law = lawOf(numbers, usual);
  const values = numbers.map((p) => p[1]);
  const [low, high] = [Math.min(usual, ...values), Math.max(usual, ...values)];
  const room = Math.max((high - low) * 0.25, meta.quantity === 'angle' ? 20 : 0.3);
  const [bottom, top] = [meta.min !== undefined ? Math.max(low - room, Math.min(meta.min, low)) : low - room, high + room];
  const x = (at: number) => EDGE + at * (WIDTH - 2 * EDGE);
  const y = (v: number) => HEIGHT - EDGE - ((v - bottom) / (top - bottom)) * (HEIGHT - 2 * EDGE);
  const place = (e: { clientX: number; clientY: number }): [number, number] => {
    const r = svg.current?.getBoundingClientRect();
    if (!r) return [0, usual];
    const at = Math.min(1, Math.max(0, ((e.clientX - r.left) / r.width) * (WIDTH / (WIDTH - 2 * EDGE)) - EDGE / (WIDTH - 2 * EDGE)));
    const share = (HEIGHT - EDGE - ((e.clientY - r.top) / r.height) * HEIGHT) / (HEIGHT - 2 * EDGE);
    const v = Math.min(meta.max ?? Infinity, Math.max(meta.min ?? -Infinity, bottom + share * (top - bottom)));
    const digits = meta.quantity === 'angle' ? 0 : 2;
    return [Number(at.toFixed(3)), Number(v.toFixed(digits))];
  };
  const moved = (k: number, e: PointerEvent): Point[] => {
    const [at, v] = place(e);
    const [before, after] = [points[k - 1]?.[0] ?? -1, points[k + 1]?.[0] ?? 2];
    // the ends stay at the ends
    const own =
      k === 0 && points[0][0] === 0
        ? 0
        : k === points.length - 1 && points[k][0] === 1
          ? 1
          : Math.min(after - 0.01, Math.max(before + 0.01, at));
    return points.map((p, i) => (i === k ? [own, v] : p));
  };
  const remove = (k: number) => commit(points.length > 1 ? points.filter((_, i) => i !== k) : []);
  const set = (k: number, p: Point, live = false) => (live && preview ? preview : commit)(points.map((q, i) => (i === k ? p : q)));
  return (
    <div className="law">
      <svg
        ref={svg}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`${meta.label} along the length`}
        onDoubleClick={(e) => {
          const [at, v] = place(e);
          commit([...points, [at, v]].sort((a, b) => Number(a[0]) - Number(b[0])));
        }}
      >
        <title>Drag points; double click adds one</title>
        <line x1={EDGE} x2={WIDTH - EDGE} y1={y(usual)} y2={y(usual)} className="base" />
        <path d={Array.from({ length: 81 }, (_, i) => `${i ? 'L' : 'M'}${x(i / 80).toFixed(1)} ${y(law(i / 80)).toFixed(1)}`).join('')} />
        {numbers.map((p, k) => (
          <circle
            key={k}
            cx={x(p[0])}
            cy={y(p[1])}
            r={held === k ? 6 : 4.5}
            onPointerDown={(e) => {
              if (!plain) return;
              e.preventDefault();
              e.currentTarget.setPointerCapture(e.pointerId);
              setHeld(k);
            }}
            onPointerMove={(e) => {
              if (held !== k) return;
              latest.current = moved(k, e);
              preview?.(latest.current);
            }}
            onPointerUp={() => {
              setHeld(undefined);
              if (latest.current) commit(latest.current);
              latest.current = undefined;
            }}
          />
        ))}
      </svg>
      {points.map((p, k) => (
        <div className="lawrow" key={k}>
          <NumberField
            label={`${meta.label}, place ${k + 1}`}
            unit="%"
            value={Number((100 * p[0]).toFixed(2))}
            step={1}
            onCommit={(v) => set(k, [Math.min(1, Math.max(0, Number(v) / 100)), p[1]])}
          />
          <NumberField
            label={`${meta.label}, value ${k + 1}`}
            quantity={meta.quantity}
            value={p[1]}
            step={meta.quantity === 'angle' ? 1 : 0.01}
            onCommit={(v) => set(k, [p[0], v])}
            onPreview={(v) => set(k, [p[0], v], true)}
          />
          <Button size="small" type="text" aria-label={`Remove place ${k + 1}`} onClick={() => remove(k)}>
            ×
          </Button>
        </div>
      ))}
      <Button
        size="small"
        type="text"
        onClick={() => {
          const gaps = points.slice(1).map((p, i) => p[0] - points[i][0]);
          const w = gaps.length ? gaps.indexOf(Math.max(...gaps)) : -1;
          const at = w < 0 ? (points[0][0] < 0.5 ? 1 : 0) : (points[w][0] + points[w + 1][0]) / 2;
          commit([...points, [at, Number(law(at).toFixed(3))]].sort((a, b) => Number(a[0]) - Number(b[0])));
        }}
      >
        Add a place
      </Button>
    </div>
  );
}
