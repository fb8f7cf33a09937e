import { useRef } from 'react';

interface Props {
  readonly heading: number;
  readonly tilt: number;
  readonly onTurn: (heading: number, tilt: number) => void;
}
const SIDES = [
  { name: 'front', at: 0 },
  { name: 'right', at: 90 },
  { name: 'back', at: 180 },
  { name: 'left', at: 270 },
] as const;

/** Flat heading ring with the four sides turning round it, top in the middle, and a tilt arc beside it. Drag or click. */
export function HeadingDial({ heading, tilt, onTurn }: Props) {
  const drag = useRef<'ring' | 'arc' | undefined>(undefined);
  const svg = useRef<SVGSVGElement>(null);
  const at = (e: React.PointerEvent) => {
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    return { x: ((e.clientX - r.left) / r.width) * 118 - 42, y: ((e.clientY - r.top) / r.height) * 92 - 42 };
  };
  const move = (e: React.PointerEvent) => {
    const p = at(e);
    if (drag.current === 'ring')
      onTurn(((Math.atan2(p.x, p.y) * 180) / Math.PI + 360) % 360 === heading ? heading : (360 + heading + turned(p)) % 360, tilt);
    if (drag.current === 'arc') onTurn(heading, Math.max(-90, Math.min(90, -(p.y / 34) * 90)));
  };
  const last = useRef(0);
  const turned = (p: { x: number; y: number }) => {
    const a = (Math.atan2(p.x, p.y) * 180) / Math.PI;
    const d = a - last.current;
    last.current = a;
    return d > 180 ? d - 360 : d < -180 ? d + 360 : d;
  };
  const down = tilt > 89;
  const arcY = (-tilt / 90) * 34;
  const arcX = 50 + Math.sqrt(Math.max(0, 1 - (arcY / 40) ** 2)) * 12;
  return (
    <svg
      ref={svg}
      width="118"
      height="92"
      viewBox="-42 -42 118 92"
      role="group"
      aria-label="Orientation"
      style={{ touchAction: 'none' }}
      onPointerMove={(e) => drag.current && move(e)}
      onPointerUp={() => {
        drag.current = undefined;
      }}
    >
      <circle
        r="36"
        fill="var(--chalk)"
        stroke="var(--line)"
        strokeWidth="1.2"
        style={{ cursor: 'grab' }}
        onPointerDown={(e) => {
          svg.current?.setPointerCapture(e.pointerId);
          drag.current = 'ring';
          const p = at(e);
          last.current = (Math.atan2(p.x, p.y) * 180) / Math.PI;
        }}
      />
      {SIDES.map((s) => {
        const a = ((s.at - heading) * Math.PI) / 180;
        const near = Math.cos(a) > 0.9;
        return (
          <text
            key={s.name}
            role="button"
            tabIndex={0}
            aria-label={`View from the ${s.name}`}
            x={Math.sin(a) * 24}
            y={Math.cos(a) * 26 + 3.5}
            textAnchor="middle"
            fontSize="10"
            fontWeight={near ? 650 : 450}
            fill={near ? 'var(--loden)' : 'var(--slate)'}
            style={{ cursor: 'pointer', fontFamily: 'var(--ui)' }}
            onClick={() => onTurn(s.at, 0)}
            onKeyDown={(e) => {
              if (e.key === 'Enter') {
                e.stopPropagation();
                onTurn(s.at, 0);
              }
            }}
          >
            {s.name}
          </text>
        );
      })}
      <circle r="11" fill="var(--porcelain)" stroke="var(--line)" />
      <text
        role="button"
        tabIndex={0}
        aria-label={down ? 'View from below' : 'View from the top'}
        y="3"
        textAnchor="middle"
        fontSize={down ? 7.5 : 9.5}
        fill="var(--ink)"
        style={{ cursor: 'pointer', fontFamily: 'var(--ui)' }}
        onClick={() => onTurn(0, down ? -90 : 90)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            e.stopPropagation();
            onTurn(0, down ? -90 : 90);
          }
        }}
      >
        {down ? 'below' : 'top'}
      </text>
      <path d="M0 41 l-3.500 6 h7 z" fill="var(--loden)" />
      <path
        d="M 50 -34 Q 74 0 50 34"
        fill="none"
        stroke="var(--line)"
        strokeWidth="3"
        strokeLinecap="round"
        style={{ cursor: 'pointer' }}
        onPointerDown={(e) => {
          svg.current?.setPointerCapture(e.pointerId);
          drag.current = 'arc';
          move(e);
        }}
      />
      <circle
        cx={arcX}
        cy={arcY}
        r="5"
        fill="var(--loden)"
        style={{ cursor: 'grab' }}
        onPointerDown={(e) => {
          svg.current?.setPointerCapture(e.pointerId);
          drag.current = 'arc';
        }}
      />
    </svg>
  );
}
