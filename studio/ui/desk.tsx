import { formatNumber } from '@ample-skin/core/math';
import type { SeamView } from '@ample-skin/engine';
import { ChevronDown, ChevronUp } from 'lucide-react';
import dynamic from 'next/dynamic';
import { memo, useMemo } from 'react';
import { change, type DeskTab, openStep, setStudio, useStudio, zoomTo } from '../state/store.ts';
import { faceLabel, pickName, stepName } from './names.ts';

// charts are loaded when they are first looked at
const CombPanel = dynamic(() => import('./comb.tsx'), { ssr: false });

const SIGN: Record<string, string> = { open: 'open', G0: 'G0 ∠', G1: 'G1 ⌒', G2: 'G2 ≈', G3: 'G3 ≋' };

/** The drawer below: seams as a test run, rims, defects, timing; the watertight state is always in view. */
export function Desk() {
  const desk = useStudio((s) => s.desk);
  const proofs = useStudio((s) => s.proofs);
  // skins and solids that stand for themselves, as a text: nothing here hangs on their shape
  const standing = useStudio((s) =>
    [...s.pieces.values()]
      .filter((p) => p.live && (p.kind === 'skin' || p.kind === 'solid'))
      .map((p) => `${p.key}|${p.kind}|${p.watertight}`)
      .join('\n'),
  );
  const computed = useStudio((s) => s.computed);
  const busy = useStudio((s) => !!s.progress);
  const bodies = useMemo(
    () =>
      standing
        .split('\n')
        .filter(Boolean)
        .map((t) => {
          const [key, kind, tight] = t.split('|');
          return { key, kind, watertight: tight === 'true' };
        }),
    [standing],
  );
  const list = useMemo(() => [...proofs.values()].filter((p) => bodies.some((b) => b.key === p.piece)), [proofs, bodies]);
  const seams = useMemo(() => list.flatMap((p) => p.seams), [list]);
  const rims = list.flatMap((p) => p.rims);
  const defects = list.flatMap((p) => p.defects);
  const met = seams.filter((s) => s.met).length;
  const tight = bodies.length > 0 && bodies.every((p) => p.watertight);
  const rimLength = rims.reduce((s, r) => s + r.length, 0);
  const tab = (id: DeskTab, label: string) => (
    <button
      type="button"
      className="tab"
      role="tab"
      aria-selected={desk.tab === id}
      onClick={() => setStudio({ desk: { tab: id, size: desk.size === 'shut' ? 'low' : desk.size } })}
    >
      {label}
    </button>
  );
  return (
    <section className="desk" aria-label="Seam desk">
      <div className="deskhead" role="tablist">
        {tab('seams', `Seams ${seams.length}`)}
        {tab('rims', `Rims ${rims.length}`)}
        {tab('defects', `Defects ${defects.length}`)}
        {tab('comb', 'Comb')}
        {tab('timing', 'Timing')}
        <span style={{ marginLeft: 'auto' }} className="mono soft">
          {seams.length ? `${met} of ${seams.length} on target` : ''}
        </span>
        <span
          className={`verdict ${!bodies.length || (busy && !tight) ? 'none' : tight ? '' : 'open'}`}
          data-testid="watertight"
          role="status"
        >
          {!computed || (busy && !tight)
            ? 'Computing…'
            : !bodies.length
              ? 'No skin yet'
              : tight
                ? bodies.every((b) => b.kind === 'solid')
                  ? 'Watertight solid'
                  : 'Watertight'
                : `Open: ${rims.length} ${rims.length === 1 ? 'rim' : 'rims'}, ${formatNumber(rimLength, 1)} mm`}
        </span>
        <button
          type="button"
          className="iconbtn"
          aria-label="Seam desk size"
          title="Key D"
          onClick={() => setStudio({ desk: { ...desk, size: desk.size === 'shut' ? 'low' : desk.size === 'low' ? 'half' : 'shut' } })}
        >
          {desk.size === 'half' ? <ChevronDown size={16} /> : <ChevronUp size={16} />}
        </button>
      </div>
      {desk.size !== 'shut' && (
        <div className="desktable">
          {desk.tab === 'seams' ? (
            <Seams seams={seams} />
          ) : desk.tab === 'rims' ? (
            <Rims />
          ) : desk.tab === 'defects' ? (
            <Defects />
          ) : desk.tab === 'comb' ? (
            <CombPanel />
          ) : (
            <Timing />
          )}
        </div>
      )}
    </section>
  );
}

function Spark({ seam }: { seam: SeamView }) {
  const values = seam.chart.map((c) => Math.min(c.step, 200));
  const top = Math.max(...values, 1e-6);
  const d = seam.chart.map((c, i) => `${i ? 'L' : 'M'}${(c.at * 150).toFixed(1)} ${(17 - (values[i] / top) * 14).toFixed(1)}`).join(' ');
  return (
    <svg width="152" height="19" role="img" aria-label={`Curvature step along the seam, at most ${formatNumber(seam.step, 2)} percent`}>
      <path d={d} fill="none" stroke={seam.met ? 'var(--loden)' : 'var(--brass)'} strokeWidth="1.4" />
    </svg>
  );
}
const small = (x: number, digits: number) => (x < 10 ** -digits / 2 ? '0' : x.toFixed(digits));

const Seams = memo(function Seams({ seams }: { seams: SeamView[] }) {
  const lit = useStudio((s) => s.lit);
  if (!seams.length) return <Empty text="No seams yet. A seam is an edge that two faces share: knit skins, or cap a loft." />;
  return (
    <table>
      <thead>
        <tr>
          <th>Seam</th>
          <th>Between</th>
          <th>Target</th>
          <th>Grade</th>
          <th className="num">gap mm</th>
          <th className="num">kink °</th>
          <th className="num">step %</th>
          <th className="num">flow %</th>
          <th>Curvature step along the seam</th>
        </tr>
      </thead>
      <tbody>
        {seams.map((s, i) => (
          <tr
            key={s.key}
            aria-selected={lit?.piece === s.piece && lit.edges.includes(s.edge)}
            onClick={() => {
              setStudio({ lit: { piece: s.piece, edges: [s.edge] } });
              zoomTo(s.grade === 'G3' ? [s.worst.flow] : s.grade === 'G2' || s.grade === 'G1' ? [s.worst.step] : [s.worst.kink]);
            }}
          >
            <td>{i + 1}</td>
            <td title={`${s.faceNames[0]} · ${s.faceNames[1]}`}>
              {s.faces[0] === s.faces[1]
                ? `${faceLabel(s.faceNames[0])} with itself`
                : `${faceLabel(s.faceNames[0])} · ${faceLabel(s.faceNames[1])}`}
            </td>
            <td>
              <select
                aria-label={`Target of seam ${i + 1}`}
                value={s.target ?? ''}
                onClick={(e) => e.stopPropagation()}
                onChange={(e) => change('Seam target', { type: 'setTarget', key: s.key, target: (e.target.value || null) as 'G0' | null })}
              >
                <option value="">–</option>
                <option>G0</option>
                <option>G1</option>
                <option>G2</option>
                <option>G3</option>
              </select>
            </td>
            <td className={s.grade === 'open' ? 'fail' : s.met ? 'met' : 'below'}>
              {SIGN[s.grade]} {s.grade === 'open' ? '' : s.met ? (s.target ? 'met' : '') : 'below'}
            </td>
            <td className="num">{small(s.gap, 5)}</td>
            <td className="num">{small(s.kink, 4)}</td>
            <td
              className={`num ${s.kink > 0.5 ? 'dim' : ''}`}
              title={s.kink > 0.5 ? 'Across a kink the curvature step says little' : undefined}
            >
              {small(s.step, 2)}
            </td>
            <td
              className={`num ${s.step > 2 || s.kink > 0.5 ? 'dim' : ''}`}
              title="Step of the change of curvature across the seam: G3 within 10 %"
            >
              {small(s.flow, 1)}
            </td>
            <td>
              <Spark seam={s} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
});

function Rims() {
  const proofs = useStudio((s) => s.proofs);
  const pieces = useStudio((s) => s.pieces);
  const rims = [...proofs.values()].filter((p) => pieces.get(p.piece)?.live).flatMap((p) => p.rims);
  if (!rims.length) return <Empty text="No open rims." />;
  return (
    <table>
      <thead>
        <tr>
          <th>Rim</th>
          <th>Piece</th>
          <th className="num">length mm</th>
          <th className="num">edges</th>
          <th>Closed chain</th>
          <th>Place</th>
        </tr>
      </thead>
      <tbody>
        {rims.map((r, i) => (
          <tr
            key={`${r.piece}${r.edges.join()}`}
            onClick={() => {
              setStudio({ lit: { piece: r.piece, edges: r.edges } });
              zoomTo([r.at]);
            }}
          >
            <td>{i + 1}</td>
            <td>{pickName({ step: r.piece.split('/')[0], output: r.piece.split('/')[1] })}</td>
            <td className="num">{r.length.toFixed(3)}</td>
            <td className="num">{r.edges.length}</td>
            <td>{r.closed ? 'yes' : 'no'}</td>
            <td className="mono">{r.at.map((x) => x.toFixed(2)).join(', ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
function Defects() {
  const proofs = useStudio((s) => s.proofs);
  const pieces = useStudio((s) => s.pieces);
  const list = [...proofs.values()].filter((p) => pieces.get(p.piece)?.live).flatMap((p) => p.defects);
  if (!list.length) return <Empty text="No defects found." />;
  return (
    <table>
      <thead>
        <tr>
          <th>Piece</th>
          <th>What</th>
          <th>Place</th>
        </tr>
      </thead>
      <tbody>
        {list.map((d, i) => (
          <tr key={`${d.code}${i}`} onClick={() => zoomTo([d.place])}>
            <td>{pickName({ step: d.piece.split('/')[0], output: d.piece.split('/')[1] })}</td>
            <td>{d.message}</td>
            <td className="mono">{d.place.map((x) => x.toFixed(2)).join(', ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
function Timing() {
  const model = useStudio((s) => s.model);
  const steps = useStudio((s) => s.steps);
  const total = useStudio((s) => s.computeMs);
  const rows = model.steps.map((s) => ({ s, ms: steps.get(s.id)?.ms ?? 0 })).sort((a, b) => b.ms - a.ms);
  const top = Math.max(1, rows[0]?.ms ?? 1);
  if (!rows.length) return <Empty text="Nothing was computed yet." />;
  return (
    <table>
      <thead>
        <tr>
          <th>Step</th>
          <th className="num">ms</th>
          <th>Share; the last recompute took {Math.round(total)} ms</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ s, ms }) => (
          <tr key={s.id} onClick={() => openStep(s.id)}>
            <td>{stepName(s)}</td>
            <td className="num">{ms.toFixed(1)}</td>
            <td>
              <span
                style={{
                  display: 'inline-block',
                  height: 7,
                  borderRadius: 3,
                  width: `${(ms / top) * 240}px`,
                  background: 'var(--celadon)',
                }}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
const Empty = ({ text }: { text: string }) => <div style={{ padding: '14px 16px', color: 'var(--slate)' }}>{text}</div>;
