export * from './cutters.ts';
export * from './regions.ts';
