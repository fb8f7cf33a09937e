import { formatNumber } from '@ample-skin/core/math';
import type { Difference } from '@ample-skin/core/report/compare-recipes';
import type { ComparedPair } from '@ample-skin/engine';
import { Alert, Button, Progress, Table, type TableColumnsType } from 'antd';
import { useEffect } from 'react';
import { endCompare } from '../state/comparing.ts';
import { setStudio, useStudio } from '../state/store.ts';
import { viewLink } from '../state/view-link.ts';
import { useMeasure } from './units.ts';

/** Names over the two panes, and the way out. */
export function CompareHeads() {
  const compare = useStudio((s) => s.compare);
  const model = useStudio((s) => s.model);
  const open = useStudio((s) => s.open);
  // a step was opened, or the open model was changed: what was compared is another one
  useEffect(() => {
    if (compare && (compare.model !== model || open)) endCompare();
  }, [compare, model, open]);
  if (!compare) return null;
  const heads = [compare.left.name, `${compare.model.name} (now)`];
  return (
    <>
      <div className="drawbar trialbar comparebar" role="status">
        <span>{compare.work ? `Comparing: ${compare.work.what}…` : 'Compared'}</span>
        {compare.work && <Progress size="small" percent={Math.round(100 * compare.work.done)} style={{ width: 120 }} />}
        <Button size="small" onClick={endCompare}>
          Close <kbd>Esc</kbd>
        </Button>
      </div>
      {compare.view && (
        <>
          {heads.map((h, i) => (
            <div className="trialhead" key={h} style={{ left: `${50 * i}%`, top: 0, width: '50%' }}>
              <b>{h}</b>
            </div>
          ))}
          <i className="paneline upright" style={{ left: '50%' }} />
        </>
      )}
    </>
  );
}

const KIND: Record<Difference['kind'], string> = { added: 'added', removed: 'removed', changed: 'changed', moved: 'moved' };
/** What changed in the recipe on the left, how far the shapes lie apart on the right. */
export function ComparePanel({ height }: { height: number }) {
  const compare = useStudio((s) => s.compare);
  const measure = useMeasure();
  useEffect(() => () => setStudio({ combAt: undefined }), []);
  if (!compare) return null;
  const changes: TableColumnsType<Difference> = [
    { title: 'What', key: 'what', ellipsis: true, render: (_, d) => `${d.what}${d.of ? `: ${d.of}` : ''}` },
    { title: 'Change', key: 'kind', width: 84, render: (_, d) => <span className="soft">{KIND[d.kind]}</span> },
    { title: 'Before', key: 'before', ellipsis: true, className: 'num', render: (_, d) => d.before ?? '' },
    { title: 'Now', key: 'after', ellipsis: true, className: 'num', render: (_, d) => d.after ?? '' },
  ];
  const number = (
    title: string,
    hint: string,
    of: (p: ComparedPair) => number | undefined,
    text: (x: number) => string,
    width = 104,
  ): TableColumnsType<ComparedPair>[number] => ({
    title: <span title={hint}>{title}</span>,
    key: title,
    width,
    align: 'right',
    className: 'num',
    render: (_, p) => {
      const x = of(p);
      return x === undefined ? '' : measure(text(x));
    },
  });
  const difference = (of: readonly [number, number] | undefined) => of && of[1] - of[0];
  const signed = (x: number, digits: number) => `${x > 0 ? '+' : ''}${formatNumber(x, digits)}`;
  const shapes: TableColumnsType<ComparedPair> = [
    {
      title: 'Piece',
      key: 'piece',
      ellipsis: true,
      render: (_, p) => (p.a && p.b ? p.name : `${p.name}, only ${p.a ? 'before' : 'now'}`),
    },
    number(
      'Apart',
      'The largest distance between the two, at the nodes of their meshes',
      (p) => p.deviation?.most,
      (x) => `${formatNumber(x, 4)} mm`,
    ),
    number(
      'RMS',
      'Root of the mean square over the area',
      (p) => p.deviation?.rms,
      (x) => `${formatNumber(x, 4)} mm`,
    ),
    number(
      'Volume',
      'Now less before',
      (p) => difference(p.deviation?.volume),
      (x) => `${signed(x, 1)} mm³`,
      130,
    ),
    number(
      'Area',
      'Now less before',
      (p) => difference(p.deviation?.area),
      (x) => `${signed(x, 1)} mm²`,
      120,
    ),
  ];
  const far = (p: ComparedPair) => {
    const [o, i] = [p.deviation?.out, p.deviation?.in];
    return !o || (i && -i.distance > o.distance) ? i?.at : o.at;
  };
  const rows = Math.max(60, height - 38);
  return (
    <div className="comparesplit" role="region" aria-label="Comparison">
      <div data-testid="compare-recipe">
        <Table
          size="small"
          rowKey={(d) => `${d.kind} ${d.what} ${d.of ?? ''} ${d.step ?? ''}`}
          pagination={false}
          columns={changes}
          dataSource={[...compare.differences]}
          scroll={{ y: rows }}
          locale={{ emptyText: 'The recipes are the same' }}
        />
      </div>
      <div data-testid="compare-shapes">
        {compare.why && <Alert type="error" title={compare.why} />}
        {compare.view?.notes.map((n) => (
          <Alert key={n} type="warning" title={n} />
        ))}
        <Table
          size="small"
          rowKey={(p) => `${p.a?.view.key} ${p.b?.view.key}`}
          pagination={false}
          columns={shapes}
          dataSource={[...(compare.view?.pairs ?? [])]}
          scroll={{ y: rows }}
          locale={{ emptyText: compare.work ? 'The shapes are being built…' : 'There are no shapes' }}
          onRow={(p) => ({
            title: far(p) ? 'Click: to where they are farthest apart' : undefined,
            onMouseEnter: () => setStudio({ combAt: far(p) }),
            onMouseLeave: () => setStudio({ combAt: undefined }),
            onClick: () => {
              const at = far(p);
              if (at) viewLink()?.show([at]);
            },
          })}
        />
      </div>
    </div>
  );
}
