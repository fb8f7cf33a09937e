import { formatNumber } from '@ample-skin/core/math';
import { Button, Empty, Select, Slider } from 'antd';
import { useEffect, useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { combPicks, engine, setSettings, setStudio, useSettings, useStudio, zoomTo } from '../state/store.ts';
import { pickName } from './names.ts';

/** Curvature along the chosen curves: the chart, what is measured, and the comb in the view. Hovering the chart shows the place. */
export default function CombPanel() {
  const selection = useStudio((s) => s.selection);
  const open = useStudio((s) => s.open);
  const pieces = useStudio((s) => s.pieces);
  const combs = useStudio((s) => s.combs);
  const settings = useSettings((s) => s.comb);
  const [which, setWhich] = useState(0);
  const picks = combPicks();
  const key = JSON.stringify(picks) + picks.map((p) => pieces.get(`${p.step}/${p.output}`)?.stamp).join();
  useEffect(() => {
    let stale = false;
    if (!picks.length) {
      setStudio({ combs: [] });
      return;
    }
    engine
      .combs(picks, settings.density)
      .then((list) => {
        if (!stale) setStudio({ combs: list });
      })
      .catch(() => undefined);
    return () => {
      stale = true;
    };
  }, [key, settings.density, selection, open]);
  useEffect(() => () => setStudio({ combs: [], combAt: undefined }), []);
  if (!picks.length)
    return (
      <Empty
        className="pad"
        image={false}
        description="Choose a curve, an edge or a section in the view or in the list of pieces: its comb is drawn, and its curvature stands here along
        its length."
      />
    );
  const comb = combs[Math.min(which, combs.length - 1)];
  if (!comb) return <Empty className="pad" image={false} description="Measuring…" />;
  const every = Math.max(1, Math.ceil(comb.samples.length / 900));
  const data = comb.samples
    .filter((_, i) => i % every === 0 || i === comb.samples.length - 1)
    .map((s) => ({ at: Number(s.at.toFixed(4)), curvature: s.curvature, point: s.point }));
  const worst = comb.joints.filter((j) => j.grade !== 'G2');
  return (
    <div className="combpanel">
      <div className="combfacts">
        {combs.length > 1 && (
          <Select
            size="small"
            aria-label="Which curve"
            value={which}
            onChange={setWhich}
            options={combs.map((_, i) => ({ value: i, label: picks[i] ? pickName(picks[i]) : `Curve ${i + 1}` }))}
          />
        )}
        <dl className="factgrid">
          <div>
            <dt>length</dt>
            <dd>{formatNumber(comb.length, 3)} mm</dd>
          </div>
          <div>
            <dt>smallest radius</dt>
            <dd>
              <Button type="link" size="small" onClick={() => zoomTo([comb.smallestAt])}>
                {Number.isFinite(comb.smallestRadius) ? `${formatNumber(comb.smallestRadius, 3)} mm` : 'straight'}
              </Button>
            </dd>
          </div>
          <div>
            <dt>inflections</dt>
            <dd>{comb.flat ? comb.inflections.length : 'not flat'}</dd>
          </div>
          <div>
            <dt>joints</dt>
            <dd>{comb.joints.length ? `${comb.joints.length - worst.length} of ${comb.joints.length} G2` : 'none'}</dd>
          </div>
        </dl>
        {worst.slice(0, 4).map((j) => (
          <Button type="link" size="small" key={`${j.at}`} onClick={() => zoomTo([j.point])}>
            {j.grade === 'open'
              ? `gap ${formatNumber(j.gap, 4)} mm`
              : j.grade === 'G0'
                ? `kink ${formatNumber(j.kink, 3)}°`
                : `step ${formatNumber(j.step, 1)} %`}{' '}
            at {formatNumber(j.at, 1)} mm
          </Button>
        ))}
        <div className="soft">
          Teeth: size
          <Slider
            min={0.1}
            max={5}
            step={0.1}
            value={settings.scale}
            aria-label="Size of the comb"
            onChange={(scale) => setSettings({ comb: { ...settings, scale } })}
          />
        </div>
        <div className="soft">
          Teeth a span
          <Slider
            min={4}
            max={64}
            step={2}
            value={settings.density}
            aria-label="Density of the comb"
            onChange={(density) => setSettings({ comb: { ...settings, density } })}
          />
        </div>
      </div>
      <div className="combchart" role="img" aria-label="Curvature along the length">
        <ResponsiveContainer width="100%" height="100%">
          <LineChart
            data={data}
            margin={{ top: 8, right: 16, bottom: 18, left: 8 }}
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
              tick={{ fontSize: 11, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => formatNumber(v, 0)}
              label={{ value: 'mm along', position: 'insideBottom', offset: -10, fontSize: 11, fill: 'var(--slate)' }}
            />
            <YAxis
              width={56}
              tick={{ fontSize: 11, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => formatNumber(v, 3)}
              label={{ value: '1/mm', angle: -90, position: 'insideLeft', fontSize: 11, fill: 'var(--slate)' }}
            />
            <ReferenceLine y={0} stroke="var(--slate)" />
            {comb.inflections.map((f) => (
              <ReferenceLine key={f.at} x={f.at} stroke="var(--brass)" strokeDasharray="3 3" />
            ))}
            {comb.joints.map((j, i) => (
              <ReferenceLine key={`${j.at}${i}`} x={j.at} stroke={j.grade === 'G2' ? 'var(--line)' : 'var(--rust)'} />
            ))}
            <Tooltip
              isAnimationActive={false}
              formatter={(v) => [
                `${formatNumber(Number(v), 5)} 1/mm · R ${Math.abs(Number(v)) > 1e-9 ? formatNumber(1 / Math.abs(Number(v)), 2) : '∞'} mm`,
                'curvature',
              ]}
              labelFormatter={(v) => `${formatNumber(Number(v), 2)} mm along`}
              contentStyle={{ background: 'var(--chalk)', border: '1px solid var(--line)', borderRadius: 6, fontSize: 12 }}
            />
            <Line dataKey="curvature" stroke="var(--plum)" dot={false} isAnimationActive={false} strokeWidth={1.5} />
          </LineChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
