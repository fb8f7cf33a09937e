import { openDatabase } from './client.ts';
import { setUp } from './setup.ts';

/** Own process before the server starts: creates, migrates and fills the database, then lets go of it. */
const open = await openDatabase();
await setUp(open);
await open.close();
