import type { PoleUse } from '@ample-skin/core/cage';
import { formatNumber } from '@ample-skin/core/math';
import type { PoleView } from '@ample-skin/engine';
import { Button, Empty, Segmented, Table } from 'antd';
import { addOperation } from '../interact/cage-steps.ts';
import { chooseCage } from '../interact/caging.ts';
import { engine } from '../state/engine-client.ts';
import { getStudio, NO_POLES, notify } from '../state/state.ts';
import { setSettings, setStudio, useSettings, useStudio, zoomTo } from '../state/store.ts';
import { keyName } from './names.ts';

/** Largest against smallest principal curvature beside a pole, as one number: how unevenly it bends, 1/mm. */
const spreadOf = (p: PoleView): number | undefined => p.curvature && p.curvature[0] - p.curvature[1];
const curvature = (k: number) => (Math.abs(k) < 5e-5 ? '0' : formatNumber(k, 4));

/** Poles of the cages that are seen: how far they fold, how the smooth surface bends beside them, and what to do. */
export default function PolesPanel({ height }: { height: number }) {
  const told = useStudio((s) => s.poles);
  const { poles, of, loud } = told;
  const before = useStudio((s) => s.poleBefore);
  const use = useSettings((s) => s.poleUse);
  const any = useStudio((s) => [...s.pieces.values()].some((p) => p.kind === 'cage'));
  const act = async (p: PoleView, what: 'flatten' | 'ring') => {
    const r = await engine.remedy(p.piece, p, use).catch(() => undefined);
    if (!r) return notify('error', 'The cage changed meanwhile: choose the pole again');
    setStudio({ poleBefore: { piece: p.piece, name: p.name, fold: p.fold, spread: spreadOf(p) } });
    addOperation(p.piece, (id) =>
      what === 'flatten'
        ? {
            id,
            op: 'flatten',
            vertices: [...r.around],
            plane: { origin: [...r.plane.origin], normal: [...r.plane.normal] },
            share: r.share,
          }
        : { id, op: 'ring', faces: [...r.faces], share: 0.4 },
    );
  };
  if (any && told === NO_POLES)
    return (
      <Empty
        className="pad"
        image={false}
        description="No cage is seen: all are hidden, or later steps have taken them over. Open the step of one to see its poles."
      />
    );
  if (!any) return <Empty className="pad" image={false} description="No cage yet: poles are told of cages." />;
  // by its name: the step that changes it may be another one than the step it was told of
  const was = (p: PoleView) => (before?.name === p.name ? before : undefined);
  // the one that was changed last stands first, with its numbers before
  const rows = [...poles].sort((a, b) => Number(!!was(b)) - Number(!!was(a)));
  return (
    <>
      <div className="actions tight pad-row">
        <Segmented
          size="small"
          aria-label="Made for"
          options={[
            { value: 'print', label: 'Print: folds to 20°' },
            { value: 'mould', label: 'Mould: folds to 10°' },
          ]}
          value={use}
          onChange={(v) => setSettings({ poleUse: v as PoleUse })}
        />
        <span className="soft">
          {of === 0
            ? 'Four edges meet everywhere: there is no pole'
            : `${of} poles, ${loud} of them to look at; a click goes there${of > poles.length ? `. Shown: the ${poles.length} that fold most` : ''}`}
        </span>
      </div>
      <Table
        virtual
        size="small"
        rowKey={(p) => `${p.piece} ${p.kind} ${p.name}`}
        pagination={false}
        scroll={{ y: Math.max(60, height - 70), x: 900 }}
        dataSource={rows}
        columns={[
          {
            title: '',
            width: 64,
            render: (_, p) => <span className={p.calm && !p.junction ? 'soft' : 'below'}>{p.calm && !p.junction ? 'calm' : 'look'}</span>,
          },
          { title: 'Cage', width: 120, ellipsis: true, render: (_, p) => keyName(p.piece) },
          {
            title: 'Pole',
            width: 130,
            render: (_, p) =>
              p.kind === 'face' ? `face of ${p.valence}` : `${p.valence} edges${p.border ? ', border' : ''}${p.junction ? ', T' : ''}`,
          },
          {
            title: 'Fold °',
            align: 'right',
            className: 'num',
            width: 120,
            sorter: (a, b) => a.fold - b.fold,
            render: (_, p) => `${formatNumber(p.fold, 2)}${was(p) ? ` (was ${formatNumber(was(p)?.fold ?? 0, 2)})` : ''}`,
          },
          {
            title: 'Curvature beside, 1/mm',
            align: 'right',
            className: 'num',
            width: 190,
            render: (_, p) => {
              const w = was(p);
              const now = p.curvature ? `${curvature(p.curvature[1])} to ${curvature(p.curvature[0])}` : '–';
              return w?.spread === undefined ? now : `${now} (span was ${curvature(w.spread)})`;
            },
          },
          { title: 'Advice', ellipsis: true, render: (_, p) => p.advice },
          {
            title: '',
            width: 190,
            render: (_, p) => (
              <span className="actions tight" onClick={(e) => e.stopPropagation()} onKeyDown={(e) => e.stopPropagation()}>
                <Button size="small" onClick={() => act(p, 'flatten')}>
                  Flatten here
                </Button>
                <Button size="small" onClick={() => act(p, 'ring')}>
                  Add a ring
                </Button>
              </span>
            ),
          },
        ]}
        onRow={(p) => ({
          onClick: () => {
            setStudio({ lit: { piece: p.piece, at: [...p.at] } });
            zoomTo([[...p.at]], p.normal);
            // in a cage that is being edited it is chosen too
            if (getStudio().open === p.piece.split('/')[0]) chooseCage(p.kind, [p.name], false);
          },
        })}
      />
    </>
  );
}
