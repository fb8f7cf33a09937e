export * from './align.ts';
export * from './loft.ts';
