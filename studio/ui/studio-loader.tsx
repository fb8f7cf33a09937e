'use client';
import dynamic from 'next/dynamic';
import { useEffect } from 'react';
import type { LoadedModel } from '../state/document.ts';
import { engine } from '../state/engine-client.ts';

// the engine starts while the screen itself is still being loaded
if (typeof window !== 'undefined') engine.warm();

const Studio = dynamic(() => import('./studio-root.tsx').then((m) => m.StudioRoot), {
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
