'use client';
import { parseModel } from '@ample-skin/core/recipe';
import { App, Button, Input, Modal } from 'antd';
import { FilePlus2, FolderInput, Trash2 } from 'lucide-react';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useRef, useState } from 'react';
import type { ModelCard } from '../db/repository.ts';
import { Mark } from './mark.tsx';

async function send(url: string, method: string, body?: unknown): Promise<Record<string, string>> {
  const r = await fetch(url, {
    method,
    headers: body ? { 'content-type': 'application/json' } : undefined,
    body: body ? JSON.stringify(body) : undefined,
  });
  const data = await r.json().catch(() => ({}));
  if (!r.ok) throw new Error(data.message ?? 'The server did not answer');
  return data;
}

export function Home({ models }: { models: ModelCard[] }) {
  const router = useRouter();
  const { message, modal } = App.useApp();
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState('');
  const [busy, setBusy] = useState(false);
  const file = useRef<HTMLInputElement>(null);

  const create = async () => {
    setBusy(true);
    try {
      const { id } = await send('/api/models', 'POST', { name: name.trim() || 'New model' });
      router.push(`/model/${id}`);
    } catch (e) {
      message.error((e as Error).message);
      setBusy(false);
    }
  };
  const bring = async (f: File) => {
    setBusy(true);
    try {
      if (/\.json$/i.test(f.name)) {
        const r = parseModel(JSON.parse(await f.text()));
        if (!r.ok) throw new Error(`${f.name} is not a recipe: ${r.place}: ${r.message}`);
        const { id } = await send('/api/models', 'POST', { name: r.model.name, recipe: r.model });
        router.push(`/model/${id}`);
        return;
      }
      const { knownFiles, storeFile, takerOf } = await import('./files.ts');
      const taker = takerOf(f.name);
      if (!taker) throw new Error(`${f.name} cannot be brought in; known are .json ${knownFiles().join(' ')}`);
      const hash = await storeFile(f, taker.megabytes);
      const title = f.name.replace(/\.[^.]*$/, '');
      const { id } = await send('/api/models', 'POST', {
        name: title,
        recipe: {
          format: 'ample-skin-recipe',
          version: 1,
          name: title,
          steps: [{ id: 'import1', tool: taker.tool, name: title, params: { [taker.param]: hash } }],
        },
      });
      router.push(`/model/${id}`);
    } catch (e) {
      message.error((e as Error).message);
      setBusy(false);
    }
  };
  const demo = models.filter((m) => m.demo);
  const own = models.filter((m) => !m.demo);
  const card = (m: ModelCard) => (
    <div className="card" key={m.id}>
      <Link href={`/model/${m.id}`} aria-label={`Open ${m.name}`}>
        <div className="card-picture">
          {m.hasPicture ? <img src={`/api/models/${m.id}/picture?r=${m.revision}`} alt="" /> : <Mark size={44} />}
        </div>
        <div className="card-body">
          <div className="card-title">{m.name}</div>
          <div className="card-facts">
            <span>{m.steps === 1 ? '1 step' : `${m.steps} steps`}</span>
            {m.summary.pieces ? <span>{m.summary.pieces === 1 ? '1 piece' : `${m.summary.pieces} pieces`}</span> : null}
            {m.summary.state ? (
              <span style={{ color: m.summary.state === 'watertight' ? 'var(--loden)' : 'var(--rust)' }}>{m.summary.state}</span>
            ) : null}
            {m.summary.seams ? <span>{m.summary.seams}</span> : null}
          </div>
        </div>
      </Link>
      <div className="card-tools">
        <button
          type="button"
          className="iconbtn"
          aria-label={`Delete ${m.name}`}
          onClick={() =>
            modal.confirm({
              title: `Delete “${m.name}”?`,
              content: 'The model and all its edits go. This cannot be undone.',
              okText: 'Delete',
              okButtonProps: { danger: true },
              onOk: async () => {
                await send(`/api/models/${m.id}`, 'DELETE').catch((e: Error) => message.error(e.message));
                router.refresh();
              },
            })
          }
        >
          <Trash2 size={15} />
        </button>
      </div>
    </div>
  );
  return (
    <main
      className="home"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        const f = e.dataTransfer.files[0];
        if (f) void bring(f);
      }}
    >
      <div className="home-head">
        <Mark size={34} />
        <h1>Ample Skin</h1>
      </div>
      <p className="home-lead">
        Curves become skins, skins are knitted, every seam is measured, and a closed skin becomes a solid that can be made.
      </p>
      <div className="home-actions">
        <Button type="primary" icon={<FilePlus2 size={15} />} onClick={() => setNaming(true)} loading={busy}>
          New model
        </Button>
        <Button icon={<FolderInput size={15} />} onClick={() => file.current?.click()} disabled={busy}>
          Import a file
        </Button>
        <span className="soft">STEP, IGES, meshes, SVG, DXF, pictures or a recipe; or drop it here</span>
        <input
          ref={file}
          type="file"
          hidden
          onChange={(e) => {
            const f = e.target.files?.[0];
            e.target.value = '';
            if (f) void bring(f);
          }}
        />
      </div>
      {own.length > 0 && <h2>Your models</h2>}
      <div className="cards">{own.map(card)}</div>
      {demo.length > 0 && <h2>Demo models of Fernhollow Works</h2>}
      <div className="cards">{demo.map(card)}</div>
      {models.length === 0 && <p className="soft">Nothing here yet. Make a new model, or drop a STEP file on this page.</p>}
      <Modal
        title="New model"
        open={naming}
        okText="Create"
        onOk={create}
        onCancel={() => setNaming(false)}
        confirmLoading={busy}
        destroyOnHidden
      >
        <Input
          autoFocus
          placeholder="Name"
          value={name}
          maxLength={200}
          onChange={(e) => setName(e.target.value)}
          onPressEnter={create}
          aria-label="Name of the model"
        />
      </Modal>
    </main>
  );
}
