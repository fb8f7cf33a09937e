export * from './align-parts.ts';
export * from './let-go.ts';
export * from './repair.ts';
export * from './tiny-edges.ts';
