import { evaluateFormula } from '@ample-skin/core/math';
import { Alert, Button, Input } from 'antd';
import { ChartLine, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { change, notify, useStudio } from '../state/store.ts';
import { openSweep } from '../state/sweeps.ts';
import { NumberField, useDialNames } from './number-field.tsx';

/** Named numbers; any number in any step may refer to them. */
export function Dials() {
  const dials = useStudio((s) => s.model.dials);
  const values = useStudio((s) => s.dials);
  const known = useDialNames();
  const [name, setName] = useState('');
  const [formula, setFormula] = useState('10 mm');
  const add = () => {
    const clean = name.trim();
    if (dials.some((d) => d.name === clean)) return notify('error', `There is a dial called ${clean} already`);
    const r = evaluateFormula(formula, known);
    if (!r.ok) return notify('error', r.message);
    if (
      change(`Dial ${clean}`, {
        type: 'setDial',
        name: clean,
        dial: { name: clean, formula: formula.trim(), unit: /deg|rad/.test(formula) ? 'angle' : 'length' },
      })
    )
      setName('');
  };
  return (
    <div className="dials">
      {dials.map((d) => {
        const message = values.get(d.name)?.message;
        return (
          <div className="field dial" key={d.name}>
            <span className="flabel mono" title={d.note}>
              {d.name}
            </span>
            <div>
              <NumberField
                label={d.name}
                quantity={d.unit === 'number' ? undefined : d.unit}
                value={/^-?[\d.]+$/.test(d.formula) ? Number(d.formula) : d.formula}
                onCommit={(x) => change(`Dial ${d.name}`, { type: 'setDial', name: d.name, dial: { ...d, formula: String(x) } })}
              />
              {message && <Alert type="error" title={message} />}
            </div>
            <Button
              type="text"
              size="small"
              aria-label={`Remove dial ${d.name}`}
              icon={<Trash2 size={14} />}
              onClick={() => change(`Remove dial ${d.name}`, { type: 'setDial', name: d.name, dial: null })}
            />
          </div>
        );
      })}
      {!dials.length && (
        <p className="soft">No dials yet. A dial is a named number such as wall or body_length; type its name in any number field.</p>
      )}
      {dials.length > 0 && (
        <Button
          size="small"
          icon={<ChartLine size={14} />}
          title="The recipe over the values of a dial, as a table and a chart"
          onClick={() => openSweep()}
        >
          Sweep a dial
        </Button>
      )}
      <div className="newdial">
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
