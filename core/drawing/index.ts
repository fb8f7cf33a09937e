export * from './hidden-lines.ts';
export * from './sheet.ts';
