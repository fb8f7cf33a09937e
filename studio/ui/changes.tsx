import { TOOLS } from '@ample-skin/core/tools';
import { Alert, Button, Modal, Segmented } from 'antd';
import { useEffect, useState } from 'react';
import { startCompare } from '../state/comparing.ts';
import { modelAfter, type PastEdit, pastByDays, pastBySteps } from '../state/past.ts';
import { getStudio, jumpTo, setStudio, useStudio } from '../state/store.ts';
import { get } from './send.ts';

/** Every change by name, newest first; a click goes back to it, or forward again. */
export function Changes({ short }: { short?: boolean }) {
  const undoList = useStudio((s) => s.undo);
  const redoList = useStudio((s) => s.redo);
  const rows = [
    ...redoList.map((e, i) => ({ label: e.label, count: undoList.length + redoList.length - i, undone: true })),
    ...undoList.map((e, i) => ({ label: e.label, count: i + 1, undone: false })).reverse(),
  ].slice(0, short ? 60 : 2000);
  return (
    <div className="changes" role="listbox" aria-label="Changes">
      {rows.map((r) => (
        <Button
          key={r.count}
          type="text"
          size="small"
          block
          role="option"
          aria-selected={r.count === undoList.length}
          className={`${r.undone ? 'dim' : ''} ${r.count === undoList.length ? 'now' : ''}`}
          onClick={() => jumpTo(r.count)}
        >
          <span className="mono soft">{r.count}</span> {r.label}
        </Button>
      ))}
      <Button
        type="text"
        size="small"
        block
        role="option"
        aria-selected={!undoList.length}
        className={undoList.length ? '' : 'now'}
        onClick={() => jumpTo(0)}
      >
        <span className="mono soft">0</span> As it was at first
      </Button>
    </div>
  );
}

const WAYS = ['To undo', 'By time', 'By step'] as const;
const close = () => setStudio({ dialog: undefined });
const KIND = { do: '', undo: 'undone: ', redo: 'done again: ' } as const;
const clock = (e: PastEdit): string => new Date(e.createdAt).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });

/** The list of what happened: to go back by, by the time it happened, or by the step it happened to. Any state on the way can be compared with what is now. */
export function HistoryDialog() {
  const [way, setWay] = useState<(typeof WAYS)[number]>('To undo');
  const [edits, setEdits] = useState<readonly PastEdit[]>();
  const [why, setWhy] = useState<string>();
  const model = useStudio((s) => s.model);
  const save = useStudio((s) => s.save);
  useEffect(() => {
    if (way === 'To undo' || save !== 'saved') return;
    let over = false;
    get<readonly PastEdit[]>(`/api/models/${getStudio().id}/edits?since=0`).then(
      (list) => !over && setEdits(list),
      (e: Error) => !over && setWhy(e.message),
    );
    return () => {
      over = true;
    };
  }, [way, save]);
  const compare = (e: PastEdit) => {
    const before = modelAfter(getStudio().model, edits ?? [], e.revision);
    if (typeof before === 'string') return setWhy(before);
    close();
    void startCompare(`After “${e.change.label}”`, before);
  };
  const row = (e: PastEdit) => (
    <li key={e.revision}>
      <span className="mono soft">{clock(e)}</span>
      <span className="versionname" title={e.change.label}>
        {KIND[e.kind]}
        {e.change.label}
      </span>
      <Button
        size="small"
        aria-label={`Compare with the state after change ${e.revision}`}
        title="Beside what it is now"
        onClick={() => compare(e)}
      >
        Compare
      </Button>
    </li>
  );
  return (
    <Modal open title="Changes" footer={<Button onClick={close}>Close</Button>} onCancel={close} width={520}>
      <Segmented aria-label="Order of the changes" options={[...WAYS]} value={way} onChange={(w) => setWay(w)} />
      {why && <Alert type="error" title={why} />}
      {way === 'To undo' && <Changes />}
      {way !== 'To undo' && !edits?.length && (
        <p className="soft">{edits ? 'Nothing was changed yet' : save === 'saved' ? 'Looking…' : 'Once all is saved it stands here'}</p>
      )}
      <div className="pastlist">
        {way === 'By time' &&
          edits &&
          pastByDays(edits).map((d) => (
            <section key={d.day} aria-label={d.day}>
              <h4>{d.day}</h4>
              <ul className="versions">{d.edits.map(row)}</ul>
            </section>
          ))}
        {way === 'By step' &&
          edits &&
          pastBySteps(edits, model).map((s) => {
            const name =
              (s.gone ? undefined : s.name) ?? TOOLS.get(model.steps.find((x) => x.id === s.id)?.tool ?? s.name ?? '')?.label ?? s.name;
            return (
              <section key={s.id} aria-label={name}>
                <h4>
                  {name ?? 'A step'} {s.gone && <span className="soft">(removed)</span>}
                </h4>
                <ul className="versions">{s.edits.map(row)}</ul>
              </section>
            );
          })}
      </div>
    </Modal>
  );
}
