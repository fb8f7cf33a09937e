/** Sends a file to the store. Its address comes when it is all there; `share` tells how far it is. */
export function upload(f: File, megabytes?: number, share?: (s: number) => void): { hash: Promise<string>; cancel: () => void } {
  const r = new XMLHttpRequest();
  const hash = new Promise<string>((resolve, reject) => {
    if (megabytes && f.size > megabytes * 2 ** 20) {
      reject(new Error(`it has ${(f.size / 2 ** 20).toFixed(1)} MB; at most ${megabytes} MB can be used here: save it smaller`));
      return;
    }
    r.open('POST', `/api/assets?name=${encodeURIComponent(f.name)}`);
    r.setRequestHeader('content-type', 'application/octet-stream');
    r.upload.onprogress = (e) => share?.(e.lengthComputable ? e.loaded / e.total : 0);
    r.onerror = () => reject(new Error('the server does not answer; try again in a moment'));
    r.onabort = () => reject(new Error('it was cancelled'));
    r.onload = () => {
      let data: { hash?: string; message?: string } = {};
      try {
        data = JSON.parse(r.responseText);
      } catch {
        // an answer that is no text of ours: its status says enough
      }
      if (r.status < 300 && data.hash) resolve(data.hash);
      else reject(new Error(data.message ?? `the server answers ${r.status}`));
    };
    r.send(f);
  });
  return { hash, cancel: () => r.abort() };
}
