import type { PieceGroup } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { Button, ColorPicker, Empty, Select, Tree, type TreeDataNode } from 'antd';
import { ChevronDown, Eye, EyeOff, FolderPlus, Lock, LockOpen, Trash2 } from 'lucide-react';
import { useMemo, useState } from 'react';
import { bundle, lookChange, pickOf, removeGroup, setGroup, setLooks } from '../state/pieces.ts';
import { LOOKS, type Look } from '../state/settings.ts';
import { change, getStudio, openStep, pickAt, select, setStudio, standingOf, useStudio } from '../state/store.ts';
import { Field } from './fields.tsx';
import { pickName } from './names.ts';
import { TextField } from './text-field.tsx';
import { useMeasure } from './units.ts';

const KIND: Record<string, string> = {
  curve: 'Curves',
  point: 'Points',
  plane: 'Work planes',
  skin: 'Skins',
  solid: 'Solids',
  cage: 'Cages',
  scan: 'Scans',
  picture: 'Pictures',
};
const COLOUR: Record<string, string> = { curve: '#1e2a2e', skin: '#b5cdbd', solid: '#b5cdbd', cage: '#b5cdbd', scan: '#b9c2bd' };

/** Everything that stands for itself: groups with name, colour, visibility and lock; what came in together under its file; the rest by kind. */
export function Pieces() {
  const pieces = useStudio((s) => s.pieces);
  const model = useStudio((s) => s.model);
  const selection = useStudio((s) => s.selection);
  const live = useMemo(() => [...pieces.values()].filter((p) => p.live), [pieces]);
  const standing = standingOf();
  const chosen = live.filter((p) => selection.some((x) => !x.part && x.step === p.step && x.output === p.output));
  const [shut, setShut] = useState<readonly React.Key[]>([]);
  const groupOf = (p: PieceView) => standing(p.key).group?.id;

  const leaf = (p: PieceView, short?: string): TreeDataNode => ({
    key: p.key,
    title: <PieceRow piece={p} short={short} />,
    isLeaf: true,
    selectable: false,
  });
  const tree: TreeDataNode[] = [
    ...model.groups.map((g): TreeDataNode => {
      const members = live.filter((p) => groupOf(p) === g.id);
      return {
        key: `group:${g.id}`,
        title: <GroupRow group={g} members={members} />,
        children: members.map((p) => leaf(p)),
        selectable: false,
        className: 'groupnode',
      };
    }),
    ...Object.entries(KIND).flatMap(([kind, label]): TreeDataNode[] => {
      const mine = live.filter((p) => p.kind === kind && !groupOf(p));
      return mine.length
        ? [
            {
              key: `kind:${kind}`,
              title: <span className="kindname">{label}</span>,
              children: assembly(mine, kind, leaf),
              selectable: false,
              className: 'kindnode',
            },
          ]
        : [];
    }),
  ];
  const keys = tree.flatMap(function all(n): React.Key[] {
    return [n.key, ...(n.children ?? []).flatMap(all)];
  });
  // only what can be dragged is dropped on; a group that is dragged goes nowhere
  const takesDrops = (key: React.Key) => pieces.has(String(key)) || String(key).startsWith('group:');
  const onDrop = (dragged: React.Key, target: React.Key) => {
    const group = String(target).startsWith('group:') ? String(target).slice(6) : groupOf(live.find((p) => p.key === target) as PieceView);
    const picked = chosen.some((p) => p.key === dragged) ? chosen : live.filter((p) => p.key === dragged);
    const list = picked.filter((p) => groupOf(p) !== group);
    if (list.length) setLooks(group ? 'Put in group' : 'Take out of group', list, { group: group ?? '' });
  };
  if (!live.length && !model.groups.length) return <Empty className="pad" image={false} description="No pieces yet." />;
  return (
    <div className="pieces">
      <div className="piecetools">
        <Button
          size="small"
          icon={<FolderPlus size={14} />}
          onClick={() => bundle(chosen)}
          title="A named set of pieces: shown, coloured and locked together"
        >
          {chosen.length ? `Group ${chosen.length === 1 ? 'the selected piece' : `${chosen.length} pieces`}` : 'New group'}
        </Button>
      </div>
      <Tree
        blockNode
        showLine={false}
        switcherIcon={<ChevronDown size={13} />}
        treeData={tree}
        expandedKeys={keys.filter((k) => !shut.includes(k))}
        onExpand={(_, { node, expanded }) => setShut(expanded ? shut.filter((k) => k !== node.key) : [...shut, node.key])}
        draggable={{ icon: false, nodeDraggable: (n) => takesDrops(n.key) }}
        allowDrop={({ dropNode }) => takesDrops(dropNode.key)}
        onDrop={({ dragNode, node }) => onDrop(dragNode.key, node.key)}
      />
      {chosen.length > 0 && <Chosen pieces={chosen} />}
    </div>
  );
}

/** Pieces of one import stand under its name, in the tree of the file: names hold the way down to them with " / ". */
function assembly(list: readonly PieceView[], kind: string, leaf: (p: PieceView, short?: string) => TreeDataNode): TreeDataNode[] {
  const bySteps = new Map<string, PieceView[]>();
  for (const p of list) bySteps.set(p.step, [...(bySteps.get(p.step) ?? []), p]);
  return [...bySteps].flatMap(([step, mine]): TreeDataNode[] => {
    if (mine.length < 3) return mine.map((p) => leaf(p));
    const under = (at: string, items: readonly { piece: PieceView; path: readonly string[] }[]): TreeDataNode[] => {
      const rooms = new Map<string, { piece: PieceView; path: readonly string[] }[]>();
      for (const i of items)
        if (i.path.length > 1) rooms.set(i.path[0], [...(rooms.get(i.path[0]) ?? []), { ...i, path: i.path.slice(1) }]);
      return [
        ...[...rooms].map(([name, inside]): TreeDataNode => {
          const key = `${at}/${name}`;
          return { key, title: <span className="kindname">{name}</span>, children: under(key, inside), selectable: false };
        }),
        ...items.filter((i) => i.path.length === 1).map((i) => leaf(i.piece, i.path[0])),
      ];
    };
    const items = mine.map((piece) => ({ piece, path: pickName(pickOf(piece)).split(' / ') }));
    if (items.some((i) => i.path.length > 1)) return under(`step:${kind}:${step}`, items);
    return [
      {
        key: `step:${kind}:${step}`,
        title: <span className="kindname">{pickName({ step, output: 'main' })}</span>,
        children: mine.map((p) => leaf(p)),
        selectable: false,
      },
    ];
  });
}

function GroupRow({ group, members }: { group: PieceGroup; members: readonly PieceView[] }) {
  return (
    <div className="row grouprow" data-group={group.name}>
      <Eyed
        hidden={!!group.hidden}
        name={group.name}
        onClick={() => setGroup(group, group.hidden ? 'Show group' : 'Hide group', { hidden: !group.hidden || undefined })}
      />
      <Colour
        label={`Colour of ${group.name}`}
        value={group.colour ?? '#b5cdbd'}
        onChange={(colour) => setGroup(group, 'Colour of group', { colour })}
      />
      <TextField
        plain
        className="rename"
        label="Name of the group"
        value={group.name}
        max={120}
        onCommit={(name) => setGroup(group, 'Rename group', { name })}
      />
      <Button type="link" size="small" title="Select all of it" onClick={() => select(members.map(pickOf))}>
        {members.length}
      </Button>
      <Locked
        locked={!!group.locked}
        name={group.name}
        onClick={() => setGroup(group, group.locked ? 'Unlock group' : 'Lock group', { locked: !group.locked || undefined })}
      />
      <Button
        type="text"
        size="small"
        className="quiet"
        aria-label={`Remove the group ${group.name}`}
        title="Pieces stay"
        icon={<Trash2 size={13} />}
        onClick={() => removeGroup(group)}
      />
    </div>
  );
}
const Eyed = ({ hidden, name, title, onClick }: { hidden: boolean; name: string; title?: string; onClick: () => void }) => (
  <Button
    type="text"
    size="small"
    className="quiet"
    aria-label={`${hidden ? 'Show' : 'Hide'} ${name}`}
    title={title}
    icon={hidden ? <EyeOff size={14} /> : <Eye size={14} />}
    onClick={(e) => {
      e.stopPropagation();
      onClick();
    }}
  />
);
const Locked = ({ locked, name, title, onClick }: { locked: boolean; name: string; title?: string; onClick: () => void }) => (
  <Button
    type="text"
    size="small"
    className="quiet"
    aria-label={`${locked ? 'Unlock' : 'Lock'} ${name}`}
    title={title ?? 'A locked piece is seen but not picked in the view'}
    icon={locked ? <Lock size={13} /> : <LockOpen size={13} />}
    onClick={(e) => {
      e.stopPropagation();
      onClick();
    }}
  />
);

function PieceRow({ piece: p, short }: { piece: PieceView; short?: string }) {
  const selection = useStudio((s) => s.selection);
  const look = useStudio((s) => s.model.pieces[p.key]);
  const standing = standingOf()(p.key);
  const pick = pickOf(p);
  const name = pickName(pick);
  const inside = selection.some((x) => x.step === p.step && x.output === p.output);
  const faults = useStudio((s) => s.proofs.get(p.key)?.defects.filter((d) => d.severity === 'error').length);
  const closed = p.kind === 'solid' ? 'solid' : p.watertight ? 'watertight' : 'open';
  // "solid" is a promise: it stands only when nothing is wrong with it
  const state = p.watertight === undefined ? '' : faults ? `${faults} ${faults === 1 ? 'fault' : 'faults'}` : closed;
  return (
    <div
      className={`row ${inside ? 'selected' : ''} ${standing.hidden ? 'dim' : ''}`}
      data-piece={p.key}
      data-in={standing.group?.name}
      role="group"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: Enter acts on it; buttons of their own stand inside, so it cannot be one
      tabIndex={0}
      aria-label={name}
      aria-current={inside}
      onClick={(e) => {
        if (getStudio().slot) pickAt(pick, false);
        else pickAt(pick, e.ctrlKey || e.metaKey);
      }}
      onDoubleClick={() => openStep(p.step)}
      onKeyDown={(e) => {
        if ((e.key !== 'Enter' && e.key !== ' ') || e.target !== e.currentTarget) return;
        e.preventDefault();
        e.stopPropagation();
        pickAt(pick, e.ctrlKey || e.metaKey);
      }}
      onMouseEnter={() => setStudio({ hover: pick })}
      onMouseLeave={() => setStudio({ hover: undefined })}
    >
      <Eyed
        hidden={standing.hidden}
        name={name}
        title={standing.group?.hidden ? `Its group ${standing.group.name} is hidden` : undefined}
        onClick={() => change(look?.hidden ? `Show ${name}` : `Hide ${name}`, lookChange(p.key, { hidden: !look?.hidden }))}
      />
      {COLOUR[p.kind] && (
        <Colour
          label={`Colour of ${name}`}
          value={standing.colour ?? COLOUR[p.kind]}
          onChange={(colour) => change(`Colour of ${name}`, lookChange(p.key, { colour }))}
        />
      )}
      <span className="name">{short ?? name}</span>
      <span className={`ms ${faults ? 'fail' : ''}`}>{state}</span>
      {(inside || standing.locked) && (
        <Locked
          locked={standing.locked}
          name={name}
          title={standing.group?.locked ? `Its group ${standing.group.name} is locked` : undefined}
          onClick={() => change(look?.locked ? `Unlock ${name}` : `Lock ${name}`, lookChange(p.key, { locked: !look?.locked }))}
        />
      )}
    </div>
  );
}

/** A colour well; the colour is kept when the chooser is left, not at every step through it. */
function Colour({ label, value, onChange }: { label: string; value: string; onChange: (c: string) => void }) {
  return (
    <span className="colourwell" onClick={(e) => e.stopPropagation()} onKeyDown={(e) => e.stopPropagation()}>
      <ColorPicker
        size="small"
        value={value}
        disabledAlpha
        aria-label={label}
        onChangeComplete={(c) => c.toHexString() !== value && onChange(c.toHexString())}
      />
    </span>
  );
}

/** Name, group and measured facts of what is selected. */
function Chosen({ pieces }: { pieces: readonly PieceView[] }) {
  const groups = useStudio((s) => s.model.groups);
  const measure = useMeasure();
  const standing = standingOf();
  const one = pieces.length === 1 ? pieces[0] : undefined;
  const own = [...new Set(pieces.map((p) => standing(p.key).look ?? ''))];
  const ids = [...new Set(pieces.map((p) => standing(p.key).group?.id ?? ''))];
  return (
    <div className="chosen">
      {one && (
        <Field label="Name">
          <TextField
            label="Name of the piece"
            value={pickName(pickOf(one))}
            max={120}
            allowEmpty
            onCommit={(name) => change('Rename piece', lookChange(one.key, { name: name || undefined }))}
          />
        </Field>
      )}
      {groups.length > 0 && (
        <Field label="Group">
          <Select
            size="small"
            aria-label="Group"
            style={{ width: '100%' }}
            value={ids.length === 1 ? ids[0] : 'several'}
            options={[{ value: '', label: 'None' }, ...groups.map((g) => ({ value: g.id, label: g.name }))]}
            onChange={(group) => setLooks(group ? 'Put in group' : 'Take out of group', pieces, { group })}
          />
        </Field>
      )}
      {pieces.some((p) => p.kind === 'skin' || p.kind === 'solid') && (
        <Field label="Look">
          <Select
            size="small"
            aria-label="Look of the piece"
            style={{ width: '100%' }}
            value={own.length === 1 ? own[0] : 'several'}
            options={[{ value: '', label: 'As the view' }, ...LOOKS]}
            onChange={(look) => setLooks('Look of pieces', pieces, { look: (look as Look) || undefined })}
          />
        </Field>
      )}
      {one && (
        <dl className="factgrid">
          {one.facts.map((f) => (
            <div key={f.label} style={f.value.length > 14 ? { gridColumn: 'span 2' } : undefined}>
              <dt>{f.label}</dt>
              <dd>{measure(f.value)}</dd>
            </div>
          ))}
        </dl>
      )}
    </div>
  );
}
