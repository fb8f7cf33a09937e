'use client';
import dynamic from 'next/dynamic';

const Jobs = dynamic(() => import('./jobs.tsx').then((m) => m.JobsRoot), { ssr: false });

export function JobsLoader({ models }: { models: readonly { id: string; name: string }[] }) {
  return <Jobs models={models} />;
}
