import { type Model, parseModel } from '@ample-skin/core/recipe';
import { Alert, Button, Input, Modal, Select } from 'antd';
import { useEffect, useState } from 'react';
import { startCompare } from '../state/comparing.ts';
import { getStudio, notify, setStudio, useStudio } from '../state/store.ts';
import { get, send } from './send.ts';

interface Version {
  readonly id: string;
  readonly name: string;
  readonly createdAt: string;
  readonly recipe: unknown;
}
const close = () => setStudio({ dialog: undefined });
const when = (iso: string): string =>
  new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit' });
function modelOf(recipe: unknown): Model {
  const r = parseModel(recipe);
  if (!r.ok) throw new Error(`It cannot be read: ${r.place}: ${r.message}`);
  return r.model;
}
/** States of the model that were given a name: kept, compared with what is now, or opened as a model of their own. */
export function VersionsDialog() {
  const [name, setName] = useState('');
  const [list, setList] = useState<readonly Version[]>();
  const [others, setOthers] = useState<readonly { id: string; name: string }[]>([]);
  const [why, setWhy] = useState<string>();
  const current = useStudio((s) => s.model.name);
  const load = () =>
    get<readonly Version[]>(`/api/models/${getStudio().id}/versions`).then(setList, (e: Error) => {
      setList([]);
      setWhy(e.message);
    });
  useEffect(() => {
    void load();
    get<readonly { id: string; name: string }[]>('/api/models').then(
      (all) => setOthers(all.filter((m) => m.id !== getStudio().id)),
      () => undefined,
    );
  }, []);
  const attempt = async (work: () => Promise<void>) => {
    try {
      setWhy(undefined);
      await work();
    } catch (e) {
      setWhy((e as Error).message);
    }
  };
  const keep = () =>
    attempt(async () => {
      await send(`/api/models/${getStudio().id}/versions`, 'POST', { name });
      notify('info', `Version “${name}” kept`);
      setName('');
      await load();
    });
  const compare = (title: string, recipe: () => Promise<unknown>) =>
    attempt(async () => {
      const m = modelOf(await recipe());
      close();
      void startCompare(title, m);
    });
  const branch = (v: Version) =>
    attempt(async () => {
      const recipe = modelOf(v.recipe);
      const { id } = await send('/api/models', 'POST', { name: `${current}, ${v.name}`.slice(0, 200), recipe });
      notify('info', `“${v.name}” is a model of its own now`, { label: 'Open it', run: () => window.open(`/model/${id}`, '_blank') });
      close();
    });
  return (
    <Modal open title="Named versions" footer={<Button onClick={close}>Close</Button>} onCancel={close} width={560}>
      <div className="versionnew">
        <Input
          autoFocus
          aria-label="Name of the version"
          placeholder="What is special about this state?"
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
          onPressEnter={() => name.trim() && void keep()}
        />
        <Button type="primary" disabled={!name.trim()} onClick={() => void keep()}>
          Keep version
        </Button>
      </div>
      {why && <Alert type="error" title={why} />}
      <ul className="versions" aria-label="Versions">
        {list?.map((v) => (
          <li key={v.id}>
            <span className="versionname" title={v.name}>
              {v.name}
            </span>
            <span className="soft">{when(v.createdAt)}</span>
            <Button size="small" aria-label={`Compare with ${v.name}`} onClick={() => void compare(v.name, async () => v.recipe)}>
              Compare
            </Button>
            <Button size="small" aria-label={`Branch from ${v.name}`} title="As a model of its own" onClick={() => void branch(v)}>
              Branch
            </Button>
          </li>
        ))}
        {!list?.length && (
          <li className="soft">{list ? 'None yet: give this state a name, then come back to it or compare with it' : 'Looking…'}</li>
        )}
      </ul>
      <div className="versionnew">
        <span className="soft">Or with another model</span>
        <Select
          showSearch={{ optionFilterProp: 'label' }}
          aria-label="Compare with another model"
          placeholder="Choose a model"
          style={{ flex: 1 }}
          options={others.map((o) => ({ value: o.id, label: o.name }))}
          onChange={(id: string) =>
            void compare(
              others.find((o) => o.id === id)?.name ?? 'the other',
              async () => (await get<{ recipe: unknown }>(`/api/models/${id}`)).recipe,
            )
          }
        />
      </div>
    </Modal>
  );
}
