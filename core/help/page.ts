import type { z } from 'zod';
import { metaOf, STAGES, type Tool } from '../recipe/index.ts';
import type { Topic } from './topics.ts';

const cell = (s: string): string => s.replace(/\|/g, '\\|').replace(/\n/g, ' ');
/** All tools for readers, by stage: one line, a picture, what is picked, what is set, the usual mistakes. */
export function toolsPage(tools: ReadonlyMap<string, Tool>): string {
  const out = [
    '# Tools',
    '',
    'By stage of the work. The pictures are made from each tool’s own example (`npm run help:write`): on the left what it is given, on the right what it makes.',
  ];
  for (const stage of STAGES) {
    const list = [...tools.values()].filter((t) => t.stage === stage.id).sort((a, b) => a.label.localeCompare(b.label));
    if (!list.length) continue;
    out.push('', `## ${stage.label}`);
    for (const t of list) {
      out.push('', `### ${t.label}`, '', `${t.hint}.`, '', `![${t.label}](../studio/public/help/${t.id}.svg)`);
      const slots = Object.values(t.slots);
      if (slots.length)
        out.push('', ...slots.map((s) => `- Picks **${s.label}**${s.min ? '' : ' (may be empty)'}${s.hint ? `: ${cell(s.hint)}` : ''}`));
      const told = Object.values(t.params.shape as Record<string, z.ZodType>)
        .map(metaOf)
        .filter((m) => m.control !== 'hidden' && m.hint);
      if (told.length) out.push(...(slots.length ? [] : ['']), ...told.map((m) => `- **${m.label}**: ${cell(m.hint ?? '')}`));
      if (t.mistakes?.length) out.push('', 'What goes wrong:', '', ...t.mistakes.map((m) => `- ${cell(m)}`));
      if (t.synonyms?.length) out.push('', `Also found as: ${t.synonyms.join(', ')}.`);
    }
  }
  return `${out.join('\n')}\n`;
}
/** What is explained besides the tools, as a page. */
export function guidePage(topics: readonly Topic[]): string {
  const out = ['# Guide', '', 'The same words stand in the window under Help (F1). All tools with a picture each: [tools.md](tools.md).'];
  for (const t of topics) {
    out.push('', `## ${t.title}`, ...t.text.flatMap((p) => ['', p]));
    if (t.shot) out.push('', `![${t.title}](screenshots/${t.shot})`);
  }
  return `${out.join('\n')}\n`;
}
