import type { Look } from '@ample-skin/core/recipe';
import { Button, Checkbox, Divider, InputNumber, Progress, Segmented } from 'antd';
import { useState } from 'react';
import { type PictureWish, savePicture, saveReport, saveTurntable } from '../state/pictures.ts';
import { LOOKS, setSettings, useSettings } from '../state/settings.ts';
import { notify } from '../state/store.ts';
import { viewLink } from '../state/view-link.ts';

type Work = { readonly what: 'picture' | 'turn' | 'report'; readonly done?: number };
/** The view as a picture or as a turn, and the proof report. */
export function PicturePanel() {
  const look = useSettings((s) => s.look);
  const size = useSettings((s) => s.picture);
  const [count, setCount] = useState(36);
  const [looks, setLooks] = useState<Look[]>([look === 'map' ? 'sides' : look]);
  const [format, setFormat] = useState<'html' | 'pdf'>('pdf');
  const [work, setWork] = useState<Work>();
  const most = viewLink()?.largestPicture() ?? 4096;
  const wish = (more: Partial<PictureWish>) => setSettings({ picture: { ...size, ...more } });
  const run = (w: Work, job: () => Promise<void>) => {
    setWork(w);
    job()
      .catch((e) => notify('error', `It could not be saved: ${(e as Error).message}`))
      .finally(() => setWork(undefined));
  };
  const side = (label: string, key: 'width' | 'height') => (
    <InputNumber
      size="small"
      aria-label={label}
      min={16}
      max={most}
      precision={0}
      value={size[key]}
      onChange={(x) => x && wish({ [key]: x })}
      style={{ width: 84 }}
    />
  );
  return (
    <div className="viewpanel picturepanel">
      <div className="picturerow">
        {side('Width in pixels', 'width')} × {side('Height in pixels', 'height')}
        <Segmented<PictureWish['ground']>
          size="small"
          aria-label="Ground"
          value={size.ground}
          options={[
            { value: 'paper', label: 'Paper' },
            { value: 'none', label: 'None' },
          ]}
          onChange={(ground) => wish({ ground })}
        />
      </div>
      <div className="picturerow">
        <Button
          size="small"
          type="primary"
          loading={work?.what === 'picture'}
          disabled={!!work}
          onClick={() => run({ what: 'picture' }, () => savePicture(size))}
        >
          Save picture
        </Button>
        <InputNumber
          size="small"
          aria-label="Pictures of a turn"
          min={2}
          max={360}
          precision={0}
          value={count}
          onChange={(x) => x && setCount(x)}
          style={{ width: 64 }}
        />
        <Button
          size="small"
          disabled={!!work}
          onClick={() => run({ what: 'turn', done: 0 }, () => saveTurntable(size, count, (done) => setWork({ what: 'turn', done })))}
        >
          Save a whole turn
        </Button>
      </div>
      {work?.what === 'turn' && <Progress size="small" percent={Math.round(100 * (work.done ?? 0))} />}
      <Divider style={{ margin: '10px 0' }} />
      <div className="soft">Proof report with pictures of the view as</div>
      <Checkbox.Group
        className="picturelooks"
        aria-label="Looks in the report"
        value={looks}
        options={LOOKS.filter((l) => l.value !== 'map' || look === 'map').map((l) => ({ value: l.value, label: l.label }))}
        onChange={setLooks}
      />
      <div className="picturerow">
        <Segmented
          size="small"
          aria-label="Format of the report"
          value={format}
          options={[
            { value: 'pdf', label: 'PDF' },
            { value: 'html', label: 'HTML' },
          ]}
          onChange={setFormat}
        />
        <Button
          size="small"
          type="primary"
          loading={work?.what === 'report'}
          disabled={!!work}
          onClick={() => run({ what: 'report' }, () => saveReport(format, looks))}
        >
          Save report
        </Button>
      </div>
    </div>
  );
}
