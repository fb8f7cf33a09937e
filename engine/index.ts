export * from './display.ts';
export * from './kernel-host.ts';
export * from './session.ts';
