/** Kinds of files that papers are written as. */
export const PAPER_FORMATS = [
  { value: 'svg', label: 'SVG' },
  { value: 'dxf', label: 'DXF' },
  { value: 'pdf', label: 'PDF' },
] as const;
export type PaperFormat = (typeof PAPER_FORMATS)[number]['value'];
