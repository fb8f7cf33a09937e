import { evaluateFormula, formatNumber } from '@ample-skin/core/math';
import { SWEEP_COLUMNS, type SweepRange, type SweepRow, sweepText } from '@ample-skin/core/report/sweep-rows';
import { Alert, Button, InputNumber, Progress, Select, Table, type TableColumnsType } from 'antd';
import { useState } from 'react';
import { CartesianGrid, Legend, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { useStudio } from '../state/store.ts';
import { cancelSweep, closeSweep, keepRun, rangeAbout, runSweep, saveSweep, sendSweep, setRanges, takeRun } from '../state/sweeps.ts';
import { NumberField, useDialNames } from './number-field.tsx';
import { useMeasure } from './units.ts';

const LINES = ['var(--plum)', 'var(--loden)', 'var(--brass)', 'var(--slate)', 'var(--rust)'];
type Column = (typeof SWEEP_COLUMNS)[number];

/** A recipe over a dial or two: ranges on the left, a row for each run, one number of them as a chart. */
export function SweepPanel({ height }: { height: number }) {
  const sweep = useStudio((s) => s.sweep);
  const [drawn, setDrawn] = useState<Column['key']>('volume');
  if (!sweep) return null;
  return (
    <div className="sweepsplit" role="region" aria-label="Dial sweep">
      <Ranges />
      <Rows height={height} drawn={drawn} />
      <Chart drawn={drawn} onDrawn={setDrawn} />
    </div>
  );
}
function Ranges() {
  const sweep = useStudio((s) => s.sweep);
  const dials = useStudio((s) => s.model.dials);
  const names = useDialNames();
  if (!sweep) return null;
  const { ranges } = sweep;
  const put = (i: number, more: Partial<SweepRange>) => setRanges(ranges.map((r, k) => (k === i ? { ...r, ...more } : r)));
  const numberOf = (v: number | string): number => {
    if (typeof v === 'number') return v;
    const r = evaluateFormula(v, names);
    return r.ok ? r.value : Number.NaN;
  };
  const free = dials.find((d) => ranges.every((r) => r.dial !== d.name))?.name;
  return (
    <div className="sweepranges">
      {ranges.map((r, i) => {
        const unit = dials.find((d) => d.name === r.dial)?.unit;
        const quantity = unit === 'number' ? undefined : unit;
        return (
          <div className="sweeprange" key={i}>
            <Select
              size="small"
              aria-label={i ? 'Second dial' : 'Dial'}
              value={r.dial}
              options={dials.map((d) => ({ value: d.name, label: d.name, disabled: ranges.some((x, k) => k !== i && x.dial === d.name) }))}
              onChange={(dial) => setRanges(ranges.map((x, k) => (k === i ? rangeAbout(dial) : x)))}
            />
            <div className="sweepends">
              <NumberField label={`From, ${r.dial}`} quantity={quantity} value={r.from} onCommit={(v) => put(i, { from: numberOf(v) })} />
              <span className="soft">to</span>
              <NumberField label={`To, ${r.dial}`} quantity={quantity} value={r.to} onCommit={(v) => put(i, { to: numberOf(v) })} />
            </div>
            <div className="sweepends">
              <span className="soft">in</span>
              <InputNumber
                size="small"
                aria-label={`Runs, ${r.dial}`}
                min={1}
                max={400}
                precision={0}
                value={r.count}
                onChange={(count) => count && put(i, { count })}
              />
              <span className="soft">{r.count === 1 ? 'value' : 'values'}</span>
              {i > 0 && (
                <Button size="small" type="link" onClick={() => setRanges(ranges.slice(0, 1))}>
                  Only one dial
                </Button>
              )}
            </div>
          </div>
        );
      })}
      {ranges.length === 1 && free && (
        <Button size="small" type="link" onClick={() => setRanges([...ranges, { ...rangeAbout(free), count: 3 }])}>
          And over a second dial
        </Button>
      )}
      {sweep.why && <Alert type="warning" title={sweep.why} />}
      <div className="sweepacts">
        {sweep.running ? (
          <>
            <Progress size="small" percent={Math.round((100 * sweep.rows.length) / Math.max(1, sweep.of))} />
            <Button size="small" onClick={cancelSweep}>
              Cancel
            </Button>
          </>
        ) : (
          <>
            <Button size="small" type="primary" onClick={() => void runSweep()}>
              Run {ranges.reduce((n, r) => n * r.count, 1)}
            </Button>
            <Button size="small" title="On the server, apart from this page" onClick={() => void sendSweep()}>
              As a job
            </Button>
            <Button size="small" disabled={!sweep.rows.length} onClick={saveSweep} title="As a table for other programs">
              CSV
            </Button>
            <Button size="small" onClick={closeSweep}>
              Close
            </Button>
          </>
        )}
      </div>
    </div>
  );
}
function Rows({ height, drawn }: { height: number; drawn: Column['key'] }) {
  const rows = useStudio((s) => s.sweep?.rows) ?? [];
  const running = useStudio((s) => !!s.sweep?.running);
  const measure = useMeasure();
  const dials = Object.keys(rows[0]?.point ?? {});
  const said = (r: SweepRow) => dials.map((d) => formatNumber(r.point[d], 4)).join(', ');
  const columns: TableColumnsType<SweepRow> = [
    ...dials.map((d): TableColumnsType<SweepRow>[number] => ({
      title: d,
      key: d,
      width: Math.max(70, 9 * d.length),
      align: 'right',
      className: 'num',
      fixed: 'left',
      render: (_, r) => formatNumber(r.point[d], 4),
    })),
    {
      title: 'State',
      key: 'state',
      width: 96,
      render: (_, r) => (
        <span className={r.ok ? 'met' : 'fail'} title={r.why.join('\n')}>
          {r.ok ? 'fine' : 'not fine'}
        </span>
      ),
    },
    {
      title: 'Watertight',
      key: 'watertight',
      width: 84,
      render: (_, r) =>
        r.watertight === undefined ? '' : <span className={r.watertight ? 'met' : 'fail'}>{r.watertight ? 'yes' : 'no'}</span>,
    },
    ...SWEEP_COLUMNS.filter((c) => c.key !== 'defects').map((c): TableColumnsType<SweepRow>[number] => ({
      title: <span title={c.hint}>{c.label}</span>,
      key: c.key,
      width: 112,
      align: 'right',
      className: c.key === drawn ? 'num drawn' : 'num',
      sorter: (a, b) => (a[c.key] ?? Infinity) - (b[c.key] ?? Infinity),
      render: (_, r) => {
        const x = r[c.key];
        return x === undefined ? '' : measure(sweepText(c, x));
      },
    })),
    {
      title: 'On target',
      key: 'targets',
      width: 84,
      align: 'right',
      className: 'num',
      render: (_, r) =>
        r.targets ? <span className={r.onTarget === r.targets ? 'met' : 'below'}>{`${r.onTarget} of ${r.targets}`}</span> : '',
    },
    {
      title: '',
      key: 'acts',
      width: 124,
      fixed: 'right',
      render: (_, r) => (
        <span className="rowacts">
          <Button size="small" aria-label={`Take ${said(r)}`} title="Set the dials of this model so" onClick={() => takeRun(r.point)}>
            Take
          </Button>
          <Button size="small" aria-label={`Keep ${said(r)}`} title="As a model of its own" onClick={() => void keepRun(r.point)}>
            Branch
          </Button>
        </span>
      ),
    },
  ];
  return (
    <Table
      className="sweeprows"
      size="small"
      rowKey={(r) => said(r)}
      pagination={false}
      columns={columns}
      dataSource={[...rows]}
      scroll={{ x: 'max-content', y: Math.max(60, height - 40) }}
      locale={{ emptyText: running ? 'The first run is being computed…' : 'Set the range and run it: each run becomes a row' }}
    />
  );
}
/** One number over the first dial; a line for each value of the second. */
function Chart({ drawn, onDrawn }: { drawn: Column['key']; onDrawn: (k: Column['key']) => void }) {
  const rows = useStudio((s) => s.sweep?.rows) ?? [];
  const column = SWEEP_COLUMNS.find((c) => c.key === drawn) as Column;
  const [first, second] = Object.keys(rows[0]?.point ?? {});
  const lines = [...new Set(rows.map((r) => (second ? r.point[second] : 0)))];
  const data = [...new Set(rows.map((r) => r.point[first]))].map((x) => ({
    at: x,
    ...Object.fromEntries(
      rows
        .filter((r) => r.point[first] === x && r[drawn] !== undefined)
        .map((r) => [`y${lines.indexOf(second ? r.point[second] : 0)}`, r[drawn]]),
    ),
  }));
  return (
    <div className="sweepchart">
      <Select
        size="small"
        aria-label="What is drawn"
        value={drawn}
        options={SWEEP_COLUMNS.map((c) => ({ value: c.key, label: c.unit ? `${c.label}, ${c.unit}` : c.label }))}
        onChange={onDrawn}
      />
      <div className="seamchartbody" role="img" aria-label={`${column.label} over ${first ?? 'the dial'}, ${rows.length} runs`}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={data} margin={{ top: 6, right: 10, bottom: 2, left: 0 }}>
            <CartesianGrid stroke="var(--line)" vertical={false} />
            <XAxis
              dataKey="at"
              type="number"
              domain={['dataMin', 'dataMax']}
              tick={{ fontSize: 10.5, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => formatNumber(v, 2)}
            />
            <YAxis
              width={64}
              domain={['auto', 'auto']}
              tick={{ fontSize: 10.5, fill: 'var(--slate)' }}
              tickFormatter={(v: number) => (v !== 0 && Math.abs(v) < 1e-3 ? v.toExponential(0) : formatNumber(v, 3))}
            />
            <Tooltip
              isAnimationActive={false}
              formatter={(v, name) => [`${formatNumber(Number(v), 6)} ${column.unit}`, name]}
              labelFormatter={(v) => `${first} ${formatNumber(Number(v), 4)}`}
              contentStyle={{ background: 'var(--chalk)', border: '1px solid var(--line)', borderRadius: 6, fontSize: 12 }}
            />
            {lines.length > 1 && <Legend wrapperStyle={{ fontSize: 11 }} />}
            {lines.map((v, i) => (
              <Line
                key={v}
                dataKey={`y${i}`}
                name={second ? `${second} ${formatNumber(v, 4)}` : column.label}
                stroke={LINES[i % LINES.length]}
                dot={{ r: 2.5 }}
                isAnimationActive={false}
                strokeWidth={1.5}
                connectNulls={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
