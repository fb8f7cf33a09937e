import fc from 'fast-check';

/** Random tests draw the same cases in every run; `SEED=7 npx vitest run core` draws others. */
fc.configureGlobal({ seed: Number(process.env.SEED ?? 12_2026) });
