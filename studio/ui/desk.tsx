import { Button, Tabs } from 'antd';
import { ChevronDown, ChevronUp } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useEffect, useRef, useState } from 'react';
import { type SeamFilter, seamText, useStatusPart } from '../state/status.ts';
import { type DeskTab, setStudio, toggleDesk, useStudio } from '../state/store.ts';
import { useMeasure } from './units.ts';

// charts and tables are loaded when they are first looked at
const CombPanel = dynamic(() => import('./comb.tsx'), { ssr: false });
const Seams = dynamic(() => import('./desk-tables.tsx').then((m) => m.Seams), { ssr: false });
const SeamChoice = dynamic(() => import('./desk-tables.tsx').then((m) => m.SeamChoice), { ssr: false });
const Rims = dynamic(() => import('./desk-tables.tsx').then((m) => m.Rims), { ssr: false });
const Defects = dynamic(() => import('./desk-tables.tsx').then((m) => m.Defects), { ssr: false });
const Timing = dynamic(() => import('./desk-tables.tsx').then((m) => m.Timing), { ssr: false });
const TrialTable = dynamic(() => import('./try-off.tsx').then((m) => m.TrialTable), { ssr: false });
const SweepPanel = dynamic(() => import('./sweep-panel.tsx').then((m) => m.SweepPanel), { ssr: false });
const ComparePanel = dynamic(() => import('./compare-panel.tsx').then((m) => m.ComparePanel), { ssr: false });
const PolesPanel = dynamic(() => import('./poles-panel.tsx'), { ssr: false });
const FactsPanel = dynamic(() => import('./facts.tsx').then((m) => m.FactsPanel), { ssr: false });

/** The drawer below: seams as a test run, rims, defects, facts, timing. Closed until it has something to say; the state of the skin is always in view. */
export function Desk() {
  const desk = useStudio((s) => s.desk);
  const seams = useStatusPart((s) => s.seams);
  const rims = useStatusPart((s) => s.rims);
  const defects = useStatusPart((s) => s.defects);
  const verdicts = useStatusPart(seamText);
  const cages = useStudio((s) => [...s.pieces.values()].some((p) => p.kind === 'cage'));
  const poles = useStudio((s) => s.poles.of);
  const trial = useStudio((s) => !!s.trial);
  const sweep = useStudio((s) => !!s.sweep);
  const compare = useStudio((s) => !!s.compare);
  const body = useRef<HTMLDivElement>(null);
  const height = useHeight(body, desk.size !== 'shut');
  const [filter, setFilter] = useState<SeamFilter>('all');
  const spoken = useRef(false);
  // never while a step is open: the view must not move under a hand that picks
  const something = useStudio((s) => !s.open) && seams.length + defects.length > 0;
  useEffect(() => {
    if (!something || spoken.current) return;
    spoken.current = true;
    setStudio((s) => (s.desk.size === 'shut' ? { desk: { ...s.desk, size: 'low' } } : {}));
  }, [something]);
  const panel = () => {
    switch (desk.tab) {
      case 'seams':
        return <Seams seams={seams} height={height} filter={filter} />;
      case 'rims':
        return <Rims rims={rims} height={height} />;
      case 'defects':
        return <Defects defects={defects} height={height} />;
      case 'facts':
        return <FactsPanel />;
      case 'comb':
        return <CombPanel />;
      case 'poles':
        return <PolesPanel height={height} />;
      case 'trial':
        return trial ? <TrialTable height={height} /> : null;
      case 'sweep':
        return sweep ? <SweepPanel height={height} /> : null;
      case 'compare':
        return compare ? <ComparePanel height={height} /> : null;
      default:
        return <Timing height={height} />;
    }
  };
  return (
    <section className="desk" aria-label="Seam desk">
      <div className="deskhead">
        <Tabs
          size="small"
          activeKey={desk.tab}
          onTabClick={(k) => setStudio({ desk: { tab: k as DeskTab, size: desk.size === 'shut' ? 'low' : desk.size } })}
          items={[
            { key: 'seams', label: `Seams ${seams.length}` },
            { key: 'rims', label: `Rims ${rims.length}` },
            { key: 'defects', label: `Defects ${defects.length}` },
            { key: 'facts', label: 'Facts' },
            { key: 'comb', label: 'Comb' },
            { key: 'timing', label: 'Timing' },
            ...(cages ? [{ key: 'poles', label: `Poles ${poles}` }] : []),
            ...(trial ? [{ key: 'trial', label: 'Try-off' }] : []),
            ...(sweep ? [{ key: 'sweep', label: 'Sweep' }] : []),
            ...(compare ? [{ key: 'compare', label: 'Comparison' }] : []),
          ]}
        />
        {desk.tab === 'seams' && desk.size !== 'shut' && seams.length > 0 && (
          <SeamChoice value={filter} onChange={setFilter} seams={seams} />
        )}
        <span className="mono soft" style={{ marginLeft: 'auto' }}>
          {verdicts}
        </span>
        <Verdict />
        <Button
          type="text"
          size="small"
          aria-label="Seam desk size"
          title="Key D"
          icon={desk.size === 'half' ? <ChevronDown size={16} /> : <ChevronUp size={16} />}
          onClick={toggleDesk}
        />
      </div>
      {desk.size !== 'shut' && (
        <div className="deskbody" ref={body}>
          {panel()}
        </div>
      )}
    </section>
  );
}
/** Height of an element, followed. */
function useHeight(ref: React.RefObject<HTMLDivElement | null>, on: boolean): number {
  const [height, setHeight] = useState(160);
  useEffect(() => {
    const el = ref.current;
    if (!el || !on) return;
    const observer = new ResizeObserver(() => setHeight(el.clientHeight));
    observer.observe(el);
    return () => observer.disconnect();
  }, [ref, on]);
  return height;
}
/** The state of the skin, always in view. */
function Verdict() {
  const text = useStatusPart((s) => s.badge.text);
  const tone = useStatusPart((s) => s.badge.tone);
  const measure = useMeasure();
  return (
    <span className={`verdict ${tone}`} data-testid="watertight" role="status">
      {measure(text)}
    </span>
  );
}
