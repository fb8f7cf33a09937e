import { Tour } from 'antd';
import { useStudio } from '../state/store.ts';
import { STOPS, type Stop } from '../state/tour.ts';
import { backTour, endTour, nextTour } from '../state/tour-run.ts';

const one = (selector: string, text?: string): HTMLElement | null =>
  text
    ? ([...document.querySelectorAll<HTMLElement>(selector)].find((e) => e.textContent?.trim().startsWith(text)) ?? null)
    : document.querySelector<HTMLElement>(selector);
/** What a stop points at, as it is on the screen now; nothing: it stands in the middle. */
function target(s: Stop): HTMLElement | null {
  switch (s.at) {
    case 'route':
      return one('.route');
    case 'dials':
    case 'sheet':
      return one('.right');
    case 'bench':
      return (s.tool && one('.bench button', s.tool)) || one('.bench');
    case 'look':
      return one('.viewbar button');
    case 'section':
      return one('.viewbar button', 'Section');
    case 'desk':
      return one('.desk');
    case 'verdict':
      return one('.verdict');
    default:
      return null;
  }
}
const PLACES: Partial<Record<Stop['at'], 'left' | 'right' | 'top' | 'bottom'>> = {
  dials: 'left',
  sheet: 'left',
  bench: 'right',
  desk: 'top',
  verdict: 'topRight' as 'top',
  look: 'topLeft' as 'top',
  section: 'top',
};

/** The round: over the real screen, which stays in hand; it builds the demo body stop by stop. */
export function Round() {
  const tour = useStudio((s) => s.tour);
  if (!tour) return null;
  const last = tour.stop === STOPS.length - 1;
  const steps = STOPS.map((s, i) => ({
    title: s.title,
    description: (
      <>
        {s.text}
        {s.hand && <p className="byhand">{s.hand}</p>}
      </>
    ),
    target: () => target(s) as HTMLElement,
    placement: PLACES[s.at],
    nextButtonProps: { children: i === 0 ? 'Begin' : i === STOPS.length - 1 ? 'Done' : 'Next', ...({ loading: tour.busy } as object) },
    prevButtonProps: { children: 'Back' },
  }));
  return (
    <Tour
      open
      key={tour.stop}
      current={tour.stop}
      mask={false}
      keyboard={false}
      type="default"
      rootClassName="round"
      steps={steps}
      onChange={(to) => (to > tour.stop ? void nextTour() : backTour())}
      onFinish={() => void nextTour()}
      onClose={() => !last && endTour()}
      indicatorsRender={(at, of) => <span className="mono soft">{`${at + 1} of ${of}`}</span>}
    />
  );
}
