export * from './cut.ts';
export * from './cutters.ts';
export * from './regions.ts';
