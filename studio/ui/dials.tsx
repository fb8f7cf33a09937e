import { evaluateFormula } from '@ample-skin/core/math';
import { Button, Input } from 'antd';
import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { change, notify, useStudio } from '../state/store.ts';
import { NumberField } from './fields.tsx';

/** Named numbers; any number in any step may refer to them. */
export function Dials() {
  const dials = useStudio((s) => s.model.dials);
  const values = useStudio((s) => s.dials);
  const [name, setName] = useState('');
  const [formula, setFormula] = useState('10 mm');
  const add = () => {
    const clean = name.trim();
    if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(clean)) return notify('error', 'A dial name has letters, digits and _ and starts with a letter');
    if (dials.some((d) => d.name === clean)) return notify('error', `There is a dial called ${clean} already`);
    const known = new Map([...values].flatMap(([n, v]) => (v.value !== undefined ? [[n, v.value] as const] : [])));
    const r = evaluateFormula(formula, known);
    if (!r.ok) return notify('error', r.message);
    change(`Dial ${clean}`, {
      type: 'setDial',
      name: clean,
      dial: { name: clean, formula: formula.trim(), unit: /deg|rad/.test(formula) ? 'angle' : 'length' },
    });
    setName('');
  };
  return (
    <div style={{ padding: '6px 14px' }}>
      {dials.map((d) => {
        const v = values.get(d.name);
        return (
          <div className="field" key={d.name} style={{ gridTemplateColumns: '116px 1fr 26px' }}>
            <span className="flabel mono" title={d.note}>
              {d.name}
            </span>
            <div>
              <NumberField
                label={d.name}
                value={/^-?[\d.]+$/.test(d.formula) ? Number(d.formula) : d.formula}
                onCommit={(x) => change(`Dial ${d.name}`, { type: 'setDial', name: d.name, dial: { ...d, formula: String(x) } })}
              />
              {v?.message && <div className="diag error">{v.message}</div>}
            </div>
            <button
              type="button"
              className="iconbtn"
              aria-label={`Remove dial ${d.name}`}
              onClick={() => change(`Remove dial ${d.name}`, { type: 'setDial', name: d.name, dial: null })}
            >
              <Trash2 size={14} />
            </button>
          </div>
        );
      })}
      {!dials.length && (
        <p className="soft">No dials yet. A dial is a named number such as wall or body_length; type its name in any number field.</p>
      )}
      <div style={{ display: 'grid', gridTemplateColumns: '116px 1fr auto', gap: 8, marginTop: 12 }}>
        <Input
          size="small"
          placeholder="name"
          aria-label="Name of a new dial"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onPressEnter={add}
        />
        <Input
          size="small"
          aria-label="Formula of a new dial"
          value={formula}
          onChange={(e) => setFormula(e.target.value)}
          onPressEnter={add}
        />
        <Button size="small" onClick={add}>
          Add
        </Button>
      </div>
    </div>
  );
}
