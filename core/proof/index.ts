export * from './across-seam.ts';
export * from './against.ts';
export * from './check.ts';
export * from './comb.ts';
export * from './defects.ts';
export * from './facts.ts';
export * from './grades.ts';
export * from './seams.ts';
