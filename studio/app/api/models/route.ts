import { parseModel } from '@ample-skin/core/recipe';
import { z } from 'zod';
import { database } from '../../../db/client.ts';
import { createModel, listModels } from '../../../db/repository.ts';
import { fine, guarded, problem } from '../respond.ts';

export const dynamic = 'force-dynamic';
const body = z.object({ name: z.string().trim().min(1).max(200), recipe: z.unknown().optional() });

export const GET = () => guarded(async () => fine(await listModels((await database()).db)));
export const POST = (request: Request) =>
  guarded(async () => {
    const r = body.safeParse(await request.json().catch(() => undefined));
    if (!r.success) return problem(400, 'A model needs a name');
    let recipe: ReturnType<typeof parseModel> | undefined;
    if (r.data.recipe !== undefined) {
      recipe = parseModel(r.data.recipe);
      if (!recipe.ok) return problem(400, `This is not a recipe: ${recipe.place}: ${recipe.message}`);
    }
    const id = await createModel((await database()).db, r.data.name, recipe?.ok ? recipe.model : undefined);
    return fine({ id }, 201);
  });
