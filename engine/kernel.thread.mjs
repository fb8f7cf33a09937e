// Entry of the Node kernel thread: TypeScript is registered first, because a thread does not inherit the loader.
import { register } from 'tsx/esm/api';

register();
await import('./kernel.thread.ts');
