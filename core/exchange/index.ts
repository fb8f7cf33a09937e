export * from './dxf.ts';
export * from './picture.ts';
export * from './step.ts';
export * from './stl.ts';
export * from './svg.ts';
export * from './write-curves.ts';
