export * from './check.ts';
export * from './defects.ts';
export * from './seams.ts';
