import { formatNumber } from '@ample-skin/core/math';
import type { Offer, Offers, SeamNumbers } from '@ample-skin/core/offers';
import { Button, Empty, Progress } from 'antd';
import { X } from 'lucide-react';
import { useEffect, useState } from 'react';
import type { JudgedSeam } from '../state/status.ts';
import { commit, engine, getStudio, notify, setStudio, useStudio } from '../state/store.ts';

const GRADES = { G0: 1, G1: 1, G2: 2, G3: 3 } as const;
interface State {
  readonly so?: Offers;
  readonly of: number;
  readonly over: boolean;
}
/** Changes of the recipe that bring a seam to its target, each tried in the background; one click keeps one as an edit. */
export default function SeamOffers({ seam, n, onClose }: { seam: JudgedSeam; n: number; onClose: () => void }) {
  const model = useStudio((s) => s.model);
  const [state, setState] = useState<State>({ of: 0, over: false });
  const target = seam.target ?? 'G1';
  useEffect(() => {
    let mine = true;
    setState({ of: 0, over: false });
    engine
      .offers(seam.key, GRADES[target], model, (so, of) => {
        // what is told on the way may arrive after the end
        if (mine) setState((s) => (s.over ? s : { so, of, over: false }));
      })
      .then((so) => mine && setState((s) => ({ so: so ?? s.so, of: s.of, over: true })))
      .catch((e: Error) => {
        if (!mine) return;
        setState((x) => ({ ...x, over: true }));
        notify('error', `The search for changes stopped: ${e.message}`);
      });
    return () => {
      mine = false;
      engine.endTrial();
    };
  }, [seam.key, target, model]);
  const { so, of, over } = state;
  const keep = (o: Offer) => {
    if (getStudio().model !== model || !commit(o.edit)) return;
    notify('info', `${o.edit.label}. Ctrl Z takes it back`);
    setStudio({ lit: undefined });
    onClose();
  };
  return (
    <div className="seamchart offers" role="region" aria-label={`Ways to bring seam ${n} to ${target}`}>
      <div className="seamcharthead">
        <span className="soft">{`Seam ${n} to ${target}`}</span>
        {so && <span className="mono">{`now ${words(so.before)}`}</span>}
        <Button type="text" size="small" aria-label="Close the offers" icon={<X size={14} />} onClick={onClose} />
      </div>
      {!over && <Progress size="small" percent={of ? Math.round((100 * (so?.tried ?? 0)) / of) : 0} status="active" />}
      <div className="offerlist">
        {so?.offers.map((o) => (
          <div className="offer" key={o.label}>
            <Across now={o.now} before={so.before} />
            <div>
              <b>{o.label}</b>
              <span className={o.meets ? 'met' : 'below'}>{o.meets ? `${o.now.grade}, on target` : `${o.now.grade}, below target`}</span>
              <span className="mono">{words(o.now)}</span>
              <span className="soft">
                {`${o.now.points} control points (${so.before.points})`}
                {o.worse ? `; ${o.worse} other ${o.worse === 1 ? 'seam gets' : 'seams get'} worse` : ''}
              </span>
            </div>
            <Button size="small" type={o.meets ? 'primary' : 'default'} onClick={() => keep(o)}>
              Keep
            </Button>
          </div>
        ))}
        {over && !so?.offers.length && (
          <Empty
            image={false}
            description={
              so?.failed.length
                ? `${so.failed.length} changes were tried, none brings it nearer: ${so.failed
                    .slice(0, 3)
                    .map((f) => `${f.label} (${f.why})`)
                    .join('; ')}`
                : 'No step of the recipe has a setting that could change this seam: match its skins, or blend between trimmed edges'
            }
          />
        )}
      </div>
    </div>
  );
}
const words = (s: SeamNumbers) => `${small(s.gap)} mm, ${small(s.kink)}°, ${s.kink > 0.5 ? '–' : `${small(s.step)} %`}`;
const small = (x: number) => (x < 1e-6 ? '0' : x < 1e-3 ? x.toExponential(0) : formatNumber(x, 3));

const [W, H] = [112, 66];
/** The section across the seam where it is worst, with its curvature as a comb: before in grey, after in colour. */
function Across({ now, before }: { now: SeamNumbers; before: SeamNumbers }) {
  const both = [before.across, now.across];
  const lines = both.map((a) => (a ? [...[...a[0]].reverse(), ...a[1]] : []));
  const all = lines.flat();
  if (!all.length) return <svg width={W} height={H} aria-hidden="true" />;
  const bent = Math.max(1e-9, ...all.map((p) => Math.abs(p.bent)));
  const xs = all.map((p) => p.x);
  const [x0, x1] = [Math.min(...xs), Math.max(...xs)];
  const scale = (W - 8) / (x1 - x0 || 1);
  const y0 = Math.min(...all.map((p) => p.y));
  const y1 = Math.max(...all.map((p) => p.y));
  const up = Math.min(scale, (0.5 * H) / (y1 - y0 || 1e-9));
  const at = (p: { x: number; y: number }) => [4 + (p.x - x0) * scale, H * 0.72 - (p.y - (y0 + y1) / 2) * up] as const;
  const path = (list: readonly (readonly [number, number])[]) =>
    list.map(([x, y], i) => `${i ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('');
  return (
    <svg width={W} height={H} role="img" aria-label="Section across the seam with its curvature, before and after">
      {lines.map((line, k) => {
        const colour = k ? 'var(--loden)' : 'var(--slate)';
        const tips = line.map((p) => {
          const [x, y] = at(p);
          return [x, y - (p.bent / bent) * H * 0.42] as const;
        });
        return (
          <g key={k ? 'after' : 'before'} stroke={colour} fill="none" opacity={k ? 1 : 0.45}>
            <path d={path(line.map(at))} strokeWidth={1.6} />
            <path d={path(tips)} strokeWidth={0.8} />
            {line.map((p, i) => {
              const [x, y] = at(p);
              // a comb tooth every other place
              return i % 2 ? null : (
                <path
                  key={`${p.x}`}
                  d={`M${x.toFixed(1)} ${y.toFixed(1)}L${tips[i][0].toFixed(1)} ${tips[i][1].toFixed(1)}`}
                  strokeWidth={0.5}
                />
              );
            })}
          </g>
        );
      })}
    </svg>
  );
}
