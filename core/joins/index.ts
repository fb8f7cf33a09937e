export * from './cut.ts';
export * from './cutters.ts';
export * from './hollow.ts';
export * from './imprint.ts';
export * from './inside-body.ts';
export * from './knit.ts';
export * from './regions.ts';
export * from './split.ts';
