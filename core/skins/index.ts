export * from './align.ts';
export * from './loft.ts';
export * from './raise.ts';
