export * from './body.ts';
export * from './build.ts';
export * from './chart.ts';
export * from './gate.ts';
export * from './mass.ts';
export * from './mesh.ts';
export * from './port.ts';
export * from './service.ts';
