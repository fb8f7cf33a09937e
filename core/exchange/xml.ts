export interface Tag {
  readonly name: string;
  readonly open: boolean;
  readonly close: boolean;
  readonly attributes: Readonly<Record<string, string>>;
}
const NAMED: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };
/** Text with what stands for other characters put back; what is not known stays as it is. */
const plain = (s: string): string =>
  s.includes('&')
    ? s.replace(/&(?:#x([0-9a-fA-F]{1,6})|#(\d{1,7})|(amp|lt|gt|quot|apos));/g, (whole, hex?: string, number?: string, name?: string) => {
        const code = hex ? Number.parseInt(hex, 16) : Number(number);
        return name ? NAMED[name] : code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole;
      })
    : s;
const SPACE = /\s/;
const NAME = /[\w:.-]/;

/** Tags of an XML text in order; comments, declarations and text between tags are passed over. One walk through the text, whatever it holds. */
export function* tagsOf(text: string): Generator<Tag> {
  let i = 0;
  // where no further end of a comment (of declared text) is found, none is looked for again
  const last: Record<string, number> = { '-->': text.lastIndexOf('-->'), ']]>': text.lastIndexOf(']]>') };
  const skip = (ending: '-->' | ']]>', from: number): number => (from > last[ending] ? text.length : text.indexOf(ending, from) + 3);
  while (i < text.length) {
    const start = text.indexOf('<', i);
    if (start < 0) return;
    if (text.startsWith('<!--', start)) {
      i = skip('-->', start + 4);
      continue;
    }
    if (text.startsWith('<![CDATA[', start)) {
      i = skip(']]>', start + 9);
      continue;
    }
    if (text[start + 1] === '?' || text[start + 1] === '!') {
      const end = text.indexOf('>', start);
      if (end < 0) return;
      i = end + 1;
      continue;
    }
    i = start + 1;
    const leaving = text[i] === '/';
    if (leaving) i++;
    const from = i;
    while (i < text.length && NAME.test(text[i])) i++;
    const name = text.slice(from, i);
    if (!name) continue;
    const attributes: Record<string, string> = Object.create(null);
    let closed = false;
    for (;;) {
      while (i < text.length && SPACE.test(text[i])) i++;
      if (i >= text.length) return;
      if (text[i] === '>') {
        i++;
        break;
      }
      if (text[i] === '/') {
        closed = true;
        i++;
        continue;
      }
      const k = i;
      while (i < text.length && NAME.test(text[i])) i++;
      const key = text.slice(k, i);
      if (!key) {
        // something that is no attribute: the tag is left here
        if (text[i] === '<') break;
        i++;
        continue;
      }
      while (i < text.length && SPACE.test(text[i])) i++;
      if (text[i] !== '=') continue;
      i++;
      while (i < text.length && SPACE.test(text[i])) i++;
      const quote = text[i];
      if (quote !== '"' && quote !== "'") continue;
      const end = text.indexOf(quote, i + 1);
      if (end < 0) return;
      attributes[key] = plain(text.slice(i + 1, end));
      i = end + 1;
    }
    yield { name: name.replace(/^.*:/, ''), open: !leaving, close: leaving || closed, attributes };
  }
}
