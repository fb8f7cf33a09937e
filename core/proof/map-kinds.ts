export interface MapLook {
  readonly label: string;
  readonly unit: string;
  /** Both signs mean something: colours have a middle at nothing. */
  readonly signed: boolean;
  /** Coloured by one over the value, which is nothing where a surface is flat and the value without end. */
  readonly reciprocal?: boolean;
}
/** What may be shown on a skin as colours. */
export const MAPS = {
  gaussian: { label: 'Gaussian curvature', unit: '1/mm²', signed: true },
  mean: { label: 'Mean curvature', unit: '1/mm', signed: true },
  largest: { label: 'Largest curvature', unit: '1/mm', signed: true },
  smallest: { label: 'Smallest curvature', unit: '1/mm', signed: true },
  radius: { label: 'Smallest radius', unit: 'mm', signed: false, reciprocal: true },
  draft: { label: 'Draft', unit: '°', signed: true },
  ray: { label: 'Wall along the normal', unit: 'mm', signed: false },
  ball: { label: 'Wall by a rolling ball', unit: 'mm', signed: false },
  distance: { label: 'Distance', unit: 'mm', signed: true },
} as const satisfies Record<string, MapLook>;
export type MapKind = keyof typeof MAPS;
export const MAP_KINDS = Object.keys(MAPS) as [MapKind, ...MapKind[]];
export const mapLook = (kind: MapKind): MapLook => MAPS[kind];
