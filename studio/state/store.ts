/** One door to the state of the modelling screen. */
export * from './commands.ts';
export * from './compute.ts';
export * from './document.ts';
export * from './draft.ts';
export { engine } from './engine-client.ts';
export * from './maps.ts';
export * from './sections.ts';
export * from './selection.ts';
export * from './settings.ts';
export * from './state.ts';
export * from './trial.ts';
export * from './view-link.ts';
