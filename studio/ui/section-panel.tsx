import { formatNumber, type Vec3 } from '@ample-skin/core/math';
import type { ModelSection } from '@ample-skin/core/recipe';
import { Button, Checkbox, Radio, Switch } from 'antd';
import { FlipHorizontal2, Spline, Trash2 } from 'lucide-react';
import { addSection, keepSection, removeSection, sectionsOf, setSection, setStudio, useStudio } from '../state/store.ts';
import { viewLink } from '../state/view-link.ts';
import { NumberField } from './number-field.tsx';
import { useMeasure } from './units.ts';

const WAYS: readonly { readonly label: string; readonly normal: Vec3 }[] = [
  { label: 'Side (x)', normal: [1, 0, 0] },
  { label: 'Depth (y)', normal: [0, -1, 0] },
  { label: 'Level (z)', normal: [0, 0, 1] },
];
const along = (s: ModelSection): number => {
  const l = Math.hypot(...s.normal);
  return s.origin.reduce((x, o, k) => x + (o * s.normal[k]) / l, 0);
};

/** Sections: planes that open the view, each with what it cuts. */
export function SectionPanel() {
  const model = useStudio((s) => s.model);
  const dragged = useStudio((s) => s.dragged);
  const chosen = useStudio((s) => s.section);
  const list = sectionsOf({ model, dragged });
  const middle = (): Vec3 => viewLink()?.middle() ?? [0, 0, 0];
  return (
    <div className="viewpanel sectionpanel">
      <div className="soft">Add a section square to</div>
      <div className="sectionadd">
        {WAYS.map((w) => (
          <Button key={w.label} size="small" onClick={() => addSection(w.normal, middle())}>
            {w.label}
          </Button>
        ))}
        <Button size="small" onClick={() => addSection(viewLink()?.seen().eye ?? [0, 0, 1], middle())}>
          The view
        </Button>
      </div>
      {list.length > 0 && (
        <Radio.Group className="sectionlist" value={chosen} aria-label="Section in hand">
          {list.map((s, i) => (
            <Row key={s.id} section={s} number={i + 1} chosen={s.id === chosen} />
          ))}
        </Radio.Group>
      )}
      {list.length > 0 && !chosen && <div className="soft">Choose one to move it by its arrow and rings</div>}
    </div>
  );
}

function Row({ section: s, number, chosen }: { section: ModelSection; number: number; chosen: boolean }) {
  const cut = useStudio((x) => x.cuts.get(s.id));
  const measure = useMeasure();
  const area = cut?.reduce((a, v) => a + v.area, 0) ?? 0;
  const length = cut?.reduce((a, v) => a + v.length, 0) ?? 0;
  const open = cut?.reduce((a, v) => a + v.open, 0) ?? 0;
  const tightest = Math.min(...(cut ?? []).flatMap((v) => v.combs.map((c) => c.smallestRadius)), Infinity);
  return (
    <div className="sectionrow" role="group" aria-label={`Section ${number}`}>
      <div className="sectionhead">
        <Radio value={s.id} onClick={() => setStudio({ section: chosen ? undefined : s.id })}>
          Section {number}
        </Radio>
        <Switch
          size="small"
          checked={!s.off}
          aria-label={`Section ${number} cuts`}
          onChange={(on) => setSection(s.id, { off: on ? undefined : true }, on ? 'Section on' : 'Section off')}
        />
        <Button
          type="text"
          size="small"
          title="Cut away the other side"
          aria-label="Cut away the other side"
          icon={<FlipHorizontal2 size={13} />}
          onClick={() => setSection(s.id, { normal: s.normal.map((x) => -x) as [number, number, number] }, 'Flip section')}
        />
        <Button
          type="text"
          size="small"
          title="Keep as curves"
          aria-label="Keep as curves"
          disabled={!cut?.length}
          icon={<Spline size={13} />}
          onClick={() => keepSection(s.id)}
        />
        <Button
          type="text"
          size="small"
          aria-label={`Remove section ${number}`}
          icon={<Trash2 size={13} />}
          onClick={() => removeSection(s.id)}
        />
      </div>
      {chosen && (
        <div className="sectionplace">
          <NumberField
            label={`Place of section ${number}`}
            quantity="length"
            value={Number(along(s).toFixed(4))}
            onCommit={(v) => {
              const to = Number(v);
              const l = Math.hypot(...s.normal);
              if (Number.isFinite(to)) {
                const by = to - along(s);
                setSection(s.id, { origin: s.origin.map((o, k) => o + (by * s.normal[k]) / l) as [number, number, number] });
              }
            }}
          />
          <Checkbox checked={!!s.comb} onChange={(e) => setSection(s.id, { comb: e.target.checked || undefined }, 'Comb of section')}>
            Comb
          </Checkbox>
        </div>
      )}
      {cut && !s.off && (
        <div className="soft">
          {cut.length === 0
            ? 'Meets nothing'
            : measure(
                `${formatNumber(area, 2)} mm², ${formatNumber(length, 2)} mm round${Number.isFinite(tightest) ? `, radius ${formatNumber(tightest, 3)} mm` : ''}`,
              )}
          {open > 0 && `, ${open} open`}
        </div>
      )}
    </div>
  );
}
