import { DEFAULT_LIMITS } from '@ample-skin/core/proof/grades';
import type { VariantView } from '@ample-skin/engine';
import { Button, Checkbox, Progress, Table, type TableColumnsType } from 'antd';
import { X } from 'lucide-react';
import { useEffect } from 'react';
import { endTrial, keepOfTrial, MOST_SHOWN, setStudio, showVariant, useStudio } from '../state/store.ts';
import { useMeasure } from './units.ts';

const small = (x: number, digits: number) => (x < 10 ** -digits / 2 ? '0' : x.toFixed(digits));
/** `G2 meets both` in a word: what all edges reach. */
const reached = (v: VariantView): string => (v.made ? (v.made.numbers.grade === 'open' ? 'open' : v.made.numbers.grade) : '–');
const toneOf = (v: VariantView): string => {
  const g = v.made?.numbers.grade;
  return g === 'G2' || g === 'G3' ? 'met' : g === 'open' ? 'fail' : 'below';
};
const openEdges = (v: VariantView): number => v.made?.numbers.edges.filter((e) => e.grade === 'open').length ?? 0;

/** Heads of the panes in which variants stand side by side, and the way out. */
export function TrialHeads() {
  const trial = useStudio((s) => s.trial);
  const model = useStudio((s) => s.model);
  // the model was changed (undone, or in another window): what was tried is about another one
  useEffect(() => {
    if (trial && trial.model !== model) endTrial();
  }, [trial, model]);
  if (!trial) return null;
  const n = trial.shown.length;
  const columns = n < 4 ? Math.max(1, n) : Math.ceil(n / 2);
  const rows = Math.ceil(Math.max(1, n) / columns);
  return (
    <>
      <div className="drawbar trialbar" role="status">
        <span>
          {trial.over
            ? `Try-off: ${trial.what}, ${trial.variants.length} methods`
            : `Try-off: ${trial.variants.length} of ${trial.of || '…'} methods tried`}
        </span>
        <Button size="small" onClick={endTrial}>
          Close <kbd>Esc</kbd>
        </Button>
      </div>
      {!n && (
        <div className="emptyview">
          <div>{trial.over ? 'No method could be built: the table below says why' : 'The first method is being built…'}</div>
        </div>
      )}
      {trial.shown.map((key, i) => {
        const v = trial.variants.find((x) => x.key === key);
        if (!v) return null;
        return (
          <div
            className="trialhead"
            key={key}
            style={{
              left: `${((i % columns) * 100) / columns}%`,
              top: `${(Math.floor(i / columns) * 100) / rows}%`,
              width: `${100 / columns}%`,
            }}
          >
            <b>{v.label}</b>
            <span className={toneOf(v)}>{reached(v)}</span>
            <Button size="small" aria-label={`Keep ${v.label}`} onClick={() => keepOfTrial(key)}>
              Keep
            </Button>
            {n > 1 && (
              <Button
                type="text"
                size="small"
                aria-label={`Take ${v.label} out of view`}
                icon={<X size={13} />}
                onClick={() => showVariant(key, false)}
              />
            )}
          </div>
        );
      })}
      {Array.from({ length: columns - 1 }, (_, i) => (
        <i key={`c${i}`} className="paneline upright" style={{ left: `${((i + 1) * 100) / columns}%` }} />
      ))}
      {Array.from({ length: rows - 1 }, (_, i) => (
        <i key={`r${i}`} className="paneline level" style={{ top: `${((i + 1) * 100) / rows}%` }} />
      ))}
    </>
  );
}

/** Every method with its numbers, measured alike; a tick puts it in view. */
export function TrialTable({ height }: { height: number }) {
  const trial = useStudio((s) => s.trial);
  const measure = useMeasure();
  useEffect(() => () => setStudio({ combAt: undefined }), []);
  if (!trial) return null;
  const number = (
    title: string,
    of: (v: VariantView) => number | undefined,
    text: (v: number) => string,
    hint: string,
    beyond?: number,
  ): TableColumnsType<VariantView>[number] => ({
    title: <span title={hint}>{title}</span>,
    key: title,
    width: 96,
    align: 'right',
    className: 'num',
    sorter: (a, b) => (of(a) ?? Infinity) - (of(b) ?? Infinity),
    render: (_, v) => {
      const x = of(v);
      return x === undefined ? '' : <span className={beyond !== undefined && x > beyond ? 'below' : ''}>{measure(text(x))}</span>;
    },
  });
  const n = (v: VariantView) => v.made?.numbers;
  const columns: TableColumnsType<VariantView> = [
    {
      title: 'View',
      key: 'view',
      width: 52,
      render: (_, v) =>
        v.made ? (
          <Checkbox
            aria-label={`${v.label} in view`}
            checked={trial.shown.includes(v.key)}
            disabled={!trial.shown.includes(v.key) && trial.shown.length >= MOST_SHOWN}
            onChange={(e) => showVariant(v.key, e.target.checked)}
          />
        ) : null,
    },
    {
      title: 'Method',
      key: 'method',
      ellipsis: true,
      render: (_, v) => (
        <span title={v.why ?? [v.about, ...(v.made?.warnings ?? [])].join('. ')}>
          {v.label}
          {v.why ? <span className="soft">{`: ${measure(v.why)}`}</span> : null}
        </span>
      ),
    },
    {
      title: 'Reached',
      key: 'reached',
      width: 116,
      render: (_, v) => (
        <span className={toneOf(v)}>
          {v.made ? (openEdges(v) ? `${openEdges(v)} of ${v.made.numbers.edges.length} open` : reached(v)) : 'not built'}
        </span>
      ),
    },
    number(
      'Gap',
      (v) => n(v)?.gap,
      (x) => `${small(x, 5)} mm`,
      'From the edges to the rim of the skin, at its worst',
      DEFAULT_LIMITS.gap,
    ),
    number(
      'Kink',
      (v) => n(v)?.kink,
      (x) => `${small(x, 4)}°`,
      'Between the normals, where there is no gap',
      DEFAULT_LIMITS.kink,
    ),
    number(
      'Step',
      (v) => n(v)?.step,
      (x) => `${small(x, 2)} %`,
      'Of the curvature across the edges',
      DEFAULT_LIMITS.step,
    ),
    number(
      'Points',
      (v) => n(v)?.points,
      (x) => String(x),
      'Control points of all its faces',
    ),
    number(
      'Tightest',
      (v) => n(v)?.curvature,
      (x) => (x > 1e-9 ? `r ${(1 / x).toPrecision(4)} mm` : 'flat'),
      'Radius where it bends most; sorted by curvature',
    ),
    number(
      'Area',
      (v) => n(v)?.area,
      (x) => `${x.toFixed(1)} mm²`,
      'Of the skin',
    ),
    number(
      'Time',
      (v) => v.made?.ms,
      (x) => `${Math.round(x)} ms`,
      'Of the step alone',
    ),
    {
      title: '',
      key: 'keep',
      width: 66,
      render: (_, v) =>
        v.made ? (
          <Button size="small" aria-label={`Keep ${v.label} from the table`} onClick={() => keepOfTrial(v.key)}>
            Keep
          </Button>
        ) : null,
    },
  ];
  return (
    <div className="trialtable" role="region" aria-label="Methods tried">
      {!trial.over && (
        <Progress size="small" percent={trial.of ? Math.round((100 * trial.variants.length) / trial.of) : 0} status="active" />
      )}
      <Table
        size="small"
        rowKey="key"
        pagination={false}
        columns={columns}
        dataSource={[...trial.variants]}
        scroll={{ y: Math.max(60, height - (trial.over ? 38 : 60)) }}
        rowClassName={(v) => (trial.shown.includes(v.key) ? 'litrow' : '')}
        onRow={(v) => ({
          onMouseEnter: () => setStudio({ combAt: n(v)?.worst as [number, number, number] | undefined }),
          onMouseLeave: () => setStudio({ combAt: undefined }),
        })}
      />
    </div>
  );
}
