declare module 'polylabel' {
  /** Pole of inaccessibility of a polygon with holes, with its distance from the border. */
  export default function polylabel(polygon: [number, number][][], precision?: number): [number, number] & { distance: number };
}
