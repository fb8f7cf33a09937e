import { TOPICS, type Topic } from '@ample-skin/core/help/topics';
import { metaOf, STAGES, type Tool } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Button, Input, Modal } from 'antd';
import Fuse from 'fuse.js';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { z } from 'zod';
import { setStudio, startTool, useStudio } from '../state/store.ts';
import { beginTour } from '../state/tour-run.ts';
import { ToolIcon } from './tool-icon.tsx';

type Page = {
  readonly id: string;
  readonly title: string;
  readonly synonyms: readonly string[];
  readonly words: string;
  readonly tool?: Tool;
  readonly topic?: Topic;
};
const PAGES: readonly Page[] = [
  ...TOPICS.map((topic): Page => ({ id: topic.id, title: topic.title, synonyms: topic.synonyms, words: topic.text.join(' '), topic })),
  ...STAGES.flatMap((s) =>
    [...TOOLS.values()]
      .filter((t) => t.stage === s.id)
      .map(
        (tool): Page => ({
          id: `tool ${tool.id}`,
          title: tool.label,
          synonyms: tool.synonyms ?? [],
          words: [tool.hint, ...(tool.mistakes ?? [])].join(' '),
          tool,
        }),
      ),
  ),
];
const fuse = new Fuse(PAGES, {
  threshold: 0.32,
  ignoreLocation: true,
  keys: [
    { name: 'title', weight: 4 },
    { name: 'synonyms', weight: 3 },
    { name: 'words', weight: 1 },
  ],
});
const close = () => setStudio({ dialog: undefined, helpAt: undefined });

/** Every tool in one line and one picture, with what goes wrong; and what there is besides the tools. All in the application, found by typing. */
export function HelpPanel() {
  const at = useStudio((s) => s.helpAt);
  const [text, setText] = useState('');
  const found = useMemo(
    () =>
      text.trim()
        ? fuse
            .search(text.trim())
            .map((r) => r.item)
            .slice(0, 40)
        : PAGES,
    [text],
  );
  const page = found.find((p) => p.id === at) ?? (text.trim() ? found[0] : PAGES.find((p) => p.id === at)) ?? PAGES[0];
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => {
    list.current?.querySelector('[aria-current="page"]')?.scrollIntoView({ block: 'nearest' });
  }, [page]);
  const heading = (p: Page) => (p.tool ? STAGES.find((s) => s.id === p.tool?.stage)?.label : 'In general');
  return (
    <Modal open title="Help" footer={null} onCancel={close} width={880} className="helppanel">
      <div className="helpsplit">
        <nav aria-label="Pages of the help">
          <Input
            autoFocus
            allowClear
            aria-label="Search the help"
            placeholder="A tool, a word, what goes wrong"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="helplist" ref={list}>
            {found.map((p, i) => (
              <div key={p.id}>
                {!text.trim() && heading(p) !== (i ? heading(found[i - 1]) : '') && <h4>{heading(p)}</h4>}
                <Button
                  type="text"
                  size="small"
                  block
                  aria-current={p.id === page?.id ? 'page' : undefined}
                  onClick={() => setStudio({ helpAt: p.id })}
                >
                  {p.title}
                </Button>
              </div>
            ))}
            {!found.length && <p className="soft">Nothing by that word: try another, or a tool’s name</p>}
          </div>
        </nav>
        {page && (
          <article aria-label={page.title}>
            {page.tool ? <ToolPage tool={page.tool} /> : page.topic && <TopicPage topic={page.topic} />}
          </article>
        )}
      </div>
    </Modal>
  );
}
function TopicPage({ topic }: { topic: Topic }) {
  return (
    <>
      <h3>{topic.title}</h3>
      {topic.text.map((p) => (
        <p key={p}>{p}</p>
      ))}
      {topic.id === 'first-steps' && (
        <Button
          type="primary"
          onClick={() => {
            close();
            void beginTour();
          }}
        >
          Show me round
        </Button>
      )}
    </>
  );
}
function ToolPage({ tool }: { tool: Tool }) {
  const told = Object.values(tool.params.shape as Record<string, z.ZodType>)
    .map(metaOf)
    .filter((m) => m.control !== 'hidden' && m.hint);
  return (
    <>
      <h3>
        <ToolIcon tool={tool} /> {tool.label}
        <Button
          size="small"
          onClick={() => {
            close();
            startTool(tool.id);
          }}
        >
          Use it
        </Button>
      </h3>
      <p>{tool.hint}.</p>
      <img src={`/help/${tool.id}.svg`} alt={`What ${tool.label} makes of its example`} className="helppicture" />
      {Object.keys(tool.slots).length > 0 && (
        <>
          <h4>What is picked</h4>
          <dl>
            {Object.entries(tool.slots).map(([k, s]) => (
              <div key={k}>
                <dt>{s.label}</dt>
                <dd>{s.hint ?? (s.min ? 'needed' : 'may be empty')}</dd>
              </div>
            ))}
          </dl>
        </>
      )}
      {told.length > 0 && (
        <>
          <h4>What is set</h4>
          <dl>
            {told.map((m) => (
              <div key={m.label}>
                <dt>{m.label}</dt>
                <dd>{m.hint}</dd>
              </div>
            ))}
          </dl>
        </>
      )}
      <h4>What goes wrong</h4>
      <ul>
        {tool.mistakes?.map((m) => (
          <li key={m}>{m}</li>
        ))}
      </ul>
      {tool.synonyms && <p className="soft">Also found as: {tool.synonyms.join(', ')}</p>}
    </>
  );
}
