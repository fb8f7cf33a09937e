'use client';
import dynamic from 'next/dynamic';
import { useRouter } from 'next/navigation';
import { useEffect, useRef, useState } from 'react';

export type HomeDialog =
  | { readonly kind: 'new' }
  | { readonly kind: 'file'; readonly file: File }
  | { readonly kind: 'delete'; readonly id: string; readonly name: string };
// dialogs and the component library come with the first of them
const HomeDialogs = dynamic(() => import('./home-dialogs.tsx').then((m) => m.HomeDialogs), { ssr: false });

/** New model, import, and files dropped anywhere on the page. */
export function HomeActions() {
  const [dialog, setDialog] = useState<HomeDialog>();
  const input = useRef<HTMLInputElement>(null);
  const take = (file: File | undefined) => file && setDialog({ kind: 'file', file });
  useEffect(() => {
    const over = (e: DragEvent) => e.preventDefault();
    const drop = (e: DragEvent) => {
      e.preventDefault();
      take(e.dataTransfer?.files[0]);
    };
    window.addEventListener('dragover', over);
    window.addEventListener('drop', drop);
    return () => {
      window.removeEventListener('dragover', over);
      window.removeEventListener('drop', drop);
    };
  }, []);
  return (
    <div className="home-actions">
      <button type="button" className="btn primary" onClick={() => setDialog({ kind: 'new' })}>
        New model
      </button>
      <button type="button" className="btn" onClick={() => input.current?.click()}>
        Import a file
      </button>
      <span className="soft">STEP, IGES, meshes, SVG, DXF, pictures or a recipe; or drop it here</span>
      <input
        ref={input}
        type="file"
        hidden
        aria-label="File to import"
        onChange={(e) => {
          const f = e.target.files?.[0];
          e.target.value = '';
          take(f);
        }}
      />
      {dialog && <HomeDialogs dialog={dialog} onDone={() => setDialog(undefined)} />}
    </div>
  );
}

export function CardTools({ id, name }: { id: string; name: string }) {
  const router = useRouter();
  const [open, setOpen] = useState(false);
  return (
    <div className="card-tools">
      <button type="button" className="btn" aria-label={`Delete ${name}`} title="Delete" onClick={() => setOpen(true)}>
        ×
      </button>
      {open && (
        <HomeDialogs
          dialog={{ kind: 'delete', id, name }}
          onDone={() => {
            setOpen(false);
            router.refresh();
          }}
        />
      )}
    </div>
  );
}
