import { Button, Empty, InputNumber, Tag } from 'antd';
import { keepMeasure } from '../state/draft.ts';
import { remeasure } from '../state/selection.ts';
import { setSettings, useSettings } from '../state/settings.ts';
import { notify, setStudio, useStudio, zoomTo } from '../state/store.ts';
import { pickName } from './names.ts';
import { useMeasure } from './units.ts';

function copy(text: string): void {
  const refused = () => notify('warning', 'The browser does not let it be copied');
  if (navigator.clipboard) navigator.clipboard.writeText(text).then(() => notify('info', `Copied ${text}`), refused);
  else refused();
}

/** The first facts of the selection, in one line; a click copies. */
export function FactsLine() {
  const facts = useStudio((s) => s.facts);
  const measure = useMeasure();
  if (!facts.length) return null;
  return (
    <span className="factsline" data-testid="facts">
      {facts.slice(0, 3).map((f) => (
        <Button
          key={f.label}
          type="text"
          size="small"
          title={`${f.label}: click to copy`}
          onClick={() => copy(measure(f.value).replace(/ .*$/, ''))}
        >
          <span className="soft">{f.label}</span> <span className="mono">{measure(f.value)}</span>
        </Button>
      ))}
    </span>
  );
}

/** All facts of what is selected; a click copies the number, and shows where a distance was measured. */
export function FactsPanel() {
  const facts = useStudio((s) => s.facts);
  const selection = useStudio((s) => s.selection);
  const density = useSettings((s) => s.density);
  const measure = useMeasure();
  if (!selection.length)
    return (
      <Empty
        className="pad"
        image={false}
        description="Select something: its length, radius, area or volume stands here; of two things their distance and angle."
      />
    );
  return (
    <div className="factspanel">
      <div>
        {selection.slice(0, 6).map((p, i) => (
          <Tag key={`${p.step}${p.output}${p.part?.name ?? ''}${i}`}>{pickName(p)}</Tag>
        ))}
        {selection.length < 3 && facts.length > 0 && (
          <Button
            size="small"
            title="As a step, with its value in the view; other numbers may use it"
            onClick={() => keepMeasure(selection)}
          >
            Keep in the view
          </Button>
        )}
        {facts.some((f) => f.unit === 'g') && (
          <InputNumber
            size="small"
            min={1e-4}
            max={100}
            value={density}
            aria-label="Density"
            style={{ width: 190 }}
            prefix="Density"
            suffix="g/cm³"
            onChange={(x) => {
              if (!x) return;
              setSettings({ density: x });
              remeasure();
            }}
          />
        )}
      </div>
      <dl className="factgrid wide">
        {facts.map((f, i) => (
          <div key={`${f.label}${i}`}>
            <dt>{f.label}</dt>
            <dd>
              <Button
                type="link"
                size="small"
                title="Click to copy"
                onClick={() => {
                  copy(measure(f.value).replace(/ .*$/, ''));
                  if (f.places?.length) zoomTo(f.places);
                }}
                onMouseEnter={() => f.places && setStudio({ lit: { piece: '', at: f.places[0] as never } })}
              >
                {measure(f.value)}
              </Button>
            </dd>
          </div>
        ))}
      </dl>
    </div>
  );
}
