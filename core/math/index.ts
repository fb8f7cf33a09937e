export * from './frame.ts';
export * from './law.ts';
export * from './monotone.ts';
export * from './root.ts';
export * from './solve.ts';
export * from './tolerance.ts';
export * from './units.ts';
export * from './vector.ts';
