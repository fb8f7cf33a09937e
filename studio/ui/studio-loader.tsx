'use client';
import dynamic from 'next/dynamic';
import { useEffect } from 'react';
import type { LoadedModel } from '../state/store.ts';

const Studio = dynamic(() => import('./studio.tsx').then((m) => m.Studio), {
  ssr: false,
  loading: () => (
    <div className="emptyview">
      <div>
        <strong>Opening…</strong>
      </div>
    </div>
  ),
});

export function StudioLoader({ loaded }: { loaded: LoadedModel & { name: string } }) {
  useEffect(() => {
    document.title = `${loaded.name} · Ample Skin`;
  }, [loaded.name]);
  return <Studio loaded={loaded} />;
}
