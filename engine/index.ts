export type { CageView } from './cage-display.ts';
export * from './comparing.ts';
export * from './display.ts';
export * from './kernel-host.ts';
export * from './map-view.ts';
export * from './section-view.ts';
export * from './session.ts';
