import { type Body, bodyBox, edgePoint, isOriented, massProperties, topologyOf, traceTangent } from '../brep/index.ts';
import { boxSize, distance, type Vec3 } from '../math/index.ts';
import { measureRims } from './seams.ts';

export interface Defect {
  readonly code:
    | 'open-rim'
    | 'crowded-edge'
    | 'tiny-edge'
    | 'sliver-face'
    | 'duplicate-face'
    | 'flipped-face'
    | 'loose-tolerance'
    | 'invalid-face'
    | 'inside-out';
  readonly message: string;
  readonly place: Vec3;
}

function edgeLength(b: Body, i: number): number {
  const e = b.edges[i];
  let len = 0;
  let last = edgePoint(e, e.range[0]);
  for (let k = 1; k <= 24; k++) {
    const p = edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * k) / 24);
    len += distance(last, p);
    last = p;
  }
  return len;
}

/** What keeps a body from being a good solid, each with its place. Lengths in mm; `tolerance` is the model tolerance. */
export function findDefects(b: Body, tolerance: number): Defect[] {
  const out: Defect[] = [];
  const size = Math.max(boxSize(bodyBox(b)), 1e-9);
  const { uses, crowded } = topologyOf(b);
  for (const r of measureRims(b))
    out.push({ code: 'open-rim', message: `${r.closed ? 'A closed' : 'An open'} rim of ${r.length.toFixed(3)} mm`, place: r.at });
  for (const i of crowded)
    out.push({
      code: 'crowded-edge',
      message: `${uses[i].length} faces meet at one edge`,
      place: traceTangent(b.edges[i], (b.edges[i].range[0] + b.edges[i].range[1]) / 2)[0],
    });
  b.edges.forEach((e, i) => {
    if (e.degenerate || !uses[i].length) return;
    const at = edgePoint(e, (e.range[0] + e.range[1]) / 2);
    const len = edgeLength(b, i);
    if (len < Math.max(2 * tolerance, 1e-6 * size))
      out.push({ code: 'tiny-edge', message: `An edge of only ${len.toPrecision(2)} mm`, place: at });
    if (e.tolerance > Math.max(0.02, 2e-5 * size))
      out.push({ code: 'loose-tolerance', message: `An edge is off its faces by up to ${e.tolerance.toPrecision(2)} mm`, place: at });
  });
  const facts = b.faces.map((_, i) => massProperties(b, [i]));
  b.faces.forEach((f, i) => {
    const around = f.loops.flat().reduce((s, u) => s + (b.edges[u.edge].degenerate ? 0 : edgeLength(b, u.edge)), 0);
    const width = around > 0 ? (2 * facts[i].area) / around : 0;
    if (width < Math.max(5 * tolerance, 2e-5 * size))
      out.push({
        code: 'sliver-face',
        message: `Face ${f.name || i + 1} is a sliver, about ${width.toPrecision(2)} mm wide`,
        place: facts[i].areaCentre,
      });
    for (let j = 0; j < i; j++)
      if (
        Math.abs(facts[i].area - facts[j].area) < 1e-6 * facts[i].area &&
        distance(facts[i].areaCentre, facts[j].areaCentre) < 10 * tolerance &&
        facts[i].area > 0
      )
        out.push({
          code: 'duplicate-face',
          message: `Faces ${b.faces[j].name || j + 1} and ${f.name || i + 1} lie on each other`,
          place: facts[i].areaCentre,
        });
  });
  if (!isOriented(b)) {
    for (const e of topologyOf(b).seams) {
      const [p, q] = uses[e];
      const same = (p.use.reversed !== b.faces[p.face].reversed) === (q.use.reversed !== b.faces[q.face].reversed);
      if (same) {
        const smaller = facts[p.face].area < facts[q.face].area ? p.face : q.face;
        if (!out.some((d) => d.code === 'flipped-face' && distance(d.place, facts[smaller].areaCentre) < tolerance))
          out.push({
            code: 'flipped-face',
            message: `Face ${b.faces[smaller].name || smaller + 1} has its outside turned in`,
            place: facts[smaller].areaCentre,
          });
      }
    }
  }
  return out;
}
