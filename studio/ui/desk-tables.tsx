import { formatNumber } from '@ample-skin/core/math';
import { groupTarget, kindTarget, type SeamKind, type SeamTarget } from '@ample-skin/core/recipe';
import type { ProofView } from '@ample-skin/engine';
import { Button, Empty, Popover, Segmented, Select, Table, type TableColumnsType } from 'antd';
import { Copy, Target } from 'lucide-react';
import dynamic from 'next/dynamic';
import { memo, useEffect, useState } from 'react';
import { setSeamRows } from '../state/desk-rows.ts';
import { seamsCsv, worstOf } from '../state/seams-csv.ts';
import { type JudgedSeam, SEAM_FILTERS, type SeamFilter } from '../state/status.ts';
import { change, notify, openStep, select, setStudio, startTool, useStudio, zoomTo } from '../state/store.ts';
import { faceLabel, keyName, stepName } from './names.ts';
import { useMeasure } from './units.ts';

const SeamChart = dynamic(() => import('./seam-chart.tsx'), { ssr: false });
const SeamOffers = dynamic(() => import('./seam-offers.tsx'), { ssr: false });
const SIGN: Record<string, string> = { open: 'open', G0: 'G0 ∠', G1: 'G1 ⌒', G2: 'G2 ≈', G3: 'G3 ≋' };
const small = (x: number, digits: number) => (x < 10 ** -digits / 2 ? '0' : x.toFixed(digits));

function Spark({ seam }: { seam: JudgedSeam }) {
  const values = seam.chart.map((c) => Math.min(c.step, 200));
  const top = Math.max(...values, 1e-6);
  const d = seam.chart.map((c, i) => `${i ? 'L' : 'M'}${(c.at * 150).toFixed(1)} ${(17 - (values[i] / top) * 14).toFixed(1)}`).join(' ');
  return (
    <svg width="152" height="19" role="img" aria-label={`Curvature step along the seam, at most ${formatNumber(seam.step, 2)} percent`}>
      <path d={d} fill="none" stroke={seam.verdict === 'misses' ? 'var(--brass)' : 'var(--loden)'} strokeWidth="1.4" />
    </svg>
  );
}
const FROM: Record<JudgedSeam['targetFrom'], string> = { seam: '', group: '(group)', kind: '(all)', none: '' };
const KINDS: readonly { readonly kind: SeamKind; readonly label: string }[] = [
  { kind: 'smooth', label: 'Smooth seams' },
  { kind: 'sharp', label: 'Sharp seams' },
  { kind: 'own', label: 'Seams of one face' },
];
/** Targets that hold for many seams: for each kind in the whole model, and for the groups of its pieces. */
function TargetsForMany() {
  const targets = useStudio((s) => s.model.targets);
  const groups = useStudio((s) => s.model.groups);
  const row = (key: string, label: string) => (
    <div className="targetrow" key={key}>
      <span>{label}</span>
      <Select
        size="small"
        popupMatchSelectWidth={false}
        aria-label={`Target of ${label}`}
        value={targets[key] ?? ''}
        options={TARGETS}
        onChange={(v) => change('Seam targets', { type: 'setTarget', key, target: (v || null) as SeamTarget | null })}
      />
    </div>
  );
  return (
    <div className="targetlist">
      {KINDS.map((k) => row(kindTarget(k.kind), k.label))}
      {groups.map((g) => row(groupTarget(g.id), `Group ${g.name}`))}
      <p className="hint">A seam's own target counts first, then its group's, then that of its kind.</p>
    </div>
  );
}
/** Which seams are listed. */
export function SeamChoice({
  value,
  onChange,
  seams,
}: {
  value: SeamFilter;
  onChange: (f: SeamFilter) => void;
  seams: readonly JudgedSeam[];
}) {
  const copy = () =>
    navigator.clipboard
      .writeText(seamsCsv(seams, faceLabel))
      .then(() => notify('info', seams.length === 1 ? 'One seam copied as a table' : `${seams.length} seams copied as a table`))
      .catch(() => notify('error', 'The clipboard is closed to this page: allow it in the browser, then copy again'));
  return (
    <>
      <Popover trigger="click" placement="topLeft" title="Targets for many seams" content={<TargetsForMany />}>
        <Button type="text" size="small" icon={<Target size={14} />}>
          Targets
        </Button>
      </Popover>
      <Segmented size="small" aria-label="Which seams" options={[...SEAM_FILTERS]} value={value} onChange={onChange} />
      <Button
        type="text"
        size="small"
        icon={<Copy size={14} />}
        title="Copy all seams as CSV"
        aria-label="Copy all seams as CSV"
        onClick={copy}
      />
    </>
  );
}
const GRADES = ['G0', 'G1', 'G2', 'G3'].map((g) => ({ value: g, label: g }));
const TARGETS = [{ value: '', label: '–' }, ...GRADES, { value: 'free', label: 'free' }];
export const Seams = memo(function Seams({ seams, height, filter }: { seams: readonly JudgedSeam[]; height: number; filter: SeamFilter }) {
  const lit = useStudio((s) => s.lit);
  const [mending, setMending] = useState<string>();
  useEffect(() => {
    setSeamRows(() => [...document.querySelectorAll('.desk [data-row-key]')].map((r) => r.getAttribute('data-row-key') ?? ''));
    return () => setSeamRows(undefined);
  }, []);
  if (!seams.length)
    return (
      <Empty className="pad" image={false} description="No seams yet. A seam is an edge that two faces share: knit skins, or cap a loft." />
    );
  const list = seams
    .map((s, i) => ({ ...s, n: i + 1 }))
    .filter((s) => filter === 'all' || (filter === 'misses' ? s.verdict === 'misses' : s.kind === filter));
  type Row = (typeof list)[number];
  const numeric = (
    title: string,
    key: 'gap' | 'kink' | 'step' | 'flow',
    digits: number,
    dim?: (s: Row) => boolean,
    hint?: string,
  ): TableColumnsType<Row>[number] => ({
    title,
    key,
    width: 78,
    align: 'right',
    className: 'num',
    sorter: (a, b) => a[key] - b[key],
    render: (_, s) => (
      <span className={dim?.(s) ? 'dim' : ''} title={dim?.(s) ? hint : undefined}>
        {small(s[key], digits)}
      </span>
    ),
  });
  const columns: TableColumnsType<Row> = [
    { title: 'Seam', dataIndex: 'n', width: 58 },
    {
      title: 'Between',
      key: 'between',
      ellipsis: true,
      render: (_, s) =>
        s.kind === 'own' ? `${faceLabel(s.faceNames[0])} with itself` : `${faceLabel(s.faceNames[0])} · ${faceLabel(s.faceNames[1])}`,
    },
    {
      title: 'Target',
      key: 'target',
      width: 92,
      render: (_, s) => (
        <span onClick={(e) => e.stopPropagation()} onKeyDown={(e) => e.stopPropagation()}>
          <Select
            popupMatchSelectWidth={false}
            size="small"
            variant="borderless"
            aria-label={`Target of seam ${s.n}`}
            value={s.targetFrom === 'seam' ? (s.target ?? 'free') : ''}
            options={[{ value: '', label: s.target ? `${s.target} ${FROM[s.targetFrom]}` : '–' }, ...TARGETS.slice(1)]}
            onChange={(v) => change('Seam target', { type: 'setTarget', key: s.key, target: (v || null) as SeamTarget | null })}
          />
        </span>
      ),
    },
    {
      title: 'Grade',
      key: 'grade',
      width: 162,
      render: (_, s) => (
        <span className={s.grade === 'open' ? 'fail' : s.verdict === 'misses' ? 'below' : s.verdict === 'meets' ? 'met' : ''}>
          {SIGN[s.grade]} {s.grade === 'open' || s.verdict === 'free' ? '' : s.verdict}
          {s.verdict === 'misses' && s.target !== 'G0' && (
            <Button
              size="small"
              type="link"
              aria-label={`Ways to bring seam ${s.n} to ${s.target}`}
              onClick={(e) => {
                e.stopPropagation();
                setMending(s.key);
                setStudio({ lit: { piece: s.piece, edges: [s.edge], at: worstOf(s) }, desk: { tab: 'seams', size: 'half' } });
              }}
            >
              Mend…
            </Button>
          )}
        </span>
      ),
    },
    numeric('gap mm', 'gap', 5),
    numeric('kink °', 'kink', 4),
    numeric('step %', 'step', 2, (s) => s.kink > 0.5, 'Across a kink the curvature step says little'),
    numeric('flow %', 'flow', 1, (s) => s.step > 2 || s.kink > 0.5, 'Step of the change of curvature across the seam: G3 within 10 %'),
    { title: 'Step along the seam', key: 'spark', width: 176, render: (_, s) => <Spark seam={s} /> },
  ];
  const shown = lit && seams.findIndex((s) => lit.piece === s.piece && lit.edges?.includes(s.edge));
  const table = (
    <Table
      virtual
      size="small"
      rowKey="key"
      pagination={false}
      columns={columns}
      dataSource={list}
      scroll={{ y: Math.max(60, height - 34), x: 900 }}
      rowClassName={(s) => (lit?.piece === s.piece && lit.edges?.includes(s.edge) ? 'litrow' : '')}
      onRow={(s) => ({
        onClick: () => {
          const at = worstOf(s);
          setStudio({ lit: { piece: s.piece, edges: [s.edge], at } });
          zoomTo([at]);
        },
      })}
    />
  );
  if (shown === undefined || shown < 0) return table;
  return (
    <div className="seamsplit">
      <div>{table}</div>
      {mending === seams[shown].key && seams[shown].verdict === 'misses' ? (
        <SeamOffers seam={seams[shown]} n={shown + 1} key={`offers ${seams[shown].key}`} onClose={() => setMending(undefined)} />
      ) : (
        <SeamChart seam={seams[shown]} n={shown + 1} key={seams[shown].key} />
      )}
    </div>
  );
});

export const Rims = memo(function Rims({ rims, height }: { rims: ProofView['rims']; height: number }) {
  const measure = useMeasure();
  if (!rims.length) return <Empty className="pad" image={false} description="No open rims." />;
  return (
    <Table
      virtual
      size="small"
      rowKey={(r) => `${r.piece}${r.edges.join()}`}
      pagination={false}
      scroll={{ y: Math.max(60, height - 34), x: 600 }}
      dataSource={[...rims]}
      columns={[
        { title: 'Rim', width: 58, render: (_, _r, i) => i + 1 },
        { title: 'Piece', render: (_, r) => keyName(r.piece) },
        { title: 'Length', align: 'right', className: 'num', width: 120, render: (_, r) => measure(`${r.length.toFixed(3)} mm`) },
        { title: 'Edges', align: 'right', className: 'num', width: 80, render: (_, r) => r.edges.length },
        { title: 'Closed chain', width: 110, render: (_, r) => (r.closed ? 'yes' : 'no') },
        { title: 'Place', className: 'mono', render: (_, r) => r.at.map((x) => x.toFixed(2)).join(', ') },
      ]}
      onRow={(r) => ({
        onClick: () => {
          setStudio({ lit: { piece: r.piece, edges: r.edges, at: r.at } });
          zoomTo([r.at]);
        },
      })}
    />
  );
});

export const Defects = memo(function Defects({ defects, height }: { defects: ProofView['defects']; height: number }) {
  if (!defects.length) return <Empty className="pad" image={false} description="No defects found." />;
  const order = { error: 0, warning: 1, note: 2 } as const;
  const list = defects.map((d, i) => ({ ...d, n: i })).sort((a, b) => order[a.severity] - order[b.severity]);
  const part = (d: (typeof list)[number]) => {
    const i = d.piece.indexOf('/');
    const [step, output] = [d.piece.slice(0, i), d.piece.slice(i + 1)];
    const whole = { step, output };
    const faces = d.faces.map((f) => ({
      step,
      output,
      part: { kind: 'face' as const, name: f.name, near: f.near as [number, number, number] },
    }));
    return { whole, faces };
  };
  const pieces = [...new Set(list.filter((d) => d.mend).map((d) => d.piece))];
  const wholeOf = (key: string) => ({ step: key.slice(0, key.indexOf('/')), output: key.slice(key.indexOf('/') + 1) });
  const all = (key: string) => {
    select([]);
    startTool('repair', { piece: [wholeOf(key)] }, {});
  };
  const table = (
    <Table
      virtual
      size="small"
      rowKey="n"
      pagination={false}
      scroll={{ y: Math.max(60, height - 70), x: 700 }}
      dataSource={list}
      columns={[
        {
          title: '',
          width: 74,
          render: (_, d) => (
            <span className={d.severity === 'error' ? 'fail' : d.severity === 'warning' ? 'below' : 'soft'}>
              {d.severity === 'error' ? 'fault' : d.severity}
            </span>
          ),
        },
        { title: 'Piece', width: 150, ellipsis: true, render: (_, d) => keyName(d.piece) },
        { title: 'What', ellipsis: true, render: (_, d) => d.message },
        { title: 'Place', className: 'mono', width: 170, render: (_, d) => d.place.map((x) => x.toFixed(2)).join(', ') },
        {
          title: 'Mend',
          width: 240,
          render: (_, d) => (
            <span className="actions tight" onClick={(e) => e.stopPropagation()} onKeyDown={(e) => e.stopPropagation()}>
              {d.mend && (
                <Button
                  size="small"
                  onClick={() => {
                    const { whole, faces } = part(d);
                    select([]);
                    if (d.mend) startTool(d.mend.tool, { [d.mend.slot]: d.mend.takes === 'faces' ? faces : [whole] }, d.mend.params);
                  }}
                >
                  {d.mend.label}
                </Button>
              )}
              {d.faces.length > 0 && (
                <Button size="small" type="text" onClick={() => select(part(d).faces)}>
                  Select
                </Button>
              )}
            </span>
          ),
        },
      ]}
      onRow={(d) => ({
        onClick: () => {
          setStudio({ lit: { piece: d.piece, faces: d.faces.map((f) => f.index), edges: d.edges, at: d.place } });
          zoomTo([d.place], d.normal);
        },
      })}
    />
  );
  return (
    <>
      <div className="actions tight pad-row">
        {pieces.slice(0, 4).map((key) => (
          <Button key={key} size="small" type="primary" ghost onClick={() => all(key)}>
            {pieces.length > 1 ? `Repair all of ${keyName(key)}` : 'Repair all'}
          </Button>
        ))}
        <span className="soft">Opens with a preview; every change is listed on the card, and nothing moves further than you agree to.</span>
      </div>
      {table}
    </>
  );
});

export function Timing({ height }: { height: number }) {
  const model = useStudio((s) => s.model);
  const steps = useStudio((s) => s.steps);
  const total = useStudio((s) => s.computeMs);
  const rows = model.steps.map((s) => ({ id: s.id, name: stepName(s), ms: steps.get(s.id)?.ms ?? 0 })).sort((a, b) => b.ms - a.ms);
  const top = Math.max(1, rows[0]?.ms ?? 1);
  if (!rows.length) return <Empty className="pad" image={false} description="Nothing was computed yet." />;
  return (
    <Table
      virtual
      size="small"
      rowKey="id"
      pagination={false}
      scroll={{ y: Math.max(60, height - 34), x: 500 }}
      dataSource={rows}
      columns={[
        { title: 'Step', dataIndex: 'name' },
        { title: 'ms', align: 'right', className: 'num', width: 90, render: (_, r) => r.ms.toFixed(1) },
        {
          title: `Share; the last recompute took ${Math.round(total)} ms`,
          width: 320,
          render: (_, r) => <i className="sharebar" style={{ width: `${(r.ms / top) * 240}px` }} />,
        },
      ]}
      onRow={(r) => ({ onClick: () => openStep(r.id) })}
    />
  );
}
