export * from './cut.ts';
export * from './cutters.ts';
export * from './hollow.ts';
export * from './regions.ts';
