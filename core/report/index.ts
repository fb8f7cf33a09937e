export * from './compare-recipes.ts';
export * from './compare-shapes.ts';
export * from './gather.ts';
export * from './html.ts';
export * from './pdf.ts';
export * from './seen-parts.ts';
export * from './sweep.ts';
export * from './sweep-rows.ts';
