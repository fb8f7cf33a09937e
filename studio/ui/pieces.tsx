import { type Change, type Model, type Pick, type PieceGroup, type PieceLook, pieceKey } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { ChevronDown, ChevronRight, Eye, EyeOff, FolderPlus, Lock, LockOpen, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { change, getStudio, openStep, pickAt, setStudio, standingOf, useStudio } from '../state/store.ts';
import { pickName } from './names.ts';

const KIND: Record<string, string> = {
  curve: 'Curves',
  point: 'Points',
  plane: 'Work planes',
  skin: 'Skins',
  solid: 'Solids',
  scan: 'Scans',
  picture: 'Pictures',
};
const COLOUR: Record<string, string> = { curve: '#1e2a2e', skin: '#b5cdbd', solid: '#b5cdbd', scan: '#b9c2bd' };

const pickOf = (p: PieceView): Pick => ({ step: p.step, output: p.output });
const ownLook = (key: string): PieceLook => getStudio().model.pieces[key] ?? {};
/** Change of a piece's look; a look that says nothing is dropped. */
function lookChange(key: string, more: PieceLook): Change {
  const look = Object.fromEntries(
    Object.entries({ ...ownLook(key), ...more }).filter(([, v]) => v !== undefined && v !== false),
  ) as PieceLook;
  return { type: 'setPiece', key, look: Object.keys(look).length ? look : null };
}
const setLooks = (label: string, pieces: readonly PieceView[], more: PieceLook) =>
  change(label, ...pieces.map((p) => lookChange(p.key, more)));
const newGroup = (model: Model): PieceGroup => {
  const names = new Set(model.groups.map((g) => g.name));
  let n = model.groups.length + 1;
  while (names.has(`Group ${n}`)) n++;
  return { id: `g${Date.now().toString(36)}`, name: `Group ${n}` };
};

/** Everything that stands for itself: groups with name, colour, visibility and lock; the rest by kind; facts of what is selected. */
export function Pieces() {
  const pieces = useStudio((s) => s.pieces);
  const model = useStudio((s) => s.model);
  const selection = useStudio((s) => s.selection);
  const [shut, setShut] = useState<ReadonlySet<string>>(new Set());
  const [over, setOver] = useState<string>();
  const live = [...pieces.values()].filter((p) => p.live);
  const standing = standingOf();
  const groupOf = (p: PieceView) => standing(p.key).group?.id;
  const loose = live.filter((p) => !groupOf(p));
  const kinds = [...new Set(loose.map((p) => p.kind))];
  const chosen = live.filter((p) => selection.some((x) => !x.part && x.step === p.step && x.output === p.output));
  const bundle = () => {
    const g = newGroup(model);
    change('New group', { type: 'setGroup', id: g.id, group: g }, ...chosen.map((p) => lookChange(p.key, { group: g.id })));
  };
  const fold = (id: string) => setShut(new Set(shut.has(id) ? [...shut].filter((x) => x !== id) : [...shut, id]));
  /** Drops of pieces on a group, or on the rest to let them go. */
  const target = (id: string) => ({
    onDragOver: (e: React.DragEvent) => {
      if (!e.dataTransfer.types.includes('text/ample-piece')) return;
      e.preventDefault();
      setOver(id);
    },
    onDragLeave: () => setOver(undefined),
    onDrop: (e: React.DragEvent) => {
      setOver(undefined);
      const keys = e.dataTransfer.getData('text/ample-piece').split('\n').filter(Boolean);
      const list = live.filter((p) => keys.includes(p.key) && groupOf(p) !== (id || undefined));
      if (list.length) setLooks(id ? 'Put in group' : 'Take out of group', list, { group: id });
    },
  });
  if (!live.length && !model.groups.length) return <div style={{ padding: '18px 16px', color: 'var(--slate)' }}>No pieces yet.</div>;
  return (
    <div>
      <div style={{ padding: '4px 12px 2px' }}>
        <button type="button" className="btn" onClick={bundle} title="A named set of pieces: shown, coloured and locked together">
          <FolderPlus size={14} />{' '}
          {chosen.length ? `Group ${chosen.length === 1 ? 'the selected piece' : `${chosen.length} pieces`}` : 'New group'}
        </button>
      </div>
      {model.groups.map((g) => {
        const members = live.filter((p) => groupOf(p) === g.id);
        return (
          <section key={g.id} data-group={g.name} className={over === g.id ? 'dragover' : ''} {...target(g.id)}>
            <GroupRow group={g} members={members} shut={shut.has(g.id)} onFold={() => fold(g.id)} />
            {!shut.has(g.id) && members.map((p) => <PieceRow key={p.key} piece={p} inset />)}
            {!shut.has(g.id) && !members.length && (
              <div style={{ padding: '2px 38px 6px', color: 'var(--slate)', fontSize: 12 }}>Drag pieces here</div>
            )}
          </section>
        );
      })}
      <div className={over === '' ? 'dragover' : ''} {...target('')}>
        {kinds.map((k) => (
          <section key={k}>
            <div style={{ padding: '8px 14px 2px', color: 'var(--slate)', fontWeight: 600, fontSize: 12 }}>{KIND[k]}</div>
            {loose
              .filter((p) => p.kind === k)
              .map((p) => (
                <PieceRow key={p.key} piece={p} />
              ))}
          </section>
        ))}
      </div>
      {chosen.length > 0 && <Chosen pieces={chosen} />}
    </div>
  );
}

function GroupRow({
  group,
  members,
  shut,
  onFold,
}: {
  group: PieceGroup;
  members: readonly PieceView[];
  shut: boolean;
  onFold: () => void;
}) {
  const set = (label: string, more: Partial<PieceGroup>) => change(label, { type: 'setGroup', id: group.id, group: { ...group, ...more } });
  const remove = () =>
    change(
      'Remove group',
      ...Object.entries(getStudio().model.pieces).flatMap(([key, l]): Change[] =>
        l.group === group.id ? [lookChange(key, { group: undefined })] : [],
      ),
      {
        type: 'setGroup',
        id: group.id,
        group: null,
      },
    );
  return (
    <div className="row grouprow">
      <button
        type="button"
        className="iconbtn"
        style={{ padding: 2 }}
        aria-label={shut ? `Unfold ${group.name}` : `Fold ${group.name}`}
        aria-expanded={!shut}
        onClick={onFold}
      >
        {shut ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
      </button>
      <button
        type="button"
        className="iconbtn eye"
        style={{ padding: 2 }}
        aria-label={`${group.hidden ? 'Show' : 'Hide'} ${group.name}`}
        onClick={() => set(group.hidden ? 'Show group' : 'Hide group', { hidden: !group.hidden || undefined })}
      >
        {group.hidden ? <EyeOff size={14} /> : <Eye size={14} />}
      </button>
      <Colour
        label={`Colour of ${group.name}`}
        value={group.colour ?? '#b5cdbd'}
        onChange={(colour) => set('Colour of group', { colour })}
      />
      <input
        className="rename"
        aria-label="Name of the group"
        key={group.name}
        defaultValue={group.name}
        maxLength={120}
        onBlur={(e) => {
          const name = e.target.value.trim();
          if (name && name !== group.name) set('Rename group', { name });
          else e.target.value = group.name;
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') e.currentTarget.blur();
        }}
      />
      <button type="button" className="linkish ms" title="Select all of it" onClick={() => setStudio({ selection: members.map(pickOf) })}>
        {members.length}
      </button>
      <button
        type="button"
        className="iconbtn"
        style={{ padding: 2 }}
        aria-label={`${group.locked ? 'Unlock' : 'Lock'} ${group.name}`}
        onClick={() => set(group.locked ? 'Unlock group' : 'Lock group', { locked: !group.locked || undefined })}
      >
        {group.locked ? <Lock size={13} /> : <LockOpen size={13} />}
      </button>
      <button
        type="button"
        className="iconbtn"
        style={{ padding: 2 }}
        aria-label={`Remove the group ${group.name}`}
        title="Pieces stay"
        onClick={remove}
      >
        <Trash2 size={13} />
      </button>
    </div>
  );
}

function PieceRow({ piece: p, inset }: { piece: PieceView; inset?: boolean }) {
  const selection = useStudio((s) => s.selection);
  const look = useStudio((s) => s.model.pieces[p.key]);
  const standing = standingOf()(p.key);
  const pick = pickOf(p);
  const chosen = selection.some((x) => !x.part && x.step === p.step && x.output === p.output);
  return (
    <div
      className={`row ${chosen ? 'selected' : ''} ${standing.hidden ? 'dim' : ''}`}
      style={inset ? { paddingLeft: 36 } : undefined}
      role="button"
      tabIndex={0}
      draggable
      onDragStart={(e) => {
        const all = chosen ? selection.map((x) => pieceKey(x.step, x.output)) : [p.key];
        e.dataTransfer.setData('text/ample-piece', all.join('\n'));
      }}
      onClick={(e) => {
        if (getStudio().slot) pickAt(pick, false);
        else
          setStudio({
            selection:
              e.ctrlKey || e.metaKey
                ? chosen
                  ? selection.filter((x) => x.step !== p.step || x.output !== p.output)
                  : [...selection, pick]
                : chosen && selection.length === 1
                  ? []
                  : [pick],
          });
      }}
      onDoubleClick={() => openStep(p.step)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' && e.target === e.currentTarget) setStudio({ selection: [pick] });
      }}
      onMouseEnter={() => setStudio({ hover: pick })}
      onMouseLeave={() => setStudio({ hover: undefined })}
    >
      <button
        type="button"
        className="iconbtn eye"
        style={{ padding: 2 }}
        aria-label={look?.hidden ? 'Show' : 'Hide'}
        title={standing.group?.hidden ? `Its group ${standing.group.name} is hidden` : undefined}
        onClick={(e) => {
          e.stopPropagation();
          change(look?.hidden ? 'Show' : 'Hide', lookChange(p.key, { hidden: !look?.hidden }));
        }}
      >
        {standing.hidden ? <EyeOff size={14} /> : <Eye size={14} />}
      </button>
      {COLOUR[p.kind] && (
        <Colour
          label={`Colour of ${pickName(pick)}`}
          value={standing.colour ?? COLOUR[p.kind]}
          onChange={(colour) => change('Colour', lookChange(p.key, { colour }))}
        />
      )}
      <span className="name">{pickName(pick)}</span>
      <span className="ms">{p.watertight === undefined ? '' : p.kind === 'solid' ? 'solid' : p.watertight ? 'watertight' : 'open'}</span>
      {(chosen || standing.locked) && (
        <button
          type="button"
          className="iconbtn"
          style={{ padding: 2 }}
          aria-label={look?.locked ? 'Unlock' : 'Lock'}
          title={
            standing.group?.locked ? `Its group ${standing.group.name} is locked` : 'A locked piece is seen but not picked in the view'
          }
          onClick={(e) => {
            e.stopPropagation();
            change(look?.locked ? 'Unlock' : 'Lock', lookChange(p.key, { locked: !look?.locked }));
          }}
        >
          {standing.locked ? <Lock size={13} /> : <LockOpen size={13} />}
        </button>
      )}
    </div>
  );
}

/** A colour well; the colour is kept when the chooser is left, not at every step through it. */
function Colour({ label, value, onChange }: { label: string; value: string; onChange: (c: string) => void }) {
  return (
    <input
      type="color"
      className="colourwell"
      aria-label={label}
      key={value}
      defaultValue={value}
      onClick={(e) => e.stopPropagation()}
      onBlur={(e) => {
        if (e.target.value !== value) onChange(e.target.value);
      }}
      ref={(el) => {
        // React's change event comes with every step through the chooser; the plain one comes at its end
        if (el)
          el.onchange = () => {
            if (el.value !== value) onChange(el.value);
          };
      }}
    />
  );
}

/** Name, group and measured facts of what is selected. */
function Chosen({ pieces }: { pieces: readonly PieceView[] }) {
  const groups = useStudio((s) => s.model.groups);
  const looks = useStudio((s) => s.model.pieces);
  const standing = standingOf();
  const one = pieces.length === 1 ? pieces[0] : undefined;
  const ids = [...new Set(pieces.map((p) => standing(p.key).group?.id ?? ''))];
  return (
    <div className="chosen">
      {one && (
        <div className="field">
          <span className="flabel">Name</span>
          <div className="numfield">
            <input
              aria-label="Name of the piece"
              key={`${one.key}${looks[one.key]?.name ?? ''}`}
              defaultValue={pickName(pickOf(one))}
              maxLength={120}
              onBlur={(e) => {
                const name = e.target.value.trim();
                if (name !== pickName(pickOf(one))) change('Rename piece', lookChange(one.key, { name: name || undefined }));
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
              }}
            />
          </div>
        </div>
      )}
      {groups.length > 0 && (
        <div className="field">
          <span className="flabel">Group</span>
          <select
            aria-label="Group"
            value={ids.length === 1 ? ids[0] : '?'}
            onChange={(e) => setLooks(e.target.value ? 'Put in group' : 'Take out of group', pieces, { group: e.target.value })}
          >
            {ids.length > 1 && (
              <option value="?" disabled>
                several
              </option>
            )}
            <option value="">None</option>
            {groups.map((g) => (
              <option key={g.id} value={g.id}>
                {g.name}
              </option>
            ))}
          </select>
        </div>
      )}
      {one && (
        <dl className="factgrid">
          {one.facts.map((f) => (
            <div key={f.label} style={f.value.length > 14 ? { gridColumn: 'span 2' } : undefined}>
              <dt>{f.label}</dt>
              <dd>{f.value}</dd>
            </div>
          ))}
        </dl>
      )}
    </div>
  );
}
