import { Button, Modal, Table, Tag } from 'antd';
import { useState } from 'react';
import { COMMANDS, type Command, holderOf, keyOf, keyText, setSettings, setStudio, useSettings } from '../state/store.ts';
import { keysOfEvent } from './key-names.ts';

/** Every command with its key; a key is changed by pressing another one. */
export function KeysPanel() {
  const own = useSettings((s) => s.keys);
  const [changing, setChanging] = useState<string>();
  const [clash, setClash] = useState<string>();
  const close = () => setStudio({ dialog: undefined });
  const take = (c: Command, e: React.KeyboardEvent) => {
    e.preventDefault();
    e.stopPropagation();
    if (e.key === 'Escape') return setChanging(undefined);
    const keys = keysOfEvent(e);
    if (!keys) return;
    const held = holderOf(keys, c.id, own);
    if (held) return setClash(`${keyText(keys)} is “${held.label}” already`);
    setClash(undefined);
    setChanging(undefined);
    setSettings({ keys: { ...own, [c.id]: keys } });
  };
  return (
    <Modal open title="Keys" footer={null} onCancel={close} width={620} aria-label="Keys">
      <Table
        size="small"
        rowKey="id"
        pagination={false}
        scroll={{ y: 420 }}
        dataSource={COMMANDS.map((c) => ({ ...c, key: c.id }))}
        columns={[
          { title: 'What', dataIndex: 'label' },
          { title: 'Group', dataIndex: 'group', width: 100 },
          {
            title: 'Key',
            width: 210,
            render: (_, c) =>
              changing === c.id ? (
                <Button size="small" autoFocus onKeyDown={(e) => take(c, e)} onBlur={() => setChanging(undefined)}>
                  Press a key; Esc leaves it
                </Button>
              ) : (
                <>
                  {keyOf(c, own) ? <Tag>{keyText(keyOf(c, own))}</Tag> : <span className="soft">none </span>}
                  <Button size="small" type="text" onClick={() => setChanging(c.id)} aria-label={`Change the key of ${c.label}`}>
                    Change
                  </Button>
                  {own[c.id] !== undefined && (
                    <Button
                      size="small"
                      type="text"
                      onClick={() => {
                        const { [c.id]: _, ...rest } = own;
                        setSettings({ keys: rest });
                      }}
                    >
                      Reset
                    </Button>
                  )}
                </>
              ),
          },
        ]}
      />
      {clash && <p className="fail">{clash}</p>}
      <p className="soft" style={{ margin: '12px 0 0' }}>
        Drag orbits, right or middle drag pans, the wheel zooms to the cursor. Click selects the piece, a click on it again its face or
        edge, Alt-click at once; Ctrl adds, Shift takes the whole chain, Shift-drag draws a box. A long press, a right click or Tab lists
        what lies under the cursor.
      </p>
    </Modal>
  );
}
