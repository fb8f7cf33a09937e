// Who may ask, checked before anything else is done: at the door of the server, and again in each handler.

/** Names under which this server is its own: where it listens, the loopback names, and those given in AMPLE_HOSTS (comma between them). */
export function ownHosts({ host, port }) {
  const given = (process.env.AMPLE_HOSTS ?? '')
    .split(',')
    .map((h) => h.trim().toLowerCase())
    .filter(Boolean);
  const names = ['127.0.0.1', 'localhost', '[::1]', ...(host && host !== '0.0.0.0' && host !== '::' ? [host.toLowerCase()] : []), ...given];
  return new Set(names.flatMap((n) => [n, `${n}:${port}`]));
}

/**
 * Why a request is turned away, or undefined. A page of another origin in the same browser must neither change nor read anything, and a
 * foreign name that points to this machine is not this server. `header` gives a header by its small name.
 */
export function refusal(request, server) {
  const host = String(request.header('host') ?? '').toLowerCase();
  // with a token anyone who knows it may come under any name
  const named = process.env.AMPLE_TOKEN && !process.env.AMPLE_HOSTS ? true : ownHosts(server).has(host);
  if (!named)
    return {
      status: 421,
      message: `This server is not called "${host.slice(0, 80)}". Open it by its own address, or name it in AMPLE_HOSTS`,
    };
  const site = request.header('sec-fetch-site');
  const api = request.url.startsWith('/api/');
  if (site && site !== 'same-origin' && site !== 'none') {
    // a link from elsewhere may open a page; it may not reach data
    const navigation = request.method === 'GET' && request.header('sec-fetch-mode') === 'navigate' && !api;
    if (!navigation) return { status: 403, message: 'Requests from other sites are refused' };
  }
  const origin = request.header('origin');
  if (origin && origin !== 'null') {
    let from = '';
    try {
      from = new URL(origin).host.toLowerCase();
    } catch {
      from = '?';
    }
    if (from !== host) return { status: 403, message: 'Requests from other origins are refused' };
  } else if (origin === 'null') return { status: 403, message: 'Requests from other origins are refused' };
  const writes = request.method !== 'GET' && request.method !== 'HEAD';
  if (writes && api) {
    const type = String(request.header('content-type') ?? '')
      .split(';')[0]
      .trim()
      .toLowerCase();
    const wanted =
      request.method === 'DELETE'
        ? undefined
        : /\/assets(\?|$)/.test(request.url)
          ? 'application/octet-stream'
          : /\/picture(\?|$)/.test(request.url)
            ? 'multipart/form-data'
            : 'application/json';
    if (wanted && type !== wanted) return { status: 415, message: `This needs the content type ${wanted}` };
  }
  return undefined;
}
