import { DEG, dot, formatNumber, sub, type Vec3 } from '../math/index.ts';
import type { Placed, Spine } from './spine.ts';

export interface Survey {
  /** Sections at even shares from 0 to 1. */
  readonly sections: readonly Placed[];
  /** Smallest and largest distance of the contacts, mm. */
  readonly narrowest: number;
  readonly widest: number;
}
export interface Trouble {
  readonly code: 'smooth' | 'no-contact' | 'turns' | 'leaves-face' | 'too-tight';
  readonly message: string;
  readonly place: Vec3;
}
const chord = (s: Placed) => Math.hypot(...sub(s.contacts[0].point, s.contacts[1].point));

/**
 * Sections all along, and what stands against a fillet: no contact, an edge that turns from standing out to hollow, a contact that leaves its
 * face elsewhere than at the ends, or a face bent more tightly than the fillet.
 */
export function survey(spine: Spine, factor = 1, count = Math.min(240, 48 * spine.border.edges.length)): Survey | Trouble {
  const sections: Placed[] = [];
  const angles = Array.from({ length: 17 }, (_, i) => spine.angleAt(i / 16));
  const sharpest = angles.indexOf(Math.max(...angles));
  if (angles[sharpest] < 0.1 * DEG)
    return {
      code: 'smooth',
      place: spine.border.place(sharpest / 16).point,
      message: `The faces are tangent all along already (${formatNumber(angles[sharpest] / DEG, 3)}° at the most, at the mark): there is nothing to fillet`,
    };
  for (let i = 0; i <= count; i++) {
    const share = i / count;
    const place = spine.border.place(share).point;
    // right at the ends of open edges the faces may be tangent already: there nothing need touch
    const tip = !spine.closed && (i === 0 || i === count);
    if (!tip && spine.turnAt(share) * spine.side < -2e-3)
      return {
        code: 'turns',
        place,
        message: `The edge turns from ${spine.side > 0 ? 'hollow to standing out' : 'standing out to hollow'} at the mark: no fillet runs through there`,
      };
    const s = spine.section(share, factor);
    if (!s) {
      if (tip) continue;
      return { code: 'no-contact', place, message: `${NOTHING[spine.rule.kind]} at the mark` };
    }
    sections.push(s);
  }
  for (const k of [0, 1] as const) {
    const out = sections.map((s) => !s.inside(k));
    const first = out.indexOf(false);
    const last = out.lastIndexOf(false);
    const bad = first < 0 || spine.closed ? out.indexOf(true) : out.findIndex((o, i) => o && i > first && i < last);
    if (bad >= 0)
      return {
        code: 'leaves-face',
        place: sections[bad].contacts[k].point,
        message: 'The fillet runs beyond the border of a face at the mark',
      };
    for (let i = 1; i < sections.length; i++) {
      const way = sub(sections[i].contacts[k].point, sections[i - 1].contacts[k].point);
      if (dot(way, spine.border.place((i - 0.5) / count).tangent) <= 0)
        return {
          code: 'too-tight',
          place: sections[i].contacts[k].point,
          message: 'A face is bent more tightly than the fillet at the mark: it would fold',
        };
    }
  }
  const chords = sections.map(chord);
  return { sections, narrowest: Math.min(...chords), widest: Math.max(...chords) };
}
const NOTHING = {
  ball: 'No ball of this radius touches both faces',
  width: 'Nowhere are both faces this far apart',
  tube: 'The tube does not meet both faces',
};

/** The largest size whose sections are all sound, as a factor on the one asked; undefined when even a hundredth is not. */
export function largestFactor(spine: Spine): number | undefined {
  const works = (f: number) => !('code' in survey(spine, f));
  if (works(1)) return 1;
  let low = 0.01;
  if (!works(low)) return undefined;
  let high = 1;
  for (let k = 0; k < 12; k++) {
    const m = (low + high) / 2;
    if (works(m)) low = m;
    else high = m;
  }
  return low;
}
