import { metaOf } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Empty, Input, Modal } from 'antd';
import Fuse from 'fuse.js';
import { useMemo, useState } from 'react';
import type { z } from 'zod';
import { COMMANDS, keyOf, keyText, notify, openStep, pickAt, setStudio, startTool, useSettings, useStudio } from '../state/store.ts';
import { pickName, stepName } from './names.ts';

interface Entry {
  readonly label: string;
  readonly kind: string;
  readonly note: string;
  /** Other words: synonyms, and what stands in its fields. */
  readonly words: string;
  readonly act: () => void;
}

/** Newer browsers give a promise back: nothing of it is handed on. */
const intoView = (el: HTMLElement | null): void => {
  el?.scrollIntoView({ block: 'nearest' });
};
/** Every tool, step, piece, dial and setting, by typing; small slips are forgiven. */
export function FindPanel() {
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const model = useStudio((s) => s.model);
  const pieces = useStudio((s) => s.pieces);
  const own = useSettings((s) => s.keys);
  const asks = useStudio((s) => !!s.slot);
  const entries = useMemo<Entry[]>(
    () => [
      ...[...TOOLS.values()].map((t) => {
        const fields = Object.values(t.params.shape as Record<string, z.ZodType>).map(metaOf);
        const words = [
          ...(t.synonyms ?? []),
          ...(t.mistakes ?? []),
          ...Object.values(t.slots).map((s) => s.label),
          ...fields.flatMap((m) => [m.label, ...(m.options ?? []).map((o) => o.label)]),
        ];
        return { label: t.label, kind: 'tool', note: t.hint, words: words.join(' '), act: () => startTool(t.id) };
      }),
      ...COMMANDS.map((c) => ({
        label: c.label,
        kind: c.group === 'Stages' ? 'stage' : 'command',
        note: keyOf(c, own) ? `key ${keyText(keyOf(c, own))}` : '',
        words: c.group,
        act: c.run,
      })),
      ...model.steps.map((s, i) => ({
        label: stepName(s),
        kind: 'step',
        note: `step ${i + 1}`,
        words: TOOLS.get(s.tool)?.label ?? '',
        act: () => openStep(s.id),
      })),
      ...[...pieces.values()]
        .filter((p) => p.live)
        .map((p) => ({
          label: pickName(p),
          kind: 'piece',
          note: p.kind,
          words: '',
          // for the slot that asks, else selected
          act: () => {
            const filled = pickAt({ step: p.step, output: p.output }, false);
            if (filled === 'selected') setStudio({ right: 'pieces' });
            if (filled === 'unfit') notify('warning', `${pickName({ step: p.step, output: p.output })} does not fit what is asked for`);
          },
        })),
      ...model.dials.map((d) => ({
        label: d.name,
        kind: 'dial',
        note: d.formula,
        words: d.note ?? '',
        act: () => setStudio({ right: 'dials' }),
      })),
    ],
    [model, pieces, own],
  );
  const fuse = useMemo(
    () =>
      new Fuse(entries, {
        threshold: 0.34,
        ignoreLocation: true,
        keys: [
          { name: 'label', weight: 4 },
          { name: 'words', weight: 1.5 },
          { name: 'note', weight: 1 },
        ],
      }),
    [entries],
  );
  const found = text.trim()
    ? fuse
        .search(text.trim())
        // of what is called alike, the piece comes first while a slot asks for one
        .sort(
          (a, b) => (a.score ?? 1) - (b.score ?? 1) || Number(asks) * (Number(b.item.kind === 'piece') - Number(a.item.kind === 'piece')),
        )
        .map((r) => r.item)
        .slice(0, 40)
    : entries.filter((e) => e.kind === 'tool').slice(0, 40);
  const close = () => setStudio({ dialog: undefined });
  const run = (e?: Entry) => {
    close();
    e?.act();
  };
  return (
    <Modal
      open
      footer={null}
      closable={false}
      onCancel={close}
      width={560}
      className="findpanel"
      aria-label="Find"
      transitionName=""
      maskTransitionName=""
    >
      <Input
        autoFocus
        variant="borderless"
        size="large"
        placeholder="Tool, step, piece, dial or setting"
        aria-label="Find"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
            e.preventDefault();
            setAt(Math.min(found.length - 1, Math.max(0, at + (e.key === 'ArrowDown' ? 1 : -1))));
          }
          if (e.key === 'Enter') {
            e.preventDefault();
            e.stopPropagation();
            run(found[at]);
          }
        }}
      />
      <div className="findlist" role="listbox" aria-label="Found">
        {found.map((e, i) => (
          <div
            className="entry"
            role="option"
            tabIndex={-1}
            key={`${e.kind}${e.label}${i}`}
            aria-selected={i === at}
            ref={i === at ? intoView : undefined}
            onClick={() => run(e)}
            onMouseEnter={() => setAt(i)}
          >
            <b>{e.label}</b>
            <small>{e.note}</small>
            <span className="soft mono">{e.kind}</span>
          </div>
        ))}
        {!found.length && <Empty image={false} description="Nothing by that name" />}
      </div>
    </Modal>
  );
}
