export * from './fillet.ts';
export type { FilletOptions, FilletSection, NoFillet } from './options.ts';
export * from './spine.ts';
export * from './survey.ts';
