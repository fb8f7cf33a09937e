import { database } from '../db/client.ts';
import { listModels } from '../db/repository.ts';
import { Home } from '../ui/home.tsx';

export const dynamic = 'force-dynamic';

export default async function Page() {
  const { db } = await database();
  return <Home models={await listModels(db)} />;
}
