import { runWorker } from './worker.ts';

const url = process.env.DATABASE_URL;
if (!url) {
  console.error(
    'A worker takes its work from a PostgreSQL server: set DATABASE_URL to its address, the same as for the server of the pages.\nWithout one the server does heavy work by itself.',
  );
  process.exit(2);
}
const stop = await runWorker(url);
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.once(signal, () => {
    console.log('finishing what is in hand…');
    void stop().then(() => process.exit(0));
  });
