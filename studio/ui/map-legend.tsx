import { mapLook } from '@ample-skin/core/proof/kinds';
import { Button, Progress } from 'antd';
import { type RefObject, useEffect, useMemo, useRef, useState } from 'react';
import { cancelMaps, colourAt, coloursOf, histogramOf } from '../state/maps.ts';
import { setStudio, useStudio } from '../state/store.ts';
import type { Viewport } from '../view/viewport.ts';
import { useShownMaps } from './shown-maps.ts';

const BINS = 40;
/** A number in so many digits as a map can be read to. */
const short = (x: number): string =>
  x === 0 ? '0' : !Number.isFinite(x) ? 'flat' : Math.abs(x) >= 1e5 ? x.toExponential(2) : String(Number(x.toPrecision(4)));

/** What the colours mean: ends, how much of the area has each, the value under the pointer, extremes to go to. */
export function MapLegend({ view, area }: { view: RefObject<Viewport | undefined>; area: RefObject<HTMLElement | null> }) {
  const { maps, map, on } = useShownMaps();
  const work = useStudio((s) => s.mapWork);
  const why = useStudio((s) => s.mapWhy);
  const [under, setUnder] = useState<ReturnType<Viewport['mapAt']>>();
  const pointer = useRef<{ x: number; y: number }>(undefined);
  const info = mapLook(map.kind);
  const { low, high } = useMemo(() => coloursOf(maps, map), [maps, map]);
  const bins = useMemo(() => histogramOf(maps, low, high, BINS), [maps, low, high]);
  const said = (x: number) => short(info.reciprocal ? 1 / x : x);
  const { held, none } = useMemo(() => {
    let [h, n] = [0, 0];
    for (const m of maps.values()) m.state.forEach((s, i) => (s === 1 ? (h += m.areas[i]) : s === 2 ? (n += m.areas[i]) : 0));
    return { held: h, none: n };
  }, [maps]);
  useEffect(() => {
    const el = area.current;
    if (!on || !el) return;
    let frame = 0;
    const read = () => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => {
        const [r, at] = [el.getBoundingClientRect(), pointer.current];
        if (at) setUnder(view.current?.mapAt(at.x - r.left, at.y - r.top));
      });
    };
    const move = (e: PointerEvent) => {
      pointer.current = { x: e.clientX, y: e.clientY };
      if (!e.buttons) read();
    };
    el.addEventListener('pointermove', move);
    // a new map comes under a pointer that rests
    if (maps.size) read();
    return () => {
      el.removeEventListener('pointermove', move);
      cancelAnimationFrame(frame);
    };
  }, [on, area, view, maps]);
  if (!on) return null;
  const ends = [...maps.values()];
  const least = ends.reduce<(typeof ends)[0]['least']>((m, v) => (v.least && (!m || v.least.value < m.value) ? v.least : m), undefined);
  const most = ends.reduce<(typeof ends)[0]['most']>((m, v) => (v.most && (!m || v.most.value > m.value) ? v.most : m), undefined);
  const steps = map.bands || 64;
  const goTo = (key: 'least' | 'most') => {
    const x = key === 'least' ? least : most;
    const piece = ends.find((v) => v[key]?.value === x?.value)?.key;
    if (x && piece) {
      setStudio({ lit: { piece, at: x.at } });
      view.current?.show([x.at]);
    }
  };
  return (
    <div className="maplegend" data-testid="map-legend" role="group" aria-label="Legend of the map">
      <div className="maphead">
        <strong>{info.label}</strong> <span className="soft">{info.unit}</span>
      </div>
      {ends.length > 0 && (
        <>
          <svg viewBox={`0 0 ${BINS * 5} 46`} width="100%" role="img" aria-label="Area by value">
            {bins.map((b, i) => (
              <rect key={i} x={i * 5} width={4.4} y={30 - 29 * b} height={29 * b + 0.6} className="mapbin" />
            ))}
            {Array.from({ length: steps }, (_, i) => (
              <rect
                key={i}
                x={(i * BINS * 5) / steps}
                width={(BINS * 5) / steps + 0.4}
                y={33}
                height={13}
                fill={colourAt(info.signed, steps > 1 ? (map.bands ? (i + 0.5) / steps : i / (steps - 1)) : 0.5)}
              />
            ))}
            {under?.value !== undefined && (
              <path d={`M${Math.min(1, Math.max(0, (under.value - low) / (high - low))) * BINS * 5} 31 l-4 -7 h8 z`} className="mapmark" />
            )}
          </svg>
          <div className="mapends mono">
            <span>{said(low)}</span>
            {info.signed && low < 0 && high > 0 && <span>0</span>}
            <span>{said(high)}</span>
          </div>
          <div className="mapunder">
            <span className="soft">Under the pointer</span>{' '}
            <span className="mono" data-testid="map-value">
              {under ? (under.value === undefined ? 'no value' : said(under.value)) : '–'}
              {under?.held ? ', undercut' : ''}
            </span>
          </div>
          <div className="mapextremes">
            {least && (
              <Button size="small" type="link" onClick={() => goTo('least')} title="Go there">
                {info.reciprocal ? 'largest' : 'least'} {said(least.value)}
              </Button>
            )}
            {most && (
              <Button size="small" type="link" onClick={() => goTo('most')} title="Go there">
                {info.reciprocal ? 'smallest' : 'most'} {said(most.value)}
              </Button>
            )}
          </div>
          {held > 0 && <div className="soft">Undercut (hatched): {short(held)} mm²</div>}
          {none > 0 && <div className="soft">No value (grey): {short(none)} mm²</div>}
        </>
      )}
      {why && <div className="soft">{why}</div>}
      {work !== undefined && (
        <div className="mapwork">
          <Progress percent={Math.round(100 * work)} size="small" />
          <Button size="small" onClick={cancelMaps}>
            Cancel
          </Button>
        </div>
      )}
    </div>
  );
}
