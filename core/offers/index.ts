export * from './candidates.ts';
export * from './try-offers.ts';
