import { endingOf } from '@ample-skin/core/exchange/formats';
import { metaOf } from '@ample-skin/core/recipe/define';
import { TOOLS } from '@ample-skin/core/tools';
import type { z } from 'zod';

/** Tool and parameter that take a file of this name: read from the tools' own definitions. */
export function takerOf(name: string): { tool: string; version: number; param: string; megabytes?: number } | undefined {
  for (const t of TOOLS.values())
    for (const [key, field] of Object.entries(t.params.shape as Record<string, z.ZodType>)) {
      const meta = metaOf(field);
      if (meta.files?.includes(endingOf(name))) return { tool: t.id, version: t.version, param: key, megabytes: meta.megabytes };
    }
  return undefined;
}
