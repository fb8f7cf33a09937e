import { Button, Form, Input, InputNumber, Modal, Select } from 'antd';
import dynamic from 'next/dynamic';
import { useState } from 'react';
import {
  change,
  getStudio,
  notify,
  removeSteps,
  retrySaving,
  select,
  setSettings,
  setStudio,
  unsentEdits,
  useSettings,
  useStudio,
} from '../state/store.ts';
import { HistoryDialog } from './changes.tsx';
import { FindPanel } from './find.tsx';
import { KeysPanel } from './keys-panel.tsx';
import { stepName } from './names.ts';
import { send } from './send.ts';
import { UNITS } from './units.ts';

// what lists come from the server is loaded when it is asked for
const Round = dynamic(() => import('./tour.tsx').then((m) => m.Round), { ssr: false });
const HelpPanel = dynamic(() => import('./help.tsx').then((m) => m.HelpPanel), { ssr: false });
const VersionsDialog = dynamic(() => import('./versions.tsx').then((m) => m.VersionsDialog), { ssr: false });

const close = () => setStudio({ dialog: undefined });

/** Whatever dialog is asked for now. */
export function Dialogs() {
  const dialog = useStudio((s) => s.dialog);
  const removing = useStudio((s) => s.removing);
  const unsavable = useStudio((s) => s.unsavable);
  const tour = useStudio((s) => s.tour);
  return (
    <>
      {dialog === 'find' && <FindPanel />}
      {dialog === 'help' && <HelpPanel />}
      {dialog === 'keys' && <KeysPanel />}
      {dialog === 'versions' && <VersionsDialog />}
      {dialog === 'rename' && <RenameDialog />}
      {dialog === 'settings' && <SettingsDialog />}
      {dialog === 'history' && <HistoryDialog />}
      {removing && <RemoveDialog />}
      {unsavable && <UnsavableDialog reason={unsavable} />}
      {tour && <Round />}
    </>
  );
}

function RenameDialog() {
  const [name, setName] = useState(getStudio().model.name);
  const keep = () => {
    const next = name.trim();
    if (next && next !== getStudio().model.name) change('Rename model', { type: 'setModel', name: next });
    close();
  };
  return (
    <Modal open title="Rename the model" okText="Rename" onOk={keep} onCancel={close}>
      <Input
        autoFocus
        aria-label="Name of the model"
        maxLength={200}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onPressEnter={keep}
      />
    </Modal>
  );
}
function SettingsDialog() {
  const model = useStudio((s) => s.model);
  const settings = useSettings();
  return (
    <Modal open title="Settings" footer={<Button onClick={close}>Close</Button>} onCancel={close} width={440}>
      <Form layout="horizontal" labelCol={{ span: 10 }} size="small">
        <Form.Item label="Unit of this model" help="Numbers are written anew; the geometry stays">
          <Select
            aria-label="Unit of this model"
            value={model.unit}
            options={UNITS.map((u) => ({ value: u, label: u }))}
            onChange={(unit) => change(`Unit ${unit}`, { type: 'setModel', unit })}
          />
        </Form.Item>
        <Form.Item label="Tolerance" help="mm; what is farther apart counts as open">
          <InputNumber
            aria-label="Tolerance"
            min={1e-6}
            max={1}
            step={0.001}
            value={model.tolerance}
            onChange={(t) => t && change('Tolerance', { type: 'setModel', tolerance: t })}
          />
        </Form.Item>
        <Form.Item label="Digits shown" help="After the point of measured numbers; numbers themselves are kept in full">
          <InputNumber
            aria-label="Digits shown"
            min={0}
            max={9}
            precision={0}
            value={settings.digits}
            onChange={(d) => setSettings({ digits: d ?? 3 })}
          />
        </Form.Item>
        <Form.Item label="Colours">
          <Select
            aria-label="Colours"
            value={settings.dark ? 'dark' : 'light'}
            options={[
              { value: 'light', label: 'Light' },
              { value: 'dark', label: 'Dark' },
            ]}
            onChange={(v) => setSettings({ dark: v === 'dark' })}
          />
        </Form.Item>
        <Form.Item label="Keys">
          <Button onClick={() => setStudio({ dialog: 'keys' })}>Change keys</Button>
        </Form.Item>
      </Form>
    </Modal>
  );
}

/** Removing what others use: what would wait is named, and keeping it is offered first. */
function RemoveDialog() {
  const removing = useStudio((s) => s.removing);
  const model = useStudio((s) => s.model);
  if (!removing) return null;
  const named = (ids: readonly string[]) => model.steps.filter((s) => ids.includes(s.id));
  const done = () => setStudio({ removing: undefined });
  const steps = named(removing.steps);
  const waiting = named(removing.waiting);
  return (
    <Modal
      open
      title={steps.length === 1 ? `Remove ${stepName(steps[0])}?` : `Remove ${steps.length} steps?`}
      onCancel={done}
      footer={
        <>
          <Button
            danger
            onClick={() => {
              done();
              removeSteps(steps);
              select([]);
            }}
          >
            Remove
          </Button>
          <Button
            onClick={() => {
              done();
              const keys = steps.map((s) => `${s.id}/main`);
              change('Hide', ...keys.map((key) => ({ type: 'setPiece' as const, key, look: { ...model.pieces[key], hidden: true } })));
              select([]);
            }}
          >
            Hide instead
          </Button>
          <Button type="primary" autoFocus onClick={done}>
            Keep
          </Button>
        </>
      }
    >
      {waiting.length === 1 ? 'One step uses it and would wait' : `${waiting.length} steps use it and would wait`} for another pick:{' '}
      {waiting.map(stepName).join(', ')}.
    </Modal>
  );
}

/** The model cannot be saved where it was: it may be saved as a new one, with everything in it. */
function UnsavableDialog({ reason }: { reason: string }) {
  const gone = reason === 'gone';
  const [busy, setBusy] = useState(false);
  const [put, setPut] = useState(false);
  const saveAsNew = async () => {
    setBusy(true);
    try {
      const { model } = getStudio();
      const { id } = await send('/api/models', 'POST', { name: `${model.name} (saved anew)`.slice(0, 200), recipe: model });
      window.location.assign(`/model/${id}`);
    } catch (e) {
      notify('error', (e as Error).message);
      setBusy(false);
    }
  };
  return (
    <Modal
      open={!put}
      title={gone ? 'This model was deleted elsewhere' : 'This model cannot be saved'}
      onCancel={() => setPut(true)}
      footer={
        <>
          <Button onClick={() => setPut(true)}>Look on without saving</Button>
          {!gone && <Button onClick={retrySaving}>Try again</Button>}
          <Button type="primary" loading={busy} onClick={saveAsNew}>
            Save as a new model
          </Button>
        </>
      }
    >
      {gone
        ? 'Another window deleted it. What is on this screen is complete'
        : `The server refuses for good: ${reason}. What is on this screen is complete`}
      {unsentEdits() ? `, with ${unsentEdits()} changes that were not saved` : ''}.
    </Modal>
  );
}
