export * from './cut-face.ts';
export * from './cut-sheets.ts';
export * from './frame.ts';
export * from './nest.ts';
export * from './paper.ts';
export * from './region.ts';
export * from './slices.ts';
export * from './written.ts';
