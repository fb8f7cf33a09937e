import { formatNumber } from '@ample-skin/core/math';
import { DEFAULT_LIMITS } from '@ample-skin/core/proof/grades';
import { Button, Segmented } from 'antd';
import { X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { tellingOf } from '../state/seams-csv.ts';
import type { JudgedSeam } from '../state/status.ts';
import { setStudio } from '../state/store.ts';

const MEASURES = [
  { value: 'gap', label: 'Gap', unit: 'mm' },
  { value: 'kink', label: 'Kink', unit: '°' },
  { value: 'step', label: 'Step', unit: '%' },
  { value: 'flow', label: 'Flow', unit: '%' },
] as const;
type Measure = (typeof MEASURES)[number]['value'];
/** One number along the chosen seam, with its limit; the pointer on the chart shows the place in the view. */
export default function SeamChart({ seam, n }: { seam: JudgedSeam; n: number }) {
  const [chosen, setChosen] = useState<Measure>();
  const which = chosen ?? tellingOf(seam);
  const { unit } = MEASURES.find((m) => m.value === which) ?? MEASURES[0];
  const limit = DEFAULT_LIMITS[which];
  useEffect(() => () => setStudio({ combAt: undefined }), []);
  const data = [...seam.chart]
    .sort((a, b) => a.at - b.at)
    .map((c) => ({ at: Number((c.at * seam.length).toFixed(4)), value: c[which], point: c.point }));
  const top = Math.max(...data.map((d) => d.value), 0);
  return (
    <div className="seamchart">
      <div className="seamcharthead">
        <span className="soft">Seam {n}</span>
        <Segmented
          size="small"
          aria-label="What is drawn"
          options={MEASURES.map((m) => ({ value: m.value, label: m.label }))}
          value={which}
          onChange={(v) => setChosen(v)}
        />
        <span className="mono">{`${formatNumber(top, which === 'gap' ? 6 : 3)} ${unit}`}</span>
        <Button
          type="text"
          size="small"
          aria-label="Close the chart"
          icon={<X size={14} />}
          onClick={() => setStudio({ lit: undefined })}
        />
      </div>
      <div className="seamchartbody" role="img" aria-label={`${which} along seam ${n}, at most ${formatNumber(top, 6)} ${unit}`}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart
            data={data}
            margin={{ top: 6, right: 10, bottom: 2, left: 0 }}
            onMouseMove={(e) => {
              const i = Number(e?.activeTooltipIndex ?? Number.NaN);
              setStudio({ combAt: Number.isFinite(i) ? data[i]?.point : undefined });
            }}
            onMouseLeave={() => setStudio({ combAt: undefined })}
          >
            <CartesianGrid stroke="var(--line)" vertical={false} />
            <XAxis
              dataKey="at"
              type="number"
              domain={[0, 'dataMax']}
              tick={{ fontSize: 10.5, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => formatNumber(v, 0)}
            />
            <YAxis
              width={58}
              domain={[0, (max: number) => Math.max(max, 1e-9)]}
              tick={{ fontSize: 10.5, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => (v !== 0 && v < 1e-3 ? v.toExponential(0) : formatNumber(v, 3))}
            />
            {top > 0.4 * limit && <ReferenceLine y={limit} stroke="var(--brass)" strokeDasharray="4 3" />}
            <Tooltip
              isAnimationActive={false}
              formatter={(v) => [`${formatNumber(Number(v), 6)} ${unit}`, which]}
              labelFormatter={(v) => `${formatNumber(Number(v), 2)} mm along`}
              contentStyle={{ background: 'var(--chalk)', border: '1px solid var(--line)', borderRadius: 6, fontSize: 12 }}
            />
            <Line dataKey="value" stroke="var(--plum)" dot={false} isAnimationActive={false} strokeWidth={1.5} />
          </LineChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
