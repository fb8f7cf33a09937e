export * from './cage.ts';
export * from './limit.ts';
export * from './shape.ts';
export * from './subdivide.ts';
