import { parseModel } from '@ample-skin/core/recipe';
import { z } from 'zod';
import { database } from '../../../db/client.ts';
import { createModel, listModels } from '../../../db/repository.ts';
import { BadRequest, fine, guarded, jsonOf } from '../respond.ts';

export const dynamic = 'force-dynamic';
const body = z.object({ name: z.string().trim().min(1, 'a model needs a name').max(200), recipe: z.unknown().optional() });

export const GET = (request: Request) => guarded(request, async () => fine(await listModels((await database()).db)));
export const POST = (request: Request) =>
  guarded(request, async () => {
    const { name, recipe } = await jsonOf(request, body);
    const parsed = recipe === undefined ? undefined : parseModel(recipe);
    if (parsed && !parsed.ok) throw new BadRequest(`This is not a recipe: ${parsed.place}: ${parsed.message}`);
    return fine({ id: await createModel((await database()).db, name, parsed?.ok ? parsed.model : undefined) }, 201);
  });
