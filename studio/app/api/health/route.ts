import { database } from '../../../db/client.ts';
import { fine, guarded } from '../respond.ts';

export const dynamic = 'force-dynamic';
export const GET = () =>
  guarded(async () => {
    await database();
    return fine({ ok: true });
  });
