'use client';
import dynamic from 'next/dynamic';
import { useEffect } from 'react';
import { engine } from '../state/engine-client.ts';
import type { LoadedModel } from '../state/store.ts';

// the engine starts while the screen itself is still being loaded
if (typeof window !== 'undefined') engine.warm();

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
