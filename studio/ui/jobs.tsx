'use client';
import { FORMATS, SPACE_FORMATS } from '@ample-skin/core/exchange/formats';
import { SWEEP_COLUMNS, sweepText } from '@ample-skin/core/report/sweep-rows';
import { Alert, Button, Form, InputNumber, Modal, Progress, Segmented, Select, Table, type TableColumnsType } from 'antd';
import Link from 'next/link';
import { useCallback, useEffect, useState } from 'react';
import type { JobItemView, JobView } from '../jobs/store.ts';
import { Mark } from './mark.tsx';
import { Providers } from './providers.tsx';
import { get, send } from './send.ts';

type Models = readonly { id: string; name: string }[];
type Whole = JobView & { items: JobItemView[]; elsewhere: boolean };
const STATE = { waits: 'waits', runs: 'running', done: 'done', failed: 'failed', cancelled: 'cancelled' } as const;

export function JobsRoot({ models }: { models: Models }) {
  return (
    <Providers>
      <Jobs models={models} />
    </Providers>
  );
}
const openOf = (j: JobView): number => j.counts.waits + j.counts.runs;
const allOf = (j: JobView): number => Object.values(j.counts).reduce((a, b) => a + b, 0);
const overOf = (j: JobView): string => {
  if (j.counts.runs) return `${j.counts.done} of ${allOf(j)}`;
  if (j.counts.waits) return 'waits';
  if (j.counts.cancelled) return `cancelled, ${j.counts.done} done`;
  const wrong = j.counts.failed + j.bad;
  return wrong ? `${wrong} of ${allOf(j)} not fine` : 'all fine';
};

/** Heavy work that runs apart from the page: what there is, how far it is, and what came of it. */
function Jobs({ models }: { models: Models }) {
  const [list, setList] = useState<readonly JobView[]>();
  const [chosen, setChosen] = useState<string | undefined>(() => new URLSearchParams(window.location.search).get('job') ?? undefined);
  const [whole, setWhole] = useState<Whole>();
  const [making, setMaking] = useState(false);
  const [why, setWhy] = useState<string>();
  const load = useCallback(async () => {
    try {
      const all = await get<JobView[]>('/api/jobs');
      setList(all);
      // one that was removed is not asked for
      setWhole(all.some((j) => j.id === chosen) ? await get<Whole>(`/api/jobs/${chosen}`) : undefined);
      setWhy(undefined);
    } catch (e) {
      setWhy((e as Error).message);
    }
  }, [chosen]);
  const busy = !!list?.some((j) => openOf(j));
  useEffect(() => {
    void load();
    const timer = setInterval(load, busy ? 800 : 5000);
    return () => clearInterval(timer);
  }, [load, busy]);
  const act = async (work: () => Promise<unknown>) => {
    try {
      await work();
      await load();
    } catch (e) {
      setWhy((e as Error).message);
    }
  };
  const columns: TableColumnsType<JobView> = [
    { title: 'Job', key: 'title', ellipsis: true, render: (_, j) => j.title },
    {
      title: 'How far',
      key: 'far',
      width: 190,
      render: (_, j) => (
        <Progress
          size="small"
          percent={Math.round((100 * (allOf(j) - openOf(j))) / Math.max(1, allOf(j)))}
          status={openOf(j) ? 'active' : j.counts.failed + j.bad ? 'exception' : j.counts.cancelled ? 'normal' : 'success'}
        />
      ),
    },
    { title: 'State', key: 'state', width: 150, render: (_, j) => overOf(j) },
    {
      title: 'Asked for',
      key: 'when',
      width: 150,
      render: (_, j) =>
        new Date(j.createdAt).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }),
    },
  ];
  return (
    <main className="home jobs">
      <div className="home-head">
        <Link href="/" aria-label="To all models">
          <Mark size={34} />
        </Link>
        <h1>Jobs</h1>
        <span className="soft">Sweeps, checks and exports of many models, apart from the page</span>
        <Button type="primary" style={{ marginLeft: 'auto' }} onClick={() => setMaking(true)}>
          New job
        </Button>
      </div>
      {why && <Alert type="error" title={why} />}
      <Table
        size="small"
        rowKey="id"
        aria-label="Jobs"
        loading={!list}
        columns={columns}
        dataSource={[...(list ?? [])]}
        pagination={{ pageSize: 8, hideOnSinglePage: true, size: 'small' }}
        locale={{ emptyText: 'Nothing was asked for yet: check or export many models at once, or send a sweep here' }}
        rowClassName={(j) => (j.id === chosen ? 'litrow' : '')}
        onRow={(j) => ({ onClick: () => setChosen(j.id), style: { cursor: 'pointer' } })}
      />
      {whole && (
        <section className="jobdetail" aria-label={whole.title}>
          <div className="jobhead">
            <h2>{whole.title}</h2>
            {openOf(whole) > 0 && (
              <Button size="small" onClick={() => act(() => send(`/api/jobs/${whole.id}/act`, 'POST', { do: 'cancel' }))}>
                Cancel
              </Button>
            )}
            {whole.counts.failed + whole.counts.cancelled > 0 && (
              <Button size="small" onClick={() => act(() => send(`/api/jobs/${whole.id}/act`, 'POST', { do: 'retry' }))}>
                Try again
              </Button>
            )}
            {whole.files > 0 && (
              <Button size="small" href={`/api/jobs/${whole.id}/files`} download>
                {whole.files === 1 ? 'Save the file' : `Save ${whole.files} files`}
              </Button>
            )}
            {!openOf(whole) && (
              <Button
                size="small"
                onClick={() =>
                  act(async () => {
                    await send(`/api/jobs/${whole.id}`, 'DELETE');
                    setChosen(undefined);
                  })
                }
              >
                Remove
              </Button>
            )}
          </div>
          {whole.elsewhere && whole.counts.waits > 0 && !whole.counts.runs && (
            <Alert type="info" title="It waits for a worker: start one with npm run worker, on this machine or another" />
          )}
          <Items job={whole} />
        </section>
      )}
      {making && (
        <NewJob
          models={models}
          onDone={(id) => {
            setMaking(false);
            if (id) setChosen(id);
            void load();
          }}
        />
      )}
    </main>
  );
}
function Items({ job }: { job: Whole }) {
  const rows = job.items;
  const columns: TableColumnsType<JobItemView> = [
    { title: job.kind === 'sweep' ? 'Run' : 'Model', key: 'name', width: 200, ellipsis: true, fixed: 'left', render: (_, i) => i.name },
    {
      title: 'State',
      key: 'state',
      width: 110,
      render: (_, i) =>
        i.state === 'done' ? (
          <span className={i.ok ? 'met' : 'fail'}>{i.ok ? 'fine' : 'not fine'}</span>
        ) : (
          <span className="soft">{STATE[i.state]}</span>
        ),
    },
    {
      title: 'What it says',
      key: 'why',
      width: job.kind === 'export' ? undefined : 240,
      ellipsis: true,
      render: (_, i) => <span title={i.why.join('\n')}>{i.why.join(' · ')}</span>,
    },
    ...(job.kind === 'export'
      ? [{ title: 'File', key: 'file', width: 220, ellipsis: true, render: (_: unknown, i: JobItemView) => i.file ?? '' }]
      : SWEEP_COLUMNS.map((c): TableColumnsType<JobItemView>[number] => ({
          title: <span title={c.hint}>{c.label}</span>,
          key: c.key,
          width: 112,
          align: 'right',
          className: 'num',
          render: (_, i) => {
            const x = i.row?.[c.key];
            return x === undefined ? '' : sweepText(c, x);
          },
        }))),
  ];
  return (
    <Table
      size="small"
      rowKey="index"
      aria-label="Items of the job"
      columns={columns}
      dataSource={rows}
      pagination={{ pageSize: 50, hideOnSinglePage: true, size: 'small' }}
      scroll={{ x: job.kind === 'export' ? undefined : 1640 }}
    />
  );
}
function NewJob({ models, onDone }: { models: Models; onDone: (id?: string) => void }) {
  const [kind, setKind] = useState<'check' | 'export'>('check');
  const [chosen, setChosen] = useState<string[]>([]);
  const [format, setFormat] = useState<string>('step');
  const [unit, setUnit] = useState('MM');
  const [chord, setChord] = useState(0.02);
  const [why, setWhy] = useState<string>();
  const exact = format === 'step' || format === 'iges';
  const start = async () => {
    try {
      const wish = { kind, models: chosen, ...(kind === 'export' ? { format, unit, chord } : {}) };
      onDone((await send('/api/jobs', 'POST', wish)).id);
    } catch (e) {
      setWhy((e as Error).message);
    }
  };
  return (
    <Modal
      open
      title="New job"
      okText="Start"
      okButtonProps={{ disabled: !chosen.length }}
      onOk={start}
      onCancel={() => onDone()}
      width={520}
    >
      <Form layout="horizontal" labelCol={{ span: 6 }} size="small">
        <Form.Item label="What">
          <Segmented
            aria-label="Kind of job"
            value={kind}
            onChange={setKind}
            options={[
              { value: 'check', label: 'Check' },
              { value: 'export', label: 'Export' },
            ]}
          />
        </Form.Item>
        <Form.Item label="Models" help={`${chosen.length} of ${models.length}`}>
          <Select
            mode="multiple"
            aria-label="Models"
            value={chosen}
            onChange={setChosen}
            maxTagCount={3}
            options={models.map((m) => ({ value: m.id, label: m.name }))}
            showSearch={{ optionFilterProp: 'label' }}
            popupRender={(menu) => (
              <>
                <Button type="link" size="small" onClick={() => setChosen(models.map((m) => m.id))}>
                  All
                </Button>
                {menu}
              </>
            )}
          />
        </Form.Item>
        {kind === 'export' && (
          <>
            <Form.Item label="Format">
              <Select
                aria-label="Format"
                value={format}
                onChange={setFormat}
                options={SPACE_FORMATS.map((f) => ({ value: f, label: FORMATS.find((x) => x.id === f)?.label ?? f }))}
              />
            </Form.Item>
            <Form.Item label="Unit">
              <Select
                aria-label="Unit"
                value={unit}
                onChange={setUnit}
                options={[
                  { value: 'MM', label: 'mm' },
                  { value: 'INCH', label: 'in' },
                  { value: 'M', label: 'm' },
                ]}
              />
            </Form.Item>
            {!exact && (
              <Form.Item label="Chord error" help="mm; the largest distance of the triangles from the surface">
                <InputNumber aria-label="Chord error" min={1e-6} max={1000} value={chord} onChange={(c) => c && setChord(c)} />
              </Form.Item>
            )}
          </>
        )}
      </Form>
      {why && <Alert type="error" title={why} />}
    </Modal>
  );
}
