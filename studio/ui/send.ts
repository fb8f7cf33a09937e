/** What the server has at an address. */
export const get = async <T>(url: string): Promise<T> => (await send(url, 'GET')) as unknown as T;
/** Asks the server; an answer that is no success becomes an error with its message. */
export async function send(url: string, method: string, body?: unknown): Promise<Record<string, string>> {
  const r = await fetch(url, {
    method,
    headers: body ? { 'content-type': 'application/json' } : undefined,
    body: body ? JSON.stringify(body) : undefined,
  }).catch(() => {
    throw new Error('The server does not answer; try again in a moment');
  });
  const data = await r.json().catch(() => ({}));
  if (!r.ok) throw new Error(data.message ?? `The server answers ${r.status}`);
  return data;
}
