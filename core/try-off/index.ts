export * from './keep.ts';
export * from './measure.ts';
export * from './methods.ts';
export * from './sides.ts';
export * from './try-off.ts';
