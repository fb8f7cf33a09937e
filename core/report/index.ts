export * from './gather.ts';
export * from './html.ts';
export * from './pdf.ts';
