import type { Step } from '@ample-skin/core/recipe';
import { Button, Dropdown } from 'antd';
import { MoreHorizontal } from 'lucide-react';
import { memo } from 'react';
import { change, discardDraft, paste, removeSteps, setStudio, useStudio, waitingWithout } from '../state/store.ts';
import { stepName } from './names.ts';

/** What can be done with a step besides opening it. */
export const StepMenu = memo(function StepMenu({ step }: { step: Step }) {
  const isDraft = useStudio((s) => s.draft?.step.id === step.id);
  const remove = () => {
    if (isDraft) return discardDraft();
    const waiting = waitingWithout(new Set([step.id]));
    if (waiting.length) setStudio({ removing: { steps: [step.id], waiting: waiting.map((s) => s.id) } });
    else removeSteps([step]);
  };
  return (
    <Dropdown
      trigger={['click']}
      menu={{
        items: [
          { key: 'mute', label: step.muted ? 'Unmute' : 'Mute', disabled: isDraft },
          { key: 'copy', label: 'Duplicate', disabled: isDraft },
          { key: 'remove', label: 'Remove', danger: true },
        ],
        onClick: ({ key, domEvent }) => {
          domEvent.stopPropagation();
          if (key === 'mute')
            change(step.muted ? `Unmute ${stepName(step)}` : `Mute ${stepName(step)}`, {
              type: 'setStep',
              id: step.id,
              muted: !step.muted,
            });
          if (key === 'copy') paste([step]);
          if (key === 'remove') remove();
        },
      }}
    >
      <Button
        type="text"
        size="small"
        className="quiet"
        aria-label={`More for ${stepName(step)}`}
        icon={<MoreHorizontal size={14} />}
        onClick={(e) => e.stopPropagation()}
        onPointerDown={(e) => e.stopPropagation()}
      />
    </Dropdown>
  );
});
