'use client';
import type { LoadedModel } from '../state/document.ts';
import { Providers } from './providers.tsx';
import { Studio } from './studio.tsx';

export function StudioRoot({ loaded }: { loaded: LoadedModel }) {
  return (
    <Providers>
      <Studio loaded={loaded} />
    </Providers>
  );
}
