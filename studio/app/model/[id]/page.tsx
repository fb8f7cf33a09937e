import { notFound } from 'next/navigation';
import { database } from '../../../db/client.ts';
import { loadModel } from '../../../db/repository.ts';
import { StudioLoader } from '../../../ui/studio-loader.tsx';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  const { db } = await database();
  const m = await loadModel(db, (await params).id);
  if (!m) notFound();
  return <StudioLoader loaded={m} />;
}
