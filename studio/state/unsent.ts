import { createStore, del, get, keys, set } from 'idb-keyval';
import type { PendingEdit } from './save-queue.ts';

/** Edits of one window that the server does not have yet. */
export interface Unsent {
  readonly clientId: string;
  readonly edits: readonly PendingEdit[];
}
/** Where unsent edits are kept, one entry a window: a window never overwrites what another one left. */
export interface UnsentStore {
  put(modelId: string, unsent: Unsent): Promise<void>;
  drop(modelId: string, clientId: string): Promise<void>;
  /** Takes what closed windows left behind: each entry is given to one window only. */
  takeLeft(modelId: string): Promise<Unsent[]>;
}

const WINDOW = 'ample-window-';
/** In the browser's own database; a window shows that it lives by a lock that the browser takes back when the window goes. */
export function browserStore(clientId: string): UnsentStore {
  const store = createStore('ample-skin', 'unsent');
  const keyOf = (modelId: string, client: string) => `${modelId}/${client}`;
  void navigator.locks?.request(WINDOW + clientId, () => new Promise(() => undefined));
  return {
    put: (modelId, u) => set(keyOf(modelId, u.clientId), u, store),
    drop: (modelId, client) => del(keyOf(modelId, client), store),
    async takeLeft(modelId) {
      const take = async (): Promise<Unsent[]> => {
        const held = new Set((await navigator.locks?.query())?.held?.map((l) => l.name) ?? []);
        const out: Unsent[] = [];
        for (const k of (await keys<string>(store)).filter((x) => x.startsWith(`${modelId}/`))) {
          const u = await get<Unsent>(k, store);
          if (!u || u.clientId === clientId || held.has(WINDOW + u.clientId)) continue;
          await del(k, store);
          out.push(u);
        }
        return out;
      };
      return navigator.locks ? navigator.locks.request(`ample-take-${modelId}`, take) : take();
    },
  };
}
