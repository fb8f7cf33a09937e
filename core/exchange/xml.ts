export interface Tag {
  readonly name: string;
  readonly open: boolean;
  readonly close: boolean;
  readonly attributes: Readonly<Record<string, string>>;
}
/** Tags of an XML text in order; comments, declarations and text between tags are passed over. */
export function* tagsOf(text: string): Generator<Tag> {
  const tag = /<!--[\s\S]*?-->|<!\[CDATA\[[\s\S]*?\]\]>|<[?!][^>]*>|<(\/?)([\w:.-]+)((?:\s+[\w:.-]+\s*=\s*(?:"[^"]*"|'[^']*'))*)\s*(\/?)>/g;
  for (const m of text.matchAll(tag)) {
    if (!m[2]) continue;
    const attributes: Record<string, string> = {};
    for (const a of m[3].matchAll(/([\w:.-]+)\s*=\s*(?:"([^"]*)"|'([^']*)')/g)) attributes[a[1]] = a[2] ?? a[3] ?? '';
    yield { name: m[2].replace(/^.*:/, ''), open: m[1] !== '/', close: m[1] === '/' || m[4] === '/', attributes };
  }
}
