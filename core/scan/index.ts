export * from './fit.ts';
export * from './recognise.ts';
export * from './region.ts';
