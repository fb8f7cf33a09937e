export * from './closest.ts';
export * from './curve.ts';
export * from './fit.ts';
export * from './fit-surface.ts';
export * from './grid.ts';
export * from './make.ts';
export * from './spline.ts';
export * from './surface.ts';
