'use client';
import { formatOf, readableEndings } from '@ample-skin/core/exchange/formats';
import { Alert, Input, Modal, Progress } from 'antd';
import { useRouter } from 'next/navigation';
import { useEffect, useRef, useState } from 'react';
import type { HomeDialog } from './home-actions.tsx';
import { Providers } from './providers.tsx';
import { send } from './send.ts';
import { upload } from './upload.ts';

/** What the home page asks: a name for a new model, a file on its way, whether to delete. */
export function HomeDialogs({ dialog, onDone }: { dialog: HomeDialog; onDone: () => void }) {
  return (
    <Providers>
      {dialog.kind === 'new' && <NewModel onDone={onDone} />}
      {dialog.kind === 'file' && <Bring file={dialog.file} onDone={onDone} />}
      {dialog.kind === 'delete' && <Delete {...dialog} onDone={onDone} />}
    </Providers>
  );
}

function NewModel({ onDone }: { onDone: () => void }) {
  const router = useRouter();
  const [name, setName] = useState('');
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const create = async () => {
    if (busy) return;
    setBusy(true);
    try {
      const { id } = await send('/api/models', 'POST', { name: name.trim() || 'New model' });
      router.push(`/model/${id}`);
    } catch (e) {
      setTrouble((e as Error).message);
      setBusy(false);
    }
  };
  return (
    <Modal open title="New model" okText="Create" onOk={create} onCancel={onDone} confirmLoading={busy}>
      <Input
        autoFocus
        placeholder="Name"
        value={name}
        maxLength={200}
        onChange={(e) => setName(e.target.value)}
        onPressEnter={create}
        aria-label="Name of the model"
      />
      {trouble && <Alert type="error" title={trouble} style={{ marginTop: 10 }} />}
    </Modal>
  );
}

/** A file becomes a model of its own: a recipe as it is, anything else through the tool that takes it. */
function Bring({ file, onDone }: { file: File; onDone: () => void }) {
  const router = useRouter();
  const [share, setShare] = useState(0);
  const [trouble, setTrouble] = useState<string>();
  const cancel = useRef<() => void>(undefined);
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const bring = async () => {
      if (/\.json$/i.test(file.name)) {
        if (file.size > 50 * 2 ** 20) throw new Error('a recipe has at most 50 MB');
        let recipe: { name?: unknown };
        try {
          recipe = JSON.parse(await file.text());
        } catch (e) {
          throw new Error(`it is not JSON: ${(e as Error).message}`);
        }
        const { id } = await send('/api/models', 'POST', { name: typeof recipe.name === 'string' ? recipe.name : 'Recipe', recipe });
        return router.push(`/model/${id}`);
      }
      if (!formatOf(file.name))
        throw new Error(`it cannot be brought in; known are .json ${readableEndings('bodies', 'scan', 'curves', 'picture').join(' ')}`);
      const { takerOf } = await import('./taker.ts');
      const taker = takerOf(file.name);
      if (!taker) throw new Error('no tool takes this kind of file');
      const work = upload(file, taker.megabytes, setShare);
      cancel.current = work.cancel;
      const hash = await work.hash;
      const name = file.name.replace(/\.[^.]*$/, '').slice(0, 120) || 'Import';
      const step = { id: 'import1', tool: taker.tool, version: taker.version, name, params: { [taker.param]: hash } };
      const { id } = await send('/api/models', 'POST', { name, recipe: { format: 'ample-skin-recipe', version: 1, name, steps: [step] } });
      router.push(`/model/${id}`);
    };
    bring().catch((e: Error) => setTrouble(`${file.name}: ${e.message}`));
  }, [file, router]);
  return (
    <Modal
      open
      title={trouble ? 'This file was not brought in' : `Bringing in ${file.name}`}
      cancelText={trouble ? 'Close' : 'Cancel'}
      okButtonProps={{ style: { display: 'none' } }}
      onCancel={() => {
        cancel.current?.();
        onDone();
      }}
    >
      {trouble ? <Alert type="error" title={trouble} /> : <Progress percent={Math.round(100 * share)} />}
    </Modal>
  );
}

function Delete({ id, name, onDone }: { id: string; name: string; onDone: () => void }) {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const remove = async () => {
    setBusy(true);
    try {
      await send(`/api/models/${id}`, 'DELETE');
      onDone();
    } catch (e) {
      setTrouble((e as Error).message);
      setBusy(false);
    }
  };
  return (
    <Modal
      open
      title={`Delete “${name}”?`}
      okText="Delete"
      okButtonProps={{ danger: true }}
      onOk={remove}
      onCancel={onDone}
      confirmLoading={busy}
    >
      The model and all its edits go. This cannot be undone.
      {trouble && <Alert type="error" title={trouble} style={{ marginTop: 10 }} />}
    </Modal>
  );
}
