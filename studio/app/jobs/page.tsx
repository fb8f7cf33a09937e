import { database } from '../../db/client.ts';
import { listModels } from '../../db/repository.ts';
import { JobsLoader } from '../../ui/jobs-loader.tsx';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Jobs · Ample Skin' };

export default async function Page() {
  const { db } = await database();
  return <JobsLoader models={(await listModels(db)).map(({ id, name }) => ({ id, name }))} />;
}
