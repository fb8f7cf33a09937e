import { crossingLoops } from '../curves/index.ts';
import type { NurbsCurve } from '../nurbs/index.ts';
import type { Diagnostic } from './tool.ts';

/** A warning with places when chains of a profile cross each other: the walls over them run through each other. */
export function crossingNotes(chains: readonly (readonly NurbsCurve[])[]): Diagnostic[] {
  const place = chains.length > 1 && chains.length <= 60 ? crossingLoops(chains) : [];
  return place.length
    ? [
        {
          severity: 'warning',
          code: 'profile-crosses',
          message: 'Curves of the profile cross each other: the walls run through each other there. Trim them, or take one step for each',
          place,
        },
      ]
    : [];
}
