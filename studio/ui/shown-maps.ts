import type { ModelMap } from '@ample-skin/core/recipe';
import type { MapView } from '@ample-skin/engine';
import { DEFAULT_MAP } from '../state/maps.ts';
import { useSettings } from '../state/settings.ts';
import { useStudio } from '../state/state.ts';

/** How far two shapes lie apart: the ends of the colours hold all but a hundredth of the area. */
const APART: ModelMap = { kind: 'distance', beyond: 0.01, bands: 0 };
/** The maps that are in view: those of a comparison while there is one, else the model's own. */
export function useShownMaps(): { readonly maps: ReadonlyMap<string, MapView>; readonly map: ModelMap; readonly on: boolean } {
  const maps = useStudio((s) => s.compare?.maps ?? s.maps);
  const map = useStudio((s) => (s.compare ? APART : (s.model.map ?? DEFAULT_MAP)));
  const comparing = useStudio((s) => !!s.compare);
  const compared = useStudio((s) => !!s.compare?.maps.size);
  const look = useSettings((s) => s.look);
  const wanted = useStudio((s) => Object.values(s.model.pieces).some((p) => p.look === 'map'));
  return { maps, map, on: comparing ? compared : look === 'map' || wanted };
}
