export * from './align.ts';
export * from './loft.ts';
export * from './offset.ts';
export * from './patch.ts';
export * from './raise.ts';
