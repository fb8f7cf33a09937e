export * from './step.ts';
export * from './stl.ts';
