export * from './curves.ts';
export * from './model.ts';
export * from './pin.ts';
export * from './solve.ts';
