import { database } from '../../../db/client.ts';
import { fine, guarded } from '../respond.ts';

export const dynamic = 'force-dynamic';
export const GET = (request: Request) =>
  guarded(request, async () => {
    await database();
    return fine({ ok: true });
  });
